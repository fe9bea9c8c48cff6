import * as Popover from "@radix-ui/react-popover";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useEffect, useRef, useState } from "react";
import { Problem, call } from "../../api/client";
import { active, client, run, runs } from "../../api/queries";
import type { Examination, RunDetail, RunLine } from "../../api/types";
import { level, ringing } from "./live";
import { useRegister } from "../../app/commands";
import { bytes, compact, forecastOf } from "../../format";
import { Button } from "../../ui/Button";
import { Mark } from "../../ui/Mark";
import { Sparkline } from "../../plots/Sparkline";
import { replaced, useBench, useIlluminated } from "./model";

/** Whether a problem keeps the model from being solved; what is wrong with a study does not. */
const hinders = (p: Examination["problems"][number]): boolean =>
  p.level === "error" && p.path[0] !== "studies";

/** Preflight, forecast, Solve, and the latest runs. */
export function RunStrip({
  projectId,
  examination,
}: {
  projectId: number;
  examination?: Examination;
}) {
  const { role, state, document, plan } = useBench();
  const { data: all } = useQuery(runs(projectId));
  const [fault, setFault] = useState("");
  const sound = examination !== undefined && !examination.problems.some(hinders);
  // A wish made while the model is still looked at or saved is kept until it can be granted, or cannot.
  const waiting = examination === undefined || (sound && state === "saving");
  const now = useRef({ waiting, granted: false });
  useEffect(() => {
    now.current = { waiting, granted: sound && state === "saved" };
    return () => {
      now.current = { waiting: false, granted: false };
    };
  }, [waiting, sound, state]);
  const solve = useMutation({
    mutationFn: async (empty: boolean) => {
      while (now.current.waiting) await new Promise((go) => setTimeout(go, 50));
      return now.current.granted
        ? call<RunDetail>("POST", `/projects/${projectId}/runs`, { empty, plan })
        : null;
    },
    onSuccess: async () => {
      setFault("");
      await client.invalidateQueries({ queryKey: runs(projectId).queryKey });
    },
    onError: (e: Problem) => setFault(e.message),
  });
  const isIlluminated = useIlluminated();
  const ready = role !== "reader" && !solve.isPending && (waiting || (sound && state === "saved"));
  useRegister("runs", [
    {
      id: "solve",
      label: "Solve",
      likely: true,
      group: "Run",
      shortcut: "Ctrl+Enter",
      enabled: ready,
      perform: () => solve.mutate(false),
    },
    {
      id: "noise-floor",
      label: "Solve without the parts: noise floor",
      group: "Run",
      enabled: ready && isIlluminated,
      perform: () => solve.mutate(true),
    },
  ]);
  const forecast = examination?.forecast;
  return (
    <footer
      data-help="solve"
      className="flex h-[74px] shrink-0 items-center gap-5 border-t border-rule bg-card px-4"
    >
      <Preflight examination={examination} />
      <div className="min-w-0 shrink-0">
        <p className="text-[11.500px] text-ink2">Forecast</p>
        <p
          className="num text-[12.500px]"
          title={
            forecast && forecast.base_bytes > 0
              ? `and ${bytes(forecast.base_bytes)} that any run of the ${forecast.engine} engine takes`
              : undefined
          }
        >
          {forecast && sound
            ? `${compact(forecast.size)} ${forecast.what} · ${bytes(forecast.memory_bytes - forecast.base_bytes)} · ${forecastOf(forecast.seconds, forecast.most_seconds)}`
            : "–"}
        </p>
      </div>
      {document && document.plans.length > 1 && (
        <select
          aria-label="Plan to solve by"
          value={plan ?? document.plans[0]!.name}
          onChange={(e) => useBench.setState({ plan: e.target.value })}
          className="-mr-2 max-w-32 rounded border border-rule bg-paper px-1.5 py-1"
        >
          {document.plans.map((p) => (
            <option key={p.name}>{p.name}</option>
          ))}
        </select>
      )}
      <Button
        look="main"
        data-tour="solve"
        disabled={!ready}
        onClick={() => solve.mutate(false)}
        title="Ctrl+Enter"
      >
        Solve
      </Button>
      {isIlluminated && (
        <button
          type="button"
          disabled={!ready}
          onClick={() => solve.mutate(true)}
          title="The same waves without the parts: what leaks out of the total-field box"
          className="-ml-2 whitespace-nowrap text-heron hover:underline disabled:opacity-40"
        >
          Noise floor
        </button>
      )}
      {fault && (
        <p role="alert" className="max-w-56 text-[12px] leading-tight text-rust">
          {fault}
        </p>
      )}
      <ul className="ml-auto flex min-w-0 gap-3 overflow-hidden" aria-label="Recent runs">
        {all?.slice(0, 3).map((r) => (
          <li key={r.number} className="shrink-0">
            <Chip projectId={projectId} line={r} />
          </li>
        ))}
        {all?.length === 0 && <li className="text-ink2">No runs yet.</li>}
      </ul>
    </footer>
  );
}

function Preflight({ examination }: { examination?: Examination }) {
  const { edit, role } = useBench();
  const found = examination?.problems ?? [],
    offers = examination?.offers ?? [];
  const errors = found.filter((p) => p.level === "error").length;
  const state = errors ? "stop" : found.length ? "look" : "good";
  const text = !examination
    ? "checking…"
    : errors
      ? errors === 1
        ? "1 error"
        : `${errors} errors`
      : found.length
        ? `${found.length} to look at`
        : "all clear";
  return (
    <Popover.Root>
      <Popover.Trigger
        data-tour="preflight"
        className="w-32 shrink-0 rounded text-left hover:bg-heron-soft"
      >
        <span className="block text-[11.500px] text-ink2">Preflight</span>
        <span className="flex items-center gap-1.5 font-semibold">
          <Mark state={state} /> {text}
        </span>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          side="top"
          align="start"
          sideOffset={10}
          className="z-20 max-h-96 w-[26rem] overflow-auto rounded-lg border border-rule bg-card p-4 shadow-xl"
        >
          <h2 className="mb-2 font-semibold">Preflight</h2>
          {found.length === 0 && (
            <p className="text-ink2">
              Nothing stands in the way.{" "}
              {examination?.engine &&
                `Engine: ${examination.engine}, because ${examination.engine_reason}.`}
            </p>
          )}
          {offers.length > 0 && (
            <section aria-label="Could be" className="mb-3 border-b border-faint pb-2.5">
              <ul className="space-y-1.5">
                {offers.map((p) => (
                  <li key={p.message}>
                    {p.message}: {p.why}.{" "}
                    {role !== "reader" && (
                      <button
                        type="button"
                        className="font-medium text-heron hover:underline"
                        onClick={() =>
                          edit((d) => p.repair.reduce((m, r) => replaced(m, r.path, r.value), d))
                        }
                      >
                        {p.repair_label}
                      </button>
                    )}
                  </li>
                ))}
              </ul>
            </section>
          )}
          <ul className="space-y-2.5">
            {found.map((p, i) => (
              <li key={i} className="flex gap-2">
                <span className="pt-0.5">
                  <Mark state={p.level === "error" ? "stop" : "look"} />
                </span>
                <div>
                  <p>{p.message}.</p>
                  {p.why && <p className="text-[12px] text-ink2">{p.why}.</p>}
                  {p.repair.length > 0 && role !== "reader" && (
                    <Button
                      look="quiet"
                      onClick={() =>
                        edit((d) => p.repair.reduce((m, r) => replaced(m, r.path, r.value), d))
                      }
                    >
                      {p.repair_label}
                    </Button>
                  )}
                </div>
              </li>
            ))}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function Chip({ projectId, line }: { projectId: number; line: RunLine }) {
  const busy = active(line.status);
  const { data } = useQuery({ ...run(projectId, line.number), enabled: busy });
  const navigate = useNavigate();
  const ask = (what: string): void =>
    void call("POST", `/projects/${projectId}/runs/${line.number}/${what}`).then(() =>
      client.invalidateQueries({ queryKey: runs(projectId).queryKey }),
    );
  const live = level(data?.live ?? []);
  const frame =
    "flex h-[44px] items-center gap-2.5 rounded-lg border border-rule bg-paper px-2.5 text-left";
  const words = (
    <span className="min-w-0 flex-1">
      <span className="num block truncate text-[11.500px] font-medium">
        run {line.number}
        {busy ? ` · ${line.status === "running" ? line.stage : line.status}` : ""}
      </span>
      <span className="num block truncate text-[11.500px] text-ink2">
        {busy
          ? `${Math.round(line.fraction * 100)} %${ringing(data?.live ?? [])}`
          : ((line.headline as { text?: string }).text ?? line.status)}
      </span>
    </span>
  );
  if (busy)
    return (
      <div
        className={`${frame} relative w-[320px] overflow-hidden`}
        role="status"
        aria-label={`Run ${line.number} ${line.status}`}
      >
        <span
          className="absolute inset-x-0 bottom-0 h-0.5 origin-left bg-heron transition-transform"
          style={{ transform: `scaleX(${line.fraction})` }}
        />
        <Sparkline values={live.map((p) => p.db)} at={live.map((p) => p.f)} />
        {words}
        <button
          aria-label={line.wish === "pause" ? "Continue" : "Pause"}
          onClick={() => ask(line.wish === "pause" ? "continue" : "pause")}
          className="rounded px-1 hover:bg-heron-soft"
        >
          {line.wish === "pause" ? "▸" : "‖"}
        </button>
        <button
          aria-label="Stop"
          onClick={() => ask("stop")}
          className="rounded px-1 text-rust hover:bg-rust-soft"
        >
          ■
        </button>
      </div>
    );
  return (
    <button
      className={`${frame} w-[230px] hover:border-heron`}
      title={line.reason || (line.has_results ? "Open in Readout" : "Open in Ledger")}
      onClick={() =>
        void navigate({
          to: line.has_results ? "/projects/$projectId/readout" : "/projects/$projectId/ledger",
          params: { projectId: String(projectId) },
        })
      }
    >
      {line.has_results ? (
        <Sparkline values={(line.headline as { spark?: number[] }).spark ?? []} />
      ) : (
        <Mark state={line.status === "failed" ? "stop" : "look"} />
      )}
      {words}
    </button>
  );
}

import * as Menu from "@radix-ui/react-dropdown-menu";
import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { useCallback, useEffect, useMemo } from "react";
import { call } from "../../api/client";
import {
  active,
  client,
  project,
  run as runOf,
  studies as studiesOf,
  study as studyOf,
  sweep as sweepOf,
} from "../../api/queries";
import type { CardEntry, StudyDetail, StudyLine } from "../../api/types";
import { Header } from "../../app/Header";
import { useRegister } from "../../app/commands";
import { number, seconds } from "../../format";
import { Button } from "../../ui/Button";
import { CardGrid } from "../readout/CardGrid";
import { CursorBar, CursorKeeper } from "../readout/CursorBar";
import { type Desk, DeskContext, type Shown } from "../readout/context";
import { KINDS } from "../readout/registry";
import { fresh } from "../readout/templates";
import { suited, useArrangements } from "./arrangements";
import { keyOf, useStudyCursor } from "./cursor";
import { bestOf, named, solvedOf, varied } from "./family";
import { StudyContext } from "./useStudy";

const PLAY_MS = 350;
const FILES = ["study.csv", "study.nc", "study.json", "touchstone.zip"] as const;
const WORDS: Record<(typeof FILES)[number], string> = {
  "study.csv": "CSV",
  "study.nc": "NetCDF",
  "study.json": "JSON",
  "touchstone.zip": "Touchstone (zip)",
};
const NO_RUNS: never[] = [];

/** Studies of a project: what each varies and asks, how far it is, and its cards. */
export function Studies() {
  const { projectId, number: asked } = useParams({ strict: false }) as {
    projectId: string;
    number?: string;
  };
  const id = Number(projectId);
  const { data: p } = useQuery(project(id));
  const { data: all, isPending } = useQuery(studiesOf(id));
  const chosen = asked ? Number(asked) : (all?.[0]?.number ?? 0);
  const { data: study, error } = useQuery(studyOf(id, chosen));
  const writable = p !== undefined && p.role !== "reader";
  return (
    <div data-help="studies" className="flex h-full flex-col">
      <Header title={p?.name ?? "…"} projectId={projectId} note={p && `revision ${p.revision}`} />
      <div className="flex min-h-0 flex-1">
        <aside className="w-[264px] shrink-0 overflow-y-auto border-r border-rule bg-card p-3.5">
          <h2 className="mb-1 font-semibold">Studies</h2>
          <ul>
            {(all ?? []).map((s) => (
              <li key={s.number} className="border-b border-faint">
                <Link
                  to="/projects/$projectId/studies/$number"
                  params={{ projectId, number: String(s.number) }}
                  className={`block rounded px-1.5 py-1.5 ${s.number === chosen ? "bg-heron-soft" : "hover:bg-paper"}`}
                >
                  <span className="flex items-baseline gap-2">
                    <span className="truncate font-medium">{s.name}</span>
                    <span className="text-[11.500px] text-ink2">{s.kind}</span>
                    <span className="num ml-auto whitespace-nowrap text-[11.500px] text-ink2">
                      {active(s.status) ? `${ended(s)} of ${s.most}` : s.status}
                    </span>
                  </span>
                </Link>
              </li>
            ))}
          </ul>
          {study && <About projectId={id} study={study} writable={writable} />}
        </aside>
        <main className="flex min-w-0 flex-1 flex-col">
          {error && (
            <p role="alert" className="p-4 text-rust">
              {error.message}
            </p>
          )}
          {!isPending && (all ?? []).length === 0 && (
            <div className="max-w-[520px] p-6">
              <h2 className="text-[15px] font-semibold">No study yet</h2>
              <p className="mt-2 leading-relaxed text-ink2">
                A study solves many variants of the model. Add one to the sheet: type{" "}
                <span className="num text-ink">
                  sweep arms over length = 150 mm to 170 mm in 5 steps
                </span>
                , or take Sweep, Tune, Tolerance, Sensitivity or Rescale from its menu. Then press
                Start beside its sentence.
              </p>
              <p className="mt-3">
                <Link
                  className="text-heron hover:underline"
                  to="/projects/$projectId/bench"
                  params={{ projectId }}
                >
                  Go to the Bench
                </Link>
              </p>
            </div>
          )}
          {study && <Cards key={chosen} projectId={id} study={study} writable={writable} />}
        </main>
      </div>
    </div>
  );
}

const ended = (s: StudyLine): number => (s.counts.finished ?? 0) + (s.counts.failed ?? 0);

/** What the study varies and asks, how far it is, and what can be done with it. */
function About({
  projectId,
  study,
  writable,
}: {
  projectId: number;
  study: StudyDetail;
  writable: boolean;
}) {
  const navigate = useNavigate();
  const act = useMutation({
    mutationFn: (what: string) =>
      what === "delete"
        ? call("DELETE", `/projects/${projectId}/studies/${study.number}`)
        : call("POST", `/projects/${projectId}/studies/${study.number}/${what}`),
    onSuccess: async (_, what) => {
      await client.invalidateQueries({ queryKey: studiesOf(projectId).queryKey });
      if (what === "delete")
        await navigate({
          to: "/projects/$projectId/studies",
          params: { projectId: String(projectId) },
        });
      else await client.invalidateQueries({ queryKey: studyOf(projectId, study.number).queryKey });
    },
  });
  const goes = active(study.status);
  const spent = study.variants.flatMap((v) => (v.known || v.seconds === null ? [] : [v.seconds]));
  const each = spent.length ? spent.reduce((a, b) => a + b, 0) / spent.length : study.each_s;
  const failed = study.counts.failed ?? 0,
    known = study.variants.filter((v) => v.known).length;
  useRegister("study", [
    {
      id: "pause-study",
      label: study.status === "paused" ? "Go on with the study" : "Pause the study",
      group: "Study",
      enabled: writable && goes,
      perform: () => act.mutate(study.status === "paused" ? "continue" : "pause"),
    },
    {
      id: "stop-study",
      label: "Stop the study",
      group: "Study",
      enabled: writable && goes,
      perform: () => act.mutate("stop"),
    },
  ]);
  return (
    <section className="mt-4" data-study={study.status}>
      <p className="leading-relaxed">{study.sentence}.</p>
      <p className="num mt-1 text-[11.500px] text-ink2">
        revision {study.revision}
        {each !== null && ` · ${number(each, 2)} s a variant`}
      </p>
      <div className="mt-3 h-1.5 overflow-hidden rounded bg-faint">
        <div
          className="h-full bg-heron"
          style={{ width: `${(100 * ended(study)) / Math.max(1, study.most)}%` }}
        />
      </div>
      <p className="num mt-1 text-[12px]" role="status">
        {study.counts.finished ?? 0} of {goes || study.kind !== "tune" ? "" : "at most "}
        {study.most} solved
        {failed > 0 && <span className="text-rust">, {failed} failed</span>}
        {known > 0 && <span className="text-ink2">, {known} known before</span>}
      </p>
      <p className="num text-[11.500px] text-ink2">
        {goes
          ? `${study.status}${study.left_s !== null ? ` · ${seconds(study.left_s)} left at most, until ${clock(study.left_s)}` : ""}`
          : study.status}
      </p>
      {study.reason && study.reason !== study.status && (
        <p role="alert" className="mt-1 text-[12px] leading-snug text-rust">
          {study.reason}.
        </p>
      )}
      {act.error && (
        <p role="alert" className="mt-1 text-rust">
          {act.error.message}
        </p>
      )}
      {writable && (
        <div className="mt-2 flex flex-wrap gap-2">
          {goes && study.status !== "paused" && (
            <Button onClick={() => act.mutate("pause")}>Pause</Button>
          )}
          {(study.status === "paused" ||
            study.status === "stopped" ||
            study.status === "failed") && (
            <Button onClick={() => act.mutate("continue")}>Go on</Button>
          )}
          {goes && <Button onClick={() => act.mutate("stop")}>Stop</Button>}
          {!goes && (
            <Button look="quiet" onClick={() => act.mutate("delete")}>
              Delete
            </Button>
          )}
        </div>
      )}
      <h2 className="mb-1 mt-5 font-semibold">The study as a file</h2>
      <ul className="flex flex-wrap gap-x-3">
        {FILES.map((f) => (
          <li key={f}>
            <a
              className="py-0.5 text-heron hover:underline"
              href={`/api/projects/${projectId}/studies/${study.number}/export/${f}`}
              download
            >
              {WORDS[f]}
            </a>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** The time of day that many seconds from now. */
const clock = (s: number): string =>
  new Date(Date.now() + 1000 * s).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" });

/** The cards, and the variant that those of single runs show. */
function Cards({
  projectId,
  study,
  writable,
}: {
  projectId: number;
  study: StudyDetail;
  writable: boolean;
}) {
  const solved = solvedOf(study);
  const key = keyOf(projectId, study.number);
  const place = useStudyCursor((s) => s.place[key]);
  const looked =
    solved.find((v) => v.place === place) ??
    solved.find((v) => v.place === bestOf(study)) ??
    solved[0];
  const kept = useArrangements((s) => s.cards[key]);
  const keep = useArrangements((s) => s.keep);
  const forget = useArrangements((s) => s.forget);
  const axes = varied(study).length;
  const cards = useMemo(() => kept ?? suited(study.kind, axes), [kept, study.kind, axes]);
  const change = useCallback((next: CardEntry[]) => keep(key, next), [key, keep]);
  const number_ = looked?.run ?? 0;
  const { data: line } = useQuery({
    ...runOf(projectId, number_),
    enabled: number_ > 0,
    placeholderData: keepPreviousData,
  });
  const { data: sweep } = useQuery({
    ...sweepOf(projectId, number_),
    enabled: number_ > 0,
    placeholderData: keepPreviousData, // what was shown stays until the next one is here
  });
  const label = looked ? named(study, looked) : "";
  const shown = useMemo(
    (): Shown | null =>
      line && sweep ? { line, sweep, color: "var(--heron)", dash: "", label } : null,
    [line, sweep, label],
  );
  const desk = useMemo(
    (): Desk => ({
      projectId,
      shown: shown ? [shown] : [],
      references: [],
      specs: [],
      writable,
      markers: [],
      setMarker: () => undefined,
      addMarker: () => undefined,
    }),
    [projectId, shown, writable],
  );
  const grid = shown?.sweep.frequency_hz ?? NO_RUNS;
  const lowest = Number((shown?.line.headline as { frequency_hz?: number })?.frequency_hz ?? 0);
  const add = (kind: string): void =>
    change([...cards, { id: fresh(), kind, width: 1, height: 1, settings: {} }]);
  const item = "cursor-pointer rounded px-2 py-1 outline-none data-[highlighted]:bg-heron-soft";
  return (
    <StudyContext value={study.number}>
      <div className="flex h-[42px] shrink-0 items-center gap-3 border-b border-rule px-4">
        <VariantBar study={study} projectId={projectId} place={looked?.place} />
        <Menu.Root>
          <Menu.Trigger className="ml-auto whitespace-nowrap text-heron">Add a card</Menu.Trigger>
          <Menu.Portal>
            <Menu.Content
              align="end"
              className="z-20 max-h-[75vh] min-w-56 overflow-y-auto rounded-md border border-rule bg-card p-1 shadow-lg"
            >
              {[...new Set(KINDS.map((k) => k.group))].map((g) => (
                <Menu.Group key={g}>
                  <Menu.Label className="px-2 pb-0.5 pt-1.5 text-[11.500px] font-semibold text-ink2">
                    {g}
                  </Menu.Label>
                  {KINDS.filter((k) => k.group === g).map((k) => (
                    <Menu.Item key={k.kind} className={item} onSelect={() => add(k.kind)}>
                      {k.title}
                    </Menu.Item>
                  ))}
                </Menu.Group>
              ))}
              {kept && (
                <Menu.Item className={item} onSelect={() => forget(key)}>
                  Arrange as at first
                </Menu.Item>
              )}
            </Menu.Content>
          </Menu.Portal>
        </Menu.Root>
      </div>
      {shown && (
        <div className="flex h-[50px] shrink-0 items-center gap-3 border-b border-rule px-4">
          <CursorBar grid={grid} sweep={shown.sweep} />
        </div>
      )}
      <div className="min-h-0 flex-1 overflow-y-auto p-3" data-cards>
        <CursorKeeper projectId={projectId} grid={grid} lowest={lowest} usable={NO_RUNS} />
        <DeskContext value={desk}>
          <CardGrid cards={cards} onChange={change} />
        </DeskContext>
      </div>
    </StudyContext>
  );
}

/** Goes from variant to variant; cards of single runs show the one it stands on. */
function VariantBar({
  study,
  projectId,
  place,
}: {
  study: StudyDetail;
  projectId: number;
  place: number | undefined;
}) {
  const key = keyOf(projectId, study.number);
  const look = useStudyCursor((s) => s.look);
  const playing = useStudyCursor((s) => s.playing);
  const solved = useMemo(
    () => [...solvedOf(study)].sort((a, b) => a.point[0]! - b.point[0]! || a.place - b.place),
    [study],
  );
  const at = Math.max(
    0,
    solved.findIndex((v) => v.place === place),
  );
  const go = (k: number): void => {
    const next = solved[(k + solved.length) % solved.length];
    if (next) look(key, next.place);
  };
  useEffect(() => {
    if (!playing || solved.length < 2) return;
    const timer = setInterval(() => {
      const now = useStudyCursor.getState().place[key];
      const k = solved.findIndex((v) => v.place === now);
      look(key, solved[(k + 1) % solved.length]!.place);
    }, PLAY_MS);
    return () => clearInterval(timer);
  }, [playing, solved, key, look]);
  useRegister("variants", [
    {
      id: "play-variants",
      label: playing ? "Stop playing variants" : "Play from variant to variant",
      group: "View",
      enabled: solved.length > 1,
      perform: () => useStudyCursor.setState({ playing: !playing }),
    },
  ]);
  const variant = solved[at];
  return (
    <div className="flex min-w-0 flex-1 items-center gap-2">
      <button
        type="button"
        aria-label={playing ? "Stop playing variants" : "Play variants"}
        className="rounded border border-rule px-1.5 hover:border-heron"
        disabled={solved.length < 2}
        onClick={() => useStudyCursor.setState({ playing: !playing })}
      >
        {playing ? "❚❚" : "▶"}
      </button>
      <input
        type="range"
        aria-label="Variant"
        className="w-40 shrink accent-rust"
        min={0}
        max={Math.max(0, solved.length - 1)}
        value={at}
        onChange={(e) => go(Number(e.target.value))}
      />
      <span className="num truncate text-[12px]" title={variant && named(study, variant)}>
        {variant
          ? `${variant.beside ? "by the dials" : `variant ${number(variant.place + 1)}`}: ${named(study, variant)}`
          : "no variant yet"}
      </span>
    </div>
  );
}

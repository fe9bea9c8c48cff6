import * as Menu from "@radix-ui/react-dropdown-menu";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useNavigate, useParams } from "@tanstack/react-router";
import { useState } from "react";
import { call } from "../../api/client";
import { active, client, page as pageOf, project, runs, specs as specsOf } from "../../api/queries";
import type { RunLine } from "../../api/types";
import { Header } from "../../app/Header";
import { useTicks } from "../../app/cursor";
import { fixed, number, quantity } from "../../format";
import { size, uncertain } from "../readout/values";
import { Button } from "../../ui/Button";
import { Mark } from "../../ui/Mark";
import { Compare } from "./Compare";

const MOST_VALUES = 6,
  MOST_SPECS = 6;

/** All runs: what differs, verdicts, size, time, notes; to tick, pin, compare, repeat, take away. */
export function Ledger() {
  const { projectId } = useParams({ from: "/projects/$projectId/ledger" });
  const id = Number(projectId);
  const { data: p } = useQuery(project(id));
  const { data, isPending, error } = useQuery(runs(id));
  const { data: kept } = useQuery(pageOf(id));
  const texts = (kept?.content?.specs ?? []).map((s) => s.text).slice(0, MOST_SPECS);
  const { data: specs = [] } = useQuery({
    ...specsOf(
      id,
      texts,
      (data ?? [])
        .filter((r) => r.has_results)
        .map((r) => r.number)
        .join(),
    ),
    enabled: texts.length > 0,
  });
  const navigate = useNavigate();
  const { ticks, toggle } = useTicks();
  const [search, setSearch] = useState("");
  const [compared, compare] = useState<[number, number] | null>(null);
  const [fault, setFault] = useState("");
  const all = data ?? [];
  const shown =
    ticks[id] ??
    all
      .filter((r) => r.has_results)
      .slice(0, 1)
      .map((r) => r.number);
  const lines = all.filter((r) => matches(r, search));
  const differing = differingValues(all);
  const writable = p !== undefined && p.role !== "reader";
  const again = (): Promise<void> => client.invalidateQueries({ queryKey: runs(id).queryKey });
  const act = useMutation({
    mutationFn: (what: () => Promise<unknown>) => what(),
    onSuccess: () => setFault(""),
    onError: (e) => setFault(e.message),
    onSettled: again,
  });
  const remove = (n: number): void => act.mutate(() => call("DELETE", `/projects/${id}/runs/${n}`));
  const annotate = (n: number, body: { note?: string; baseline?: boolean }): void =>
    act.mutate(() => call("PATCH", `/projects/${id}/runs/${n}`, body));
  const repeat = (r: RunLine): void =>
    act.mutate(() =>
      call("POST", `/projects/${id}/runs`, {
        revision: r.revision,
        overrides: r.overrides,
        empty: r.empty,
        plan: r.plan || null,
        engine: r.asked_engine || null,
      }),
    );
  const baseline = all.find((r) => r.baseline);
  const pair =
    shown.length === 2
      ? ([...shown].sort((a, b) => a - b) as [number, number])
      : shown.length === 1 && baseline && baseline.number !== shown[0]
        ? ([baseline.number, shown[0]!] as [number, number])
        : null;
  const head = "px-2 py-2 text-left text-[11.500px] font-medium text-ink2 whitespace-nowrap";
  const cell = "px-2 py-1.5 whitespace-nowrap",
    figure = `${cell} text-right`;
  const item = "cursor-pointer rounded px-2 py-1 outline-none data-[highlighted]:bg-heron-soft";
  return (
    <div data-help="solve#runs" className="flex h-full flex-col">
      <Header title={p?.name ?? "…"} projectId={projectId} note={p && `revision ${p.revision}`} />
      <main className="flex-1 overflow-auto p-6">
        <div className="mb-3 flex items-center gap-3">
          <h2 className="text-[16px] font-semibold">Ledger</h2>
          <input
            aria-label="Search runs"
            type="search"
            placeholder="number, note, value, state…"
            className="ml-2 w-56 rounded border border-rule bg-card px-2 py-1"
            value={search}
            onChange={(e) => setSearch(e.target.value)}
          />
          {search && (
            <span className="text-ink2">
              {lines.length} of {all.length}
            </span>
          )}
          <span className="ml-auto text-[12px] text-ink2">{shown.length} ticked</span>
          <Button
            disabled={pair === null}
            title={pair ? "" : "tick two runs, or one beside the baseline"}
            onClick={() => compare(pair)}
          >
            Differences
          </Button>
          <Button
            disabled={shown.length === 0}
            onClick={() => location.assign(`/api/projects/${id}/export?runs=${shown.join(",")}`)}
          >
            Download
          </Button>
          <Button
            look="main"
            disabled={shown.length === 0}
            onClick={() =>
              void navigate({ to: "/projects/$projectId/readout", params: { projectId } })
            }
          >
            Open in Readout
          </Button>
        </div>
        {fault && (
          <p role="alert" className="mb-3 rounded-md bg-rust-soft px-3 py-2 text-rust">
            {fault}.
          </p>
        )}
        {isPending && <p className="text-ink2">Fetching the runs…</p>}
        {error && <p className="text-rust">{error.message}</p>}
        {data?.length === 0 && <p className="text-ink2">No runs yet. Press Solve on the Bench.</p>}
        {all.length > 0 && (
          <div className="overflow-x-auto rounded-lg border border-rule bg-card">
            <table className="w-full">
              <thead className="border-b border-rule">
                <tr>
                  <th className={head}>Show</th>
                  <th className={head}>Run</th>
                  <th className={head}>Note</th>
                  <th className={head} title="lowest reflection, or largest cross-section">
                    Headline
                  </th>
                  <th className={`${head} text-right`} title="realized, at the lowest |S11|">
                    Gain
                  </th>
                  <th className={`${head} text-right`} title="total, at the lowest |S11|">
                    Efficiency
                  </th>
                  {differing.map((n) => (
                    <th key={n} className={`${head} text-right`}>
                      {n}
                    </th>
                  ))}
                  {texts.map((t) => (
                    <th key={t} className={head} title={t}>
                      <span className="block max-w-24 truncate">{t}</span>
                    </th>
                  ))}
                  <th className={head}>Solved by</th>
                  <th className={`${head} text-right`}>Time</th>
                  <th className={head}>Trust</th>
                  <th className={head} />
                </tr>
              </thead>
              <tbody className="num text-[12.500px]">
                {lines.map((r) => (
                  <tr
                    key={r.number}
                    className="group border-b border-faint last:border-0 hover:bg-heron-soft"
                    data-run={r.number}
                  >
                    <td className={cell}>
                      <input
                        type="checkbox"
                        className="accent-heron"
                        aria-label={`Show run ${r.number}`}
                        disabled={!r.has_results}
                        checked={shown.includes(r.number)}
                        onChange={() => toggle(id, r.number, shown)}
                      />
                    </td>
                    <td className={cell}>
                      {r.number} <span className="text-ink2">rev {r.revision}</span>
                      {(writable || r.baseline) && (
                        <button
                          type="button"
                          aria-label={`Run ${r.number} ${r.baseline ? "is" : "as"} the baseline`}
                          aria-pressed={r.baseline}
                          title={r.baseline ? "the baseline; click to unpin" : "pin as baseline"}
                          disabled={!writable}
                          className={`ml-1.5 ${r.baseline ? "text-rust" : "text-ink2 opacity-0 focus:opacity-100 group-hover:opacity-100"}`}
                          onClick={() => annotate(r.number, { baseline: !r.baseline })}
                        >
                          ⚑
                        </button>
                      )}
                    </td>
                    <td className={`${cell} font-sans`}>
                      <input
                        key={r.note}
                        aria-label={`Note on run ${r.number}`}
                        className="w-36 truncate border-b border-transparent bg-transparent hover:border-rule focus:border-heron focus:outline-none"
                        placeholder={writable ? "note" : ""}
                        readOnly={!writable}
                        maxLength={2000}
                        title={r.note}
                        defaultValue={r.note}
                        onBlur={(e) =>
                          e.target.value !== r.note && annotate(r.number, { note: e.target.value })
                        }
                        onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
                      />
                      {r.status !== "finished" && (
                        <span className="block max-w-72 whitespace-normal text-[12px]">
                          <Mark
                            state={
                              r.status === "failed"
                                ? "stop"
                                : r.status === "stopped"
                                  ? "look"
                                  : "good"
                            }
                          />{" "}
                          {r.status}
                          {r.status === "failed" && <span className="text-rust">: {r.reason}</span>}
                        </span>
                      )}
                    </td>
                    <td className={cell}>{(r.headline as { text?: string }).text ?? "–"}</td>
                    <td className={figure}>
                      {r.gain_dbi == null
                        ? "–"
                        : `${uncertain(r.gain_dbi, r.gain_error_db ?? null, 1)} dBi`}
                    </td>
                    <td className={figure}>
                      {r.efficiency == null ? "–" : `${fixed(100 * r.efficiency, 0)} %`}
                    </td>
                    {differing.map((n) => (
                      <td key={n} className={figure}>
                        {quantity(r.values[n]?.value, r.values[n]?.unit ?? "", 4)}
                      </td>
                    ))}
                    {texts.map((t) => {
                      const s = specs.find((k) => k.text === t),
                        v = s?.verdicts[String(r.number)];
                      return (
                        <td
                          key={t}
                          className={cell}
                          title={v?.reason || s?.error}
                          data-verdict={String(v?.passed ?? "")}
                        >
                          {v?.passed == null ? (
                            "–"
                          ) : (
                            <>
                              <Mark
                                state={v.passed ? "good" : "look"}
                                label={v.passed ? "met" : "missed"}
                              />{" "}
                              {number(v.worst!, 3)} {s?.spec?.unit}
                            </>
                          )}
                        </td>
                      );
                    })}
                    <td className={cell}>
                      {r.engine || "–"}
                      {r.unknowns != null && (
                        <span className="text-ink2" title={size(r)}>
                          , {size(r).replace(/ \w+$/, "")}
                        </span>
                      )}
                    </td>
                    <td className={figure}>
                      {r.wall_s == null ? "–" : `${number(r.wall_s, 2)} s`}
                    </td>
                    <td className={cell}>{r.grade || "–"}</td>
                    <td className={`${cell} text-right font-sans`}>
                      {!active(r.status) && writable && (
                        <Menu.Root>
                          <Menu.Trigger
                            aria-label={`Run ${r.number}: more`}
                            className="rounded px-1 text-ink2 hover:bg-card"
                          >
                            ⋯
                          </Menu.Trigger>
                          <Menu.Portal>
                            <Menu.Content
                              align="end"
                              className="z-20 min-w-36 rounded-md border border-rule bg-card p-1 shadow-lg"
                            >
                              <Menu.Item className={item} onSelect={() => repeat(r)}>
                                Repeat
                              </Menu.Item>
                              <Menu.Item
                                className={item}
                                onSelect={() => annotate(r.number, { baseline: !r.baseline })}
                              >
                                {r.baseline ? "Unpin the baseline" : "Pin as baseline"}
                              </Menu.Item>
                              {r.has_results && (
                                <Menu.Item
                                  className={item}
                                  onSelect={() =>
                                    location.assign(`/api/projects/${id}/export?runs=${r.number}`)
                                  }
                                >
                                  Download
                                </Menu.Item>
                              )}
                              <Menu.Item
                                className={`${item} text-rust`}
                                onSelect={() => remove(r.number)}
                              >
                                Delete
                              </Menu.Item>
                            </Menu.Content>
                          </Menu.Portal>
                        </Menu.Root>
                      )}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        )}
        {compared && <Compare projectId={id} pair={compared} onClose={() => compare(null)} />}
      </main>
    </div>
  );
}

/** Whether all words of a search are in what the line says. */
export function matches(r: RunLine, search: string): boolean {
  const text = [
    `run ${r.number} rev ${r.revision}`,
    r.status,
    r.engine,
    r.note,
    r.grade && `trust ${r.grade}`,
    r.baseline && "baseline",
    (r.headline as { text?: string }).text,
    ...Object.entries(r.values).map(([n, v]) => `${n} ${quantity(v.value, v.unit, 4)}`),
  ]
    .filter(Boolean)
    .join(" ")
    .toLowerCase();
  return search
    .toLowerCase()
    .split(/\s+/)
    .filter(Boolean)
    .every((w) => text.includes(w));
}

/** Parameters that are not the same in all runs. */
function differingValues(lines: RunLine[]): string[] {
  const names = new Set(lines.flatMap((r) => Object.keys(r.values)));
  return [...names]
    .filter((n) => new Set(lines.map((r) => r.values[n]?.value)).size > 1)
    .slice(0, MOST_VALUES);
}

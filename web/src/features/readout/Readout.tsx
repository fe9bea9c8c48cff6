import * as Menu from "@radix-ui/react-dropdown-menu";
import { useQueries, useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { memo, useEffect, useLayoutEffect, useMemo, useState } from "react";
import { call } from "../../api/client";
import { client, page as pageOf, project, references as referencesOf, runs, specs as specsOf, sweep, templates as ownTemplates } from "../../api/queries";
import type { CardEntry, RunLine, Sweep } from "../../api/types";
import { Header } from "../../app/Header";
import { nearest, useCursor, useTicks } from "../../app/cursor";
import { useRegister } from "../../app/commands";
import { quantity } from "../../format";
import { series } from "../../plots/scale";
import { useRecording } from "./animate";
import { Card, FrameContext, Nothing } from "./Card";
import { type Desk, DeskContext, type Shown, labels, useDesk } from "./context";
import { usePage } from "./page";
import { MarkerPanel, SpecPanel } from "./panels";
import { ReferenceDialog, referenceStyle, useShownReferences } from "./references";
import { KINDS, kindOf } from "./registry";
import { TEMPLATES, fresh, initial, offered } from "./templates";

const PLAY_MS = 120, RUN_MS = 700;
const SPEEDS = [0.25, 0.5, 1, 2, 4];
const NONE: number[] = [];

/** One page of linked cards for the ticked runs. */
export function Readout() {
  const { projectId } = useParams({ from: "/projects/$projectId/readout" });
  const id = Number(projectId);
  const navigate = useNavigate();
  const { data: p } = useQuery(project(id));
  const { desk, usable, ticked, fault, pending, grid, lowest } = useReadoutDesk(id, p?.role);
  const { shown } = desk;
  const { toggle } = useTicks();
  const playing = useCursor((s) => s.playing), setPlaying = useCursor((s) => s.setPlaying);
  const page = usePage();
  const [reading, read] = useState(false);
  const recording = useRecording();
  const first = shown[0];
  const { data: keptTemplates = [] } = useQuery(ownTemplates);
  const { data: curves = [] } = useQuery(referencesOf(id));
  const { hidden, toggle: toggleReference } = useShownReferences();
  const cards = useCards(first);
  const add = (kind: string): void => page.change((c) => ({ ...c, cards: [...c.cards, { id: fresh(), kind, width: 1, height: 1, settings: {} }] }));
  const arrange = (name: string, next: CardEntry[]): void => page.change((c) => ({ ...c, template: name, cards: next, markers: [] }));
  const keepTemplate = async (): Promise<void> => {
    const name = prompt("Name of the template", "my readout")?.trim();
    if (!name) return;
    await call("PUT", `/projects/readout-templates/${encodeURIComponent(name)}`, { cards });
    await client.invalidateQueries({ queryKey: ownTemplates.queryKey });
  };
  const forget = async (name: string): Promise<void> => {
    await call("DELETE", `/projects/readout-templates/${encodeURIComponent(name)}`);
    await client.invalidateQueries({ queryKey: ownTemplates.queryKey });
  };
  const dropReference = async (n: number): Promise<void> => {
    await call("DELETE", `/projects/${id}/references/${n}`);
    await client.invalidateQueries({ queryKey: referencesOf(id).queryKey });
  };
  const exports = [["touchstone", "Touchstone"], ["ports.csv", "CSV"], ["pattern.csv", "Pattern CSV"], ["pattern.glb", "Pattern glTF"], ["run.nc", "NetCDF"]] as const;
  const download = (what: string): void => { if (first) location.assign(`/api/projects/${id}/runs/${first.line.number}/export/${what}${what.startsWith("pattern") ? `?frequency=${useCursor.getState().at}` : ""}`); };
  const report = (): void => void navigate({ to: "/projects/$projectId/report", params: { projectId } });
  useRegister("readout", [
    { id: "play", label: playing ? "Pause the cursor" : "Play the cursor", group: "View", shortcut: "P", perform: () => setPlaying(!playing) },
    { id: "step-on", label: "Cursor one step up", group: "View", shortcut: "ArrowRight", perform: () => step(grid, 1) },
    { id: "step-back", label: "Cursor one step down", group: "View", shortcut: "ArrowLeft", perform: () => step(grid, -1) },
    { id: "report", label: "Report", group: "View", perform: report },
    { id: "reference", label: "Add a curve from elsewhere", group: "Readout", enabled: desk.writable, perform: () => read(true) },
    { id: "undo-page", label: "Undo", group: "Readout", shortcut: "Ctrl+Z", enabled: desk.writable && page.past.length > 0, perform: page.undo },
    ...KINDS.map((k) => ({ id: `card-${k.kind}`, label: `Add a card: ${k.title}`, group: "Readout", enabled: desk.writable && first !== undefined, perform: () => add(k.kind) })),
    ...TEMPLATES.map((t) => ({ id: `template-${t.name}`, label: `Arrange as: ${t.name}`, group: "Readout", enabled: desk.writable && first !== undefined, perform: () => { if (first) arrange(t.name, offered(t.cards, first)); } })),
    ...exports.map(([what, label]) => ({ id: `export-${what}`, label: `Export ${label}`, group: "Export", enabled: first !== undefined, perform: () => download(what) })),
  ]);
  const item = "cursor-pointer rounded px-2 py-1 outline-none data-[highlighted]:bg-heron-soft";
  const menu = "z-20 max-h-[75vh] min-w-56 overflow-y-auto rounded-md border border-rule bg-card p-1 shadow-lg";
  return (
    <div className="flex h-full flex-col">
      <Header title={p?.name ?? "…"} projectId={projectId} note={p && `revision ${p.revision}`} />
      {page.fault && <p role="alert" className="border-b border-rule bg-rust-soft px-4 py-1.5 text-rust">{page.fault}.</p>}
      <div className="flex min-h-0 flex-1">
        <aside className="w-[236px] shrink-0 overflow-y-auto border-r border-rule bg-card p-3.5">
          <div className="mb-1 flex"><h2 className="font-semibold">Runs shown</h2><Link className="ml-auto text-heron" to="/projects/$projectId/ledger" params={{ projectId }}>Ledger</Link></div>
          <ul>
            {usable.map((r) => {
              const own = shown.find((s) => s.line.number === r.number);
              return (
                <li key={r.number} className="border-b border-faint py-1.5">
                  <label className="flex cursor-pointer items-center gap-2">
                    <input type="checkbox" className="accent-heron" checked={ticked.includes(r.number)} onChange={() => toggle(id, r.number, ticked)} aria-label={`run ${r.number}`} />
                    <svg width="22" height="6" className="shrink-0" aria-hidden>{own && <line x2="22" y1="3" y2="3" stroke={own.color} strokeDasharray={own.dash} strokeWidth="2" />}</svg>
                    <span className="num font-medium">run {r.number}</span>{r.baseline && <span className="text-[11px] text-ink2" title="baseline">⚑</span>}
                    <span className="ml-auto text-[11.500px] text-ink2">trust {r.grade}</span>
                  </label>
                  <p className="num pl-6 text-[11.500px] text-ink2">{own && own.label !== `run ${r.number}` ? own.label.replace(/^\d+: /, "") : `rev ${r.revision}`} · {(r.headline as { text?: string }).text}</p>
                </li>
              );
            })}
            {curves.map((c, i) => {
              const style = referenceStyle(i), on = !(hidden[id] ?? []).includes(c.number);
              return (
                <li key={`c${c.number}`} className="group border-b border-faint py-1.5" data-reference={c.name}>
                  <label className="flex cursor-pointer items-center gap-2">
                    <input type="checkbox" className="accent-heron" checked={on} onChange={() => toggleReference(id, c.number)} aria-label={c.name} />
                    <svg width="22" height="6" className="shrink-0" aria-hidden>{on && <line x2="22" y1="3" y2="3" stroke={style.color} strokeDasharray={style.dash} strokeWidth="2" />}</svg>
                    <span className="truncate font-medium">{c.name}</span>
                    {desk.writable && <button type="button" aria-label={`Delete ${c.name}`} className="ml-auto text-ink2 opacity-0 focus:opacity-100 group-hover:opacity-100" onClick={(e) => { e.preventDefault(); void dropReference(c.number); }}>×</button>}
                  </label>
                  <p className="num pl-6 text-[11.500px] text-ink2">from elsewhere · {c.points} points</p>
                </li>
              );
            })}
          </ul>
          {desk.writable && first && <button type="button" className="mt-1.5 text-heron hover:underline" onClick={() => read(true)}>Add a curve from elsewhere</button>}
          {first && (
            <>
              <SpecPanel specs={desk.specs} run={first.line.number} writable={desk.writable} />
              <MarkerPanel writable={desk.writable} />
              <h2 className="mb-1 mt-5 font-semibold">Run {first.line.number} as a file</h2>
              <ul className="flex flex-wrap gap-x-3">{exports.map(([what, label]) => <li key={label}><button type="button" className="py-0.5 text-heron hover:underline" onClick={() => download(what)}>{label}</button></li>)}</ul>
            </>
          )}
        </aside>
        <main className="flex min-w-0 flex-1 flex-col">
          {first && (
            <div className="flex h-[50px] shrink-0 items-center gap-3 border-b border-rule px-4">
              <CursorBar grid={grid} sweep={first.sweep} />
              {recording.card && <span role="status" className="num whitespace-nowrap text-[11.500px] text-ink2">frame {recording.done} of {recording.of} <button type="button" className="text-heron" onClick={() => useRecording.setState({ ...recording, stop: true })}>stop</button></span>}
              <Menu.Root>
                <Menu.Trigger className="whitespace-nowrap text-ink2 hover:text-ink" disabled={!desk.writable}>{(page.arranged ? page.content.template : page.suited?.template) || "template"} ▾</Menu.Trigger>
                <Menu.Portal><Menu.Content align="end" className={menu}>
                  {TEMPLATES.map((t) => <Menu.Item key={t.name} className={item} onSelect={() => arrange(t.name, offered(t.cards, first))}><span className="block">{t.name}</span><span className="block text-[11.500px] text-ink2">{t.hint}</span></Menu.Item>)}
                  <Menu.Separator className="my-1 h-px bg-faint" />
                  {keptTemplates.map((t) => <Menu.Item key={t.name} className={`${item} flex`} onSelect={() => arrange(t.name, t.cards.map((c) => ({ ...c, id: fresh() })))}>{t.name}<button type="button" aria-label={`Delete template ${t.name}`} className="ml-auto pl-4 text-ink2" onClick={(e) => { e.stopPropagation(); void forget(t.name); }}>×</button></Menu.Item>)}
                  <Menu.Item className={item} onSelect={() => void keepTemplate()}>Keep this page as a template…</Menu.Item>
                </Menu.Content></Menu.Portal>
              </Menu.Root>
              <Menu.Root>
                <Menu.Trigger className="whitespace-nowrap text-heron disabled:opacity-40" disabled={!desk.writable}>Add a card</Menu.Trigger>
                <Menu.Portal><Menu.Content align="end" className={menu}>
                  {[...new Set(KINDS.map((k) => k.group))].map((g) => (
                    <Menu.Group key={g}>
                      <Menu.Label className="px-2 pb-0.5 pt-1.5 text-[11.500px] font-semibold text-ink2">{g}</Menu.Label>
                      {KINDS.filter((k) => k.group === g).map((k) => { const why = k.missing?.(first); return <Menu.Item key={k.kind} className={`${item} ${why ? "text-ink2" : ""}`} title={why ?? undefined} onSelect={() => add(k.kind)}>{k.title}</Menu.Item>; })}
                    </Menu.Group>
                  ))}
                </Menu.Content></Menu.Portal>
              </Menu.Root>
              <button type="button" className="text-heron" onClick={report}>Report</button>
            </div>
          )}
          <div className="min-h-0 flex-1 overflow-y-auto p-3" data-cards>
            {pending && <p className="text-ink2">Fetching the runs…</p>}
            {!pending && usable.length === 0 && <p className="text-ink2">No finished run yet. Press Solve on the Bench; it will appear here.</p>}
            {usable.length > 0 && ticked.length === 0 && <p className="text-ink2">Tick a run on the left.</p>}
            {fault && <p role="alert" className="text-rust">{fault}</p>}
            <CursorKeeper projectId={id} grid={grid} lowest={lowest} usable={usable} />
            {first && <DeskContext value={desk}><CardGrid cards={cards} /></DeskContext>}
          </div>
        </main>
      </div>
      {reading && <ReferenceDialog projectId={id} onClose={() => read(false)} />}
    </div>
  );
}

/** The cards of the page, or those that suit the runs if it was never arranged. */
export function useCards(first: Shown | undefined): CardEntry[] {
  const { content, arranged, suited } = usePage();
  const fits = useMemo(() => (first ? initial(first) : null), [first?.line.number]); // eslint-disable-line react-hooks/exhaustive-deps
  useEffect(() => { usePage.setState({ suited: fits }); }, [fits]);
  return arranged ? content.cards : suited?.cards ?? [];
}

export interface Reading { desk: Desk; usable: RunLine[]; ticked: number[]; /** Frequencies of the first run, and where it reflects least. */ grid: number[]; lowest: number; pending: boolean; fault: string | null }
const usableRuns = (all: RunLine[] | undefined): RunLine[] => all?.filter((r) => r.has_results) ?? [];

/** Everything that cards share, for a project. */
export function useReadoutDesk(id: number, role: string | undefined): Reading {
  const { data: all, isPending } = useQuery(runs(id));
  const { data: kept } = useQuery(pageOf(id));
  const { open, content, change } = usePage();
  useEffect(() => { if (kept) open(id, kept); }, [id, kept, open]);
  const { ticks } = useTicks();
  const usable = useMemo(() => usableRuns(all), [all]);
  const ticked = (ticks[id] ?? usable.slice(0, 1).map((r) => r.number)).filter((n) => usable.some((r) => r.number === n));
  const loaded = useQueries({ queries: ticked.map((n) => sweep(id, n)), combine: (q) => ({ data: q.map((r) => r.data), error: q.find((r) => r.error)?.error ?? null }) });
  const stamp = ticked.join() + usable.map((r) => `${r.number}${r.grade}${r.baseline}`).join();
  const shown = useMemo((): Shown[] => {
    const there = ticked.flatMap((n, i) => (loaded.data[i] ? [{ line: usable.find((r) => r.number === n)!, sweep: loaded.data[i], i }] : []));
    const names = labels(there.map((s) => s.line));
    return there.map(({ line, sweep: s, i }, k) => ({ line, sweep: s, ...series(i), label: names[k]! }));
  }, [loaded.data, stamp]); // eslint-disable-line react-hooks/exhaustive-deps
  const { data: curves } = useQuery(referencesOf(id));
  const { hidden } = useShownReferences();
  const off = hidden[id];
  const references = useMemo(() => (curves ?? []).map((line, i) => ({ line, ...referenceStyle(i) })).filter((r) => !(off ?? NONE).includes(r.line.number)), [curves, off]);
  const { data: specs = [] } = useQuery({ ...specsOf(id, content.specs.map((s) => s.text), usable.map((r) => r.number).join()), enabled: usable.length > 0 });
  const first = shown[0];
  const grid = first?.sweep.frequency_hz ?? NONE;
  const lowest = first ? first.sweep.badges[String(first.sweep.ports[0])]!.minimum.frequency_hz : 0;
  const writable = role !== undefined && role !== "reader";
  const desk = useMemo((): Desk => ({
    projectId: id, shown, references, specs, writable, markers: content.markers,
    setMarker: (m) => change((c) => ({ ...c, markers: c.markers.map((k) => (k.id === m.id ? m : k)) })),
    addMarker: (card, mode, x) => change((c) => {
      const taken = c.markers.map((m) => m.name);
      let n = 1;
      while (taken.includes(`m${n}`)) n++;
      return { ...c, markers: [...c.markers, { id: fresh(), card, name: `m${n}`, mode, x: x ?? null, level: mode === "crossing" ? -10 : null, first: null, second: null }] };
    }),
  }), [id, shown, references, specs, writable, content.markers, change]);
  return { desk, usable, ticked, grid, lowest, pending: isPending, fault: loaded.error?.message ?? null };
}

/** Moves the cursor along the sweep. */
function step(grid: number[], by: number): void {
  const { at, set } = useCursor.getState();
  set(grid[Math.min(grid.length - 1, Math.max(0, nearest(grid, at) + by))]!);
}

/** Keeps the cursor on a point of the first run's sweep, and plays it over frequency or from run to run. */
export function CursorKeeper({ projectId, grid, lowest, usable }: { projectId: number; grid: number[]; lowest: number; usable: RunLine[] }) {
  const { frequency, set, setAt, playing, setPlaying, speed, over } = useCursor();
  useLayoutEffect(() => {
    if (grid.length === 0) return;
    const inside = frequency !== null && frequency >= grid[0]! && frequency <= grid[grid.length - 1]!;
    setAt(grid[nearest(grid, inside ? frequency : lowest)]!);
  }, [frequency, grid, lowest, setAt]);
  useEffect(() => {
    if (!playing) return;
    if (over === "runs") {
      const numbers = usable.map((r) => r.number).reverse();
      if (numbers.length < 2) return setPlaying(false);
      const timer = setInterval(() => useTicks.setState((s) => { const now = s.ticks[projectId]?.[0] ?? numbers.at(-1)!; return { ticks: { ...s.ticks, [projectId]: [numbers[(numbers.indexOf(now) + 1) % numbers.length]!] } }; }), RUN_MS / speed);
      return () => clearInterval(timer);
    }
    if (grid.length < 2) return;
    const timer = setInterval(() => set(grid[(nearest(grid, useCursor.getState().at) + 1) % grid.length]!), PLAY_MS / speed);
    return () => clearInterval(timer);
  }, [playing, grid, set, speed, over, projectId, usable, setPlaying]);
  return null;
}

/** The cursor: its slider over the first run's points, and playing. */
function CursorBar({ grid, sweep }: { grid: number[]; sweep: Sweep }) {
  const { playing, setPlaying, speed, setSpeed, over, setOver, at, set } = useCursor();
  return (
    <>
      <label htmlFor="cursor" className="text-ink2">Frequency</label>
      <output className="num w-28 text-[16px] font-medium" data-cursor={at}>{quantity(at, "Hz", 5)}</output>
      <div className="relative flex min-w-24 flex-1 items-center">
        <BandBar sweep={sweep} />
        <input id="cursor" type="range" min={0} max={grid.length - 1} value={nearest(grid, at)} onChange={(e) => set(grid[Number(e.target.value)]!)} className="relative w-full accent-heron" />
      </div>
      <button type="button" aria-label="One step back" className="text-ink2 hover:text-ink" onClick={() => step(grid, -1)}>‹</button>
      <button type="button" className="w-11 text-heron" onClick={() => setPlaying(!playing)}>{playing ? "pause" : "play"}</button>
      <button type="button" aria-label="One step on" className="text-ink2 hover:text-ink" onClick={() => step(grid, 1)}>›</button>
      <select aria-label="Play over" className="cursor-pointer bg-transparent text-[12px] text-ink2 [field-sizing:content]" value={over} onChange={(e) => setOver(e.target.value as "frequency" | "runs")}><option className="bg-card" value="frequency">frequency</option><option className="bg-card" value="runs">runs</option></select>
      <select aria-label="Speed" className="num cursor-pointer bg-transparent text-[12px] text-ink2 [field-sizing:content]" value={speed} onChange={(e) => setSpeed(Number(e.target.value))}>{SPEEDS.map((s) => <option key={s} className="bg-card" value={s}>{s}×</option>)}</select>
    </>
  );
}

/** Cards on three columns, each in its frame. */
export const CardGrid = memo(function CardGrid({ cards }: { cards: CardEntry[] }) {
  const change = usePage((s) => s.change);
  const swap = (next: (list: CardEntry[]) => CardEntry[]): void => change((c) => ({ ...c, cards: next(cards) }));
  const put = (id: string, to: Partial<CardEntry>): void => swap((list) => list.map((c) => (c.id === id ? { ...c, ...to } : c)));
  const moved = (id: string, by: number): void => swap((list) => {
    const at = list.findIndex((c) => c.id === id), to = Math.min(list.length - 1, Math.max(0, at + by)), next = list.filter((c) => c.id !== id);
    next.splice(to, 0, list[at]!);
    return next;
  });
  return (
    <div className="grid grid-flow-row-dense grid-cols-3 content-start gap-3 print:grid-cols-2">
      {cards.map((entry) => {
        const kind = kindOf(entry.kind);
        if (!kind) return null;
        const set = (settings: CardEntry["settings"]): void => put(entry.id, { settings });
        return (
          <FrameContext
            key={entry.id} value={{
              entry, set, resize: (width, height) => put(entry.id, { width, height }), remove: () => swap((l) => l.filter((c) => c.id !== entry.id)), move: (by) => moved(entry.id, by),
              duplicate: () => swap((l) => l.flatMap((c) => (c.id === entry.id ? [c, { ...c, id: fresh() }] : [c]))),
              drop: (id) => { if (id !== entry.id) moved(id, cards.findIndex((c) => c.id === entry.id) - cards.findIndex((c) => c.id === id)); },
            }}
          >
            <Framed kind={kind} entry={entry} set={set} />
          </FrameContext>
        );
      })}
    </div>
  );
});

/** A card, or why the first ticked run cannot offer it. */
function Framed({ kind, entry, set }: { kind: (typeof KINDS)[number]; entry: CardEntry; set: (s: CardEntry["settings"]) => void }) {
  const { shown } = useDesk();
  const why = kind.missing?.(shown[0]!);
  if (why) return <Card title={kind.title}><Nothing>{why[0]!.toUpperCase() + why.slice(1)}.</Nothing></Card>;
  return <kind.Card entry={entry} set={set} />;
}

/** Where the first port is matched, under the slider. */
function BandBar({ sweep: s }: { sweep: Sweep }) {
  const f = s.frequency_hz, [a, b] = [f[0]!, f[f.length - 1]!];
  return (
    <div className="pointer-events-none absolute inset-x-2 top-1/2 h-3 -translate-y-1/2" aria-hidden>
      {s.badges[String(s.ports[0])]!.bands["-10 dB"].map((band) => (
        <span key={band.low_hz} className="absolute h-full rounded-sm bg-moss/35" style={{ left: `${(100 * (band.low_hz - a)) / (b - a)}%`, width: `${(100 * (band.high_hz - band.low_hz)) / (b - a)}%` }} />
      ))}
    </div>
  );
}

import * as Menu from "@radix-ui/react-dropdown-menu";
import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { useState } from "react";
import { call } from "../../api/client";
import {
  client,
  project,
  references as referencesOf,
  templates as ownTemplates,
} from "../../api/queries";
import type { CardEntry } from "../../api/types";
import { Header } from "../../app/Header";
import { useCursor, useTicks } from "../../app/cursor";
import { useRegister } from "../../app/commands";
import { useRecording } from "./animate";
import { CardGrid } from "./CardGrid";
import { CursorBar, CursorKeeper, step } from "./CursorBar";
import { DeskContext, provides } from "./context";
import { useCards, useReadoutDesk } from "./desk";
import { keepCards, usePage } from "./page";
import { MarkerPanel, SpecPanel } from "./panels";
import { ReferenceDialog, referenceStyle, useShownReferences } from "./references";
import { KINDS } from "./registry";
import { TEMPLATES, fresh, offered } from "./templates";

/** Files of a run: address, words, and the capabilities one of which it takes. */
const FILES: [what: string, words: string, ...of: string[]][] = [
  ["touchstone", "Touchstone", "ports"],
  ["ports.csv", "CSV", "ports"],
  ["scattering.csv", "CSV", "scattering", "cells"],
  ["modes.csv", "Modes CSV", "characteristic modes"],
  ["pattern.csv", "Pattern CSV", "far field"],
  ["pattern.glb", "Pattern glTF", "far field", "scattering"],
  ["run.nc", "NetCDF"],
];

/** One page of linked cards for the ticked runs. */
export function Readout() {
  const { projectId } = useParams({ from: "/projects/$projectId/readout" });
  const id = Number(projectId);
  const navigate = useNavigate();
  const { data: p } = useQuery(project(id));
  const { desk, usable, ticked, fault, pending, grid, lowest } = useReadoutDesk(id, p?.role);
  const { shown } = desk;
  const { toggle } = useTicks();
  const playing = useCursor((s) => s.playing),
    setPlaying = useCursor((s) => s.setPlaying);
  const page = usePage();
  const [reading, read] = useState(false);
  const recording = useRecording();
  const first = shown[0];
  const { data: keptTemplates = [] } = useQuery(ownTemplates);
  const { data: curves = [] } = useQuery(referencesOf(id));
  const { hidden, toggle: toggleReference } = useShownReferences();
  const cards = useCards(first);
  const add = (kind: string): void =>
    page.change((c) => ({
      ...c,
      cards: [...c.cards, { id: fresh(), kind, width: 1, height: 1, settings: {} }],
    }));
  const arrange = (name: string, next: CardEntry[]): void =>
    page.change((c) => ({ ...c, template: name, cards: next, markers: [] }));
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
  const exports = FILES.filter(([, , ...of]) => of.length === 0 || provides(first, ...of));
  const download = (what: string): void => {
    if (first)
      location.assign(
        `/api/projects/${id}/runs/${first.line.number}/export/${what}${what.startsWith("pattern") ? `?frequency=${useCursor.getState().at}` : ""}`,
      );
  };
  const report = (): void =>
    void navigate({ to: "/projects/$projectId/report", params: { projectId } });
  useRegister("readout", [
    {
      id: "play",
      label: playing ? "Pause the cursor" : "Play the cursor",
      group: "View",
      shortcut: "P",
      perform: () => setPlaying(!playing),
    },
    {
      id: "step-on",
      label: "Cursor one step up",
      group: "View",
      shortcut: "ArrowRight",
      perform: () => step(grid, 1),
    },
    {
      id: "step-back",
      label: "Cursor one step down",
      group: "View",
      shortcut: "ArrowLeft",
      perform: () => step(grid, -1),
    },
    { id: "report", label: "Report", group: "View", perform: report },
    {
      id: "reference",
      label: "Add a reference curve",
      group: "Readout",
      enabled: desk.writable,
      perform: () => read(true),
    },
    {
      id: "undo-page",
      label: "Undo",
      group: "Readout",
      shortcut: "Ctrl+Z",
      enabled: desk.writable && page.past.length > 0,
      perform: page.undo,
    },
    ...KINDS.map((k) => ({
      id: `card-${k.kind}`,
      label: `Add a card: ${k.title}`,
      group: "Readout",
      enabled: desk.writable && first !== undefined,
      perform: () => add(k.kind),
    })),
    ...TEMPLATES.map((t) => ({
      id: `template-${t.name}`,
      label: `Arrange as: ${t.name}`,
      group: "Readout",
      enabled: desk.writable && first !== undefined,
      perform: () => {
        if (first) arrange(t.name, offered(t.cards, first));
      },
    })),
    ...exports.map(([what, label]) => ({
      id: `export-${what}`,
      label: `Export ${label}`,
      group: "Export",
      enabled: first !== undefined,
      perform: () => download(what),
    })),
  ]);
  const item = "cursor-pointer rounded px-2 py-1 outline-none data-[highlighted]:bg-heron-soft";
  const menu =
    "z-20 max-h-[75vh] min-w-56 overflow-y-auto rounded-md border border-rule bg-card p-1 shadow-lg";
  return (
    <div data-help="readout" className="flex h-full flex-col">
      <Header title={p?.name ?? "…"} projectId={projectId} note={p && `revision ${p.revision}`} />
      {page.fault && (
        <p role="alert" className="border-b border-rule bg-rust-soft px-4 py-1.5 text-rust">
          {page.fault}.
        </p>
      )}
      <div className="flex min-h-0 flex-1">
        <aside className="w-[236px] shrink-0 overflow-y-auto border-r border-rule bg-card p-3.5">
          <div className="mb-1 flex">
            <h2 className="font-semibold">Runs shown</h2>
            <Link
              className="ml-auto text-heron"
              to="/projects/$projectId/ledger"
              params={{ projectId }}
            >
              Ledger
            </Link>
          </div>
          <ul>
            {usable.map((r) => {
              const own = shown.find((s) => s.line.number === r.number);
              return (
                <li key={r.number} className="border-b border-faint py-1.5">
                  <label className="flex cursor-pointer items-center gap-2">
                    <input
                      type="checkbox"
                      className="accent-heron"
                      checked={ticked.includes(r.number)}
                      onChange={() => toggle(id, r.number, ticked)}
                      aria-label={`run ${r.number}`}
                    />
                    <svg width="22" height="6" className="shrink-0" aria-hidden>
                      {own && (
                        <line
                          x2="22"
                          y1="3"
                          y2="3"
                          stroke={own.color}
                          strokeDasharray={own.dash}
                          strokeWidth="2"
                        />
                      )}
                    </svg>
                    <span className="num font-medium">run {r.number}</span>
                    {r.baseline && (
                      <span className="text-[11px] text-ink2" title="baseline">
                        ⚑
                      </span>
                    )}
                    <span className="ml-auto text-[11.500px] text-ink2">trust {r.grade}</span>
                  </label>
                  <p className="num flex flex-wrap gap-x-3 pl-6 text-[11.500px] text-ink2">
                    <span>
                      {own && !r.empty && own.label !== `run ${r.number}`
                        ? own.label.replace(/^\d+: /, "")
                        : `rev ${r.revision}`}
                    </span>
                    <span>{(r.headline as { text?: string }).text}</span>
                  </p>
                </li>
              );
            })}
            {curves.map((c, i) => {
              const style = referenceStyle(i),
                on = !(hidden[id] ?? []).includes(c.number);
              return (
                <li
                  key={`c${c.number}`}
                  className="group border-b border-faint py-1.5"
                  data-reference={c.name}
                >
                  <label className="flex cursor-pointer items-center gap-2">
                    <input
                      type="checkbox"
                      className="accent-heron"
                      checked={on}
                      onChange={() => toggleReference(id, c.number)}
                      aria-label={c.name}
                    />
                    <svg width="22" height="6" className="shrink-0" aria-hidden>
                      {on && (
                        <line
                          x2="22"
                          y1="3"
                          y2="3"
                          stroke={style.color}
                          strokeDasharray={style.dash}
                          strokeWidth="2"
                        />
                      )}
                    </svg>
                    <span className="truncate font-medium">{c.name}</span>
                    {desk.writable && (
                      <button
                        type="button"
                        aria-label={`Delete ${c.name}`}
                        className="ml-auto text-ink2 opacity-0 focus:opacity-100 group-hover:opacity-100"
                        onClick={(e) => {
                          e.preventDefault();
                          void dropReference(c.number);
                        }}
                      >
                        ×
                      </button>
                    )}
                  </label>
                  <p className="num pl-6 text-[11.500px] text-ink2">
                    reference · {c.points} points
                  </p>
                </li>
              );
            })}
          </ul>
          {desk.writable && first && (
            <button
              type="button"
              className="mt-1.5 text-heron hover:underline"
              onClick={() => read(true)}
            >
              Add a reference curve
            </button>
          )}
          {first && (
            <>
              <SpecPanel specs={desk.specs} first={first} writable={desk.writable} />
              <MarkerPanel writable={desk.writable} />
              <h2 className="mb-1 mt-5 font-semibold">Run {first.line.number} as a file</h2>
              <ul className="flex flex-wrap gap-x-3">
                {exports.map(([what, label]) => (
                  <li key={label}>
                    <button
                      type="button"
                      className="py-0.5 text-heron hover:underline"
                      onClick={() => download(what)}
                    >
                      {label}
                    </button>
                  </li>
                ))}
              </ul>
            </>
          )}
        </aside>
        <main className="flex min-w-0 flex-1 flex-col">
          {first && (
            <div className="flex h-[50px] shrink-0 items-center gap-3 border-b border-rule px-4">
              <CursorBar grid={grid} sweep={first.sweep} />
              {recording.card && (
                <span role="status" className="num whitespace-nowrap text-[11.500px] text-ink2">
                  frame {recording.done} of {recording.of}{" "}
                  <button
                    type="button"
                    className="text-heron"
                    onClick={() => useRecording.setState({ ...recording, stop: true })}
                  >
                    stop
                  </button>
                </span>
              )}
              <Menu.Root>
                <Menu.Trigger
                  className="whitespace-nowrap text-ink2 hover:text-ink"
                  disabled={!desk.writable}
                >
                  {(page.arranged ? page.content.template : page.suited?.template) || "template"} ▾
                </Menu.Trigger>
                <Menu.Portal>
                  <Menu.Content align="end" className={menu}>
                    {TEMPLATES.map((t) => (
                      <Menu.Item
                        key={t.name}
                        className={item}
                        onSelect={() => arrange(t.name, offered(t.cards, first))}
                      >
                        <span className="block">{t.name}</span>
                        <span className="block text-[11.500px] text-ink2">{t.hint}</span>
                      </Menu.Item>
                    ))}
                    <Menu.Separator className="my-1 h-px bg-faint" />
                    {keptTemplates.map((t) => (
                      <Menu.Item
                        key={t.name}
                        className={`${item} flex`}
                        onSelect={() =>
                          arrange(
                            t.name,
                            t.cards.map((c) => ({ ...c, id: fresh() })),
                          )
                        }
                      >
                        {t.name}
                        <button
                          type="button"
                          aria-label={`Delete template ${t.name}`}
                          className="ml-auto pl-4 text-ink2"
                          onClick={(e) => {
                            e.stopPropagation();
                            void forget(t.name);
                          }}
                        >
                          ×
                        </button>
                      </Menu.Item>
                    ))}
                    <Menu.Item className={item} onSelect={() => void keepTemplate()}>
                      Keep this page as a template…
                    </Menu.Item>
                  </Menu.Content>
                </Menu.Portal>
              </Menu.Root>
              <Menu.Root>
                <Menu.Trigger
                  className="whitespace-nowrap text-heron disabled:opacity-40"
                  disabled={!desk.writable}
                >
                  Add a card
                </Menu.Trigger>
                <Menu.Portal>
                  <Menu.Content align="end" className={menu}>
                    {[...new Set(KINDS.map((k) => k.group))].map((g) => (
                      <Menu.Group key={g}>
                        <Menu.Label className="px-2 pb-0.5 pt-1.5 text-[11.500px] font-semibold text-ink2">
                          {g}
                        </Menu.Label>
                        {KINDS.filter((k) => k.group === g).map((k) => {
                          const why = k.missing?.(first);
                          return (
                            <Menu.Item
                              key={k.kind}
                              className={`${item} ${why ? "text-ink2" : ""}`}
                              title={why ?? undefined}
                              onSelect={() => add(k.kind)}
                            >
                              {k.title}
                            </Menu.Item>
                          );
                        })}
                      </Menu.Group>
                    ))}
                  </Menu.Content>
                </Menu.Portal>
              </Menu.Root>
              <button type="button" className="text-heron" onClick={report}>
                Report
              </button>
            </div>
          )}
          <div className="min-h-0 flex-1 overflow-y-auto p-3" data-cards>
            {pending && <p className="text-ink2">Fetching the runs…</p>}
            {!pending && usable.length === 0 && (
              <p className="text-ink2">
                No finished run yet. Press Solve on the Bench; it will appear here.
              </p>
            )}
            {usable.length > 0 && ticked.length === 0 && (
              <p className="text-ink2">Tick a run on the left.</p>
            )}
            {fault && (
              <p role="alert" className="text-rust">
                {fault}
              </p>
            )}
            <CursorKeeper projectId={id} grid={grid} lowest={lowest} usable={usable} />
            {first && (
              <DeskContext value={desk}>
                <CardGrid cards={cards} onChange={keepCards} />
              </DeskContext>
            )}
          </div>
        </main>
      </div>
      {reading && <ReferenceDialog projectId={id} onClose={() => read(false)} />}
    </div>
  );
}

/** Commands are objects; the palette, menus and shortcuts share them. Screens register theirs while they are shown. */
import { defaultFilter } from "cmdk";
import { useEffect } from "react";
import { create } from "zustand";

export interface Command {
  id: string;
  label: string;
  group: string;
  shortcut?: string;
  enabled?: boolean;
  /** What is likely wanted next: it stands at the top. */ likely?: boolean;
  /** One of many places to go to: shown when something is typed. */ sought?: boolean;
  perform: () => void;
}

const RECENT = "odd-heron-recent",
  MOST_RECENT = 5;
const LAST = ["View", "Go", "Help", "Account"]; // groups behind all others

/** Identifiers of the commands that were chosen last, the newest first. */
export const recent = (): string[] => {
  try {
    return JSON.parse(localStorage.getItem(RECENT) ?? "[]") as string[];
  } catch {
    return [];
  }
};

/** Performs a command and remembers it. */
export function choose(command: Command): void {
  if (!command.sought)
    localStorage.setItem(
      RECENT,
      JSON.stringify(
        [command.id, ...recent().filter((id) => id !== command.id)].slice(0, MOST_RECENT),
      ),
    );
  command.perform();
}

interface Group {
  heading: string;
  commands: Command[];
}

/** The groups of a palette in their order: of a text those that fit, the best first; without one what is likely next, what was used last, then all that can be done now. */
export function grouped(all: Command[], text: string, last: string[]): Group[] {
  const able = all.filter((c) => c.enabled !== false);
  return text === "" ? atRest(able, last) : fitting(able, text);
}

function fitting(able: Command[], text: string): Group[] {
  const scored = able
    .map((c) => ({ c, score: defaultFilter(`${c.group} ${c.label} ${c.id}`, text) }))
    .filter((s) => s.score > 0)
    .sort((a, b) => b.score - a.score);
  return [...new Set(scored.map((s) => s.c.group))].map((heading) => ({
    heading,
    commands: scored.filter((s) => s.c.group === heading).map((s) => s.c),
  }));
}

function atRest(everything: Command[], last: string[]): Group[] {
  const able = everything.filter((c) => !c.sought);
  const likely = able.filter((c) => c.likely),
    used = last.flatMap((id) => able.filter((c) => c.id === id && !likely.includes(c)));
  const names = [...new Set(able.map((c) => c.group))].sort(
    (a, b) => LAST.indexOf(a) - LAST.indexOf(b),
  );
  return [
    { heading: "Next", commands: likely },
    { heading: "Recent", commands: used },
    ...names.map((heading) => ({
      heading,
      commands: able.filter((c) => c.group === heading && !likely.includes(c) && !used.includes(c)),
    })),
  ].filter((g) => g.commands.length > 0);
}

/** What words typed into the palette may become: performed as they stand, or to be gone on with. */
export interface Offer {
  text: string;
  meaning: string;
  whole: boolean;
}

/** What a screen makes of words typed into the palette. */
export interface Reader {
  group: string;
  offers: (text: string) => Promise<Offer[]>;
  perform: (text: string) => void;
}

export const useCommands = create<{
  commands: Record<string, Command[]>;
  reader: Reader | null;
  open: boolean;
  setOpen: (open: boolean) => void;
}>((set) => ({
  commands: {},
  reader: null,
  open: false,
  setOpen: (open) => set({ open }),
}));

const keyOf = (e: KeyboardEvent): string =>
  `${e.ctrlKey || e.metaKey ? "Ctrl+" : ""}${e.shiftKey ? "Shift+" : ""}${e.key.length === 1 ? e.key.toUpperCase() : e.key}`;

const CLICKED = ["radio", "checkbox", "range", "file"];
const typing = (e: KeyboardEvent): boolean =>
  (e.target instanceof HTMLInputElement && !CLICKED.includes(e.target.type)) ||
  e.target instanceof HTMLTextAreaElement;

/** Arrow keys belong to what they move: a slider, a choice, a menu. */
const moving = (e: KeyboardEvent): boolean =>
  e.key.startsWith("Arrow") &&
  e.target instanceof Element &&
  e.target.closest("input, select, textarea, [role=menu], [role=dialog]") !== null;

/** Makes commands available while the caller is mounted. */
export function useRegister(owner: string, commands: Command[]): void {
  useEffect(() => {
    useCommands.setState((s) => ({ commands: { ...s.commands, [owner]: commands } }));
    return () => useCommands.setState((s) => ({ commands: { ...s.commands, [owner]: [] } }));
  });
}

/** Lets a screen read what is typed into the palette while it is shown. */
export function useReader(reader: Reader | null): void {
  useEffect(() => {
    useCommands.setState({ reader });
    return () => useCommands.setState({ reader: null });
  });
}

export function useShortcuts(): void {
  useEffect(() => {
    const press = (e: KeyboardEvent): void => {
      const key = keyOf(e);
      if (key === "Ctrl+K") {
        e.preventDefault();
        useCommands.setState((s) => ({ open: !s.open }));
        return;
      }
      if ((typing(e) && key !== "Ctrl+Enter") || moving(e)) return;
      const command = Object.values(useCommands.getState().commands)
        .flat()
        .find((c) => c.shortcut === key && c.enabled !== false);
      if (command) {
        e.preventDefault();
        choose(command);
      }
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, []);
}

/** Commands are objects; the palette, menus and shortcuts share them. Screens register theirs while they are shown. */
import { useEffect } from "react";
import { create } from "zustand";

export interface Command {
  id: string;
  label: string;
  group: string;
  shortcut?: string;
  enabled?: boolean;
  perform: () => void;
}

/** What a screen makes of words typed into the palette. */
export interface Reader {
  group: string;
  offers: (text: string) => Promise<string[]>;
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
        command.perform();
      }
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, []);
}

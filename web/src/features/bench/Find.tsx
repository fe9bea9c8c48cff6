import { useRef } from "react";
import { create } from "zustand";
import type { Kind } from "../../api/language";
import type { Model, Step } from "../../api/types";
import { useRegister } from "../../app/commands";
import { inWords, kindOf, useLanguage } from "./language";
import { useBench } from "./model";
import { goTo } from "./places";

/** Words that are looked for on the sheet; none when nothing is. */
export const useFind = create<{ text: string; open: boolean }>(() => ({ text: "", open: false }));

/** Whether a step says some words, as it is printed or in its comment. */
export const found = (kind: Kind, step: Step, text: string): boolean =>
  `${inWords(kind, step)} ${String(step.comment ?? "")} ${String(step.group ?? "")}`
    .toLowerCase()
    .replaceAll("−", "-")
    .includes(text.trim().toLowerCase().replaceAll("−", "-"));

/** A field above the sheet that finds steps: Enter goes to the next, Shift and Enter to the one before. */
export function Find() {
  const { text, open } = useFind();
  const document = useBench((s) => s.document);
  const language = useLanguage();
  const field = useRef<HTMLInputElement>(null);
  const at = useRef(-1);
  const leave = (): void => useFind.setState({ text: "", open: false });
  useRegister("find on the sheet", [
    {
      id: "find",
      label: "Find on the sheet",
      group: "Edit",
      shortcut: "Ctrl+F",
      perform: () => {
        useFind.setState({ open: true });
        requestAnimationFrame(() => field.current?.select());
      },
    },
  ]);
  if (!open || !language || !document) return null;
  const keys = text.trim()
    ? language.chapters.flatMap(({ key, many }) => {
        const raw = document[key as keyof Model];
        return ((many ? raw : [raw]) as Step[]).flatMap((step, i) =>
          found(kindOf(language, key, step), step, text) ? [`${key}.${i}`] : [],
        );
      })
    : [];
  const go = (by: number): void => {
    if (keys.length === 0) return;
    at.current = (at.current + by + keys.length) % keys.length;
    goTo(keys[at.current]!, false);
  };
  return (
    <div role="search" className="flex items-center gap-2 border-b border-rule px-3 py-1.5">
      <input
        ref={field}
        autoFocus
        aria-label="Find on the sheet"
        placeholder="Find on the sheet"
        value={text}
        onChange={(e) => {
          at.current = -1;
          useFind.setState({ text: e.target.value });
        }}
        onKeyDown={(e) => {
          if (e.key === "Enter") go(e.shiftKey ? -1 : 1);
          else if (e.key === "Escape") leave();
        }}
        className="min-w-0 flex-1 rounded border border-rule bg-paper px-2 py-0.5 outline-none focus:border-heron"
      />
      <span role="status" className="num whitespace-nowrap text-[12px] text-ink2">
        {text.trim() ? `${keys.length} ${keys.length === 1 ? "step" : "steps"}` : ""}
      </span>
      <button
        aria-label="Leave the search"
        className="px-1 text-ink2 hover:text-ink"
        onClick={leave}
      >
        ×
      </button>
    </div>
  );
}

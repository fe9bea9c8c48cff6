/** Steps of the sheet that are selected. They are held as themselves, so that what is edited, moved or undone elsewhere is never mistaken for them. */
import { create } from "zustand";
import type { Model, Step } from "../../api/types";
import { useBench, type ListChapter } from "./model";

interface Selection {
  steps: Step[];
  /** From which a range goes on. */ last: Step | null;
  set: (steps: Step[], last?: Step | null) => void;
}

export const useSelection = create<Selection>((set) => ({
  steps: [],
  last: null,
  set: (steps, last = null) => set({ steps, last }),
}));

/** A click on a step: alone, one more or less with ``more``, up to it with ``through``. */
export function select(list: Step[], at: number, how: { more?: boolean; through?: boolean }): void {
  const { steps, last, set } = useSelection.getState();
  const step = list[at]!,
    from = last ? list.indexOf(last) : -1;
  if (how.through && from >= 0)
    set([...new Set([...steps, ...list.slice(Math.min(from, at), Math.max(from, at) + 1)])], last);
  else if (steps.includes(step) && (how.more || steps.length === 1))
    set(steps.filter((s) => s !== step));
  else set(how.more ? [...steps, step] : [step], step);
}

/** The selected steps of a document, in its order. */
export function selected(
  document: Model | null,
  steps: Step[],
): { chapter: ListChapter; at: number; step: Step }[] {
  if (!document || steps.length === 0) return [];
  return Object.entries(document).flatMap(([chapter, list]) =>
    Array.isArray(list)
      ? (list as Step[]).flatMap((step, at) =>
          steps.includes(step) ? [{ chapter: chapter as ListChapter, at, step }] : [],
        )
      : [],
  );
}

export const useSelected = (): ReturnType<typeof selected> =>
  selected(
    useBench((s) => s.document),
    useSelection((s) => s.steps),
  );

/** Changes selected steps, or removes them where nothing is made of them. */
export function changeSelected(change: (step: Step) => Step | null): void {
  const { steps } = useSelection.getState();
  useBench
    .getState()
    .edit((d) =>
      ofLists(d, (list) =>
        list.flatMap((step) => (steps.includes(step) ? (change(step) ?? []) : [step])),
      ),
    );
}

const ofLists = (d: Model, make: (list: Step[]) => Step[]): Model =>
  Object.fromEntries(
    Object.entries(d).map(([chapter, list]) => [
      chapter,
      Array.isArray(list) ? make(list as Step[]) : (list as unknown),
    ]),
  ) as unknown as Model;

// A step that was changed in its place is selected still; one that is gone is not.
useBench.subscribe(({ document: now, projectId }, { document: before, projectId: left }) => {
  const { steps, last, set } = useSelection.getState();
  if (now === before || steps.length === 0) return;
  if (projectId !== left) return set([]);
  const present = (step: Step): Step[] => {
    for (const { chapter, at } of selected(before, [step])) {
      const list = (now?.[chapter] ?? []) as Step[];
      if (list.includes(step)) return [step];
      if (list.length === before![chapter].length) return [list[at]!];
    }
    return [];
  };
  set(steps.flatMap(present), last && (present(last)[0] ?? null));
});

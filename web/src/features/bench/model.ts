/** The document being edited: local at once, saved as revisions in order, history kept by the server. */
import { create } from "zustand";
import { Problem, call } from "../../api/client";
import { client, project } from "../../api/queries";
import type { Model, Path, ProjectState } from "../../api/types";

interface Conflict {
  head: number;
  document: Model;
  author: string;
}
interface Bench {
  projectId: number;
  document: Model | null;
  revision: number;
  role: string;
  canUndo: boolean;
  canRedo: boolean;
  state: "saved" | "saving" | "unsaved";
  fault: string;
  conflict: Conflict | null;
  hover: string | null;
  /** The plan to solve by, of several; the first unless one is chosen. */
  plan: string | null;
  open: (state: ProjectState) => void;
  edit: (change: (document: Model) => Model) => void;
  /** Shown, but saved only with the next edit. */
  preview: (change: (document: Model) => Model) => void;
  history: (direction: "undo" | "redo") => Promise<void>;
  takeTheirs: () => void;
  saveMine: () => void;
  setHover: (step: string | null) => void;
}

/** A copy of `value` with the member at `path` replaced; `undefined` removes a list item. */
export function replaced<T>(value: T, path: Path, next: unknown): T {
  if (path.length === 0) return next as T;
  const [head, ...rest] = path as [string | number, ...Path];
  if (Array.isArray(value)) {
    const copy = [...(value as unknown[])];
    if (rest.length === 0 && next === undefined) copy.splice(Number(head), 1);
    else copy[Number(head)] = replaced(copy[Number(head)], rest, next);
    return copy as T;
  }
  return {
    ...(value as object),
    [head]: replaced((value as Record<string, unknown>)[head], rest, next),
  } as T;
}

export const member = (value: unknown, path: Path): unknown =>
  path.reduce<unknown>((v, k) => (v as Record<string | number, unknown> | undefined)?.[k], value);

/** A document with a member of the step at `base` replaced; of what the step leaves to its defaults, the rest is written out. */
export function changed(
  document: Model,
  base: Path,
  path: Path,
  next: unknown,
  defaults: Record<string, unknown>,
): Model {
  const whole = path.slice(0, -1).reduce((made, _, i) => {
    const own = path.slice(0, i + 1);
    const there = member(made, [...base, ...own]) ?? undefined;
    const usual = member(defaults, own);
    return there === undefined && usual != null ? replaced(made, [...base, ...own], usual) : made;
  }, document);
  return replaced(whole, [...base, ...path], next);
}

export type ListChapter =
  | "frames"
  | "parts"
  | "materials"
  | "feeds"
  | "loads"
  | "illuminations"
  | "refinements"
  | "captures"
  | "plans"
  | "studies";

/** A document with one step of a chapter at another place. */
export function moved(document: Model, chapter: ListChapter, from: number, to: number): Model {
  const list = [...document[chapter]];
  const [taken] = list.splice(from, 1);
  list.splice(to, 0, taken!);
  return { ...document, [chapter]: list };
}

/** Whether waves illuminate the model being edited. */
export const useIlluminated = (): boolean =>
  useBench((s) => (s.document?.illuminations.length ?? 0) > 0);

let queue: Promise<void> = Promise.resolve();

export const useBench = create<Bench>((set, get) => {
  const adopt = (s: ProjectState, keepDocument: boolean): void => {
    client.setQueryData(project(s.id).queryKey, s);
    set({
      projectId: s.id,
      revision: s.revision,
      role: s.role,
      canUndo: s.can_undo,
      canRedo: s.can_redo,
      ...(keepDocument ? {} : { document: s.document }),
    });
  };
  const save = (): void => {
    set({ state: "saving", fault: "" });
    queue = queue.then(async () => {
      const { document, revision, projectId, conflict } = get();
      if (conflict || !document) return;
      try {
        const s = await call<ProjectState>("POST", `/projects/${projectId}/revisions`, {
          parent: revision,
          document,
        });
        if (get().projectId !== projectId) return;
        adopt(s, true);
        if (get().document === document) set({ state: "saved" });
      } catch (error) {
        const problem = error as Problem;
        set({ state: "unsaved", fault: problem.message });
        if (problem.status === 409)
          set({
            conflict: {
              head: problem.body.head as number,
              document: problem.body.document as Model,
              author: problem.body.author as string,
            },
          });
      }
    });
  };
  return {
    projectId: 0,
    document: null,
    revision: 0,
    role: "reader",
    canUndo: false,
    canRedo: false,
    state: "saved",
    fault: "",
    conflict: null,
    hover: null,
    plan: null,
    open: (s) => {
      adopt(s, false);
      set({ state: "saved", fault: "", conflict: null, hover: null, plan: null });
    },
    edit: (change) => {
      const { document, role } = get();
      if (!document || role === "reader") return;
      set({ document: change(document) });
      save();
    },
    preview: (change) => {
      const { document, role } = get();
      if (document && role !== "reader") set({ document: change(document), state: "unsaved" });
    },
    history: async (direction) => {
      await queue;
      try {
        adopt(await call<ProjectState>("POST", `/projects/${get().projectId}/${direction}`), false);
        set({ state: "saved", fault: "" });
      } catch (error) {
        set({ fault: (error as Error).message });
      }
    },
    takeTheirs: () => {
      const { conflict } = get();
      if (conflict)
        set({
          document: conflict.document,
          revision: conflict.head,
          conflict: null,
          state: "saved",
          fault: "",
        });
    },
    saveMine: () => {
      const { conflict } = get();
      if (conflict) {
        set({ revision: conflict.head, conflict: null });
        save();
      }
    },
    setHover: (hover) => set({ hover }),
  };
});

/** The page as it is edited here and kept on the server. Saved a moment after the last change, and as the page is left; what somebody else saved meanwhile is taken. */
import { create } from "zustand";
import { Problem, call } from "../../api/client";
import { client, page } from "../../api/queries";
import type { CardEntry, MarkerEntry, PageContent, PageState } from "../../api/types";

export type SpecEntry = PageContent["specs"][number];
export interface Content {
  template: string;
  cards: CardEntry[];
  markers: MarkerEntry[];
  specs: SpecEntry[];
}

const SAVE_MS = 600;
const EMPTY: Content = { template: "", cards: [], markers: [], specs: [] };

interface Page {
  /** Cards that suit the runs, shown until somebody arranges the page; the first change keeps them. */
  suited: Pick<Content, "template" | "cards"> | null;
  projectId: number;
  version: number;
  content: Content;
  arranged: boolean;
  fault: string;
  past: Content[];
  dirty: boolean;
  open: (projectId: number, state: PageState) => void;
  change: (to: (c: Content) => Content, remember?: boolean) => void;
  undo: () => void;
}

let timer: ReturnType<typeof setTimeout> | undefined;
/** A page is on its way: the next waits for its answer, which has the version that it must name. */
let sending = false;

export const usePage = create<Page>((set, get) => ({
  suited: null,
  projectId: 0,
  version: 0,
  content: EMPTY,
  arranged: false,
  fault: "",
  past: [],
  dirty: false,
  open: (projectId, state) => {
    if (get().projectId === projectId && (get().dirty || state.version < get().version)) return;
    if (get().dirty) {
      clearTimeout(timer);
      void save(true);
    }
    const content: Content = { ...EMPTY, ...(state.content as Content | null) };
    set({
      projectId,
      version: state.version,
      content,
      arranged: content.cards.length > 0 || content.template !== "",
      suited: get().projectId === projectId ? get().suited : null,
      fault: "",
      past: get().projectId === projectId ? get().past : [],
      dirty: false,
    });
  },
  change: (to, remember = true) => {
    const { content, past, suited, arranged } = get();
    set({
      content: to(arranged ? content : { ...content, ...suited }),
      arranged: true,
      dirty: true,
      past: remember ? [...past.slice(-49), content] : past,
    });
    clearTimeout(timer);
    timer = setTimeout(() => void save(), SAVE_MS);
  },
  undo: () => {
    const { past } = get();
    const before = past.at(-1);
    if (before) {
      get().change(() => before, false);
      set({ past: past.slice(0, -1) });
    }
  },
}));

/** Keeps how the cards are arranged. */
export const keepCards = (cards: CardEntry[]): void =>
  usePage.getState().change((c) => ({ ...c, cards }));

addEventListener("pagehide", () => {
  if (!usePage.getState().dirty) return;
  clearTimeout(timer);
  void save(true);
});

async function save(leaving = false): Promise<void> {
  if (sending && !leaving) {
    timer = setTimeout(() => void save(), SAVE_MS);
    return;
  }
  const { projectId, content } = usePage.getState();
  const version = usePage.getState().version + (sending ? 1 : 0);
  sending = true;
  usePage.setState({ dirty: false });
  try {
    const kept = await call<PageState>(
      "PUT",
      `/projects/${projectId}/readout`,
      { version, content },
      undefined,
      leaving,
    );
    if (usePage.getState().projectId !== projectId) return;
    usePage.setState({ version: kept.version, fault: "" });
    client.setQueryData(page(projectId).queryKey, kept);
  } catch (error) {
    if (usePage.getState().projectId !== projectId) return;
    const fault = (error as Error).message;
    if (error instanceof Problem && error.status === 409) {
      usePage.setState({
        version: Number(error.body.version),
        content: { ...EMPTY, ...(error.body.content as Content) },
        fault,
        dirty: false,
        past: [],
      });
    } else if (error instanceof Problem && error.status === 0) {
      usePage.setState({ fault, dirty: true });
      timer = setTimeout(() => void save(), 5 * SAVE_MS);
    } else usePage.setState({ fault });
  } finally {
    sending = false;
  }
}

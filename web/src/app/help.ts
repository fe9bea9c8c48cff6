/** Help beside the work: "?" asks for the page that belongs to where the focus or the pointer is. */
import { create } from "zustand";

export const useHelp = create<{ at: string | null }>(() => ({ at: null }));

let pointed: Element | null = null;
addEventListener("pointermove", (e) => {
  pointed = e.target instanceof Element ? e.target : null;
});

/** The page, and the heading in it, that an element or one about it names as `page#heading`. */
const placeOf = (e: Element | null): string | undefined =>
  e?.closest<HTMLElement>("[data-help]")?.dataset.help;

export const showHelp = (): void =>
  useHelp.setState({ at: placeOf(document.activeElement) ?? placeOf(pointed) ?? "index" });
export const hideHelp = (): void => useHelp.setState({ at: null });

/** Six cards that point at what a screen has; left at any time, found again in the palette. */
import { useEffect, useState } from "react";
import { create } from "zustand";
import { Button } from "../ui/Button";

const CARDS: [at: string, title: string, text: string][] = [
  [
    "[aria-label='Build sheet']",
    "The build sheet",
    "The model as a page of sentences. Click an underlined value and write a number, a unit or a formula such as lambda0 / 4.",
  ],
  [
    "#phrase",
    "Typing does everything",
    "Type a step as the sheet prints it, or shorter: L = 32 mm, box 40 x 20 x 1.6 mm, sweep 2 to 3 GHz. Tab completes.",
  ],
  [
    "[data-tour='lenses']",
    "The stage and its lenses",
    "Drag to turn, right drag to move, wheel to zoom. The lenses show the grid before a run, and current, near field and pattern after it.",
  ],
  [
    "[data-tour='preflight']",
    "Preflight",
    "What keeps the model from being solved and what deserves a look, with repairs. Beside it stands what a run will take.",
  ],
  [
    "[data-tour='solve']",
    "Solve",
    "Ctrl+Enter solves. The run shows its curve while it goes on; pause, stop or leave the page, nothing is lost.",
  ],
  [
    "[data-tour='readout']",
    "Readout",
    "Cards over one frequency cursor: matching, gain, patterns, fields. Errors stand beside the numbers. Ctrl+K finds every command.",
  ],
];

const useTour = create<{ card: number | null }>(() => ({ card: null }));
export const showTour = (): void => useTour.setState({ card: 0 });
const WIDTH = 300,
  GAP = 10;

export function Tour() {
  const { card } = useTour();
  const [place, setPlace] = useState<DOMRect | null>(null);
  const anchor = card === null ? null : CARDS[card]![0];
  useEffect(() => {
    if (anchor === null) return;
    const look = (): void =>
      setPlace(document.querySelector(anchor)?.getBoundingClientRect() ?? null);
    const leave = (e: KeyboardEvent): void => {
      if (e.key === "Escape") useTour.setState({ card: null });
    };
    look();
    window.addEventListener("resize", look);
    window.addEventListener("keydown", leave);
    return () => {
      window.removeEventListener("resize", look);
      window.removeEventListener("keydown", leave);
    };
  }, [anchor]);
  if (card === null) return null;
  const [, title, text] = CARDS[card]!;
  const to = (next: number | null): void => useTour.setState({ card: next });
  const low = place !== null && place.top > window.innerHeight / 2;
  const left = Math.min(
    window.innerWidth - WIDTH - GAP,
    Math.max(GAP, place ? (place.width > 360 ? place.right + GAP : place.left) : GAP),
  );
  return (
    <>
      {place && (
        <div
          aria-hidden
          className="pointer-events-none fixed z-40 rounded-md outline-2 outline-offset-2 outline-heron"
          style={{ left: place.left, top: place.top, width: place.width, height: place.height }}
        />
      )}
      <section
        role="dialog"
        aria-label={`Tour, ${card + 1} of ${CARDS.length}: ${title}`}
        className="fixed z-40 rounded-lg border border-heron bg-card p-3 shadow-xl"
        style={{
          width: WIDTH,
          left,
          ...(low
            ? { bottom: window.innerHeight - place.top + GAP }
            : { top: place && place.height < 200 ? place.bottom + GAP : 96 }),
        }}
      >
        <h2 className="font-semibold">
          {title}
          <span className="num float-right text-[11.500px] font-normal text-ink2">
            {card + 1} / {CARDS.length}
          </span>
        </h2>
        <p className="mb-2 mt-1 text-ink2">{text}</p>
        <p className="flex gap-2">
          <Button look="quiet" className="mr-auto" onClick={() => to(null)}>
            Leave
          </Button>
          {card > 0 && <Button onClick={() => to(card - 1)}>Back</Button>}
          <Button
            autoFocus
            key={card}
            onClick={() => to(card + 1 < CARDS.length ? card + 1 : null)}
          >
            {card + 1 < CARDS.length ? "Next" : "Done"}
          </Button>
        </p>
      </section>
    </>
  );
}

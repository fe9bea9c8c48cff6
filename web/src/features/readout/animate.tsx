/** Animations as files: the plot of a card over its own frames, over the cursor or from run to run, as an animated picture. */
import * as Menu from "@radix-ui/react-dropdown-menu";
import type { RefObject } from "react";
import { create } from "zustand";
import { client, runs, sweep } from "../../api/queries";
import { useCursor, useTicks } from "../../app/cursor";
import { drawn, picture, save } from "../../plots/export";
import { useDesk } from "./context";

const MOST_FRAMES = 60,
  SETTLE_MS = 90,
  LATEST_MS = 4000,
  FRAME_MS = 80,
  RUN_MS = 600;

/** Pictures that a card can show one after another; without it, its plot is followed over the cursor. */
export interface Frames {
  count: number;
  show: (i: number) => void;
}

/** What is being recorded: the card, and how far. */
export const useRecording = create<
  { card: string; done: number; of: number; stop: boolean } | Record<string, never>
>(() => ({}));

const pause = (ms: number): Promise<void> => new Promise((r) => setTimeout(r, ms));

export function Animate({
  card,
  file,
  frames,
  className,
}: {
  card: RefObject<HTMLElement | null>;
  file: string;
  frames?: Frames;
  className: string;
}) {
  const { projectId, shown } = useDesk();
  const over = useCursor((s) => s.over);
  const record = async (): Promise<void> => {
    const element = card.current;
    if (!element || useRecording.getState().card) return;
    const grid = shown[0]?.sweep.frequency_hz ?? [],
      before = useCursor.getState().frequency,
      ticked = useTicks.getState().ticks[projectId];
    const numbers =
      over === "runs"
        ? (client.getQueryData(runs(projectId).queryKey) ?? [])
            .filter((r) => r.has_results)
            .map((r) => r.number)
            .reverse()
        : [];
    const all = frames?.count ?? (over === "runs" ? numbers.length : grid.length),
      count = Math.min(all, MOST_FRAMES);
    const pick = (i: number): number => Math.round((i * (all - 1)) / Math.max(1, count - 1));
    const pictures: HTMLCanvasElement[] = [];
    useRecording.setState({ card: file, done: 0, of: count, stop: false });
    try {
      for (let i = 0; i < count && !useRecording.getState().stop; i++) {
        if (frames) frames.show(pick(i));
        else if (over === "runs") {
          await client.ensureQueryData(sweep(projectId, numbers[pick(i)]!));
          tick(projectId, [numbers[pick(i)]!]);
        } else useCursor.getState().set(grid[pick(i)]!);
        await settled(element);
        const taken = picture(element);
        if (taken) pictures.push(taken);
        useRecording.setState({
          card: file,
          done: i + 1,
          of: count,
          stop: useRecording.getState().stop ?? false,
        });
      }
      if (pictures.length && !useRecording.getState().stop) {
        const { encode } = await import("modern-gif");
        const { width, height } = pictures[0]!;
        const data = await encode({
          width,
          height,
          frames: pictures.map((p) => ({
            data: pixels(p, width, height),
            delay: !frames && over === "runs" ? RUN_MS : FRAME_MS,
          })),
        });
        save(`${file}.gif`, new Blob([data], { type: "image/gif" }));
      }
    } finally {
      if (!frames && over === "runs") tick(projectId, ticked);
      else if (!frames) useCursor.getState().set(before);
      useRecording.setState({}, true);
    }
  };
  return (
    <Menu.Item className={className} onSelect={() => void record()}>
      {frames ? "Save as animation" : `Save as animation over ${over}`}
    </Menu.Item>
  );
}

/** A picture's pixels in the size of the first: a plot may have grown or shrunk beside its verdicts. */
function pixels(picture: HTMLCanvasElement, width: number, height: number): ImageData["data"] {
  const canvas = document.createElement("canvas"),
    context = canvas.getContext("2d")!;
  canvas.width = width;
  canvas.height = height;
  context.drawImage(picture, 0, 0, width, height);
  return context.getImageData(0, 0, width, height).data;
}

const tick = (project: number, numbers: number[] | undefined): void =>
  useTicks.setState(({ ticks }) => ({
    ticks: Object.fromEntries([
      ...Object.entries(ticks).filter(([p]) => p !== String(project)),
      ...(numbers ? [[project, numbers]] : []),
    ]),
  }));

/** Waits until the card has shown what it was asked for: until nothing is being fetched for it any more, and it is drawn. */
async function settled(card: HTMLElement): Promise<void> {
  await pause(SETTLE_MS);
  for (
    let waited = 0;
    (card.querySelector("[data-fetching=true]") || !drawn(card)) && waited < LATEST_MS;
    waited += SETTLE_MS
  )
    await pause(SETTLE_MS);
}

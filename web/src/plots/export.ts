/** Plots to files: PNG as drawn with twice the pixels, SVG drawn anew, CSV of the numbers. */
import { init } from "echarts/core";
import { charts } from "./chart";

const PIXELS = 2;

export function save(name: string, blob: Blob): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
}

const chartIn = (card: HTMLElement): ReturnType<typeof charts.get> =>
  Array.from(card.querySelectorAll<HTMLElement>("[data-plot] > div"))
    .map((e) => charts.get(e))
    .find(Boolean);

export function exportSvg(card: HTMLElement, name: string): boolean {
  const chart = chartIn(card);
  if (!chart) return false;
  const copy = init(null, null, {
    renderer: "svg",
    ssr: true,
    width: chart.getWidth(),
    height: chart.getHeight(),
  });
  copy.setOption({ ...chart.getOption(), animation: false });
  save(`${name}.svg`, new Blob([copy.renderToSVGString()], { type: "image/svg+xml" }));
  copy.dispose();
  return true;
}

/** Whether a card has drawn what it shows. */
export const drawn = (card: HTMLElement): boolean =>
  card.querySelector("[data-plot] > div")
    ? chartIn(card) !== undefined
    : card.querySelector("canvas") !== null;

/** The plot of a card as a canvas: a chart, or a map or scene as it stands. */
export function picture(card: HTMLElement): HTMLCanvasElement | null {
  const background = getComputedStyle(document.documentElement).getPropertyValue("--card").trim();
  const chart = chartIn(card);
  const own = chart
    ? chart.renderToCanvas({ pixelRatio: PIXELS })
    : card.querySelector<HTMLCanvasElement>("canvas");
  if (!own) return null;
  const canvas = document.createElement("canvas"),
    context = canvas.getContext("2d")!;
  const grow = chart ? 1 : Math.max(1, Math.round(800 / own.width));
  canvas.width = own.width * grow;
  canvas.height = own.height * grow;
  context.fillStyle = background;
  context.fillRect(0, 0, canvas.width, canvas.height);
  context.imageSmoothingEnabled = false;
  context.drawImage(own, 0, 0, canvas.width, canvas.height);
  return canvas;
}

export function exportPng(card: HTMLElement, name: string): void {
  picture(card)?.toBlob((blob) => blob && save(`${name}.png`, blob));
}

export function exportCsv(name: string, columns: string[], rows: (number | null)[][]): void {
  save(
    `${name}.csv`,
    new Blob(
      [[columns.join(","), ...rows.map((r) => r.map((v) => v ?? "").join(","))].join("\n") + "\n"],
      { type: "text/csv" },
    ),
  );
}

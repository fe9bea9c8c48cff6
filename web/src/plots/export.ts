/** Plots to files: the SVG as drawn, with colours resolved, or a PNG of it or of a canvas. */

const PIXELS = 2;

function save(name: string, blob: Blob): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
}

function text(svg: SVGSVGElement): string {
  const styles = getComputedStyle(document.documentElement);
  const copy = svg.cloneNode(true) as SVGSVGElement;
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  copy.setAttribute("font-family", "IBM Plex Mono, monospace");
  return new XMLSerializer().serializeToString(copy).replace(/var\((--[\w-]+)\)/g, (_, token: string) => styles.getPropertyValue(token).trim());
}

export function exportSvg(card: HTMLElement, name: string): boolean {
  const svg = card.querySelector<SVGSVGElement>("svg[data-plot]");
  if (svg) save(`${name}.svg`, new Blob([text(svg)], { type: "image/svg+xml" }));
  return svg !== null;
}

export async function exportPng(card: HTMLElement, name: string): Promise<void> {
  const drawn = card.querySelector<HTMLCanvasElement>("canvas");
  const svg = card.querySelector<SVGSVGElement>("svg[data-plot]");
  const canvas = document.createElement("canvas");
  const context = canvas.getContext("2d")!;
  const background = getComputedStyle(document.documentElement).getPropertyValue("--card").trim();
  const fill = (w: number, h: number): void => {
    canvas.width = w; canvas.height = h;
    context.fillStyle = background;
    context.fillRect(0, 0, w, h);
  };
  if (svg) {
    const image = new Image();
    image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(text(svg))}`;
    await image.decode();
    fill(svg.clientWidth * PIXELS, svg.clientHeight * PIXELS);
    context.drawImage(image, 0, 0, canvas.width, canvas.height);
  } else if (drawn) {
    const grow = Math.max(1, Math.round(800 / drawn.width));
    fill(drawn.width * grow, drawn.height * grow);
    context.imageSmoothingEnabled = false;
    context.drawImage(drawn, 0, 0, canvas.width, canvas.height);
  } else return;
  canvas.toBlob((blob) => blob && save(`${name}.png`, blob));
}

export function exportCsv(name: string, columns: string[], rows: (number | null)[][]): void {
  save(`${name}.csv`, new Blob([[columns.join(","), ...rows.map((r) => r.map((v) => v ?? "").join(","))].join("\n") + "\n"], { type: "text/csv" }));
}

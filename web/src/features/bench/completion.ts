/** What may come next in a typed step. */
import type { Model } from "../../api/types";

export const KINDS = ["box", "block", "sheet", "rectangle", "cylinder", "tube", "cone", "sphere", "torus", "disc", "ring", "dish", "wire"];
const SIZES: Record<string, string> = {
  box: "40 x 20 x 1.6 mm", block: "40 x 20 x 1.6 mm", sheet: "40 x 20 mm", rectangle: "40 x 20 mm", cylinder: "radius 5 mm height 20 mm", tube: "radius 5 mm inner 4 mm height 20 mm", cone: "radius 5 mm height 20 mm",
  sphere: "radius 10 mm", torus: "bend 20 mm radius 3 mm", disc: "radius 10 mm", ring: "radius 10 mm inner 5 mm", dish: "diameter 200 mm focus 80 mm", wire: "from (0, 0, 0) to (0, 0, 80 mm) radius 1 mm",
};
const MOST = 6;

export const isPhrase = (text: string): boolean => KINDS.includes(text.trim().split(/\s+/)[0]!.toLowerCase());

/** Whole phrases that continue `text`, best first; none once nothing is typed. */
export function completions(text: string, document: Model, materials: string[]): string[] {
  const start = text.trimStart();
  if (start === "") return [];
  const [first = "", ...rest] = start.split(/\s+/);
  const kind = first.toLowerCase();
  if (rest.length === 0) return KINDS.filter((k) => k.startsWith(kind)).map((k) => `${k} ${SIZES[k]!}`).slice(0, MOST);
  if (!KINDS.includes(kind)) return [];
  const cut = Math.max(start.lastIndexOf(","), start.lastIndexOf(" "));
  const head = start.slice(0, cut + 1), typed = start.slice(cut + 1).toLowerCase();
  const known = [...document.materials.map((m) => m.name ?? ""), ...materials];
  const bodies = document.parts.map((p) => p.name ?? "").filter(Boolean);
  const words = /\bon\s+$/.test(head) ? bodies : /[({x×*/+-]\s*$/.test(head) ? document.parameters.map((p) => p.name) : [...known, ...bodies.map((b) => `on ${b}`), "at (0, 0, 0)", "called "];
  const comma = head.trimEnd().endsWith(",") || /\bon\s+$/.test(head) ? "" : ", ";
  const found = words.filter((w) => w.toLowerCase().startsWith(typed) && w.toLowerCase() !== typed);
  return [...new Set(found)].slice(0, MOST).map((w) => (typed === "" && comma && !/[({x×*/+-]\s*$/.test(head) ? `${head.trimEnd()}${comma}${w}` : `${head}${w}`));
}

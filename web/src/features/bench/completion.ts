/** What may come next in a typed step. */
import type { Model } from "../../api/types";

const firstWord = (text: string): string => text.trim().split(/\s+/)[0]!.toLowerCase();
const MOST = 6;

/** Whether a text begins like one of the examples, which are whole phrases of every kind. */
export const isPhrase = (text: string, examples: string[]): boolean =>
  examples.some((e) => firstWord(e) === firstWord(text));

/** Whole phrases that continue `text`, best first; none once nothing is typed. */
export function completions(
  text: string,
  document: Model,
  materials: string[],
  examples: string[],
): string[] {
  const start = text.trimStart();
  if (start === "") return [];
  const [first = "", ...rest] = start.split(/\s+/);
  if (rest.length === 0)
    return examples.filter((e) => e.startsWith(first.toLowerCase())).slice(0, MOST);
  if (!isPhrase(first, examples)) return [];
  const cut = Math.max(start.lastIndexOf(","), start.lastIndexOf(" "));
  const head = start.slice(0, cut + 1),
    typed = start.slice(cut + 1).toLowerCase();
  const known = [...document.materials.map((m) => m.name ?? ""), ...materials];
  const bodies = document.parts.map((p) => p.name ?? "").filter(Boolean);
  const words = /\bon\s+$/.test(head)
    ? bodies
    : /[({x×*/+-]\s*$/.test(head)
      ? document.parameters.map((p) => p.name)
      : [...known, ...bodies.map((b) => `on ${b}`), "at (0, 0, 0)", "called "];
  const comma = head.trimEnd().endsWith(",") || /\bon\s+$/.test(head) ? "" : ", ";
  const found = words.filter((w) => w.toLowerCase().startsWith(typed) && w.toLowerCase() !== typed);
  return [...new Set(found)]
    .slice(0, MOST)
    .map((w) =>
      typed === "" && comma && !/[({x×*/+-]\s*$/.test(head)
        ? `${head.trimEnd()}${comma}${w}`
        : `${head}${w}`,
    );
}

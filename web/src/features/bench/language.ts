/** Sentences of steps, from the templates that the server sends: no kind of step is known here by name. */
import { useQuery } from "@tanstack/react-query";
import { client, language as query } from "../../api/queries";
import type { Node, Slot, Pick, Kind, Language, Values } from "../../api/language";
import type { Path, Step } from "../../api/types";
import { quantity } from "../../format";
import { member } from "./model";

export type Word =
  | string
  | { token: Path; slot: Slot; faint: boolean }
  /** A clause without values, which is there or not. */
  | { toggle: Path; value: unknown; on: boolean; says: string }
  /** A list that may get one more member, or lose its last. */
  | { list: Path; length: number }
  | { pick: Pick };

export interface Reading {
  words: Word[];
  /** Whether some of the sentence is not shown, as it says only what is so anyway. */
  folded: boolean;
}

const MOST_MEMBERS = 24;

/** The kind of a step; that of its chapter where it names none. */
export function kindOf(language: Language, chapter: string, step: Values): Kind {
  const own = language.kinds.filter((k) => k.chapter === chapter);
  const fallback = language.chapters.find((c) => c.key === chapter)?.default;
  const name = own.length > 1 ? step.kind : undefined;
  const found = own.find((k) => k.name === name) ?? own.find((k) => k.name === fallback);
  if (!found) throw new Error(`no kind of step “${String(step.kind)}” in ${chapter}`);
  return found;
}

const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b);

/** A step as words and tokens; whole when `unfolded`, and without what is about another engine. */
export function reading(kind: Kind, step: Step, unfolded = false, engine = ""): Reading {
  const words: Word[] = [];
  let folded = false;

  const run = (
    nodes: Node[],
    value: unknown,
    base: Path,
    defaults: Values,
    faint: boolean,
  ): void => {
    const at = (path: Path): unknown => {
      const found = path.length === 0 ? value : member(value, path);
      return found === undefined ? member(defaults, path) : found;
    };
    const differs = (n: Node): boolean => {
      if (n.node === "words") return false;
      if (n.node === "clause") return stands(n);
      return !same(at(n.path), member(defaults, n.path));
    };
    const stands = (c: Extract<Node, { node: "clause" }>): boolean => {
      if (c.when) {
        const now = at(c.when.path);
        if (!same(now, c.when.value)) return false;
        if (c.shown || !same(now, member(defaults, c.when.path))) return true;
      }
      return c.nodes.some(differs);
    };
    for (const n of nodes) {
      if (n.node === "words") {
        const last = words[words.length - 1];
        const begun = typeof last === "string" && last.endsWith(":");
        const text = begun ? n.text.replace(/^,\s*/, "") : n.text;
        if (text) words.push(text);
        continue;
      }
      if (n.node === "slot") words.push({ token: [...base, ...n.path], slot: n, faint });
      else if (n.node === "group") {
        if (at(n.path) === null) words.push(n.empty);
        else {
          words.push("(");
          n.nodes.forEach((slot, k) => {
            if (k) words.push(",");
            words.push({ token: [...base, ...slot.path], slot, faint });
          });
          words.push(")");
        }
      } else if (n.node === "clause") {
        if (n.of && engine && n.of !== engine) continue;
        const there = stands(n);
        const flag = n.when && typeof n.when.value === "boolean" ? n.when : null;
        const possible = !n.when || flag !== null || same(at(n.when.path), n.when.value);
        if (!there && possible && !unfolded) folded = true;
        if (flag && (there ? !n.shown : unfolded && !n.shown))
          words.push({
            toggle: [...base, ...flag.path],
            value: flag.value,
            on: there,
            says: n.nodes.map((m) => (m.node === "words" ? m.text : "")).join(" "),
          });
        else if (there || (unfolded && possible && !flag))
          run(n.nodes, value, base, defaults, !there);
      } else {
        const list = (at(n.path) ?? []) as unknown[];
        list.slice(0, MOST_MEMBERS).forEach((m, k) => {
          if (k && n.between) words.push(n.between);
          run(n.nodes, m, [...base, ...n.path, k], n.defaults, faint);
        });
        if (list.length > MOST_MEMBERS) words.push(`and ${list.length - MOST_MEMBERS} more`);
        const name = [...base, ...n.path];
        if (unfolded && kind.members[name.join(".")] !== undefined)
          words.push({ list: name, length: list.length });
        else if (kind.members[name.join(".")] !== undefined) folded = true;
      }
    }
  };
  run(kind.nodes, step, [], kind.defaults, false);
  for (const pick of kind.picks) words.push({ pick });
  return { words, folded };
}

/** An expression with the signs and units of print. */
export const spelled = (text: string): string =>
  text
    .replaceAll(" * ", " × ")
    .replaceAll("-", "−")
    .replace(/\b([kM]?)ohm\b/g, "$1Ω")
    .replace(/\bum\b/g, "µm");

/** A step in words, as the sheet shows it folded; names of ``parameters`` with their values behind them. */
export function inWords(
  kind: Kind,
  step: Step,
  engine = "",
  parameters: Record<string, { value: number; unit: string }> = {},
): string {
  const said = reading(kind, step, false, engine).words.flatMap((w) => {
    if (typeof w === "string") return w;
    if ("toggle" in w) return w.says;
    if (!("token" in w)) return [];
    const value = member(step, w.token) ?? member(kind.defaults, w.token);
    const text = value === null || value === undefined ? "" : String(value);
    const own = w.slot.type === "expression" ? parameters[text] : undefined;
    if (own) return `${quantity(own.value, own.unit, 5)} (${text})`;
    return (w.slot.type === "expression" ? spelled(text) : text) || w.slot.empty;
  });
  return [kind.name === "parameter" ? "" : kind.title, ...said]
    .join(" ")
    .replace(/\s+([,;:)])/g, "$1")
    .replace(/\(\s+/g, "(")
    .trim();
}

/** Paths within a step that name something of these sorts. */
export function references(kind: Kind, step: Step, sorts: string[]): Path[] {
  return reading(kind, step, true).words.flatMap((w) =>
    typeof w === "object" && "token" in w && sorts.includes(w.slot.of) ? [w.token] : [],
  );
}

export const useLanguage = (): Language | undefined => useQuery(query).data;

/** The language, where it has been loaded already. */
export function spoken(): Language {
  const found = client.getQueryData<Language>(query.queryKey);
  if (!found) throw new Error("the kinds of steps are not loaded yet");
  return found;
}

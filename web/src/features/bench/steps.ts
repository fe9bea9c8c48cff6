/** New steps of the document: from the menu, typed, or copied. */
import { call } from "../../api/client";
import type { Model, Step, TypedStep } from "../../api/types";
import { kindOf, references, spoken } from "./language";
import type { Kind, Language } from "../../api/language";
import { replaced, useBench } from "./model";

/** A name that no step of the list has yet. */
export function freeName(list: { name?: string }[], wanted: string): string {
  const taken = new Set(list.map((s) => s.name));
  let name = wanted;
  for (let k = 2; taken.has(name); k++) name = `${wanted} ${k}`;
  return name;
}

/** A document with one more step of a chapter, or with another one in the place of that number. */
export const withStep = (
  document: Model,
  chapter: string,
  step: object,
  number: number | null = null,
): Model => {
  const list = document[chapter as keyof Model];
  if (!Array.isArray(list)) return { ...document, [chapter]: step };
  if (number === null) return { ...document, [chapter]: [...(list as object[]), step] };
  return replaced(document, [chapter, number], step);
};

/** A new step of a menu's entry with a name and a port number of its own, that refers to the last parts it can. */
export function addStep(kind: Kind, entry = 0): void {
  const language = spoken();
  useBench.getState().edit((d) => {
    const list = d[kind.chapter as keyof Model] as Step[];
    const step = { ...kind.menu[entry]!.step } as Step;
    if (typeof step.name === "string") step.name = freeName(list, step.name);
    if ("number" in step) step.number = Math.max(0, ...d.feeds.map((f) => Number(f.number))) + 1;
    return withStep(d, kind.chapter, referring(language, kind, step, d));
  });
}

/** A step whose empty references name parts that there are, the last ones in their order. */
function referring(language: Language, kind: Kind, step: Step, d: Model): Step {
  const names = (sort: string): string[] =>
    d.parts
      .filter((p) => {
        const makes = kindOf(language, "parts", p).makes;
        return sort === "part" || makes === sort || makes === "part";
      })
      .map((p) => p.name ?? "");
  return ["wire", "body", "part"].reduce((made, sort) => {
    const places = references(kind, made, [sort]).filter(
      (path) => path.reduce<unknown>((v, k) => (v as Step | undefined)?.[k], made) === "",
    );
    const known = sort === "wire" ? names(sort).slice(0, 1) : names(sort).slice(-places.length);
    return places.reduce((m, path, k) => replaced(m, path, known[k] ?? ""), made);
  }, step);
}

/** A typed step as the server read it, in its place. */
export async function addTyped(text: string): Promise<void> {
  const { chapter, step, number } = await call<TypedStep>("POST", "/projects/phrase", {
    document: useBench.getState().document,
    text,
  });
  useBench.getState().edit((d) => withStep(d, chapter, step, number ?? null));
}

/** Steps copied as their sentences, a line each, from this or another project. */
export async function pasteStep(): Promise<void> {
  try {
    for (const line of (await navigator.clipboard.readText()).split("\n"))
      if (line.trim()) await addTyped(line);
  } catch (e) {
    useBench.setState({ fault: `The clipboard holds no step: ${(e as Error).message}` });
  }
}

/** The sentence of a step, as it can be typed. */
export const sentenceOf = (chapter: string, number: number): Promise<string> =>
  call<string>("POST", "/projects/sentence", {
    document: useBench.getState().document,
    chapter,
    number,
  });

/** Sentences of several steps, a line each. */
export const sentencesOf = async (steps: { chapter: string; at: number }[]): Promise<string> =>
  (await Promise.all(steps.map((s) => sentenceOf(s.chapter, s.at)))).join("\n");

/** Whether a text begins like a step. */
export const isTyped = (text: string, language: Language | undefined): boolean => {
  const start = text.trim().toLowerCase();
  return (
    /^[^\W\d]\w*\s*=/.test(start) ||
    (language?.kinds ?? []).some((k) => start.startsWith(`${k.title.toLowerCase()} `)) ||
    (language?.examples ?? []).some((e) => start.startsWith(`${e.split(" ")[0]!.toLowerCase()} `))
  );
};

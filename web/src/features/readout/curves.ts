/** Curves by formula: what all cards ask for at one moment goes to the server in one request. */
import { queryOptions, useQueries } from "@tanstack/react-query";
import { packet } from "../../api/client";

/** Values against Hz; `im` when complex. `error` says why there are none. */
export interface Answer {
  x: Float32Array;
  re: Float32Array;
  im: Float32Array | null;
  unit: string;
  error: string;
}
interface Asked {
  source: string;
  formula: string;
  resolve: (a: Answer) => void;
  reject: (e: Error) => void;
}

const NONE = new Float32Array();
const MOST = 60; // sources or formulas in one request
const waiting = new Map<number, Asked[]>();

function ask(id: number, source: string, formula: string): Promise<Answer> {
  return new Promise((resolve, reject) => {
    const list = waiting.get(id) ?? [];
    if (list.length === 0) {
      waiting.set(id, list);
      setTimeout(() => flush(id), 0);
    }
    list.push({ source, formula, resolve, reject });
  });
}

function flush(id: number): void {
  const list = waiting.get(id) ?? [];
  waiting.delete(id);
  const formulas = [...new Set(list.map((a) => a.formula))];
  for (let k = 0; k < formulas.length; k += MOST) {
    const part = new Set(formulas.slice(k, k + MOST)),
      own = list.filter((a) => part.has(a.formula)),
      sources = [...new Set(own.map((a) => a.source))];
    for (let s = 0; s < sources.length; s += MOST) {
      const some = new Set(sources.slice(s, s + MOST));
      void send(
        id,
        [...some],
        [...part],
        own.filter((a) => some.has(a.source)),
      );
    }
  }
}

async function send(
  id: number,
  sources: string[],
  formulas: string[],
  asked: Asked[],
): Promise<void> {
  try {
    const { header, arrays } = await packet(`/projects/${id}/curves`, { sources, formulas });
    const told = header.curves as { unit: string; error: string }[][];
    for (const a of asked) {
      const s = sources.indexOf(a.source),
        f = formulas.indexOf(a.formula),
        key = `${s}.${f}`;
      a.resolve({
        x: arrays[`x${s}`]?.data ?? NONE,
        re: arrays[`re${key}`]?.data ?? NONE,
        im: arrays[`im${key}`]?.data ?? null,
        ...told[s]![f]!,
      });
    }
  } catch (error) {
    asked.forEach((a) => a.reject(error as Error));
  }
}

export const curve = (id: number, source: string, formula: string) =>
  queryOptions({
    queryKey: ["curve", id, source, formula],
    queryFn: () => ask(id, source, formula),
    staleTime: Infinity,
    gcTime: 600_000,
  });

/** Every formula on every source, rows by source; `undefined` while it is fetched. Stable as long as nothing arrives. */
export function useCurves(
  id: number,
  sources: string[],
  formulas: string[],
): { answers: (Answer | undefined)[][]; pending: boolean } {
  return useQueries({
    queries: sources.flatMap((s) => formulas.map((f) => curve(id, s, f))),
    combine: (all) => ({
      answers: sources.map((_, s) => formulas.map((_, f) => all[s * formulas.length + f]?.data)),
      pending: all.some((q) => q.isPending),
    }),
  });
}

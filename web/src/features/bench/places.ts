/** Steps and parameters as places that can be gone to, and what a model lacks. */
import type { Model, Step } from "../../api/types";
import { useFolds } from "./folds";
import { useBench } from "./model";

/** Named steps of the sheet: a key that is the place of the step, and words. */
export function places(document: Model | null): { key: string; label: string }[] {
  if (!document) return [];
  return Object.entries(document).flatMap(([chapter, steps]) =>
    Array.isArray(steps)
      ? (steps as Step[]).map((step, i) => ({
          key: `${chapter}.${i}`,
          label: `Go to ${chapter.replace(/s$/, "")} ${step.name ?? String(step.number ?? i + 1)}`,
        }))
      : [],
  );
}

/** Scrolls the sheet to a step and marks it; the keyboard goes there unless it stays where it is. */
export function goTo(key: string, follow = true): void {
  useFolds.getState().unfold(key.split(".")[0]!);
  useBench.getState().setHover(key);
  requestAnimationFrame(() => {
    const step = document.querySelector<HTMLElement>(`[data-step="${key}"]`);
    step?.scrollIntoView({ block: "center" });
    if (follow) step?.querySelector<HTMLElement>("button, select, input")?.focus();
  });
}

/** Kinds of steps that a model needs next, as "chapter kind". */
export function wanted(d: Model | null): string[] {
  if (!d) return [];
  if (d.parts.length === 0) return ["parts wire", "parts box"];
  if (d.feeds.length + d.illuminations.length === 0)
    return ["feeds gap", "feeds guide", "illuminations plane_wave"];
  return d.captures.length === 0 ? ["captures far_field"] : [];
}

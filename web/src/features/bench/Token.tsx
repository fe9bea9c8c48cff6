import { type KeyboardEvent, useEffect, useId, useRef, useState } from "react";
import { call } from "../../api/client";
import { client, examination as examine, files as filesOf, filesStamp } from "../../api/queries";
import type { Examination, ExpressionValue, Model, Path, Step } from "../../api/types";
import { quantity } from "../../format";
import { kindOf, references, spelled, spoken } from "./language";
import { changed, member, replaced, useBench } from "./model";

interface Props {
  /** Of its step. */
  base: Path;
  /** Of the value, in its step. */
  own: Path;
  /** An expression of the dimension wanted; without one the token is a name or a number. */
  unit?: string;
  choices?: string[];
  empty?: string;
  examination?: Examination;
  label: string;
  /** What the step is where the document leaves it out. */
  defaults?: Record<string, unknown>;
  /** Of a clause that says only what is so anyway. */
  faint?: boolean;
}

const samePath = (a: Path, b: Path): boolean =>
  a.length === b.length && a.every((k, i) => k === b[i]);

/** One editable value of a sentence: click or Enter opens it in place, Enter keeps, Escape leaves it. */
export function Token({
  base,
  own,
  unit,
  choices,
  empty,
  examination,
  label,
  defaults = {},
  faint,
}: Props) {
  const path = [...base, ...own];
  const document = useBench((s) => s.document);
  const reader = useBench((s) => s.role === "reader");
  const edit = useBench((s) => s.edit);
  const [draft, setDraft] = useState<string | null>(null);
  const value = member(document, path) ?? member(defaults, own);
  const text =
    value === null || value === undefined
      ? ""
      : typeof value === "boolean"
        ? value
          ? "yes"
          : "no"
        : String(value);
  const fault = examination?.problems.find((p) => p.level === "error" && samePath(p.path, path));
  const live = useLive(draft, unit, document, (d, next) => changed(d, base, own, next, defaults));

  const keep = (next: string): void => {
    setDraft(null);
    if (next.trim() === text) return;
    const clean =
      typeof value === "boolean"
        ? next === "yes"
        : typeof value === "number"
          ? Number(next)
          : next.trim() === "" && empty && !choices
            ? null
            : next.trim();
    edit((d) => rename(changed(d, base, own, clean, defaults), path, text, String(clean)));
  };
  const alert = fault && (
    <span role="alert" className="block text-[12px] leading-snug text-rust">
      {fault.message}
    </span>
  );
  if (choices)
    return (
      <>
        <select
          aria-label={label}
          value={text}
          disabled={reader}
          onChange={(e) => keep(e.target.value)}
          className={`num cursor-pointer appearance-none [field-sizing:content] border-b border-dotted bg-transparent text-[12.500px] ${fault ? "border-rust text-rust" : "border-ink2"} ${faint ? "text-ink2" : ""}`}
        >
          {!choices.includes(text) && <option value={text}>{text || "choose…"}</option>}
          {choices.map((c) => (
            <option key={c} value={c} className="bg-card text-ink">
              {c || empty || "none"}
            </option>
          ))}
        </select>
        {alert}
      </>
    );
  if (draft !== null)
    return (
      <span className="relative inline-block">
        <input
          autoFocus
          aria-label={label}
          value={draft}
          onChange={(e) => setDraft(e.target.value)}
          onBlur={() => keep(draft)}
          onFocus={(e) => e.target.select()}
          onKeyDown={(e: KeyboardEvent<HTMLInputElement>) => {
            if (e.key === "Enter") keep(draft);
            else if (e.key === "Escape") setDraft(null);
          }}
          style={{ width: `${Math.max(4, draft.length + 2)}ch` }}
          className="num rounded border border-heron bg-card px-1 text-[12.500px] outline-none"
        />
        {live && (
          <span
            className={`num absolute left-0 top-full z-10 mt-1 whitespace-nowrap rounded border bg-card px-1.5 py-0.5 text-[11.500px] shadow ${live.error ? "border-rust text-rust" : "border-rule text-ink2"}`}
          >
            {live.error || quantity(live.value, live.unit)}
          </span>
        )}
      </span>
    );
  const written = unit === undefined ? text : spelled(text);
  return (
    <span className="inline">
      <button
        type="button"
        aria-label={`${label}: ${written || empty || "empty"}`}
        disabled={reader}
        onClick={() => setDraft(text)}
        title={fault?.message}
        className={`num border-b border-dotted text-left text-[12.500px] hover:bg-heron-soft ${fault ? "border-rust text-rust" : "border-ink2"} ${text && !faint ? "" : "text-ink2"}`}
      >
        {written || empty || "…"}
      </button>
      {alert}
    </span>
  );
}

const SORTS: Record<string, string[]> = {
  parts: ["part", "wire", "body"],
  frames: ["frame"],
  materials: ["material", "conductor"],
};

/** What is renamed keeps all that refers to it. */
function rename(document: Model, path: Path, before: string, after: string): Model {
  const [chapter, , field] = path;
  const sorts = SORTS[String(chapter)];
  if (field !== "name" || path.length !== 3 || !sorts || before === "") return document;
  const language = spoken();
  return language.chapters.reduce((made, { key, many }) => {
    const raw = made[key as keyof Model];
    const list = (many ? raw : [raw]) as Step[];
    return list.reduce((d, step, i) => {
      const base: Path = many ? [key, i] : [key];
      return references(kindOf(language, key, step), step, sorts)
        .filter((p) => member(step, p) === before)
        .reduce((m, p) => replaced(m, [...base, ...p], after), d);
    }, made);
  }, document);
}

const TYPING_MS = 120;

/** The value of what is being typed, from the server's own parser; a sound one is examined ahead, so that keeping it redraws at once. */
function useLive(
  draft: string | null,
  unit: string | undefined,
  document: Model | null,
  change: (document: Model, next: string) => Model,
): ExpressionValue | null {
  const [live, setLive] = useState<{ for: string; value: ExpressionValue } | null>(null);
  const id = useId();
  const latest = useRef(change);
  useEffect(() => {
    latest.current = change;
  });
  useEffect(() => {
    if (draft === null || unit === undefined || !document || draft.trim() === "") return;
    let current = true;
    const timer = setTimeout(() => {
      call<ExpressionValue>("POST", "/projects/evaluate", {
        parameters: document.parameters,
        expression: draft,
        like: unit || null,
      })
        .then((value) => {
          if (!current) return;
          setLive({ for: id + draft, value });
          if (!value.error)
            void client.prefetchQuery(
              examine(
                latest.current(document, draft.trim()),
                useBench.getState().projectId,
                filesStamp(client.getQueryData(filesOf(useBench.getState().projectId).queryKey)),
              ),
            );
        })
        .catch(() => undefined);
    }, TYPING_MS);
    return () => {
      current = false;
      clearTimeout(timer);
    };
  }, [draft, unit, document, id]);
  return draft !== null && live?.for === id + draft ? live.value : null;
}

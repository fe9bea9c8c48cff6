import { useQuery } from "@tanstack/react-query";
import { Fragment, useState } from "react";
import { files, materials } from "../../api/queries";
import type { Examination, Path, Step } from "../../api/types";
import { round, rule, standing, useStage } from "../../stage/state";
import { Token } from "./Token";
import { type Word, kindOf, reading, useLanguage } from "./language";
import type { Kind, Pick, Slot } from "../../api/language";
import { changed, member, replaced, useBench } from "./model";

/** A step as its sentence, with values that can be edited in place; what only repeats a default is folded away. */
export function Words({
  step,
  base,
  kind,
  examination,
}: {
  step: Step;
  base: Path;
  kind: Kind;
  examination?: Examination;
}) {
  const [unfolded, setUnfolded] = useState(false);
  const { words, folded } = reading(kind, step, unfolded, examination?.engine);
  const lists = useLists(examination);
  return (
    <>
      <span className="font-semibold">{kind.title}</span>{" "}
      {grouped(words).map((group) => (
        <Fragment key={keyOf(group)}>
          <span className={group.length > 1 ? "whitespace-nowrap" : undefined}>
            {group.map((member) => {
              const w = member.word;
              return (
                <Fragment key={keyOf([member])}>
                  {typeof w === "string" ? (
                    w
                  ) : "pick" in w ? (
                    <PickButton base={base} pick={w.pick} />
                  ) : "list" in w ? (
                    <ListButtons base={base} kind={kind} word={w} />
                  ) : "toggle" in w ? (
                    <Toggle base={base} kind={kind} word={w} />
                  ) : (
                    <Token
                      base={base}
                      own={w.token}
                      unit={like(w.slot)}
                      empty={w.slot.empty}
                      faint={w.faint}
                      defaults={kind.defaults}
                      examination={examination}
                      label={`${kind.title} ${w.token.join(" ")}`}
                      choices={
                        w.slot.type === "choice"
                          ? w.slot.choices
                          : w.slot.of
                            ? lists[w.slot.of]
                            : undefined
                      }
                    />
                  )}
                </Fragment>
              );
            })}
          </span>
          {!tight(words[group[group.length - 1]!.i + 1]) && " "}
        </Fragment>
      ))}
      {(folded || unfolded) && (
        <button
          type="button"
          aria-expanded={unfolded}
          data-folded={unfolded ? undefined : kind.title}
          aria-label={`${unfolded ? "Less" : "More"} of ${kind.title} ${step.name ?? ""}`.trim()}
          onClick={() => setUnfolded(!unfolded)}
          title={unfolded ? "Show only what differs from its default" : "Show the whole sentence"}
          className="rounded px-1 text-[11.500px] text-ink2 hover:bg-heron-soft hover:text-heron"
        >
          {unfolded ? "less" : "…"}
        </button>
      )}
    </>
  );
}

/** What words are told apart by: a value that is being edited stays while words before it come or go. */
function keyOf(group: { word: Word; i: number }[]): string {
  for (const { word } of group)
    if (typeof word === "object")
      return JSON.stringify(word, ["token", "toggle", "list", "pick", "path"]);
  return `${group[0]!.i} words`;
}

/** An expression whose dimension a slot wants; none for names and numbers. */
const like = (slot: Slot): string | undefined =>
  slot.type !== "expression"
    ? undefined
    : slot.unit === "1" || slot.unit === ""
      ? slot.unit
      : `1 ${slot.unit}`;

const tight = (w: Word | undefined): boolean =>
  (typeof w === "string" && /^[,:;)]/.test(w)) ||
  (typeof w === "object" && "toggle" in w && /^[,;]/.test(w.says));

/** What references of each sort may name just now. */
function useLists(examination?: Examination): Record<string, string[]> {
  const document = useBench((s) => s.document)!;
  const projectId = useBench((s) => s.projectId);
  const language = useLanguage();
  const { data: library } = useQuery(materials);
  const { data: uploads } = useQuery(files(projectId));
  const own = document.materials.map((m) => ({
    name: m.name ?? "",
    conductor: language !== undefined && kindOf(language, "materials", m).makes === "conductor",
  }));
  const known = [...(library ?? []).filter((m) => !own.some((o) => o.name === m.name)), ...own];
  const wires = examination?.shapes.map((s) => s.name) ?? [];
  const bodies = [
    ...document.parts.map((p) => p.name ?? ""),
    ...(examination?.bodies.map((b) => b.name) ?? []),
  ].filter((n) => !wires.includes(n));
  return {
    ...language?.references,
    conductor: known.filter((m) => m.conductor).map((m) => m.name),
    material: known.map((m) => m.name),
    wire: examination ? wires : document.parts.map((p) => p.name ?? ""),
    body: [...new Set(bodies)],
    part: ["", ...document.parts.map((p) => p.name ?? "")],
    frame: ["", ...document.frames.map((f) => f.name ?? "")],
    file: uploads?.map((f) => f.name) ?? [],
  };
}

const button =
  "rounded border border-rule px-1.5 text-[11.500px] text-heron hover:border-heron disabled:opacity-50";

/** Words of a sentence that are said or not. */
function Toggle({
  base,
  kind,
  word,
}: {
  base: Path;
  kind: Kind;
  word: Extract<Word, { toggle: Path }>;
}) {
  const edit = useBench((s) => s.edit);
  const reader = useBench((s) => s.role === "reader");
  const says = word.says.replace(/^[,;]\s*/, "");
  return (
    <>
      {says !== word.says && ", "}
      <button
        type="button"
        disabled={reader}
        aria-pressed={word.on}
        title={word.on ? "Take this away" : "Add this"}
        onClick={() =>
          edit((d) =>
            changed(d, base, word.toggle, word.on ? !word.value : word.value, kind.defaults),
          )
        }
        className={`border-b border-dotted border-ink2 hover:bg-heron-soft ${word.on ? "" : "text-ink2 line-through decoration-ink3"}`}
      >
        {says}
      </button>
    </>
  );
}

/** One more member of a list, or one less. */
function ListButtons({
  base,
  kind,
  word,
}: {
  base: Path;
  kind: Kind;
  word: Extract<Word, { list: Path }>;
}) {
  const edit = useBench((s) => s.edit);
  const reader = useBench((s) => s.role === "reader");
  const name = word.list.join(".");
  const path = [...base, ...word.list];
  const change = (to: (list: unknown[]) => unknown[]): void =>
    edit((d) => replaced(d, path, to((member(d, path) as unknown[] | undefined) ?? [])));
  const add = (list: unknown[]): unknown[] => [
    ...list.map((m) =>
      Object.entries(kind.above[name] ?? {}).reduce(
        (made, [field, value]) =>
          member(made, [field]) == null ? replaced(made, [field], value) : made,
        m,
      ),
    ),
    kind.members[name],
  ];
  return (
    <span className="inline-flex gap-1">
      <button type="button" disabled={reader} className={button} onClick={() => change(add)}>
        + {name.replaceAll("_", " ").replace(/ies$/, "y").replace(/s$/, "")}
      </button>
      {word.length > 0 && (
        <button
          type="button"
          disabled={reader}
          aria-label={`Take the last of ${name.replaceAll("_", " ")} away`}
          className={button}
          onClick={() => change((list) => list.slice(0, -1))}
        >
          −
        </button>
      )}
    </span>
  );
}

/** Takes a rule from the next click on the stage. */
function PickButton({ base, pick }: { base: Path; pick: Pick }) {
  const edit = useBench((s) => s.edit);
  const reader = useBench((s) => s.role === "reader");
  const { ask, picking } = useStage();
  const faces = pick.of !== "edge",
    point = pick.of === "point";
  const what = point ? `the ${pick.path.join(" ")}` : faces ? "a face" : "an edge";
  const path = [...base, ...pick.path];
  const start = (): void =>
    ask({
      prompt: `Click ${what} on the stage`,
      edges: !faces,
      points: point,
      apply: (hit) =>
        edit((d) => {
          if (pick.of === "placement")
            return replaced(d, path, { ...(member(d, path) as Step), ...standing(hit) });
          if (point) return replaced(d, path, hit.point.map(round));
          if (!pick.many) return replaced(d, path, rule(hit, faces));
          const picks = (member(d, path) as unknown[] | undefined) ?? [];
          return replaced(d, path, [...picks, rule(hit, faces)]);
        }),
    });
  return (
    <button
      type="button"
      disabled={reader}
      aria-pressed={picking !== null}
      onClick={start}
      className={button}
    >
      pick {what}
    </button>
  );
}

/** Words in groups that stay on one line: an opening bracket with what follows, commas and closing brackets with what went before. */
function grouped(words: Word[]): { word: Word; i: number }[][] {
  const groups: { word: Word; i: number }[][] = [];
  words.forEach((word, i) => {
    const last = groups[groups.length - 1];
    const follows = last !== undefined && (words[i - 1] === "(" || word === ")" || word === ",");
    if (follows) last.push({ word, i });
    else groups.push([{ word, i }]);
  });
  return groups;
}

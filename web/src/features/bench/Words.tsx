import { useQuery } from "@tanstack/react-query";
import { Fragment } from "react";
import { files, materials } from "../../api/queries";
import type { Examination, Path, Step } from "../../api/types";
import { rule, standing, useStage } from "../../stage/state";
import { Token } from "./Token";
import { member, replaced, useBench, useLit } from "./model";
import { SENTENCES, type Word } from "./sentences";

/** A step as its sentence, with values that can be edited in place. */
export function Words({
  step,
  base,
  kind,
  examination,
}: {
  step: Step;
  base: Path;
  kind: string;
  examination?: Examination;
}) {
  const lit = useLit();
  const sentence = SENTENCES[kind]!(step, lit);
  const lists = useLists(examination);
  const tight = (w: Word | undefined): boolean => typeof w === "string" && /^[,:;)]/.test(w);
  return (
    <>
      <span className="font-semibold">{sentence.title}</span>{" "}
      {grouped(sentence.words).map((group, g) => (
        <Fragment key={g}>
          <span className={group.length > 1 ? "whitespace-nowrap" : undefined}>
            {group.map(({ word: w, i }) => (
              <Fragment key={i}>
                {typeof w === "string" ? (
                  w
                ) : "pick" in w ? (
                  <PickButton base={base} word={w} />
                ) : "grow" in w ? (
                  <GrowButton base={base} word={w} />
                ) : (
                  <Token
                    path={[...base, ...w.token]}
                    unit={w.unit}
                    empty={w.empty}
                    examination={examination}
                    label={`${sentence.title} ${w.token.join(" ")}`}
                    choices={typeof w.choices === "string" ? lists[w.choices] : w.choices}
                  />
                )}
              </Fragment>
            ))}
          </span>
          {!tight(sentence.words[group[group.length - 1]!.i + 1]) && " "}
        </Fragment>
      ))}
    </>
  );
}

/** What choices of each sort there are just now. */
function useLists(examination?: Examination): Record<string, string[]> {
  const document = useBench((s) => s.document)!;
  const projectId = useBench((s) => s.projectId);
  const { data: library } = useQuery(materials);
  const { data: uploads } = useQuery(files(projectId));
  const own = document.materials.map((m) => ({
    name: m.name ?? "",
    conductor: (m.kind ?? "conductor") === "conductor",
  }));
  const known = [...(library ?? []).filter((m) => !own.some((o) => o.name === m.name)), ...own];
  const wires = examination?.shapes.map((s) => s.name) ?? [];
  const bodies = [
    ...document.parts.map((p) => p.name ?? ""),
    ...(examination?.bodies.map((b) => b.name) ?? []),
  ].filter((n) => !wires.includes(n));
  return {
    conductors: known.filter((m) => m.conductor).map((m) => m.name),
    materials: known.map((m) => m.name),
    parts: examination ? wires : document.parts.map((p) => p.name ?? ""),
    bodies: [...new Set(bodies)],
    everything: ["", ...document.parts.map((p) => p.name ?? "")],
    frames: ["", ...document.frames.map((f) => f.name ?? "")],
    files: uploads?.map((f) => f.name) ?? [],
  };
}

function GrowButton({ base, word }: { base: Path; word: Extract<Word, { grow: Path }> }) {
  const edit = useBench((s) => s.edit);
  const reader = useBench((s) => s.role === "reader");
  const path = [...base, ...word.grow];
  const change = (): void =>
    edit((d) => replaced(d, path, word.to((member(d, path) as Step[] | undefined) ?? [], d)));
  return (
    <button
      type="button"
      disabled={reader}
      onClick={change}
      className="rounded border border-rule px-1.5 text-[11.500px] text-heron hover:border-heron"
    >
      {word.says}
    </button>
  );
}

/** Takes a rule from the next click on the stage. */
function PickButton({ base, word }: { base: Path; word: Extract<Word, { pick: Path }> }) {
  const edit = useBench((s) => s.edit);
  const reader = useBench((s) => s.role === "reader");
  const { ask, picking } = useStage();
  const what = word.faces ? "a face" : "an edge";
  const path = [...base, ...word.pick];
  const start = (): void =>
    ask({
      prompt: `Click ${what} on the stage`,
      edges: !word.faces,
      apply: (hit) =>
        edit((d) => {
          if (word.frame)
            return replaced(d, path, { ...(member(d, path) as Step), ...standing(hit) });
          if (!word.many) return replaced(d, path, rule(hit, word.faces));
          const picks = (member(d, path) as unknown[] | undefined) ?? [];
          return replaced(d, path, [...picks, rule(hit, word.faces)]);
        }),
    });
  return (
    <button
      type="button"
      disabled={reader}
      aria-pressed={picking !== null}
      onClick={start}
      className="rounded border border-rule px-1.5 text-[11.500px] text-heron hover:border-heron"
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

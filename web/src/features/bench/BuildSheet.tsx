import * as Menu from "@radix-ui/react-dropdown-menu";
import { Fragment, useState } from "react";
import type { Examination, Model, Path, Step } from "../../api/types";
import { quantity } from "../../format";
import { Mark, type State } from "../../ui/Mark";
import { Token } from "./Token";
import { replaced, useBench } from "./model";
import { FRESH, SENTENCES, type Word } from "./sentences";

const LIBRARY = ["perfect", "copper", "silver", "gold", "aluminium", "brass", "stainless steel"];
type ListChapter = "frames" | "parts" | "materials" | "feeds" | "loads" | "captures";
const CHAPTERS: { key: keyof Model & string; title: string; kind?: string }[] = [
  { key: "parameters", title: "Parameters" },
  { key: "frames", title: "Frames", kind: "frame" },
  { key: "parts", title: "Parts" },
  { key: "materials", title: "Materials", kind: "conductor" },
  { key: "feeds", title: "Feeds" },
  { key: "loads", title: "Loads" },
  { key: "surround", title: "Surround", kind: "surround" },
  { key: "captures", title: "Captures" },
  { key: "plan", title: "Plan", kind: "plan" },
];
const QUIET_WHEN_EMPTY = new Set(["frames", "materials", "loads"]);

/** The model as a page of numbered sentences. */
export function BuildSheet({ examination }: { examination?: Examination }) {
  const document = useBench((s) => s.document)!;
  const shown = CHAPTERS.filter((c) => !QUIET_WHEN_EMPTY.has(c.key) || (document[c.key] as unknown[]).length > 0);
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className="flex-1 overflow-y-auto py-3 pr-4" aria-label="Build sheet">
        {shown.map((chapter, i) => (
          <section key={chapter.key} className="mb-3.5">
            <h2 className="flex items-baseline">
              <span className="num w-11 pr-2.5 text-right text-[12px] text-ink2">{i + 1}</span>
              <span className="text-[11.500px] font-semibold uppercase tracking-[0.09em] text-ink2">{chapter.title}</span>
              <span className="ml-2 self-center"><Mark state={stateOf(chapter.key, examination)} /></span>
            </h2>
            {chapter.key === "parameters" ? <Parameters examination={examination} /> : <Steps chapter={chapter} number={i + 1} examination={examination} />}
          </section>
        ))}
      </div>
      <AddStep />
    </div>
  );
}

function stateOf(chapter: string, examination?: Examination): State {
  const own = examination?.problems.filter((p) => p.path[0] === chapter) ?? [];
  return own.some((p) => p.level === "error") ? "stop" : own.length ? "look" : "good";
}

function Parameters({ examination }: { examination?: Examination }) {
  const { document, edit, role } = useBench();
  return (
    <ul>
      {document!.parameters.map((p, i) => {
        const value = examination?.values[p.name];
        return (
          <li key={i} className="group relative flex items-baseline gap-2 pl-11 leading-[1.55]" title={p.comment}>
            <span className="w-28 shrink-0 truncate"><Token path={["parameters", i, "name"]} label="parameter name" examination={examination} /></span>
            <span className="min-w-0 flex-1"><Token path={["parameters", i, "expression"]} unit="" label={p.name} examination={examination} /></span>
            {value && !/^[\d.\s]*[A-Za-zµΩ/]*$/.test(p.expression) && <span className="num shrink-0 text-[12px] text-ink2" data-value-of={p.name}>{quantity(value.value, value.unit)}</span>}
            {role !== "reader" && <Remove label={`Remove parameter ${p.name}`} onClick={() => edit((d) => replaced(d, ["parameters", i], undefined))} />}
          </li>
        );
      })}
    </ul>
  );
}

function Remove({ label, onClick }: { label: string; onClick: () => void }) {
  return <button aria-label={label} title={label} onClick={onClick} className="absolute left-1 top-0 px-1 text-ink3 opacity-0 hover:text-rust focus-visible:opacity-100 group-hover:opacity-100">×</button>;
}

function Steps({ chapter, number, examination }: { chapter: (typeof CHAPTERS)[number]; number: number; examination?: Examination }) {
  const { document, edit, hover, setHover, role } = useBench();
  const raw = document![chapter.key];
  const listed = Array.isArray(raw);
  const steps = (listed ? raw : [raw]) as Step[];
  if (steps.length === 0) return <p className="pl-11 text-ink2">None yet.</p>;
  return (
    <ol>
      {steps.map((step, i) => {
        const base: Path = listed ? [chapter.key, i] : [chapter.key];
        const key = `${chapter.key}.${i}`;
        const notes = examination?.problems.filter((p) => p.path[0] === chapter.key && (!listed || p.path[1] === i) && p.path.length <= base.length) ?? [];
        const joined = chapter.key === "parts" ? joints(examination, step.name) : [];
        return (
          <li
            key={i} data-step={key} onMouseEnter={() => setHover(key)} onMouseLeave={() => setHover(null)}
            className={`group relative border-l-[3px] pl-2 pr-1 leading-[1.7] ${hover === key ? "border-heron bg-heron-soft" : "border-transparent"} ${step.suspended ? "opacity-50" : ""}`}
          >
            <span className="num absolute left-0 w-8 pt-px text-right text-[11.500px] text-ink2 group-hover:text-ink3">{number}.{i + 1}</span>
            <div className="pl-[33px]">
              <Words step={step} base={base} kind={chapter.kind ?? step.kind} examination={examination} />
              {joined.length > 0 && <span className="num ml-1.5 text-[11.500px] text-ink2">joined to {joined.join(", ")}</span>}
              {notes.map((n, k) => (
                <p key={k} className="text-[12px] leading-snug text-rust">
                  {n.message}.{" "}
                  {n.repair.length > 0 && role !== "reader" && <button className="font-medium underline" onClick={() => edit((d) => n.repair.reduce((m, r) => replaced(m, r.path, r.value), d))}>{n.repair_label}</button>}
                </p>
              ))}
            </div>
            {listed && role !== "reader" && <StepMenu chapter={chapter.key as ListChapter} index={i} step={step} count={steps.length} />}
          </li>
        );
      })}
    </ol>
  );
}

function joints(examination: Examination | undefined, name: string | undefined): string[] {
  const with_ = examination?.joints.filter((j) => name !== undefined && j.parts.includes(name)).flatMap((j) => j.parts) ?? [];
  return [...new Set(with_)].filter((n) => n !== name);
}

function Words({ step, base, kind, examination }: { step: Step; base: Path; kind: string; examination?: Examination }) {
  const document = useBench((s) => s.document)!;
  const sentence = SENTENCES[kind]!(step);
  const lists: Record<string, string[]> = {
    conductors: [...LIBRARY, ...document.materials.map((m) => m.name ?? "")],
    parts: examination?.shapes.map((s) => s.name) ?? document.parts.map((p) => p.name ?? ""),
    frames: ["", ...document.frames.map((f) => f.name ?? "")],
  };
  const tight = (w: Word | undefined): boolean => typeof w === "string" && /^[,:)]/.test(w);
  return (
    <>
      <span className="font-semibold">{sentence.title}</span>{" "}
      {grouped(sentence.words).map((group, g) => (
        <Fragment key={g}>
          <span className={group.length > 1 ? "whitespace-nowrap" : undefined}>
            {group.map(({ word: w, i }) => (
              <Fragment key={i}>
                {typeof w === "string" ? w : <Token path={[...base, ...w.token]} unit={w.unit} empty={w.empty} examination={examination} label={`${sentence.title} ${w.token.join(" ")}`} choices={typeof w.choices === "string" ? lists[w.choices] : w.choices} />}
              </Fragment>
            ))}
          </span>
          {!tight(sentence.words[group[group.length - 1]!.i + 1]) && " "}
        </Fragment>
      ))}
    </>
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

function StepMenu({ chapter, index, step, count }: { chapter: ListChapter; index: number; step: Step; count: number }) {
  const edit = useBench((s) => s.edit);
  const move = (by: number): void => edit((d) => {
    const list = [...d[chapter]];
    const [taken] = list.splice(index, 1);
    list.splice(index + by, 0, taken!);
    return { ...d, [chapter]: list };
  });
  const item = "cursor-pointer rounded px-2 py-1 outline-none data-[disabled]:opacity-40 data-[highlighted]:bg-heron-soft";
  return (
    <Menu.Root>
      <Menu.Trigger aria-label={`More for step ${index + 1} of ${chapter}`} className="absolute right-0 top-0 rounded px-1 text-ink2 opacity-0 hover:bg-paper focus-visible:opacity-100 group-hover:opacity-100">⋯</Menu.Trigger>
      <Menu.Portal>
        <Menu.Content align="end" className="z-20 min-w-36 rounded-md border border-rule bg-card p-1 shadow-lg">
          <Menu.Item className={item} disabled={index === 0} onSelect={() => move(-1)}>Move up</Menu.Item>
          <Menu.Item className={item} disabled={index === count - 1} onSelect={() => move(1)}>Move down</Menu.Item>
          {chapter === "parts" && <Menu.Item className={item} onSelect={() => edit((d) => replaced(d, ["parts", index, "suspended"], !step.suspended))}>{step.suspended ? "Use again" : "Suspend"}</Menu.Item>}
          <Menu.Item className={item} onSelect={() => edit((d) => replaced(d, [chapter, index], undefined))}>Remove</Menu.Item>
        </Menu.Content>
      </Menu.Portal>
    </Menu.Root>
  );
}

/** A new step with a name and a port number of its own. */
export function addStep(kind: string): void {
  const { chapter, step } = FRESH[kind]!;
  useBench.getState().edit((d) => {
    const list = d[chapter as ListChapter];
    const fresh: Record<string, unknown> = { ...step };
    if (chapter === "frames" || chapter === "materials") delete fresh.kind;
    if (typeof step.name === "string") {
      const taken = new Set(list.map((s) => s.name));
      let name = step.name;
      for (let k = 2; taken.has(name); k++) name = `${step.name} ${k}`;
      fresh.name = name;
    }
    if ("number" in step) fresh.number = Math.max(0, ...d.feeds.map((f) => Number(f.number))) + 1;
    const first = d.parts.find((p) => p.kind !== "copy")?.name ?? "";
    if ("part" in step) fresh.part = first;
    if ("source" in step) fresh.source = first;
    return { ...d, [chapter]: [...list, fresh] };
  });
}

export function addParameter(): void {
  useBench.getState().edit((d) => {
    let k = d.parameters.length + 1;
    while (d.parameters.some((p) => p.name === `p${k}`)) k++;
    return { ...d, parameters: [...d.parameters, { name: `p${k}`, expression: "10 mm", unit: "", comment: "" }] };
  });
}

function AddStep() {
  const role = useBench((s) => s.role);
  const [open, setOpen] = useState(false);
  if (role === "reader") return <p className="border-t border-rule px-11 py-2.5 text-ink2">You are a reader of this project.</p>;
  const item = "cursor-pointer rounded px-2 py-1 outline-none data-[highlighted]:bg-heron-soft";
  return (
    <div className="border-t border-rule px-9 py-2">
      <Menu.Root open={open} onOpenChange={setOpen}>
        <Menu.Trigger className="rounded px-2 py-1 font-medium text-heron hover:bg-heron-soft"><span className="mr-2 text-rust">+</span>Add a step</Menu.Trigger>
        <Menu.Portal>
          <Menu.Content align="start" className="z-20 min-w-52 rounded-md border border-rule bg-card p-1 shadow-lg">
            <Menu.Item className={item} onSelect={addParameter}>Parameter</Menu.Item>
            {Object.entries(FRESH).map(([kind, { label }]) => <Menu.Item key={kind} className={item} onSelect={() => addStep(kind)}>{label}</Menu.Item>)}
          </Menu.Content>
        </Menu.Portal>
      </Menu.Root>
    </div>
  );
}

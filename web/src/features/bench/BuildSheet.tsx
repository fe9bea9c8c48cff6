import * as Menu from "@radix-ui/react-dropdown-menu";
import { useState } from "react";
import type { Examination, Model, Path, Step } from "../../api/types";
import { number, quantity } from "../../format";
import { useStage } from "../../stage/state";
import { Mark, type State } from "../../ui/Mark";
import { AddStep } from "./AddStep";
import { MaterialsInUse } from "./MaterialCard";
import { ModeCard } from "./ModeCard";
import { PulseCard } from "./PulseCard";
import { Token } from "./Token";
import { Words } from "./Words";
import { useFolds } from "./folds";
import { WIDGETS } from "./widgets";
import { kindOf, reading, useLanguage } from "./language";
import type { Chapter } from "../../api/language";
import { changeSelected, select, useSelected, useSelection } from "./selection";
import { Find, found, useFind } from "./Find";
import { moved, replaced, useBench, useIlluminated, type ListChapter } from "./model";
import { sentenceOf, sentencesOf } from "./steps";
import { useRegister } from "../../app/commands";

/** The model as a page of numbered sentences. */
export function BuildSheet({ examination }: { examination?: Examination }) {
  const document = useBench((s) => s.document)!;
  const isIlluminated = useIlluminated();
  const chapters = useLanguage()?.chapters ?? [];
  const { folded, fold } = useFolds();
  const shown = chapters.filter(
    (c) =>
      !(c.quiet || (c.key === "feeds" && isIlluminated)) ||
      (document[c.key as keyof Model] as unknown[]).length > 0,
  );
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <Find />
      <div className="flex-1 overflow-y-auto py-3 pr-4" aria-label="Build sheet">
        {shown.map((chapter, i) => (
          <section key={chapter.key} data-help={`sheet#${chapter.key}`} className="mb-3.5">
            <h2>
              <button
                type="button"
                aria-expanded={!folded.includes(chapter.key)}
                title={folded.includes(chapter.key) ? "Unfold this chapter" : "Fold this chapter"}
                onClick={() => fold(chapter.key)}
                className="group/head flex w-full items-baseline text-left"
              >
                <span className="num w-11 pr-2.5 text-right text-[12px] text-ink2">{i + 1}</span>
                <span className="text-[11.500px] font-semibold uppercase tracking-[0.09em] text-ink2">
                  {chapter.title}
                </span>
                <span className="ml-2 self-center">
                  <Mark state={stateOf(chapter.key, examination)} />
                </span>
                <span
                  aria-hidden
                  className={`ml-2 text-[11.500px] text-ink2 ${folded.includes(chapter.key) ? "" : "opacity-0 group-hover/head:opacity-100"}`}
                >
                  {folded.includes(chapter.key)
                    ? `▸ ${chapter.many ? (document[chapter.key as keyof Model] as unknown[]).length : ""}`
                    : "▾"}
                </span>
              </button>
            </h2>
            {!folded.includes(chapter.key) && (
              <>
                {chapter.key === "materials" && <MaterialsInUse examination={examination} />}
                {chapter.key === "parameters" ? (
                  <Parameters examination={examination} />
                ) : (
                  <Steps chapter={chapter} number={i + 1} examination={examination} />
                )}
                {chapter.key === "plans" && examination?.grid && (
                  <PulseCard grid={examination.grid} band={examination.band} />
                )}
              </>
            )}
          </section>
        ))}
      </div>
      <SelectedSteps />
      <AddStep />
    </div>
  );
}

/** What can be done with all selected steps at once. */
function SelectedSteps() {
  const chosen = useSelected();
  const { set } = useSelection();
  const reader = useBench((s) => s.role === "reader");
  const parts = chosen.filter((c) => c.chapter === "parts");
  const resting = parts.every((c) => c.step.suspended);
  const group = (): void => {
    const name = window.prompt("Group of these steps (empty for none)", "");
    if (name !== null) changeSelected((s) => ({ ...s, group: name.trim() }));
  };
  useRegister("selected steps", [
    {
      id: "remove-selected",
      label: "Remove the selected steps",
      group: "Edit",
      shortcut: "Delete",
      enabled: chosen.length > 0 && !reader,
      perform: () => changeSelected(() => null),
    },
    {
      id: "select-none",
      label: "Select no step",
      group: "Edit",
      enabled: chosen.length > 0,
      perform: () => set([]),
    },
  ]);
  if (chosen.length === 0) return null;
  const button = "rounded px-1.5 py-0.5 font-medium text-heron hover:bg-heron-soft";
  return (
    <div
      role="toolbar"
      aria-label="Selected steps"
      className="flex items-center gap-1 border-t border-rule px-3 py-1 text-[12px]"
    >
      <span className="mr-auto whitespace-nowrap">
        {chosen.length} {chosen.length === 1 ? "step" : "steps"} selected
      </span>
      <button
        className={button}
        onClick={() =>
          void sentencesOf(chosen).then((text) => navigator.clipboard?.writeText(text))
        }
      >
        Copy
      </button>
      {!reader && parts.length === chosen.length && (
        <>
          <button
            className={button}
            onClick={() => changeSelected((s) => ({ ...s, suspended: !resting }))}
          >
            {resting ? "Use again" : "Suspend"}
          </button>
          <button className={button} onClick={group}>
            Group…
          </button>
        </>
      )}
      {!reader && (
        <button className={button} onClick={() => changeSelected(() => null)}>
          Remove
        </button>
      )}
      <button aria-label="Select no step" className={button} onClick={() => set([])}>
        ×
      </button>
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
          <li
            key={i}
            data-step={`parameters.${i}`}
            className="group relative flex items-start gap-2 pl-11 leading-[1.55]"
            title={p.comment}
          >
            <span className="w-28 shrink-0 truncate">
              <Token
                base={["parameters", i]}
                own={["name"]}
                label="parameter name"
                examination={examination}
              />
            </span>
            <span className="min-w-0 flex-1">
              <Token
                base={["parameters", i]}
                own={["expression"]}
                unit=""
                label={p.name}
                examination={examination}
              />
            </span>
            {value && PLAIN.test(p.expression) && value.low !== null && value.high !== null && (
              <Slide name={p.name} at={i} value={value} unit={p.unit} />
            )}
            {value && !/^[\d.\s]*[A-Za-zµΩ/]*$/.test(p.expression) && (
              <span className="num shrink-0 text-[12px] text-ink2" data-value-of={p.name}>
                {quantity(value.value, value.unit)}
              </span>
            )}
            {role !== "reader" && (
              <Remove
                label={`Remove parameter ${p.name}`}
                onClick={() => edit((d) => replaced(d, ["parameters", i], undefined))}
              />
            )}
          </li>
        );
      })}
    </ul>
  );
}

const PLAIN = /^\s*-?[\d.]+(e[+-]?\d+)?\s*[A-Za-zµΩ°]*\s*$/;
const STEPS = 200; // of a slider from end to end

/** A slider between the limits of a parameter: the stage follows, and it is saved when it is let go. */
function Slide({
  name,
  at,
  value,
  unit,
}: {
  name: string;
  at: number;
  value: Examination["values"][string];
  unit: string;
}) {
  const { edit, preview, role } = useBench();
  const [low, high, now] = [value.low!, value.high!, value.value].map((v) => v / value.shown) as [
    number,
    number,
    number,
  ];
  const [draft, setDraft] = useState<number | null>(null);
  if (!(high > low)) return null;
  const digits = Math.max(0, Math.ceil(-Math.log10((high - low) / STEPS))),
    step = 10 ** -digits;
  if (draft !== null && Math.abs(draft - now) < step / 4) setDraft(null);
  return (
    <input
      type="range"
      aria-label={`${name} between its limits`}
      title={`${number(low)} to ${number(high)} ${unit}`}
      className="h-3 w-20 shrink-0 self-center accent-heron"
      disabled={role === "reader"}
      min={low}
      max={high}
      step={step}
      value={draft ?? now}
      onChange={(e) => {
        setDraft(Number(e.target.value));
        const said = `${Number(e.target.value).toFixed(digits)} ${unit}`.trim();
        preview((d) => replaced(d, ["parameters", at, "expression"], said));
      }}
      onPointerUp={() => edit((d) => d)}
      onKeyUp={() => edit((d) => d)}
    />
  );
}

function Remove({ label, onClick }: { label: string; onClick: () => void }) {
  return (
    <button
      aria-label={label}
      title={label}
      onClick={onClick}
      className="absolute left-1 top-0 px-1 text-ink3 opacity-0 hover:text-rust focus-visible:opacity-100 group-hover:opacity-100"
    >
      ×
    </button>
  );
}

function Steps({
  chapter,
  number,
  examination,
}: {
  chapter: Chapter;
  number: number;
  examination?: Examination;
}) {
  const { document, edit, hover, setHover, role } = useBench();
  const { steps: marked } = useSelection();
  const sought = useFind((s) => s.text);
  const [dragged, setDragged] = useState<number | null>(null);
  const [over, setOver] = useState<number | null>(null);
  const drop = (from: number, to: number): void => {
    setDragged(null);
    setOver(null);
    if (from !== to) edit((d) => moved(d, chapter.key as ListChapter, from, to));
  };
  const language = useLanguage()!;
  const raw = document![chapter.key as keyof Model];
  const listed = chapter.many;
  const steps = (listed ? raw : [raw]) as Step[];
  if (steps.length === 0)
    return chapter.key === "materials" ? null : <p className="pl-11 text-ink2">None yet.</p>;
  return (
    <ol>
      {steps.map((step, i) => {
        const base: Path = listed ? [chapter.key, i] : [chapter.key];
        const key = `${chapter.key}.${i}`;
        // What no token of the sentence shows under itself.
        const kind = kindOf(language, chapter.key, step),
          { beside: Beside, under: Under } = WIDGETS[kind.widget] ?? {};
        const tokens = new Set(
          reading(kind, step, false, examination?.engine).words.flatMap((w) =>
            typeof w === "object" && "token" in w ? [[...base, ...w.token].join()] : [],
          ),
        );
        const notes =
          examination?.problems.filter(
            (p) =>
              p.path[0] === chapter.key &&
              (!listed || p.path[1] === i) &&
              !(p.level === "error" && tokens.has(p.path.join())),
          ) ?? [];
        const joined = chapter.key === "parts" ? joints(examination, step.name) : [];
        const room =
          chapter.key === "parts"
            ? (examination?.displaced ?? [])
                .filter(([weak]) => weak === step.name)
                .map(([, strong]) => strong)
            : [];
        const group = step.group && step.group !== steps[i - 1]?.group ? String(step.group) : "";
        return (
          <li
            key={i}
            data-step={key}
            onMouseEnter={() => setHover(key)}
            onMouseLeave={() => setHover(null)}
            onDragOver={(e) => {
              if (dragged !== null) {
                e.preventDefault();
                setOver(i);
              }
            }}
            onDrop={() => {
              if (dragged !== null) drop(dragged, i);
            }}
            className={`group relative border-l-[3px] pl-2 pr-1 leading-[1.7] ${dragged !== null && over === i ? (dragged > i ? "shadow-[0_-2px_0_var(--color-heron)]" : "shadow-[0_2px_0_var(--color-heron)]") : ""} ${hover === key || marked.includes(step) ? "border-heron bg-heron-soft" : "border-transparent"} ${sought && found(kind, step, sought) ? "outline outline-amber" : ""} ${step.suspended ? "opacity-50" : ""}`}
          >
            {group && <GroupHead group={group} steps={steps} />}
            <span
              draggable={listed && role !== "reader"}
              title={
                listed && role !== "reader" ? "Click to select, drag to another place" : undefined
              }
              onDragStart={(e) => {
                e.dataTransfer.effectAllowed = "move";
                setDragged(i);
              }}
              onDragEnd={() => {
                setDragged(null);
                setOver(null);
              }}
              className={`num absolute left-0 w-8 pt-px text-right text-[11.500px] text-ink2 group-hover:text-ink3 ${listed && role !== "reader" ? "cursor-grab" : ""}`}
            >
              {listed ? (
                <button
                  type="button"
                  aria-label={`Select step ${number}.${i + 1}`}
                  aria-pressed={marked.includes(step)}
                  className="w-full text-right"
                  onClick={(e) =>
                    select(steps, i, { more: e.ctrlKey || e.metaKey, through: e.shiftKey })
                  }
                >
                  {number}.{i + 1}
                </button>
              ) : (
                `${number}.${i + 1}`
              )}
            </span>
            <div className="pl-[33px] pr-6">
              {Beside && <Beside step={step} base={base} kind={kind} />}
              <Words step={step} base={base} kind={kind} examination={examination} />
              {examination?.grid?.openings.some((o) => o.feed === i) && chapter.key === "feeds" && (
                <span className="ml-1.5">
                  <ModeCard number={i} step={step} examination={examination} />
                </span>
              )}
              {joined.length > 0 && <Joined to={joined} />}
              {room.length > 0 && (
                <span className="num ml-1.5 text-[11.500px] text-ink2">
                  makes room for {room.join(", ")}
                </span>
              )}
              {typeof step.comment === "string" && step.comment !== "" && (
                <p className="text-[12px] italic leading-snug text-ink2">{step.comment}</p>
              )}
              {Under && <Under step={step} base={base} kind={kind} />}
              {notes.map((n, k) => (
                <p key={k} className="text-[12px] leading-snug text-rust">
                  {n.message}.{" "}
                  {n.repair.length > 0 && role !== "reader" && (
                    <button
                      className="font-medium underline"
                      onClick={() =>
                        edit((d) => n.repair.reduce((m, r) => replaced(m, r.path, r.value), d))
                      }
                    >
                      {n.repair_label}
                    </button>
                  )}
                </p>
              ))}
            </div>
            {listed && role !== "reader" && (
              <StepMenu
                chapter={chapter.key as ListChapter}
                index={i}
                step={step}
                count={steps.length}
              />
            )}
          </li>
        );
      })}
    </ol>
  );
}

/** A quiet mark of what a part is joined to; its words on demand. */
function Joined({ to }: { to: string[] }) {
  const [said, say] = useState(false);
  const words = `joined to ${to.join(", ")}`;
  return (
    <button
      type="button"
      title={words}
      aria-label={words}
      aria-expanded={said}
      onClick={() => say(!said)}
      className="num ml-1 rounded px-1 text-left text-[11.500px] text-ink2 hover:bg-heron-soft hover:text-ink"
    >
      {said ? words : `⋈ ${to.length}`}
    </button>
  );
}

function joints(examination: Examination | undefined, name: string | undefined): string[] {
  if (!examination || name === undefined) return [];
  const wires = (examination.mesh?.joints ?? [])
    .filter((j) => j.parts.includes(name))
    .flatMap((j) => j.parts);
  const bodies = examination.contacts
    .filter((c) => c.joined && (c.first === name || c.second === name))
    .flatMap((c) => [c.first, c.second]);
  return [...new Set([...wires, ...bodies])].filter((n) => n !== name);
}

/** The name of a group of parts, and what can be done with all of them. */
function GroupHead({ group, steps }: { group: string; steps: Step[] }) {
  const { edit, role } = useBench();
  const stage = useStage();
  const own = steps.filter((s) => s.group === group);
  const names = own.map((s) => s.name ?? "");
  const resting = own.every((s) => s.suspended),
    unseen = names.every((n) => stage.hidden.includes(n));
  const suspend = (): void =>
    edit((d) => ({
      ...d,
      parts: d.parts.map((p) => (p.group === group ? { ...p, suspended: !resting } : p)),
    }));
  const hide = (): void =>
    names
      .filter((n) => stage.hidden.includes(n) === unseen)
      .forEach((n) => stage.toggle("hidden", n));
  return (
    <p className="flex items-baseline gap-3 pl-[33px] pt-1 text-[11.500px] text-ink2">
      <span className="font-semibold">{group}</span>
      {role !== "reader" && (
        <button className="underline decoration-dotted hover:text-ink" onClick={suspend}>
          {resting ? "use again" : "suspend"}
        </button>
      )}
      <button className="underline decoration-dotted hover:text-ink" onClick={hide}>
        {unseen ? "show" : "hide"}
      </button>
    </p>
  );
}

function StepMenu({
  chapter,
  index,
  step,
  count,
}: {
  chapter: ListChapter;
  index: number;
  step: Step;
  count: number;
}) {
  const edit = useBench((s) => s.edit);
  const annotate = (): void => {
    const said = window.prompt("Comment on this step (empty for none)", String(step.comment ?? ""));
    if (said !== null)
      edit((d) => replaced(d, [chapter, index, "comment"], said.trim().slice(0, 200)));
  };
  const move = (by: number): void => edit((d) => moved(d, chapter, index, index + by));
  const item =
    "cursor-pointer rounded px-2 py-1 outline-none data-[disabled]:opacity-40 data-[highlighted]:bg-heron-soft";
  return (
    <Menu.Root>
      <Menu.Trigger
        aria-label={`More for step ${index + 1} of ${chapter}`}
        className="absolute right-0 top-0 rounded px-1 text-ink2 opacity-0 hover:bg-paper focus-visible:opacity-100 group-hover:opacity-100"
      >
        ⋯
      </Menu.Trigger>
      <Menu.Portal>
        <Menu.Content
          align="end"
          className="z-20 min-w-36 rounded-md border border-rule bg-card p-1 shadow-lg"
        >
          <Menu.Item className={item} disabled={index === 0} onSelect={() => move(-1)}>
            Move up
          </Menu.Item>
          <Menu.Item className={item} disabled={index === count - 1} onSelect={() => move(1)}>
            Move down
          </Menu.Item>
          <Menu.Item className={item} onSelect={() => setTimeout(annotate)}>
            Comment…
          </Menu.Item>
          {chapter === "parts" && <PartItems index={index} step={step} item={item} />}
          <Menu.Item
            className={item}
            onSelect={() =>
              void sentenceOf(chapter, index).then((text) => navigator.clipboard?.writeText(text))
            }
          >
            Copy as text
          </Menu.Item>
          <Menu.Item
            className={item}
            onSelect={() => edit((d) => replaced(d, [chapter, index], undefined))}
          >
            Remove
          </Menu.Item>
        </Menu.Content>
      </Menu.Portal>
    </Menu.Root>
  );
}

/** What only parts have: suspending, groups, how the stage shows them. */
function PartItems({ index, step, item }: { index: number; step: Step; item: string }) {
  const edit = useBench((s) => s.edit);
  const stage = useStage();
  const name = step.name ?? "";
  const regroup = (): void => {
    const group = window.prompt("Group of this step (empty for none)", String(step.group ?? ""));
    if (group !== null) edit((d) => replaced(d, ["parts", index, "group"], group.trim()));
  };
  return (
    <>
      <Menu.Item
        className={item}
        onSelect={() => edit((d) => replaced(d, ["parts", index, "suspended"], !step.suspended))}
      >
        {step.suspended ? "Use again" : "Suspend"}
      </Menu.Item>
      <Menu.Item className={item} onSelect={() => setTimeout(regroup)}>
        Group…
      </Menu.Item>
      <Menu.Separator className="my-1 h-px bg-rule" />
      <Menu.Item className={item} onSelect={() => stage.toggle("hidden", name)}>
        {stage.hidden.includes(name) ? "Show" : "Hide"} on the stage
      </Menu.Item>
      <Menu.Item className={item} onSelect={() => stage.toggle("faint", name)}>
        {stage.faint.includes(name) ? "Solid again" : "Faint"}
      </Menu.Item>
      <Menu.Item className={item} onSelect={() => stage.isolate(stage.solo === name ? null : name)}>
        {stage.solo === name ? "Show all" : "Alone on the stage"}
      </Menu.Item>
      <Menu.Separator className="my-1 h-px bg-rule" />
    </>
  );
}

import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import type { Language } from "../../api/language";
import { outline, project, run as runDetail } from "../../api/queries";
import type { CardEntry, Model, RunLine, Step } from "../../api/types";
import { useAt } from "../../app/cursor";
import { number, quantity } from "../../format";
import { inWords, kindOf, useLanguage } from "../bench/language";
import { size } from "./values";
import { Button } from "../../ui/Button";
import { Mark, type State } from "../../ui/Mark";
import { Sketch } from "../shelf/Sketch";
import { DeskContext } from "./context";
import { useCards, useReadoutDesk } from "./desk";
import { CardGrid } from "./CardGrid";
import { CursorKeeper } from "./CursorBar";
import { keepCards, usePage } from "./page";

const PARAMETERS_SHOWN = 40;

/** The readout as a document: model, parameters, plan, trust, spec lines and every card, for the browser's printing. */
export function Report() {
  const { projectId } = useParams({ from: "/projects/$projectId/report" });
  const id = Number(projectId);
  const { data: p } = useQuery(project(id));
  const { desk, pending, grid, lowest, usable } = useReadoutDesk(id, "reader");
  const cursor = useAt();
  const first = desk.shown[0];
  const { data: run } = useQuery({
    ...runDetail(id, first?.line.number ?? 0),
    enabled: first !== undefined,
  });
  const document = run?.document as unknown as Model | undefined;
  const { data: drawn } = useQuery({
    ...outline(id, first?.line.revision ?? 0),
    enabled: first !== undefined,
  });
  const language = useLanguage();
  const all = useCards(first);
  const cards = all.filter((c) => c.kind !== "trust"); // it has a section of its own
  const keep = (next: CardEntry[]): void =>
    keepCards([...next, ...all.filter((c) => c.kind === "trust")]);
  const { content } = usePage();
  const trust = (run?.trust ?? []) as {
    name: string;
    value: string;
    mark: State;
    advice: string;
  }[];
  const { settings, ...common } = (document?.plans.find((p) => p.name === run?.plan) ??
    document?.plans[0] ??
    {}) as Record<string, unknown>;
  const own = (settings as Record<string, object> | undefined)?.[run?.engine ?? ""] ?? {};
  const plan = Object.entries({ ...common, ...own }).filter(
    ([, v]) => v !== null && v !== "" && !(Array.isArray(v) && v.length === 0),
  );
  const markers = content.markers.length;
  return (
    <div className="h-full overflow-y-auto print:h-auto print:overflow-visible">
      <div className="sticky top-0 z-10 flex items-center gap-3 border-b border-rule bg-card px-6 py-2 print:hidden">
        <Link to="/projects/$projectId/readout" params={{ projectId }} className="text-heron">
          ‹ Readout
        </Link>
        <span className="text-ink2">Print it, or save it as PDF, with your browser.</span>
        <Button look="main" className="ml-auto" onClick={() => window.print()}>
          Print
        </Button>
      </div>
      <article className="mx-auto max-w-[1060px] p-6 print:p-0">
        {!first && (
          <p className="text-ink2">
            {pending ? "Fetching the runs…" : "There is no finished run to report."}
          </p>
        )}
        {first && (
          <>
            <header className="flex gap-6 border-b border-rule pb-4">
              <div className="min-w-0 flex-1">
                <h1 className="text-[22px] font-semibold">{p?.name}</h1>
                <p className="text-ink2">{document?.notes}</p>
                <p className="num mt-2 text-[12px]">
                  {desk.shown.map((s) => `run ${s.line.number}`).join(", ")} · revision{" "}
                  {first.line.revision} · {run?.engine} ·{" "}
                  {run?.finished ? run.finished.slice(0, 16).replace("T", " ") : ""}
                </p>
                {desk.shown
                  .filter((s) => s.line.note)
                  .map((s) => (
                    <p key={s.line.number} className="mt-1">
                      Run {s.line.number}: {s.line.note}
                    </p>
                  ))}
              </div>
              <div
                role="img"
                aria-label="Model figure"
                className="h-36 w-56 rounded border border-rule"
              >
                {drawn && <Sketch outline={drawn} />}
              </div>
            </header>
            <div className="mt-4 grid grid-cols-3 gap-6">
              <section>
                <h2 className="mb-1 font-semibold">Parameters</h2>
                <table className="num w-full text-[11.500px]">
                  <tbody>
                    {Object.entries(first.line.values)
                      .slice(0, PARAMETERS_SHOWN)
                      .map(([n, v]) => (
                        <tr key={n} className="border-b border-faint">
                          <td>{n}</td>
                          <td className="text-right">{quantity(v.value, v.unit, 5)}</td>
                        </tr>
                      ))}
                  </tbody>
                </table>
              </section>
              <section>
                <h2 className="mb-1 font-semibold">Plan</h2>
                <table className="num w-full text-[11.500px]">
                  <tbody>
                    {plan.map(([n, v]) => (
                      <tr key={n} className="border-b border-faint">
                        <td className="pr-2 font-sans">{n.replace(/_/g, " ")}</td>
                        <td className="break-all text-right">
                          {Array.isArray(v)
                            ? v.join(", ")
                            : first.line.values[String(v)]
                              ? quantity(
                                  first.line.values[String(v)]!.value,
                                  first.line.values[String(v)]!.unit,
                                  5,
                                )
                              : String(v)}
                        </td>
                      </tr>
                    ))}
                    <tr>
                      <td className="font-sans">size</td>
                      <td className="text-right">
                        {size(run)}, {number(run?.wall_s ?? 0, 2)} s
                      </td>
                    </tr>
                  </tbody>
                </table>
              </section>
              <section>
                <h2 className="mb-1 font-semibold">Trust: {run?.grade}</h2>
                <ul className="text-[12px]">
                  {trust.map((t) => (
                    <li
                      key={t.name}
                      className="flex items-center gap-2 border-b border-faint py-0.5"
                    >
                      <Mark state={t.mark} />
                      <span>{t.name}</span>
                      <span className="num ml-auto text-right">{t.value.replace("-", "−")}</span>
                    </li>
                  ))}
                </ul>
                {content.specs.length > 0 && (
                  <>
                    <h2 className="mb-1 mt-3 font-semibold">Spec lines</h2>
                    <ul className="num text-[11.500px]">
                      {content.specs.map((s) => {
                        const state = desk.specs.find((k) => k.text === s.text);
                        return (
                          <li key={s.id} className="border-b border-faint py-0.5">
                            {s.text}:{" "}
                            {desk.shown
                              .map((r) => {
                                const v = state?.verdicts[String(r.line.number)];
                                return `${desk.shown.length > 1 ? `run ${r.line.number} ` : ""}${v?.passed === true ? "met" : v?.passed === false ? `missed (${number(v.worst!, 4)} ${state?.spec?.unit ?? ""})` : "not evaluated"}`;
                              })
                              .join(", ")}
                          </li>
                        );
                      })}
                    </ul>
                  </>
                )}
              </section>
            </div>
            {document && language && (
              <section className="mt-4">
                <h2 className="mb-1 font-semibold">Model</h2>
                <ul className="text-[12px] leading-snug">
                  {sentences(language, document, run?.engine ?? "", first.line.values).map(
                    ({ key, text, comment }) => (
                      <li key={key} className="border-b border-faint py-0.5">
                        {text}
                        {comment && <span className="italic text-ink2"> {comment}</span>}
                      </li>
                    ),
                  )}
                </ul>
              </section>
            )}
            <h2 className="mb-2 mt-6 border-t border-rule pt-4 font-semibold">
              Cards at {quantity(cursor, "Hz", 5)}
              {markers > 0 && `, ${markers} marker${markers > 1 ? "s" : ""}`}
            </h2>
            <CursorKeeper projectId={id} grid={grid} lowest={lowest} usable={usable} />
            <DeskContext value={desk}>
              <CardGrid cards={cards} onChange={keep} />
            </DeskContext>
          </>
        )}
      </article>
    </div>
  );
}

/** Every step of a model but its parameters, in words. */
function sentences(
  language: Language,
  document: Model,
  engine: string,
  values: RunLine["values"],
): { key: string; text: string; comment: string }[] {
  return language.chapters
    .filter((c) => c.key !== "parameters")
    .flatMap(({ key: chapter, many }) => {
      const own = document[chapter as keyof Model];
      const steps = (many ? own : [own]) as Step[];
      return steps
        .filter((step) => !step.suspended)
        .map((step, i) => ({
          key: `${chapter}.${i}`,
          text: inWords(kindOf(language, chapter, step), step, engine, values),
          comment: typeof step.comment === "string" ? step.comment : "",
        }));
    });
}

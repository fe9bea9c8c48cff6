/** Cards of trust, of one's own formulas, and of words. */
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { call } from "../../../api/client";
import { client, run as runDetail, runs } from "../../../api/queries";
import { max } from "d3-array";
import { number, scaled, seconds } from "../../../format";
import { size } from "../values";
import { Button } from "../../../ui/Button";
import { Card, Choice, Nothing } from "../Card";
import { CurveCard } from "../CurveCard";
import { type CardProps, useDesk, useSetting } from "../context";
import { useCurves } from "../curves";
import { type Item, Items, SecondEngine } from "./second";

export function Trust() {
  const { projectId, shown } = useDesk();
  const { data } = useQuery(runDetail(projectId, shown[0]!.line.number));
  const items = (data?.trust ?? []) as unknown as Item[];
  const made =
    items.find((i) => i.mark === "stop") ?? items.find((i) => i.mark === "look") ?? items[0];
  return (
    <Card
      title="Trust card"
      note={`run ${shown[0]!.line.number}`}
      badges={
        data
          ? [
              {
                text: `grade ${data.grade}`,
                good: data.grade === "A",
                hint: made && `Made by: ${made.name.toLowerCase()} ${made.value}`,
              },
            ]
          : []
      }
    >
      <div className="h-full overflow-y-auto">
        {made && (
          <p className="text-[11.500px] text-ink2">
            Grade {data?.grade} for:{" "}
            {made.name.startsWith("|")
              ? made.name
              : made.name[0]!.toLowerCase() + made.name.slice(1)}
            . Errors by {shown[0]!.sweep.errors.basis}.
          </p>
        )}
        {data?.advice && (
          <Finer
            projectId={projectId}
            number={shown[0]!.line.number}
            advice={data.advice as unknown as Advice}
          />
        )}
        <SecondEngine number={shown[0]!.line.number} />
        <Items items={items} />
        <p className="num mt-2 text-[11.500px] text-ink2">
          {size(data)} · {data?.solves} {data?.solves === 1 ? "solve" : "solves"} ·{" "}
          {number(data?.wall_s ?? 0, 2)} s
        </p>
        {data && (
          <p className="mt-1 text-[11.500px] leading-snug text-ink2">
            {data.reason}. {data.warnings.join(" ")}
          </p>
        )}
      </div>
    </Card>
  );
}

interface Advice {
  words: string;
  seconds: number;
}

/** What brings the errors within those of grade A, what it takes, and the run that does it. */
function Finer({
  projectId,
  number: run,
  advice,
}: {
  projectId: number;
  number: number;
  advice: Advice;
}) {
  const { writable } = useDesk();
  const solve = useMutation({
    mutationFn: () => call("POST", `/projects/${projectId}/runs/${run}/finer`),
    onSuccess: () => client.invalidateQueries({ queryKey: runs(projectId).queryKey }),
  });
  return (
    <div className="mt-1 flex items-center gap-3 rounded-md bg-paper px-2 py-1.5">
      <p className="text-[12px] text-ink2">
        To grade A: {advice.words}, {seconds(advice.seconds)}.
      </p>
      {writable && (
        <Button
          className="ml-auto shrink-0"
          disabled={solve.isPending || solve.isSuccess}
          title="Changes the plan of the model and solves it"
          onClick={() => solve.mutate()}
        >
          Solve to 1 %
        </Button>
      )}
      {solve.isSuccess && (
        <span role="status" className="text-[12px]">
          queued
        </span>
      )}
      {solve.isError && (
        <span role="alert" className="text-[12px] text-rust">
          {solve.error.message}
        </span>
      )}
    </div>
  );
}

const PREFIXED = ["Hz", "m", "s", "S"]; // units that a formula's largest value chooses a prefix for

/** A formula of named quantities, as one types it. */
export function FormulaCard(props: CardProps) {
  const { projectId, shown, writable } = useDesk();
  const [formula, setFormula] = useSetting<string>(props, "formula", "db20(s11)");
  const [part, setPart] = useSetting<"abs" | "re" | "im">(props, "part", "abs");
  const [title, setTitle] = useSetting<string>(props, "title", "");
  const { answers } = useCurves(projectId, [`run ${shown[0]!.line.number}`], [formula]);
  const own = answers[0]?.[0],
    complex = own?.im != null;
  const plain = own?.unit ?? "",
    unit = PREFIXED.includes(plain)
      ? scaled(max(own?.re ?? [], (v) => Math.abs(v ?? 0)) || 1, plain).unit
      : plain;
  const fitted = unit === plain ? formula : `(${formula})/1 ${unit}`;
  const field = (
    <Typed key={formula} formula={formula} readOnly={!writable} onChange={setFormula} />
  );
  const note = (
    <>
      {field}
      {complex && (
        <>
          {" "}
          ·{" "}
          <Choice
            label="Part"
            value={part}
            options={[
              ["abs", "magnitude"],
              ["re", "real"],
              ["im", "imaginary"],
            ]}
            onChange={setPart}
          />
        </>
      )}
    </>
  );
  const rename: [string, () => void][] = [
    [
      "Name this card…",
      () => {
        const name = prompt("Name of the card", title || "Formula");
        if (name !== null) setTitle(name.trim().slice(0, 40));
      },
    ],
  ];
  if (own?.error) {
    return (
      <Card title={title || "Formula"} note={field} extra={rename}>
        <p role="alert" className="pt-2 text-rust">
          {own.error}.
        </p>
        <Nothing>
          Names: f, s11, z1, vswr1, gain, realized_gain, directivity, radiation_efficiency,
          total_efficiency, radiated, mismatch, and the model’s parameters. Functions: db10, db20,
          abs, re, im, arg, unwrap, delay, gain(θ, φ), min, max, mean and the model’s own.
        </Nothing>
      </Card>
    );
  }
  return (
    <CurveCard
      props={props}
      title={title || "Formula"}
      note={note}
      lines={[{ formula: fitted, name: "", part: complex ? part : undefined }]}
      y={{ unit }}
      extra={rename}
      badges={(value) =>
        value(0) === null
          ? []
          : [{ text: `${number(value(0)!, 4)}${unit && ` ${unit}`} at the cursor` }]
      }
    />
  );
}

function Typed({
  formula,
  readOnly,
  onChange,
}: {
  formula: string;
  readOnly: boolean;
  onChange: (f: string) => void;
}) {
  const [typed, type] = useState(formula);
  const keep = (): void => {
    if (typed.trim() && typed.trim() !== formula) onChange(typed.trim());
  };
  return (
    <input
      aria-label="Formula"
      className="num w-64 border-b border-rule bg-transparent"
      value={typed}
      readOnly={readOnly}
      maxLength={1000}
      spellCheck={false}
      onChange={(e) => type(e.target.value)}
      onBlur={keep}
      onKeyDown={(e) => {
        if (e.key === "Enter") keep();
        if (e.key === "Escape") type(formula);
      }}
    />
  );
}

/** Words beside the plots; they go into the report. */
export function Note(props: CardProps) {
  const { writable } = useDesk();
  const [text, setText] = useSetting<string>(props, "text", "");
  return (
    <Card title="Note">
      <textarea
        key={text}
        aria-label="Note"
        className="h-full w-full resize-none bg-transparent leading-relaxed outline-none print:hidden"
        placeholder={writable ? "What was found, what to try next." : ""}
        maxLength={4000}
        defaultValue={text}
        readOnly={!writable}
        onBlur={(e) => e.target.value !== text && setText(e.target.value)}
      />
      <p className="hidden whitespace-pre-wrap print:block">{text}</p>
    </Card>
  );
}

/** Curves of all variants of a study, coloured along a parameter. */
import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { studyCurves } from "../../../api/queries";
import { type Curve, LinePlot } from "../../../plots/LinePlot";
import { magnitude } from "../../../plots/scale";
import { Smith } from "../../../plots/Smith";
import { Card, Choice, Nothing, Value } from "../../readout/Card";
import { type CardProps, useSetting } from "../../readout/context";
import { scaled } from "../../../format";
import { keyOf, useStudyCursor } from "../cursor";
import {
  firstForm,
  firstFormula,
  type Form,
  type Unwrapped,
  named,
  shaped,
  shareOf,
  varied,
} from "../family";
import { Scale } from "../Scale";
import { levels, predicted } from "../surrogate";
import { useDials, useRested, useStudy } from "../useStudy";

const FORMS: [Form, string][] = [
  ["dB", "dB"],
  ["magnitude", "magnitude"],
  ["phase", "phase"],
  ["real", "real part"],
  ["imaginary", "imaginary part"],
];
const UNWRAPS: [Unwrapped, string][] = [
  ["no", "within ±180°"],
  ["frequency", "unwrapped along frequency"],
  ["parameter", "unwrapped along the parameter"],
];
const UNITS: Partial<Record<Form, string>> = { dB: "dB", phase: "°" };

/** A formula of every variant against frequency; complex ones in a form, with phases that go on and a reference plane that is moved. */
export function StudyCurves(props: CardProps) {
  const own = useStudy(props);
  const { study, solved } = own;
  const [formula, setFormula] = useSetting<string>(
    props,
    "formula",
    firstFormula(study?.outcomes ?? []),
  );
  const [form, setForm] = useSetting<Form>(props, "form", firstForm(study?.outcomes ?? []));
  const [unwrap, setUnwrap] = useSetting<Unwrapped>(props, "unwrap", "no");
  const [plane, setPlane] = useSetting<number>(props, "plane", 0);
  const [along, setAlong] = useSetting<string>(props, "along", "");
  const { data } = useQuery(studyCurves(own.projectId, own.number, formula, own.count));
  const looked = useStudyCursor((c) => c.place[keyOf(own.projectId, own.number)]);
  const dials = useDials(own);
  const turned = useRested(dials.values);
  const places = (data?.header.places ?? []) as number[];
  const complex = data?.arrays.im !== undefined;
  const options = study ? varied(study) : [];
  const by = study
    ? Math.max(
        0,
        study.variables.findIndex((v) => v.name === along) >= 0
          ? study.variables.findIndex((v) => v.name === along)
          : (options[0] ?? 0),
      )
    : 0;
  const variants = useMemo(
    () =>
      solved
        .filter((v) => places.includes(v.place))
        .sort((a, b) => a.point[by]! - b.point[by]! || a.place - b.place),
    [solved, data, by], // eslint-disable-line react-hooks/exhaustive-deps -- places are the data's
  );
  const curves = useMemo((): Curve[] => {
    const x = data?.arrays.x?.data,
      re = data?.arrays.re?.data,
      im = data?.arrays.im?.data ?? null;
    if (!x || !re || !study) return [];
    const n = x.length;
    const rows = variants.map((v) => places.indexOf(v.place));
    const pick = (a: ArrayLike<number> | null): Float64Array | null =>
      a &&
      Float64Array.from(
        { length: rows.length * n },
        (_, k) => a[rows[Math.floor(k / n)]! * n + (k % n)]!,
      );
    const y = im
      ? shaped(x, pick(re)!, pick(im), rows.length, form, unwrap, plane / 1000)
      : rows.map((r) => Array.from({ length: n }, (_, i) => re[r * n + i]!));
    const share = shareOf(variants, by);
    return variants.map((v, r) => ({
      x,
      y: y[r]!.map((u) => (Number.isFinite(u) ? u : null)),
      color: v.place === looked ? "var(--rust)" : magnitude(share(v)),
      dash: "",
      width: v.place === looked ? 2.6 : variants.length > 40 ? 0.8 : 1.5,
    }));
  }, [data, variants, form, unwrap, plane, by, looked, study]); // eslint-disable-line react-hooks/exhaustive-deps -- places are the data's
  const dialled = useMemo((): Curve[] => {
    if (formula !== "s11" || form !== "dB" || !dials.packet) return [];
    const p = predicted(dials.packet, "s11", turned);
    if (!p) return [];
    const l = levels(p);
    return [{ x: p.x, y: l.y, color: "var(--moss)", dash: "7 3", width: 2.2, spread: l }];
  }, [formula, form, dials.packet, turned]);
  const drawn = useMemo(() => [...curves, ...dialled], [curves, dialled]);
  const top = data?.arrays.x?.data.at(-1) ?? 0;
  const axis = scaled(top, "Hz");
  const unit = complex
    ? (UNITS[form] ?? String(data?.header.unit ?? ""))
    : String(data?.header.unit ?? "");
  const values = variants.map((v) => v.point[by]!);
  const fault = String(data?.header.error ?? "");
  return (
    <Card
      title="Curves of variants"
      note={
        <>
          {own.choice} <Typed value={formula} label="Formula" onKeep={setFormula} />{" "}
          {complex && <Choice label="Form" value={form} options={FORMS} onChange={setForm} />}{" "}
          {complex && form === "phase" && (
            <>
              <Choice label="Unwrap" value={unwrap} options={UNWRAPS} onChange={setUnwrap} />{" "}
              <Value label="plane" value={plane} unit="mm" onChange={setPlane} />
            </>
          )}{" "}
          {study && options.length > 1 && (
            <Choice
              label="Colour along"
              value={study.variables[by]!.name}
              options={options.map(
                (k) => [study.variables[k]!.name, study.variables[k]!.name] as const,
              )}
              onChange={setAlong}
            />
          )}
        </>
      }
      table={() => ({
        columns: ["frequency_hz", ...variants.map((v) => named(study!, v))],
        rows: Array.from(data?.arrays.x?.data ?? [], (f, i) => [
          f,
          ...curves.map((c) => c.y[i] ?? null),
        ]),
      })}
    >
      {fault ? (
        <p role="alert" className="text-rust">
          {fault}
        </p>
      ) : curves.length === 0 || !study ? (
        <Nothing>{own.none}</Nothing>
      ) : (
        <div className="flex h-full">
          <div className="min-w-0 flex-1">
            <LinePlot curves={drawn} x={axis} y={{ unit }} follow />
          </div>
          <Scale
            variable={study.variables[by]!}
            low={Math.min(...values)}
            high={Math.max(...values)}
          />
        </div>
      )}
    </Card>
  );
}

/** A formula that is kept when the field is left. */
export function Typed({
  value,
  label,
  onKeep,
}: {
  value: string;
  label: string;
  onKeep: (v: string) => void;
}) {
  const [draft, setDraft] = useState<string | null>(null);
  const keep = (): void => {
    if (draft?.trim() && draft.trim() !== value) onKeep(draft.trim());
    setDraft(null);
  };
  return (
    <input
      aria-label={label}
      className="num min-w-10 max-w-64 border-b border-rule bg-transparent [field-sizing:content]"
      value={draft ?? value}
      maxLength={1000}
      spellCheck={false}
      onChange={(e) => setDraft(e.target.value)}
      onBlur={keep}
      onKeyDown={(e) => {
        if (e.key === "Enter") keep();
        if (e.key === "Escape") setDraft(null);
      }}
    />
  );
}

/** Reflection of every variant on the Smith chart. */
export function StudySmith(props: CardProps) {
  const own = useStudy(props);
  const { study, solved } = own;
  const { data } = useQuery(studyCurves(own.projectId, own.number, "s11", own.count));
  const looked = useStudyCursor((c) => c.place[keyOf(own.projectId, own.number)]);
  const places = (data?.header.places ?? []) as number[];
  const by = study ? (varied(study)[0] ?? 0) : 0;
  const variants = solved.filter((v) => places.includes(v.place));
  const x = data?.arrays.x?.data,
    re = data?.arrays.re?.data,
    im = data?.arrays.im?.data;
  const values = variants.map((v) => v.point[by]!);
  const traces = useMemo(() => {
    if (!x || !re || !im) return [];
    const share = shareOf(variants, by);
    return variants.map((v) => {
      const r = places.indexOf(v.place) * x.length;
      return {
        re: re.subarray(r, r + x.length),
        im: im.subarray(r, r + x.length),
        color: v.place === looked ? "var(--rust)" : magnitude(share(v)),
        dash: "",
      };
    });
  }, [data, own.count, by, looked]); // eslint-disable-line react-hooks/exhaustive-deps -- the rest follows from these
  return (
    <Card title="Smith loci of variants" note={own.choice}>
      {traces.length === 0 || !study ? (
        <Nothing>{own.none}</Nothing>
      ) : (
        <div className="flex h-full">
          <div className="min-w-0 flex-1">
            <Smith traces={traces} />
          </div>
          <Scale
            variable={study.variables[by]!}
            low={Math.min(...values)}
            high={Math.max(...values)}
          />
        </div>
      )}
    </Card>
  );
}

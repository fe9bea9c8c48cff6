/** Characteristic modes of metal over the band. */
import { number } from "../../../format";
import { series } from "../../../plots/scale";
import { Choice } from "../Card";
import { CurveCard, type Line } from "../CurveCard";
import { type CardProps, useDesk, useSetting } from "../context";

type Form = "significance" | "angle" | "eigenvalue" | "share";
const FORMS: Record<
  Form,
  { words: string; formula: (n: number) => string; unit: string; domain?: [number, number] }
> = {
  significance: {
    words: "modal significance",
    formula: (n) => `modal_significance${n}`,
    unit: "",
    domain: [0, 1.05],
  },
  angle: {
    words: "characteristic angle",
    formula: (n) => `deg(characteristic_angle${n})`,
    unit: "°",
    domain: [90, 270],
  },
  eigenvalue: { words: "eigenvalue", formula: (n) => `eigenvalue${n}`, unit: "", domain: [-5, 5] },
  share: {
    words: "share of the power",
    formula: (n) => `100*mode_share${n}`,
    unit: "%",
    domain: [0, 105],
  },
};

/** One quantity of every mode; the mode that has most of it is named at the cursor. */
export function Modes(props: CardProps) {
  const { shown } = useDesk();
  const [form, setForm] = useSetting<Form>(props, "form", "significance");
  const count = shown[0]!.sweep.modes;
  const own = FORMS[form],
    error = shown[0]!.sweep.mode_angle_error_deg ?? null;
  const lines: Line[] = Array.from({ length: count }, (_, k) => ({
    formula: own.formula(k + 1),
    name: `mode ${k + 1}`,
    color: shown.length > 1 ? undefined : series(k).color,
  }));
  return (
    <CurveCard
      props={props}
      title="Characteristic modes"
      note={
        <Choice
          label="Quantity of modes"
          value={form}
          options={(Object.keys(FORMS) as Form[]).map((f) => [f, FORMS[f].words] as const)}
          onChange={setForm}
        />
      }
      lines={lines}
      y={{ unit: own.unit, domain: own.domain }}
      badges={(value) => {
        if (form === "angle" || form === "eigenvalue")
          return error === null ? [] : [{ text: `angles within ± ${number(error, 2)}°` }];
        const found = lines.map((_, k) => value(k) ?? -1),
          most = found.indexOf(Math.max(...found));
        return found[most]! < 0
          ? []
          : [
              {
                text:
                  form === "share"
                    ? `mode ${most + 1} radiates ${number(found[most]!, 2)} %`
                    : `mode ${most + 1} is nearest to resonance: ${number(found[most]!, 2)}`,
              },
            ];
      }}
    />
  );
}

/** What a study found: the best variant, a yield, derivatives, a ratio. One entry of `FOUND` for each kind that finds something. */
import type { ReactNode } from "react";
import { compact, fixed, number, quantity } from "../../../format";
import { LinePlot } from "../../../plots/LinePlot";
import { uncertain } from "../../readout/values";
import { type Badge, Card, Nothing } from "../../readout/Card";
import type { CardProps } from "../../readout/context";
import type { StudyDetail } from "../../../api/types";
import { written } from "../family";
import { useStudy } from "../useStudy";

interface Finding {
  badges: (s: StudyDetail) => Badge[];
  Body: (p: { study: StudyDetail }) => ReactNode;
}
type Best = {
  variant: number;
  values: Record<string, number>;
  met?: boolean;
  lacks?: number;
  margins?: Record<string, number>;
};
type Figure = {
  unit: string;
  mean: number;
  deviation: number | null;
  least: number;
  most: number;
  shares?: Record<string, { first: number; total: number }>;
  surrogate?: { explained: number; error: number };
};
type Derivative = { derivative: number; error: number; per_cent: number; per_cent_error: number };

const percent = (v: number, digits = 3): string => `${number(100 * v, digits)} %`;

function Bar({ share, tone = "var(--heron)" }: { share: number; tone?: string }) {
  return (
    <span className="inline-block h-2.5 w-full rounded-sm bg-faint">
      <span
        className="block h-full rounded-sm"
        style={{ width: `${Math.max(0, Math.min(1, share)) * 100}%`, background: tone }}
      />
    </span>
  );
}

function BestValues({ study }: { study: StudyDetail }) {
  const best = study.found.best as Best | undefined;
  if (!best) return null;
  return (
    <ul className="num">
      {study.variables.map((v) => (
        <li key={v.name} className="flex justify-between border-b border-faint py-0.5">
          <span>{v.name}</span>
          <span>{written(v, best.values[v.name] ?? NaN, 6)}</span>
        </li>
      ))}
      {Object.entries(best.margins ?? {}).map(([text, margin]) => (
        <li key={text} className="flex justify-between gap-3 border-b border-faint py-0.5">
          <span className="truncate" title={text}>
            {text}
          </span>
          <span className={margin < 0 ? "text-rust" : "text-moss"}>
            {margin < 0 ? "−" : "+"}
            {number(Math.abs(margin), 3)}
          </span>
        </li>
      ))}
    </ul>
  );
}

const tune: Finding = {
  badges: (s) => {
    const best = s.found.best as Best | undefined;
    return best
      ? [
          {
            text: best.met
              ? `all goals met by variant ${best.variant + 1}`
              : `nearest to the goals: variant ${best.variant + 1}`,
            good: best.met,
            hint: "The weighed sum of what is lacking, dB or tenths of a limit, is 0 when all goals are met",
          },
        ]
      : [];
  },
  Body: ({ study }) => {
    const lacks = (study.found.lacks ?? []) as (number | null)[];
    let least = Infinity;
    const best = lacks.map((v) => (least = Math.min(least, v ?? Infinity)));
    return (
      <div className="flex h-full flex-col">
        <BestValues study={study} />
        <div className="min-h-0 flex-1">
          <LinePlot
            labels
            curves={[
              {
                x: lacks.map((_, i) => i + 1),
                y: lacks,
                color: "var(--steel)",
                dash: "",
                dots: "only",
                label: "lacking",
              },
              {
                x: lacks.map((_, i) => i + 1),
                y: best,
                color: "var(--heron)",
                dash: "",
                label: "least so far",
              },
            ]}
            x={{ unit: "", factor: 1, label: "variant" }}
            y={{ unit: "dB" }}
          />
        </div>
      </div>
    );
  },
};

const tolerance: Finding = {
  badges: (s) => {
    const own = s.found.yield as
      | { value: number; low: number; high: number; confidence: number }
      | undefined;
    return own
      ? [
          {
            text: `yield ${percent(own.value)}`,
            good: own.value > 0.95,
            hint: "The share of variants that keep all spec lines",
          },
          {
            text: `${percent(own.low)} to ${percent(own.high)} at ${percent(own.confidence, 2)} confidence`,
          },
        ]
      : [];
  },
  Body: ({ study }) => {
    const outcomes = (study.found.outcomes ?? {}) as Record<string, Figure>;
    const worst = study.found.worst as { variant: number; margin: number } | undefined;
    const predicted = study.found.predicted as
      | { count: number; error?: Record<string, number>; reason?: string }
      | undefined;
    return (
      <div className="h-full overflow-y-auto">
        {predicted && (
          <p className="text-[12px] text-ink2">
            {predicted.reason
              ? `The others are not predicted: ${predicted.reason}.`
              : `${predicted.count} samples are predicted by the solved ones` +
                (predicted.error?.[""] === undefined
                  ? "."
                  : `, their margins within ±${number(predicted.error[""], 2)}.`)}
          </p>
        )}
        {worst && (
          <p className="text-[12px] text-ink2">
            {predicted?.count ? "Worst of the solved" : "Worst"}: variant {worst.variant + 1}, its
            least margin {number(worst.margin, 3)}.
          </p>
        )}
        {Object.entries(outcomes).map(([text, f]) => (
          <section key={text} className="mt-1.5">
            <h3 className="truncate text-[12px] font-medium" title={text}>
              {text}
            </h3>
            <p className="num text-[12px]">
              {quantity(f.mean, f.unit, 5)}
              {f.deviation !== null && ` ± ${quantity(f.deviation, f.unit, 2)}`}{" "}
              <span className="text-ink2">
                (mean and standard deviation; {quantity(f.least, f.unit, 5)} to{" "}
                {quantity(f.most, f.unit, 5)})
              </span>
            </p>
            {f.shares && (
              <ul className="num mt-0.5 text-[11.500px]">
                {Object.entries(f.shares)
                  .sort((a, b) => b[1].total - a[1].total)
                  .map(([name, share]) => (
                    <li key={name} className="grid grid-cols-[80px_1fr_92px] items-center gap-2">
                      <span className="truncate">{name}</span>
                      <Bar share={share.total} />
                      <span
                        className="text-right text-ink2"
                        title="Share of the variance with all others, and alone (Sobol indices)"
                      >
                        {percent(share.total, 2)}, {percent(share.first, 2)}
                      </span>
                    </li>
                  ))}
              </ul>
            )}
            {f.surrogate && (
              <p className="num text-[11px] text-ink2">
                Shares by a polynomial that explains {percent(f.surrogate.explained, 3)} of the
                variance.
              </p>
            )}
          </section>
        ))}
      </div>
    );
  },
};

const sensitivity: Finding = {
  badges: () => [],
  Body: ({ study }) => {
    const all = (study.found.sensitivities ?? {}) as Record<
      string,
      { unit: string; value: number; by: Record<string, Derivative> }
    >;
    return (
      <div className="h-full overflow-y-auto">
        {Object.entries(all).map(([text, own]) => {
          const most = Math.max(...Object.values(own.by).map((d) => Math.abs(d.per_cent)), 1e-300);
          return (
            <section key={text} className="mb-2">
              <h3 className="text-[12px] font-medium">
                {text}{" "}
                <span className="num font-normal text-ink2">
                  {quantity(own.value, own.unit, 5)}
                </span>
              </h3>
              <p className="text-[11px] text-ink2">
                what 1 % of each parameter does, ± error of the differences; that of grid or mesh is
                not known
              </p>
              <ul className="num text-[11.500px]">
                {Object.entries(own.by).map(([name, d]) => (
                  <li
                    key={name}
                    className="grid grid-cols-[80px_1fr_132px] items-center gap-2 py-0.5"
                    data-by={name}
                  >
                    <span className="truncate">{name}</span>
                    <Bar
                      share={Math.abs(d.per_cent) / most}
                      tone={d.per_cent < 0 ? "var(--rust)" : "var(--heron)"}
                    />
                    <span className="text-right">
                      {step(d.per_cent, d.per_cent_error, own.unit)}
                    </span>
                  </li>
                ))}
              </ul>
            </section>
          );
        })}
      </div>
    );
  },
};

/** A change with its error, in the unit that suits it: "−8.58 ± 0.02 MHz". */
function step(value: number, error: number, unit: string): string {
  const [, prefixed = ""] = quantity(Math.max(Math.abs(value), error), unit, 3).split(" ");
  const factor =
    unit && prefixed
      ? Math.max(Math.abs(value), error) /
        Math.abs(
          Number(
            quantity(Math.max(Math.abs(value), error), unit, 12)
              .split(" ")[0]!
              .replace("−", "-"),
          ),
        )
      : 1;
  return `${value > 0 ? "+" : ""}${uncertain(value / factor, error / factor, 4)} ${prefixed}`.trim();
}

const rescale: Finding = {
  badges: (s) =>
    typeof s.found.ratio === "number"
      ? [
          { text: `× ${number(s.found.ratio, 6)}` },
          {
            text: `${fixed(100 * (s.found.off as number), 3)} % off after one step`,
            good: Math.abs(s.found.off as number) < 0.003,
          },
        ]
      : [],
  Body: ({ study }) => (
    <div>
      {typeof study.found.before === "number" && (
        <p className="num mb-1 text-[12px]">
          {quantity(study.found.before, "Hz", 6)} → {quantity(study.found.after as number, "Hz", 6)}{" "}
          <span className="text-ink2">
            (wished {quantity(study.found.wished as number, "Hz", 6)})
          </span>
        </p>
      )}
      <BestValues study={study} />
    </div>
  ),
};

const FOUND: Record<string, Finding> = { tune, tolerance, sensitivity, rescale };

/** What the study found, in the way of its kind. */
export function StudyFound(props: CardProps) {
  const own = useStudy(props);
  const { study } = own;
  const kind = study && FOUND[study.kind];
  const empty = !study || Object.keys(study.found).length === 0;
  return (
    <Card
      title="What was found"
      note={own.choice}
      badges={study && kind && !empty ? kind.badges(study) : []}
    >
      {!study ? (
        <Nothing>{own.none}</Nothing>
      ) : !kind ? (
        <Nothing>
          {compact(own.count)} variants are solved. A sweep looks for nothing; read its curves and
          numbers.
        </Nothing>
      ) : empty ? (
        <Nothing>{study.reason ? `${study.reason}.` : "Nothing yet."}</Nothing>
      ) : (
        <kind.Body study={study} />
      )}
    </Card>
  );
}

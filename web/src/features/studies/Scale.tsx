import type { StudyVariable } from "../../api/types";
import { RAMP_CSS } from "../../plots/scale";
import { written } from "./family";

/** What the colours of a family of curves stand for. */
export function Scale({
  variable,
  low,
  high,
}: {
  variable: StudyVariable;
  low: number;
  high: number;
}) {
  return (
    <div className="num flex w-[58px] shrink-0 flex-col pb-8 pt-7 text-[10.500px] text-ink2">
      <span className="truncate font-medium text-ink" title={variable.name}>
        {variable.name}
      </span>
      <span>{written(variable, high, 3)}</span>
      <span className="my-1 w-2.5 flex-1 rounded-sm" style={{ background: RAMP_CSS }} />
      <span>{written(variable, low, 3)}</span>
    </div>
  );
}

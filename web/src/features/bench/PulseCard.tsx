import * as Popover from "@radix-ui/react-popover";
import type { Grid } from "../../api/types";
import { number, quantity, scaled } from "../../format";
import { LinePlot } from "../../plots/LinePlot";
import { series } from "../../plots/scale";
import { CLEAR_OF_SOLVE } from "./popovers";

const FLOOR_DB = -60;

/** What a run on a grid will send into the model, in time and over frequency, before it is solved. */
export function PulseCard({ grid, band }: { grid: Grid; band: [number, number] | null }) {
  const longest = Math.max(...grid.pulses.map((p) => p.time_s.at(-1)!)),
    top = Math.max(...grid.pulses.map((p) => p.frequency_hz.at(-1)!));
  const several = grid.pulses.length > 1;
  const at = ({ frequency_hz: f, level_db: level }: Grid["pulses"][number], x: number): number =>
    level[f.reduce((best, v, i) => (Math.abs(v - x) < Math.abs(f[best]! - x) ? i : best), 0)]!;
  const line = (
    p: Grid["pulses"][number],
    n: number,
  ): ReturnType<typeof series> & { label?: string } => ({
    ...series(n),
    label: several ? p.names.join(", ") : undefined,
  });
  return (
    <p className="pl-11">
      <Popover.Root>
        <Popover.Trigger className="text-[12.500px] text-heron hover:underline">
          {several ? `${grid.pulses.length} pulses: up to` : "Pulse:"} {quantity(longest, "s", 3)}{" "}
          long
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content
            side="right"
            align="end"
            sideOffset={12}
            collisionPadding={CLEAR_OF_SOLVE}
            className="z-20 w-[26rem] rounded-lg border border-rule bg-card p-4 shadow-xl"
          >
            <h2 className="font-semibold">{several ? "Pulses" : "Pulse"}</h2>
            <p className="mb-2 text-[12px] text-ink2">
              {grid.box
                ? "The wave of each illumination in turn. Results are divided by its spectrum, so they read as a steady wave of 1 V/m."
                : "The incident wave of each port in turn. Results are divided by its spectrum, so they read as a steady wave of 1 √W."}
            </p>
            <div className="h-36">
              <LinePlot
                curves={grid.pulses.map((p, n) => ({ x: p.time_s, y: p.value, ...line(p, n) }))}
                x={{ ...scaled(longest, "s"), label: "time" }}
                y={{ unit: grid.box ? "V/m" : "√W", domain: [-1.1, 1.1] }}
              />
            </div>
            <div className="h-36">
              <LinePlot
                curves={grid.pulses.map((p, n) => ({
                  x: p.frequency_hz,
                  y: p.level_db.map((v) => (v < FLOOR_DB ? null : v)),
                  ...line(p, several ? n : 1),
                }))}
                x={scaled(top / 2, "Hz")}
                y={{ unit: "dB", label: "spectrum", domain: [FLOOR_DB, 4] }}
                bands={band ? [band] : []}
              />
            </div>
            {band &&
              grid.pulses.map((p) => (
                <p key={p.names.join()} className="num mt-1 text-[12px] text-ink2">
                  {several && `${p.names.join(", ")}: `}
                  {number(at(p, band[0]), 2)} dB at {quantity(band[0], "Hz", 3)},{" "}
                  {number(at(p, band[1]), 2)} dB at {quantity(band[1], "Hz", 3)}: the ends of the
                  band, shaded.
                </p>
              ))}
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </p>
  );
}

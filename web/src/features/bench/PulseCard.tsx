import * as Popover from "@radix-ui/react-popover";
import type { Grid } from "../../api/types";
import { number, quantity, scaled } from "../../format";
import { LinePlot } from "../../plots/LinePlot";
import { series } from "../../plots/scale";

const FLOOR_DB = -60;

/** What a run on a grid will send into the model, in time and over frequency, before it is solved. */
export function PulseCard({ grid, band }: { grid: Grid; band: [number, number] | null }) {
  const { time_s: time, value, frequency_hz: f, level_db: level } = grid.pulse;
  const at = (x: number): number => level[f.reduce((best, v, i) => (Math.abs(v - x) < Math.abs(f[best]! - x) ? i : best), 0)]!;
  return (
    <p className="pl-11">
      <Popover.Root>
        <Popover.Trigger className="text-[12.500px] text-heron hover:underline">Pulse: {quantity(time[time.length - 1]!, "s", 3)} long</Popover.Trigger>
        <Popover.Portal>
          <Popover.Content side="right" align="end" sideOffset={12} className="z-20 w-[26rem] rounded-lg border border-rule bg-card p-4 shadow-xl">
            <h2 className="font-semibold">Pulse</h2>
            <p className="mb-2 text-[12px] text-ink2">{grid.box ? "The wave of each illumination in turn. Results are divided by its spectrum, so they read as a steady wave of 1 V/m." : "The incident wave of each port in turn. Results are divided by its spectrum, so they read as a steady wave of 1 √W."}</p>
            <div className="h-36"><LinePlot curves={[{ x: time, y: value, ...series(0) }]} x={{ ...scaled(time[time.length - 1]!, "s"), label: "time" }} y={{ unit: grid.box ? "V/m" : "√W", domain: [-1.1, 1.1] }} /></div>
            <div className="h-36">
              <LinePlot curves={[{ x: f, y: level.map((v) => (v < FLOOR_DB ? null : v)), ...series(1) }]} x={scaled(f[f.length - 1]! / 2, "Hz")} y={{ unit: "dB", label: "spectrum", domain: [FLOOR_DB, 4] }} bands={band ? [band] : []} />
            </div>
            {band && <p className="num mt-1 text-[12px] text-ink2">{number(at(band[0]), 2)} dB at {quantity(band[0], "Hz", 3)}, {number(at(band[1]), 2)} dB at {quantity(band[1], "Hz", 3)}: the ends of the band, shaded.</p>}
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </p>
  );
}

/** What every card is given, and how curves of the shown runs are laid over one axis. */
import type { Sweep } from "../../api/types";
import { nearest } from "../../app/cursor";
import type { Curve } from "../../plots/LinePlot";
import type { Shown } from "./Readout";

export interface CardProps { projectId: number; shown: Shown[]; cursor: number; setCursor: (f: number) => void }

export const port = (s: Shown): string => String(s.sweep.ports[0]);
export const reflection = (s: Shown): Sweep["s"][string] => s.sweep.s[`${port(s)},${port(s)}`]!;
export const axis = (shown: Shown[]): { unit: string; factor: number } => (Math.max(...shown[0]!.sweep.frequency_hz) >= 2e9 ? { unit: "GHz", factor: 1e9 } : { unit: "MHz", factor: 1e6 });
export const label = (shown: Shown[], s: Shown): string | undefined => (shown.length > 1 ? `run ${s.line.number}` : undefined);
export const over = (shown: Shown[], values: (s: Shown) => (number | null)[]): Curve[] =>
  shown.map((s) => ({ x: s.sweep.frequency_hz, y: values(s), color: s.color, dash: s.dash, label: label(shown, s) }));
export const at = (s: Shown, f: number): number => nearest(s.sweep.frequency_hz, f);

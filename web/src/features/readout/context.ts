/** What all cards share: the ticked runs and reference curves, the page and its spec lines; the cursor has a store of its own. */
import { createContext, useContext } from "react";
import type {
  CardEntry,
  MarkerEntry,
  ReferenceLine,
  RunLine,
  SpecState,
  Sweep,
} from "../../api/types";
import { nearest, useCursor } from "../../app/cursor";
import { C0, quantity, scaled } from "../../format";
import type { Axis } from "../../plots/LinePlot";

export interface Shown {
  line: RunLine;
  sweep: Sweep;
  color: string;
  dash: string;
  label: string;
}
export interface ShownReference {
  line: ReferenceLine;
  color: string;
  dash: string;
}
export interface Desk {
  projectId: number;
  shown: Shown[];
  references: ShownReference[];
  specs: SpecState[];
  writable: boolean;
  markers: MarkerEntry[];
  setMarker: (marker: MarkerEntry) => void;
  addMarker: (card: string, mode: MarkerEntry["mode"], x?: number) => void;
}
export interface CardProps {
  entry: CardEntry;
  set: (settings: CardEntry["settings"]) => void;
}

export const DeskContext = createContext<Desk | null>(null);

export function useDesk(): Desk {
  const desk = useContext(DeskContext);
  if (!desk) throw new Error("a card needs a readout around it");
  return desk;
}

/** A choice on a card that is kept with the page. */
export function useSetting<T extends string | number | boolean>(
  { entry, set }: CardProps,
  name: string,
  initial: T,
): [T, (v: T) => void] {
  const kept = entry.settings?.[name];
  return [
    typeof kept === typeof initial ? (kept as T) : initial,
    (v) => set({ ...entry.settings, [name]: v }),
  ];
}

/** Which of the ticked runs a card shows that has room for one. */
export function useOneRun(props: CardProps): {
  run: Shown;
  runs: [string, string][];
  choose: (v: string) => void;
} {
  const { shown } = useDesk();
  const [kept, choose] = useSetting<string>(props, "run", "");
  return {
    run: shown.find((s) => String(s.line.number) === kept) ?? shown[0]!,
    runs: shown.map((s) => [String(s.line.number), s.label]),
    choose,
  };
}

/** Frequencies of runs as they are written. */
export const inHertz = (shown: Shown[]): Axis => {
  const top = shown[0]?.sweep.frequency_hz.at(-1) ?? 0;
  return top >= 2e12
    ? { unit: "THz", factor: 1e12 }
    : top >= 2e9
      ? { unit: "GHz", factor: 1e9 }
      : { unit: "MHz", factor: 1e6 };
};
/** Whether axes show wavelengths in vacuum: as chosen, else as suits the run. */
export function useWavelength(sweep: Sweep | undefined): boolean {
  const chosen = useCursor((c) => c.wavelength);
  return chosen ?? sweep?.by_wavelength ?? false;
}

/** The axis of frequency of cards, which may show wavelengths. */
export function useAxis(shown: Shown[]): Axis {
  const wavelength = useWavelength(shown[0]?.sweep),
    lowest = shown[0]?.sweep.frequency_hz[0] ?? 1;
  return wavelength
    ? { ...scaled(0.1 * (C0 / lowest), "m"), label: "λ", wavelength }
    : inHertz(shown);
}
/** Whether waves illuminate the model, rather than feeds drive it. */
export const illuminated = (s: Shown | undefined): boolean =>
  s !== undefined && s.sweep.illuminations.length > 0;
/** Whether a run provides one of some capabilities. */
export const provides = (s: Shown | undefined, ...names: string[]): boolean =>
  s !== undefined && names.some((n) => s.sweep.provides.includes(n));
export const at = (s: Shown, f: number): number => nearest(s.sweep.frequency_hz, f);
export const port = (s: Shown): string => String(s.sweep.ports[0]);

/** How runs are told apart in a legend: by the values that differ among them, else by number. */
export function labels(lines: RunLine[]): string[] {
  const names = Object.keys(lines[0]?.values ?? {});
  const differing = names.filter((n) => new Set(lines.map((r) => r.values[n]?.value)).size > 1);
  // Of values that follow from one another the first is enough, if it tells all runs apart.
  const enough = differing.find(
    (n) => new Set(lines.map((r) => r.values[n]?.value)).size === lines.length,
  );
  const used = enough ? [enough] : differing.slice(0, 2);
  const engines = new Set(lines.map((r) => r.engine)).size > 1 && used.length === 0;
  return lines.map((r) =>
    r.empty
      ? `${r.number}: noise floor`
      : engines
        ? `${r.number}: ${r.engine}`
        : lines.length < 2 || used.length === 0
          ? `run ${r.number}`
          : `${r.number}: ${used.map((n) => `${n} ${quantity(r.values[n]!.value, r.values[n]!.unit, 4)}`).join(", ")}`,
  );
}

/** Gathers what a readout needs: the page's cards, the ticked runs with their sweeps, reference curves, spec lines. */
import { useQueries, useQuery } from "@tanstack/react-query";
import { useEffect, useMemo } from "react";
import {
  page as pageOf,
  references as referencesOf,
  runs,
  specs as specsOf,
  sweep,
} from "../../api/queries";
import type { CardEntry, RunLine } from "../../api/types";
import { useTicks } from "../../app/cursor";
import { series } from "../../plots/scale";
import { type Desk, type Shown, labels } from "./context";
import { usePage } from "./page";
import { referenceStyle, useShownReferences } from "./references";
import { fresh, initial } from "./templates";

const NONE: number[] = [];

/** The cards of the page, or those that suit the runs if it was never arranged. */
export function useCards(first: Shown | undefined): CardEntry[] {
  const { projectId, content, arranged, suited } = usePage();
  const fits = useMemo(() => (first ? initial(first) : null), [first?.line.number]); // eslint-disable-line react-hooks/exhaustive-deps
  // again once the page of another project is open, which may be after its runs are there
  useEffect(() => {
    usePage.setState({ suited: fits });
  }, [fits, projectId]);
  return arranged ? content.cards : (suited?.cards ?? []);
}

export interface Reading {
  desk: Desk;
  usable: RunLine[];
  ticked: number[];
  /** Frequencies of the first run, and where it reflects least. */ grid: number[];
  lowest: number;
  pending: boolean;
  fault: string | null;
}
const usableRuns = (all: RunLine[] | undefined): RunLine[] =>
  all?.filter((r) => r.has_results) ?? [];

/** Everything that cards share, for a project. */
export function useReadoutDesk(id: number, role: string | undefined): Reading {
  const { data: all, isPending } = useQuery(runs(id));
  const { data: kept } = useQuery(pageOf(id));
  const { open, content, change } = usePage();
  useEffect(() => {
    if (kept) open(id, kept);
  }, [id, kept, open]);
  const { ticks } = useTicks();
  const usable = useMemo(() => usableRuns(all), [all]);
  const ticked = (ticks[id] ?? usable.slice(0, 1).map((r) => r.number)).filter((n) =>
    usable.some((r) => r.number === n),
  );
  const loaded = useQueries({
    queries: ticked.map((n) => sweep(id, n)),
    combine: (q) => ({ data: q.map((r) => r.data), error: q.find((r) => r.error)?.error ?? null }),
  });
  const stamp = ticked.join() + usable.map((r) => `${r.number}${r.grade}${r.baseline}`).join();
  const shown = useMemo((): Shown[] => {
    const there = ticked.flatMap((n, i) =>
      loaded.data[i]
        ? [{ line: usable.find((r) => r.number === n)!, sweep: loaded.data[i], i }]
        : [],
    );
    const names = labels(there.map((s) => s.line));
    return there.map(({ line, sweep: s, i }, k) => ({
      line,
      sweep: s,
      ...series(i),
      label: names[k]!,
    }));
  }, [loaded.data, stamp]); // eslint-disable-line react-hooks/exhaustive-deps
  const { data: curves } = useQuery(referencesOf(id));
  const { hidden } = useShownReferences();
  const off = hidden[id];
  const references = useMemo(
    () =>
      (curves ?? [])
        .map((line, i) => ({ line, ...referenceStyle(i) }))
        .filter((r) => !(off ?? NONE).includes(r.line.number)),
    [curves, off],
  );
  const { data: specs = [] } = useQuery({
    ...specsOf(
      id,
      content.specs.map((s) => s.text),
      usable.map((r) => r.number).join(),
    ),
    enabled: usable.length > 0,
  });
  const first = shown[0];
  const grid = first?.sweep.frequency_hz ?? NONE;
  const lowest = first
    ? Number((first.line.headline as { frequency_hz?: number }).frequency_hz ?? 0)
    : 0;
  const writable = role !== undefined && role !== "reader";
  const desk = useMemo(
    (): Desk => ({
      projectId: id,
      shown,
      references,
      specs,
      writable,
      markers: content.markers,
      setMarker: (m) =>
        change((c) => ({ ...c, markers: c.markers.map((k) => (k.id === m.id ? m : k)) })),
      addMarker: (card, mode, x) =>
        change((c) => {
          const taken = c.markers.map((m) => m.name);
          let n = 1;
          while (taken.includes(`m${n}`)) n++;
          return {
            ...c,
            markers: [
              ...c.markers,
              {
                id: fresh(),
                card,
                name: `m${n}`,
                mode,
                x: x ?? null,
                level: mode === "crossing" ? -10 : null,
                first: null,
                second: null,
              },
            ],
          };
        }),
    }),
    [id, shown, references, specs, writable, content.markers, change],
  );
  return {
    desk,
    usable,
    ticked,
    grid,
    lowest,
    pending: isPending,
    fault: loaded.error?.message ?? null,
  };
}

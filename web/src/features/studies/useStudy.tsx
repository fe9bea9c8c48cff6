/** What cards of studies share: which study they show, and its variants. */
import { useQuery } from "@tanstack/react-query";
import { createContext, useContext, useEffect, useMemo, useState } from "react";
import type { Packet } from "../../api/client";
import { active, studies, study as studyOf, studyDials } from "../../api/queries";
import type { StudyDetail, StudyVariant } from "../../api/types";
import { Choice } from "../readout/Card";
import { type CardProps, useDesk, useSetting } from "../readout/context";
import { keyOf, useStudyCursor } from "./cursor";
import { solvedOf } from "./family";
import { headerOf } from "./surrogate";

/** The study of the screen; on a readout each card chooses its own. */
export const StudyContext = createContext<number | null>(null);

export interface Studied {
  projectId: number;
  number: number;
  study: StudyDetail | undefined;
  solved: StudyVariant[];
  /** Changes when more is solved. */ count: number;
  /** What chooses the study, where there is a choice. */ choice: React.ReactNode;
  none: string;
}

const AT = [1, 2, 3, 5, 8, 12, 20, 30, 50, 80, 120, 200, 300, 500, 800];

/** While variants come in, curves are fetched anew at some numbers of them only. */
const settled = (count: number): number => AT.filter((n) => n <= count).at(-1) ?? 0;

/** The study that a card shows. */
export function useStudy(props: CardProps): Studied {
  const { projectId } = useDesk();
  const given = useContext(StudyContext);
  const { data: all } = useQuery(studies(projectId));
  const [kept, choose] = useSetting<string>(props, "study", "");
  const lines = all ?? [];
  const number =
    given ?? lines.find((s) => String(s.number) === kept)?.number ?? lines[0]?.number ?? 0;
  const { data: study } = useQuery(studyOf(projectId, number));
  const solved = useMemo(() => solvedOf(study), [study]);
  return {
    projectId,
    number,
    study,
    solved,
    count: study && active(study.status) ? settled(solved.length) : solved.length,
    choice:
      given === null && lines.length > 0 ? (
        <Choice
          label="Study"
          value={String(number)}
          options={lines.map((s) => [String(s.number), `${s.number}: ${s.name}`] as const)}
          onChange={choose}
        />
      ) : null,
    none:
      all && lines.length === 0
        ? "There is no study yet; add one to the sheet and start it."
        : solved.length > 0
          ? "Fetching the variants…"
          : "No variant is solved yet.",
  };
}

const CURVES = "s11,gain,reflection,transmission";

const NOWHERE: number[] = [];
const REST_MS = 500;

/** Where a value rests: what takes long to draw does not follow every step of a slider. */
export function useRested<T>(value: T): T {
  const [rested, rest] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => rest(value), REST_MS);
    return () => clearTimeout(timer);
  }, [value]);
  return rested;
}

/** The dials of a study: the surrogates of curves, or of a cut at a frequency, and where the dials stand. */
export function useDials(
  s: Studied,
  cut = "",
  frequency = 0,
): {
  packet: Packet | undefined;
  fault: string;
  values: number[];
  turn: (values: number[]) => void;
} {
  const { data, error } = useQuery(
    studyDials(s.projectId, s.number, cut || CURVES, cut ? frequency : 0, s.count),
  );
  const key = keyOf(s.projectId, s.number);
  const kept = useStudyCursor((c) => c.dials[key]);
  const turn = useStudyCursor((c) => c.turn);
  const first = useMemo(
    () =>
      data
        ? headerOf(data).variables.map((v) => Math.min(v.high, Math.max(v.low, v.nominal)))
        : NOWHERE,
    [data],
  );
  const values = kept?.length === first.length ? kept : first;
  return { packet: data, fault: error?.message ?? "", values, turn: (v) => turn(key, v) };
}

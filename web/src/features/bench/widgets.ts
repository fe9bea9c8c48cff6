/** Drawings that stand beside the sentence of a step, by the name that its kind gives. */
import type { FC } from "react";
import type { Path, Step } from "../../api/types";
import type { Kind } from "../../api/language";
import { StudyStart } from "./StudyStart";
import { WallsCube } from "./WallsCube";

type Widget = FC<{ step: Step; base: Path; kind: Kind }>;

/** What stands beside the sentence, or under it. */
export const WIDGETS: Record<string, { beside?: Widget; under?: Widget }> = {
  walls: { beside: WallsCube },
  study: { under: StudyStart },
};

/** Drawings that stand beside the sentence of a step, by the name that its kind gives. */
import type { FC } from "react";
import type { Path, Step } from "../../api/types";
import type { Kind } from "../../api/language";
import { StudyStart } from "./StudyStart";
import { WallsCube } from "./WallsCube";

export const WIDGETS: Record<string, FC<{ step: Step; base: Path; kind: Kind }>> = {
  walls: WallsCube,
  study: StudyStart,
};

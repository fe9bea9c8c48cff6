/** The language of steps as the server sends it: chapters, kinds, and the templates of their sentences. */
import type { Path } from "./types";

export type Node =
  | { node: "words"; text: string }
  | Slot
  | { node: "group"; path: Path; nodes: Slot[]; empty: string }
  | {
      node: "clause";
      nodes: Node[];
      when: { path: Path; value: unknown } | null;
      shown: boolean;
      /** The engine that it is about. */
      of: string;
    }
  | { node: "each"; path: Path; between: string; nodes: Node[]; defaults: Values };
export interface Slot {
  node: "slot";
  path: Path;
  type:
    | "expression"
    | "formula"
    | "choice"
    | "integer"
    | "flag"
    | "name"
    | "text"
    | "phrase"
    | "reference";
  unit: string;
  choices: string[];
  /** What a reference names: a wire, body, part, material, conductor, frame, file, engine. */
  of: string;
  empty: string;
}
export interface Pick {
  path: Path;
  of: "face" | "edge" | "point" | "placement";
  many: boolean;
}
export interface Kind {
  name: string;
  chapter: string;
  title: string;
  makes: string;
  nodes: Node[];
  defaults: Values;
  menu: { group: string; label: string; step: Values }[];
  picks: Pick[];
  members: Record<string, unknown>;
  above: Record<string, Record<string, string>>;
  /** A drawing beside the sentence. */ widget: string;
}
export interface Chapter {
  key: string;
  title: string;
  many: boolean;
  default: string;
  quiet: boolean;
}
export interface Language {
  chapters: Chapter[];
  kinds: Kind[];
  examples: string[];
  references: Record<string, string[]>;
}
export type Values = Record<string, unknown>;

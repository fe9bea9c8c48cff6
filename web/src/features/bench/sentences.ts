/** How each kind of step reads: words, and tokens that name a field. A new kind is one entry here. */
import type { Path, Step } from "../../api/types";

export type Word = string | { token: Path; unit?: string; choices?: string[] | "conductors" | "parts" | "frames"; empty?: string };
export interface Sentence { title: string; words: Word[] }

const t = (token: Path | string, unit?: string): Word => ({ token: Array.isArray(token) ? token : [token], unit });
const point = (name: string | Path): Word[] => {
  const base: Path = Array.isArray(name) ? name : [name];
  return ["(", t([...base, 0], "1 m"), ",", t([...base, 1], "1 m"), ",", t([...base, 2], "1 m"), ")"];
};
const material: Word = { token: ["material"], choices: "conductors" };
const name: Word = t("name");
const frame = (step: Step): Word[] => (step.frame ? ["in frame", { token: ["frame"], choices: "frames" }] : []);
const wire = (step: Step): Word[] => [", radius", t("radius", "1 m"), ", in", material, ...frame(step)];

export const SENTENCES: Record<string, (step: Step) => Sentence> = {
  wire: (s) => ({ title: "Wire", words: [name, "from", ...point("start"), "to", ...point("end"), ...wire(s)] }),
  polyline: (s) => ({
    title: "Bent wire",
    words: [name, "through", ...(s.points as unknown[]).flatMap((_, i): Word[] => point(["points", i])), ...(s.closed ? ["and back to the first"] : []), ...wire(s)],
  }),
  arc: (s) => ({ title: "Arc", words: [name, "about", ...point("centre"), ", bend radius", t("bend", "1 m"), ", from angle", t("from_angle", "1"), "to", t("to_angle", "1"), ...wire(s)] }),
  helix: (s) => ({
    title: "Helix",
    words: [name, "from", ...point("centre"), ", bend radius", t("bend", "1 m"), ", pitch", t("pitch", "1 m"), ",", t("turns", "1"), "turns,", { token: ["hand"], choices: ["right", "left"] }, "handed", ...wire(s)],
  }),
  copy: (s) => ({
    title: "Copy",
    words: [
      name, ":", t("count", "1"), "of", { token: ["source"], choices: "parts" }, "by",
      { token: ["operation"], choices: ["move", "turn", "mirror"] },
      ...(s.operation === "move" ? [...point("by")] : s.operation === "turn" ? ["of", t("angle", "1"), "about axis", ...point("axis").map(plain), "through", ...point("about")] : ["in the plane across", ...point("axis").map(plain), "through", ...point("about")]),
      ...frame(s),
    ],
  }),
  frame: () => ({ title: "Frame", words: [name, "at", ...point("origin"), ", turned", t(["turn", 0], "1"), ",", t(["turn", 1], "1"), ",", t(["turn", 2], "1"), "about x, y, z"] }),
  conductor: () => ({ title: "Conductor", words: [name, "of", t("conductivity", "1 S/m")] }),
  gap: (s) => ({
    title: "Gap feed",
    words: [
      "port", { token: ["number"] }, "on", { token: ["part"], choices: "parts" }, "at", t("at", "1"), ", width", { token: ["width"], unit: "1 m", empty: "wire diameter" }, ",", t("impedance", "1 ohm"),
      ...(String(s.amplitude) === "0" ? [", only terminates: amplitude", t("amplitude", "1")] : [", amplitude", t("amplitude", "1"), ", phase", t("phase", "1")]),
    ],
  }),
  series: () => ({
    title: "Load",
    words: [name, "on", { token: ["part"], choices: "parts" }, "at", t("at", "1"), ":", t("resistance", "1 ohm"), "+", t("inductance", "1 H"), "+", { token: ["capacitance"], unit: "1 F", empty: "no capacitor" }, "in series"],
  }),
  far_field: () => ({ title: "Far field", words: [name, "every", t("theta_step", "1"), "in θ and", t("phi_step", "1"), "in φ"] }),
  near_point: () => ({ title: "Near field", words: [name, "at", ...point("point")] }),
  near_line: () => ({ title: "Near field", words: [name, "along the line from", ...point("start"), "to", ...point("end"), ",", t("count", "1"), "points"] }),
  near_plane: () => ({ title: "Near field", words: [name, "on the plane from", ...point("corner"), "along", ...point("along"), "and across", ...point("across"), ",", t(["counts", 0], "1"), "by", t(["counts", 1], "1"), "points"] }),
  surround: (s) => ({
    title: "Surround",
    words: s.kind === "ground" ? [{ token: ["kind"], choices: ["open", "ground"] }, ": an infinite perfect plane at z =", t("height", "1 m"), ", open above"] : [{ token: ["kind"], choices: ["open", "ground"] }, "on all sides"],
  }),
  plan: () => ({
    title: "Plan",
    words: [
      { token: ["engine"], choices: ["auto", "moments"] }, "engine, from", t("f_start", "1 Hz"), "to", t("f_stop", "1 Hz"), ",", t("points", "1"), "points,",
      { token: ["spacing"], choices: ["linear", "logarithmic"] }, ",", { token: ["sampling"], choices: ["adaptive", "every"] }, "sampling to", t("tolerance", "1"), ",", t("segments_per_wavelength", "1"), "segments per wavelength",
    ],
  }),
};

function plain(word: Word): Word {
  return typeof word === "string" ? word : { ...word, unit: "1" };
}

/** What a new step of each kind starts as. */
export const FRESH: Record<string, { chapter: string; label: string; step: Step }> = {
  wire: { chapter: "parts", label: "Wire", step: { kind: "wire", name: "wire", start: ["0", "0", "0"], end: ["0", "0", "100 mm"], radius: "1 mm" } },
  polyline: { chapter: "parts", label: "Bent wire", step: { kind: "polyline", name: "bent wire", points: [["0", "0", "0"], ["0", "0", "50 mm"], ["50 mm", "0", "50 mm"]], radius: "1 mm" } },
  arc: { chapter: "parts", label: "Arc or circle", step: { kind: "arc", name: "arc", bend: "50 mm", radius: "1 mm" } },
  helix: { chapter: "parts", label: "Helix", step: { kind: "helix", name: "helix", bend: "50 mm", pitch: "30 mm", turns: "3", radius: "1 mm" } },
  copy: { chapter: "parts", label: "Copy of a part", step: { kind: "copy", name: "copy", source: "", operation: "move", by: ["100 mm", "0", "0"] } },
  frame: { chapter: "frames", label: "Frame", step: { kind: "frame", name: "frame", origin: ["0", "0", "0"] } },
  conductor: { chapter: "materials", label: "Conductor", step: { kind: "conductor", name: "conductor", conductivity: "1e7 S/m" } },
  gap: { chapter: "feeds", label: "Gap feed", step: { kind: "gap", number: 1, part: "", at: "0.5" } },
  series: { chapter: "loads", label: "Load", step: { kind: "series", name: "load", part: "", at: "0.5", resistance: "50 ohm" } },
  far_field: { chapter: "captures", label: "Far field", step: { kind: "far_field", name: "far field" } },
  near_point: { chapter: "captures", label: "Near field at a point", step: { kind: "near_point", name: "point", point: ["100 mm", "0", "0"] } },
  near_line: { chapter: "captures", label: "Near field on a line", step: { kind: "near_line", name: "line", start: ["10 mm", "0", "0"], end: ["300 mm", "0", "0"] } },
  near_plane: { chapter: "captures", label: "Near field on a plane", step: { kind: "near_plane", name: "plane", corner: ["-200 mm", "5 mm", "-200 mm"], along: ["400 mm", "0", "0"], across: ["0", "0", "400 mm"] } },
};

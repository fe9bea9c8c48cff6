/** How each kind of step reads: words, and tokens that name a field. A new kind is one entry here. */
import type { Model, Path, Step } from "../../api/types";

export type Choices =
  | string[]
  | "conductors"
  | "materials"
  | "parts"
  | "bodies"
  | "everything"
  | "frames"
  | "files";
export type Word =
  | string
  | { token: Path; unit?: string; choices?: Choices; empty?: string }
  | { pick: Path; faces: boolean; many?: boolean; frame?: boolean }
  /** A button that changes a list as a whole. */
  | { grow: Path; to: (list: Step[], document: Model) => Step[]; says: string };
export interface Sentence {
  title: string;
  words: Word[];
}

const t = (token: Path | string, unit?: string): Word => ({
  token: Array.isArray(token) ? token : [token],
  unit,
});
const point = (name: string | Path): Word[] => {
  const base: Path = Array.isArray(name) ? name : [name];
  return [
    "(",
    t([...base, 0], "1 m"),
    ",",
    t([...base, 1], "1 m"),
    ",",
    t([...base, 2], "1 m"),
    ")",
  ];
};
const material: Word = { token: ["material"], choices: "conductors" };
const name: Word = t("name");
const frame = (step: Step): Word[] =>
  step.frame ? ["in frame", { token: ["frame"], choices: "frames" }] : [];
const of: Word = { token: ["material"], choices: "materials" };
const body = (step: Step): Word[] => [
  ", of",
  of,
  ...(step.priority ? [", priority", { token: ["priority"] } as Word] : []),
  ...frame(step),
];
const flat = (path: Path): Word[] => [
  "(",
  t([...path, 0], "1 m"),
  ",",
  t([...path, 1], "1 m"),
  ")",
];
const along: Word[] = ["along", { token: ["axis"], choices: ["x", "y", "z"] }];
const outline = (step: Step): Word[] =>
  (step.outline as { via?: unknown; smooth?: boolean }[]).flatMap((c, i): Word[] => [
    ...(i ? [c.via ? "round" : c.smooth ? "smoothly to" : "to"] : ["from"]),
    ...(i && c.via ? [...flat(["outline", i, "via"]), "to"] : []),
    ...flat(["outline", i, "to"]),
  ]);
const places = (step: Step): Word[] =>
  (step.points as unknown[]).flatMap((_, i): Word[] => [
    ...(i ? ["to"] : []),
    ...point(["points", i]),
  ]);
const wire = (step: Step): Word[] => [
  ", radius",
  t("radius", "1 m"),
  ", in",
  material,
  ...frame(step),
];

const SIDES = ["−x", "+x", "−y", "+y", "−z", "+z"].map((side) => `at\u00a0${side}`);

const ACROSS: Record<string, string> = { x: "y and z", y: "x and z", z: "x and y" };
const pulsed: Word[] = [
  "; its pulse covers",
  { token: ["pulse_start"], unit: "1 Hz", empty: "the plan’s start" },
  "to",
  { token: ["pulse_stop"], unit: "1 Hz", empty: "the plan’s end" },
];
/** A feed by the modes of a line or guide; the opening is found unless its size is given. */
const modeFeed = (s: Step, title: string, where: string): Sentence => ({
  title,
  words: [
    "port",
    { token: ["number"] },
    where,
    ...point("centre"),
    ", going",
    { token: ["towards"], choices: ["+x", "-x", "+y", "-y", "+z", "-z"] },
    ", opening",
    { token: ["width"], unit: "1 m", empty: "found" },
    "by",
    { token: ["height"], unit: "1 m", empty: "found" },
    `along ${ACROSS[String(s.towards ?? "+x")[1]!] ?? ""},`,
    t("modes", "1"),
    String(s.modes ?? "1") === "1" ? "mode," : "modes, each a port,",
    "plane of reference",
    t("shift", "1 m"),
    "ahead",
    ...(String(s.amplitude) === "0"
      ? [", only terminates: amplitude", t("amplitude", "1")]
      : [", amplitude", t("amplitude", "1"), ", phase", t("phase", "1")]),
    ...pulsed,
  ],
});

/** A lowest layer without end; the one above it gets a thickness, of a tenth of the shortest wavelength. */
const withLayer = (list: Step[], d: Model): Step[] => [
  ...list.map((l) =>
    l.thickness === null ? { ...l, thickness: `c0 / (${String(d.plan.f_stop)}) / 10` } : l,
  ),
  { material: "fused quartz", thickness: null } as unknown as Step,
];
const recorded: Word[] = [
  "; recorded from",
  { token: ["opens"], unit: "1 s", empty: "the start" },
  "to",
  { token: ["closes"], unit: "1 s", empty: "the end" },
  ",",
  { token: ["reading"], choices: ["interpolated", "as they lie"] },
];
const frequencies = (s: Step, else_: string): Word[] =>
  (s.frequencies as unknown[] | undefined)?.length
    ? [
        "at",
        ...(s.frequencies as unknown[]).flatMap((_, i): Word[] => [
          ...(i ? [","] : []),
          t(["frequencies", i], "1 Hz"),
        ]),
      ]
    : [else_];

export const SENTENCES: Record<string, (step: Step, lit?: boolean) => Sentence> = {
  wire: (s) => ({
    title: "Wire",
    words: [name, "from", ...point("start"), "to", ...point("end"), ...wire(s)],
  }),
  polyline: (s) => ({
    title: "Bent wire",
    words: [
      name,
      "through",
      ...(s.points as unknown[]).flatMap((_, i): Word[] => point(["points", i])),
      ...(s.closed ? ["and back to the first"] : []),
      ...wire(s),
    ],
  }),
  arc: (s) => ({
    title: "Arc",
    words: [
      name,
      "about",
      ...point("centre"),
      ", bend radius",
      t("bend", "1 m"),
      ", from angle",
      t("from_angle", "1"),
      "to",
      t("to_angle", "1"),
      ...wire(s),
    ],
  }),
  helix: (s) => ({
    title: "Helix",
    words: [
      name,
      "from",
      ...point("centre"),
      ", bend radius",
      t("bend", "1 m"),
      ", pitch",
      t("pitch", "1 m"),
      ",",
      t("turns", "1"),
      "turns,",
      { token: ["hand"], choices: ["right", "left"] },
      "handed",
      ...wire(s),
    ],
  }),
  box: (s) => ({
    title: "Box",
    words: [name, "from", ...point("corner"), "by", ...point("size"), ...body(s)],
  }),
  cylinder: (s) => ({
    title: s.inner && s.inner !== "0" ? "Tube" : "Cylinder",
    words: [
      name,
      "from",
      ...point("centre"),
      ...along,
      "for",
      t("height", "1 m"),
      ", radius",
      t("radius", "1 m"),
      ", hollow to",
      { token: ["inner"], unit: "1 m" },
      ...body(s),
    ],
  }),
  cone: (s) => ({
    title: "Cone",
    words: [
      name,
      "from",
      ...point("centre"),
      ...along,
      "for",
      t("height", "1 m"),
      ", radius",
      t("radius", "1 m"),
      "to",
      t("top", "1 m"),
      ...body(s),
    ],
  }),
  sphere: (s) => ({
    title: "Sphere",
    words: [name, "about", ...point("centre"), ", radius", t("radius", "1 m"), ...body(s)],
  }),
  ellipsoid: (s) => ({
    title: "Ellipsoid",
    words: [name, "about", ...point("centre"), ", radii", ...point("radii"), ...body(s)],
  }),
  torus: (s) => ({
    title: "Torus",
    words: [
      name,
      "about",
      ...point("centre"),
      ...along,
      ", ring radius",
      t("bend", "1 m"),
      ", profile radius",
      t("radius", "1 m"),
      ...body(s),
    ],
  }),
  wedge: (s) => ({
    title: "Wedge",
    words: [
      name,
      "from",
      ...point("corner"),
      "by",
      ...point("size"),
      ", top",
      t("top", "1 m"),
      ...body(s),
    ],
  }),
  prism: (s) => ({
    title: "Prism",
    words: [
      name,
      ...outline(s),
      "at z =",
      t("base", "1 m"),
      ", pulled by",
      t("height", "1 m"),
      ...body(s),
    ],
  }),
  revolve: (s) => ({
    title: "Turned body",
    words: [
      name,
      "with the profile (distance from z, z)",
      ...outline(s),
      ", turned by",
      t("angle", "1"),
      ...body(s),
    ],
  }),
  loft: (s) => ({
    title: "Loft",
    words: [
      name,
      ...(s.sections as { round?: boolean }[]).flatMap((c, i): Word[] => [
        i ? "to" : "from",
        c.round ? "an ellipse" : "a rectangle",
        t(["sections", i, "width"], "1 m"),
        "by",
        t(["sections", i, "height"], "1 m"),
        "at",
        ...point(["sections", i, "at"]),
      ]),
      ...(s.shell ? [", walls only"] : []),
      ...body(s),
    ],
  }),
  rod: (s) => ({
    title: (s.outline as unknown[] | undefined)?.length ? "Bar" : "Rod",
    words: [
      name,
      "through",
      ...places(s),
      ...((s.outline as unknown[] | undefined)?.length
        ? [", with the profile (sideways, up)", ...outline(s)]
        : [", radius", t("radius", "1 m")]),
      ", corners bent by",
      t("bend", "1 m"),
      ...body(s),
    ],
  }),
  coil: (s) => ({
    title: "Coil",
    words: [
      name,
      "from",
      ...point("centre"),
      ", coil radius",
      t("bend", "1 m"),
      ", pitch",
      t("pitch", "1 m"),
      ",",
      t("turns", "1"),
      "turns, radius",
      t("radius", "1 m"),
      ...body(s),
    ],
  }),
  dish: (s) => ({
    title: "Dish",
    words: [
      name,
      "with its vertex at",
      ...point("centre"),
      ", focus",
      t("focus", "1 m"),
      ", diameter",
      t("diameter", "1 m"),
      ", thickness",
      t("thickness", "1 m"),
      ...body(s),
    ],
  }),
  rectangle: (s) => ({
    title: "Rectangle",
    words: [
      name,
      "from",
      ...point("corner"),
      "by",
      ...flat(["size"]),
      "across",
      { token: ["axis"], choices: ["x", "y", "z"] },
      ...body(s),
    ],
  }),
  disc: (s) => ({
    title: s.inner && s.inner !== "0" ? "Ring" : "Disc",
    words: [
      name,
      "about",
      ...point("centre"),
      ", radius",
      t("radius", "1 m"),
      ", hollow to",
      t("inner", "1 m"),
      ", across",
      { token: ["axis"], choices: ["x", "y", "z"] },
      ...body(s),
    ],
  }),
  polygon: (s) => ({
    title: "Polygon",
    words: [name, ...outline(s), "at z =", t("base", "1 m"), ...body(s)],
  }),
  formula: (s) => ({
    title: "Curved sheet",
    words: [
      name,
      ...(s.pieces as unknown[]).flatMap((_, i): Word[] => [
        i ? "then x =" : "along x =",
        { token: ["pieces", i, "x"] },
        ", y =",
        { token: ["pieces", i, "y"] },
        "for t from",
        t(["pieces", i, "start"], "1"),
        "to",
        t(["pieces", i, "stop"], "1"),
        "in",
        t(["pieces", i, "points"], "1"),
        "points",
        ";",
      ]),
      "at z =",
      t("base", "1 m"),
      ...body(s),
    ],
  }),
  face: (s) => ({
    title: "Face",
    words: [
      name,
      "of",
      { token: ["source"], choices: "bodies" },
      "near",
      ...point(["pick", "near"]),
      { pick: ["pick"], faces: true },
      ...body(s),
    ],
  }),
  import: (s) => ({
    title: "Import",
    words: [
      name,
      "from",
      { token: ["file"], choices: "files" },
      "at",
      ...point("at"),
      ", scale",
      t("scale", "1"),
      ", in",
      { token: ["unit"], choices: ["m", "mm", "um", "in"] },
      "if the file does not say, simplified:",
      { token: ["simplify"], choices: ["yes", "no"] },
      ...body(s),
    ],
  }),
  combine: (s) => ({
    title:
      s.operation === "fuse"
        ? "Fuse"
        : s.operation === "cut"
          ? "Cut"
          : s.operation === "intersect"
            ? "Intersect"
            : "Imprint",
    words: [
      name,
      ":",
      { token: ["operation"], choices: ["fuse", "cut", "intersect", "imprint"] },
      { token: ["first"], choices: "bodies" },
      s.operation === "cut" ? "by" : "with",
      ...(s.others as string[]).flatMap((_, i): Word[] => [
        ...(i ? ["and"] : []),
        { token: ["others", i], choices: "bodies" },
      ]),
    ],
  }),
  thicken: () => ({
    title: "Thicken",
    words: [name, ":", { token: ["source"], choices: "bodies" }, "by", t("thickness", "1 m")],
  }),
  edges: (s) => ({
    title: s.operation === "chamfer" ? "Chamfer" : "Round",
    words: [
      name,
      ":",
      { token: ["operation"], choices: ["round", "chamfer"] },
      { token: ["source"], choices: "bodies" },
      "by",
      t("size", "1 m"),
      ...((s.picks as unknown[] | undefined)?.length
        ? [
            "at the edge nearest to",
            ...(s.picks as unknown[]).flatMap((_, i): Word[] => [
              ...(i ? ["and"] : []),
              ...point(["picks", i, "near"]),
            ]),
          ]
        : ["at all edges"]),
      { pick: ["picks"], faces: false, many: true },
    ],
  }),
  dielectric: () => ({
    title: "Medium",
    words: [
      name,
      ": permittivity",
      t("permittivity", "1"),
      ", loss tangent",
      t("loss_tangent", "1"),
      ", conductivity",
      t("conductivity", "1 S/m"),
      ", permeability",
      t("permeability", "1"),
    ],
  }),
  dispersive: (s) => ({
    title: "Dispersive medium",
    words: [
      name,
      ": permittivity",
      t("permittivity", "1"),
      "above all resonances, conductivity",
      t("conductivity", "1 S/m"),
      ...((s.debye as unknown[] | undefined) ?? []).flatMap((_, i): Word[] => [
        ", relaxing by",
        t(["debye", i, "strength"], "1"),
        "in",
        t(["debye", i, "time"], "1 s"),
      ]),
      ...((s.lorentz as unknown[] | undefined) ?? []).flatMap((_, i): Word[] => [
        ", resonant by",
        t(["lorentz", i, "strength"], "1"),
        "at",
        t(["lorentz", i, "frequency"], "1 Hz"),
        "damped by",
        t(["lorentz", i, "damping"], "1 Hz"),
      ]),
      ...((s.drude as unknown[] | undefined) ?? []).flatMap((_, i): Word[] => [
        ", free charges up to",
        t(["drude", i, "frequency"], "1 Hz"),
        "damped by",
        t(["drude", i, "damping"], "1 Hz"),
      ]),
    ],
  }),
  table: (s) => {
    const rows = s.rows as unknown[];
    const shown = rows
      .slice(0, 12)
      .flatMap((_, i): Word[] => [
        i ? "; at" : ": at",
        t(["rows", i, 0], "1 Hz"),
        "ε′",
        t(["rows", i, 1], "1"),
        ", ε″",
        t(["rows", i, 2], "1"),
      ]);
    return {
      title: "Tabulated medium",
      words: [name, ...shown, ...(rows.length > 12 ? [`and ${rows.length - 12} more rows`] : [])],
    };
  },
  copy: (s) => ({
    title: "Copy",
    words: [
      name,
      ":",
      t("count", "1"),
      "of",
      { token: ["source"], choices: "parts" },
      "by",
      { token: ["operation"], choices: ["move", "turn", "mirror", "scale"] },
      ...(s.operation === "scale"
        ? [t("factor", "1"), "from", ...point("about")]
        : s.operation === "move"
          ? [...point("by")]
          : s.operation === "turn"
            ? [
                "of",
                t("angle", "1"),
                "about axis",
                ...point("axis").map(plain),
                "through",
                ...point("about"),
              ]
            : ["in the plane across", ...point("axis").map(plain), "through", ...point("about")]),
      ...frame(s),
    ],
  }),
  frame: (s) => ({
    title: "Frame",
    words: [
      name,
      "at",
      ...point("origin"),
      ", turned",
      t(["turn", 0], "1"),
      ",",
      t(["turn", 1], "1"),
      ",",
      t(["turn", 2], "1"),
      "about x, y, z",
      ...(s.within ? ["within", { token: ["within"], choices: "frames" } as Word] : []),
      { pick: [], faces: true, frame: true },
    ],
  }),
  conductor: () => ({
    title: "Conductor",
    words: [
      name,
      "of",
      t("conductivity", "1 S/m"),
      ", sheets",
      { token: ["thickness"], unit: "1 m", empty: "of no thickness" },
      ", roughness",
      t("roughness", "1 m"),
    ],
  }),
  gap: (s) => ({
    title: "Gap feed",
    words: [
      "port",
      { token: ["number"] },
      "on",
      { token: ["part"], choices: "parts" },
      "at",
      t("at", "1"),
      ", width",
      { token: ["width"], unit: "1 m", empty: "wire diameter" },
      ",",
      t("impedance", "1 ohm"),
      ...(s.network && s.network !== "none"
        ? ([
            ", behind",
            ...["resistance", "inductance", "capacitance"].flatMap((field, n): Word[] => [
              ...(n ? ["+"] : []),
              {
                token: [field],
                unit: ["1 ohm", "1 H", "1 F"][n],
                empty: ["no resistor", "no inductor", "no capacitor"][n],
              },
            ]),
            "in",
          ] as Word[])
        : [", network"]),
      { token: ["network"], choices: ["none", "series", "parallel"] },
      ...(String(s.amplitude) === "0"
        ? [", only terminates: amplitude", t("amplitude", "1")]
        : [", amplitude", t("amplitude", "1"), ", phase", t("phase", "1")]),
      ...(s.pulse_start || s.pulse_stop ? pulsed : []),
    ],
  }),
  line: (s) => modeFeed(s, "Line feed", "on the strip or inner conductor at"),
  dipole: (s) => ({
    title: "Point dipole",
    words: [
      "port",
      { token: ["number"] },
      "at",
      ...point("centre"),
      "along",
      ...point("along").map(plain),
      ",",
      { token: ["moment"], choices: ["electric", "magnetic"] },
      ...(String(s.amplitude) === "0"
        ? [", only receives: amplitude", t("amplitude", "1")]
        : [", amplitude", t("amplitude", "1"), ", phase", t("phase", "1")]),
      ...pulsed,
    ],
  }),
  guide: (s) => modeFeed(s, "Guide feed", "in the opening at"),
  series: () => ({
    title: "Load",
    words: [
      name,
      "on",
      { token: ["part"], choices: "parts" },
      "at",
      t("at", "1"),
      ":",
      t("resistance", "1 ohm"),
      "+",
      t("inductance", "1 H"),
      "+",
      { token: ["capacitance"], unit: "1 F", empty: "no capacitor" },
      "in series",
    ],
  }),
  parallel: () => ({
    title: "Parallel load",
    words: [
      name,
      "on",
      { token: ["part"], choices: "parts" },
      "at",
      t("at", "1"),
      ":",
      { token: ["resistance"], unit: "1 ohm", empty: "no resistor" },
      ",",
      { token: ["inductance"], unit: "1 H", empty: "no inductor" },
      ",",
      { token: ["capacitance"], unit: "1 F", empty: "no capacitor" },
      "side by side",
    ],
  }),
  plane_wave: () => ({
    title: "Plane wave",
    words: [
      name,
      "travels along",
      ...point("travels").map(plain),
      ", its electric field along",
      ...point("electric").map(plain),
      ",",
      t("amplitude", "1 V/m"),
      ", phase",
      t("phase", "1"),
      ...pulsed,
    ],
  }),
  gaussian_beam: () => ({
    title: "Gaussian beam",
    words: [
      name,
      "travels along",
      ...point("travels").map(plain),
      ", its electric field along",
      ...point("electric").map(plain),
      ", narrowest at",
      ...point("focus"),
      ": radius",
      t("waist", "1 m"),
      "to 1/e of the field,",
      t("amplitude", "1 V/m"),
      "in its middle, phase",
      t("phase", "1"),
      ...pulsed,
    ],
  }),
  fine_box: () => ({
    title: "Fine box",
    words: [
      name,
      "from",
      ...point("corner"),
      "by",
      ...point("size"),
      ": cells of at most",
      t("cell", "1 m"),
    ],
  }),
  fine_part: () => ({
    title: "Fine part",
    words: [
      name,
      ": within the bounds of",
      { token: ["part"], choices: "everything" },
      "cells of at most",
      t("cell", "1 m"),
    ],
  }),
  far_field: () => ({
    title: "Far field",
    words: [name, "every", t("theta_step", "1"), "in θ and", t("phi_step", "1"), "in φ"],
  }),
  near_point: () => ({ title: "Near field", words: [name, "at", ...point("point"), ...recorded] }),
  near_line: () => ({
    title: "Near field",
    words: [
      name,
      "along the line from",
      ...point("start"),
      "to",
      ...point("end"),
      ",",
      t("count", "1"),
      "points",
      ...recorded,
    ],
  }),
  near_plane: () => ({
    title: "Near field",
    words: [
      name,
      "on the plane from",
      ...point("corner"),
      "along",
      ...point("along"),
      "and across",
      ...point("across"),
      ",",
      t(["counts", 0], "1"),
      "by",
      t(["counts", 1], "1"),
      "points",
      ...recorded,
    ],
  }),
  near_box: () => ({
    title: "Near field",
    words: [
      name,
      "in the box from",
      ...point("corner"),
      "by",
      ...point("size"),
      ",",
      t(["counts", 0], "1"),
      "by",
      t(["counts", 1], "1"),
      "by",
      t(["counts", 2], "1"),
      "points",
      ...recorded,
    ],
  }),
  power_flux: () => ({
    title: "Power flux",
    words: [
      name,
      "through the rectangle from",
      ...point("corner"),
      "along",
      ...point("along"),
      "and across",
      ...point("across"),
      ",",
      t(["counts", 0], "1"),
      "by",
      t(["counts", 1], "1"),
      "points",
    ],
  }),
  surface_current: (s) => ({
    title: "Surface current",
    words: [
      name,
      "on",
      { token: ["part"], choices: "everything", empty: "all conductors" },
      ...frequencies(s, "over the band"),
    ],
  }),
  scattered_cut: (s) => ({
    title: "Scattered cut",
    words: [
      name,
      "all round in the plane φ =",
      t("phi", "1"),
      "every",
      t("step", "1"),
      ...frequencies(s, "at the plan’s pattern frequencies"),
    ],
  }),
  far_trace: () => ({
    title: "Signal far away",
    words: [
      name,
      "against time towards θ =",
      t("theta", "1"),
      ", φ =",
      t("phi", "1"),
      ", at a distance of",
      t("distance", "1 m"),
    ],
  }),
  point_trace: () => ({ title: "Signal", words: [name, "against time at", ...point("point")] }),
  snapshots: () => ({
    title: "Snapshots",
    words: [
      name,
      "every",
      t("interval", "1 s"),
      "on the plane from",
      ...point("corner"),
      "along",
      ...point("along"),
      "and across",
      ...point("across"),
      ",",
      t(["counts", 0], "1"),
      "by",
      t(["counts", 1], "1"),
      "points",
    ],
  }),
  surround: (s, lit) => ({
    title: "Surround",
    words: [
      ...(s.kind === "ground"
        ? ([
            { token: ["kind"], choices: ["open", "ground"] },
            ": an infinite perfect plane at z =",
            t("height", "1 m"),
            ", open above",
          ] as Word[])
        : ([{ token: ["kind"], choices: ["open", "ground"] }, "on all sides"] as Word[])),
      "; on a grid, walls",
      { token: ["margin"], unit: "1 m", empty: "a quarter of the longest wavelength" },
      "away",
      ...(s.box == null && !lit
        ? []
        : ([
            ", box of total fields",
            { token: ["box"], unit: "1 m", empty: "a few cells inside the walls" },
            "round the model",
          ] as Word[])),
      ...SIDES.flatMap((side, n): Word[] => [
        n ? "," : ":",
        { token: ["walls", n], choices: ["open", "electric", "magnetic"] },
        side,
      ]),
      "; mirror planes",
      ...["x", "y", "z"].flatMap((axis, k): Word[] => [
        k ? "," : ":",
        { token: ["mirror", k], choices: ["none", "electric", "magnetic"] },
        `at\u00a0${axis}\u00a0=\u00a00`,
      ]),
      ...(lit
        ? ([
            "; repeated along",
            ...["x", "y", "z"].flatMap((axis, k): Word[] => [
              ...(k ? [","] : []),
              `${axis}`,
              { token: ["period", k], unit: "1 m", empty: "not" },
            ]),
            ...((s.period as unknown[] | undefined)?.some((p) => p != null)
              ? ([
                  ", phases at",
                  { token: ["references", 0], unit: "1 m" },
                  "below and",
                  { token: ["references", 1], unit: "1 m" },
                  "above",
                ] as Word[])
              : []),
          ] as Word[])
        : []),
      ...((s.layers as Step[] | undefined)?.length
        ? ([
            "; layers below z =",
            t("top", "1 m"),
            ...(s.layers as Step[]).flatMap((_, n): Word[] => [
              n ? "," : ":",
              { token: ["layers", n, "material"], choices: "materials" },
              { token: ["layers", n, "thickness"], unit: "1 m", empty: "for ever" },
            ]),
          ] as Word[])
        : []),
      ...(lit ? ([{ grow: ["layers"], to: withLayer, says: "layer below" }] as Word[]) : []),
      ...((s.layers as Step[] | undefined)?.length
        ? ([
            { grow: ["layers"], to: (list) => list.slice(0, -1), says: "take the lowest away" },
          ] as Word[])
        : []),
    ],
  }),
  plan: (s) => ({
    title: "Plan",
    words: [
      { token: ["engine"], choices: ["auto", "moments", "transient"] },
      "engine, from",
      t("f_start", "1 Hz"),
      "to",
      t("f_stop", "1 Hz"),
      ",",
      t("points", "1"),
      "points,",
      { token: ["spacing"], choices: ["linear", "logarithmic"] },
      ";",
      ...(s.engine === "moments"
        ? []
        : ([
            "on a grid",
            t("cells_per_wavelength", "1"),
            "cells per wavelength and",
            t("cells_per_detail", "1"),
            "per detail of metal,",
            "until the energy has fallen by",
            t("decay", "1"),
            "dB or for",
            t("longest", "1"),
            "pulse lengths; the pulse covers",
            { token: ["pulse_start"], unit: "1 Hz", empty: "the band" },
            "to",
            { token: ["pulse_stop"], unit: "1 Hz", empty: "the band’s end" },
            ";",
          ] as Word[])),
      "in",
      t("rounds", "1"),
      String(s.rounds ?? "3") === "1" ? "round;" : "rounds, which tell the error;",
      ...(s.engine === "transient"
        ? []
        : ([
            "on wires",
            { token: ["sampling"], choices: ["adaptive", "every"] },
            "sampling to",
            t("tolerance", "1"),
            ",",
            t("segments_per_wavelength", "1"),
            "segments per wavelength",
          ] as Word[])),
    ],
  }),
};

function plain(word: Word): Word {
  return typeof word === "string" || "pick" in word || "grow" in word
    ? word
    : { ...word, unit: "1" };
}

type Fresh = { chapter: string; group: string; label: string; step: Step };
const fresh = (chapter: string, group: string, label: string, step: Step): Fresh => ({
  chapter,
  group,
  label,
  step,
});
const TRIANGLE = [{ to: ["0", "0"] }, { to: ["40 mm", "0"] }, { to: ["0", "30 mm"] }];

/** What a new step of each kind starts as; the groups order menus. */
export const FRESH: Record<string, Fresh> = {
  wire: fresh("parts", "Wires", "Wire", {
    kind: "wire",
    name: "wire",
    start: ["0", "0", "0"],
    end: ["0", "0", "100 mm"],
    radius: "1 mm",
  }),
  polyline: fresh("parts", "Wires", "Bent wire", {
    kind: "polyline",
    name: "bent wire",
    points: [
      ["0", "0", "0"],
      ["0", "0", "50 mm"],
      ["50 mm", "0", "50 mm"],
    ],
    radius: "1 mm",
  }),
  arc: fresh("parts", "Wires", "Arc or circle", {
    kind: "arc",
    name: "arc",
    bend: "50 mm",
    radius: "1 mm",
  }),
  helix: fresh("parts", "Wires", "Helix", {
    kind: "helix",
    name: "helix",
    bend: "50 mm",
    pitch: "30 mm",
    turns: "3",
    radius: "1 mm",
  }),
  rectangle: fresh("parts", "Sheets", "Rectangle", {
    kind: "rectangle",
    name: "sheet",
    corner: ["-20 mm", "-15 mm", "0"],
    size: ["40 mm", "30 mm"],
    axis: "z",
    material: "copper",
  }),
  disc: fresh("parts", "Sheets", "Disc or ring", {
    kind: "disc",
    name: "disc",
    centre: ["0", "0", "0"],
    radius: "20 mm",
    inner: "0",
    axis: "z",
    material: "copper",
  }),
  polygon: fresh("parts", "Sheets", "Polygon", {
    kind: "polygon",
    name: "polygon",
    outline: TRIANGLE,
    base: "0",
    material: "copper",
  }),
  formula: fresh("parts", "Sheets", "Curved sheet", {
    kind: "formula",
    name: "taper",
    base: "0",
    material: "copper",
    pieces: [
      { x: "t * 30 mm", y: "1 mm * exp(2 * t)", start: "0", stop: "1", points: "33" },
      { x: "30 mm * (1 - t)", y: "0 mm", start: "0", stop: "1", points: "2" },
    ],
  }),
  face: fresh("parts", "Sheets", "Face of a solid", {
    kind: "face",
    name: "face",
    source: "",
    pick: { near: ["0", "0", "0"] },
    material: "copper",
  }),
  box: fresh("parts", "Solids", "Box", {
    kind: "box",
    name: "box",
    corner: ["-20 mm", "-15 mm", "0"],
    size: ["40 mm", "30 mm", "10 mm"],
    material: "FR4",
  }),
  cylinder: fresh("parts", "Solids", "Cylinder or tube", {
    kind: "cylinder",
    name: "cylinder",
    centre: ["0", "0", "0"],
    radius: "10 mm",
    inner: "0",
    height: "20 mm",
    axis: "z",
    material: "perfect",
  }),
  cone: fresh("parts", "Solids", "Cone", {
    kind: "cone",
    name: "cone",
    centre: ["0", "0", "0"],
    radius: "10 mm",
    top: "0",
    height: "20 mm",
    axis: "z",
    material: "perfect",
  }),
  sphere: fresh("parts", "Solids", "Sphere", {
    kind: "sphere",
    name: "sphere",
    centre: ["0", "0", "0"],
    radius: "15 mm",
    material: "perfect",
  }),
  ellipsoid: fresh("parts", "Solids", "Ellipsoid", {
    kind: "ellipsoid",
    name: "ellipsoid",
    centre: ["0", "0", "0"],
    radii: ["10 mm", "15 mm", "20 mm"],
    material: "perfect",
  }),
  torus: fresh("parts", "Solids", "Torus", {
    kind: "torus",
    name: "torus",
    centre: ["0", "0", "0"],
    bend: "20 mm",
    radius: "4 mm",
    axis: "z",
    material: "perfect",
  }),
  wedge: fresh("parts", "Solids", "Wedge", {
    kind: "wedge",
    name: "wedge",
    corner: ["0", "0", "0"],
    size: ["30 mm", "20 mm", "10 mm"],
    top: "0",
    material: "perfect",
  }),
  prism: fresh("parts", "Solids", "Prism", {
    kind: "prism",
    name: "prism",
    outline: TRIANGLE,
    base: "0",
    height: "5 mm",
    material: "perfect",
  }),
  revolve: fresh("parts", "Solids", "Turned body", {
    kind: "revolve",
    name: "turned body",
    outline: [{ to: ["5 mm", "0"] }, { to: ["20 mm", "0"] }, { to: ["5 mm", "30 mm"] }],
    angle: "360 deg",
    material: "perfect",
  }),
  loft: fresh("parts", "Solids", "Loft", {
    kind: "loft",
    name: "loft",
    sections: [
      { at: ["0", "0", "0"], width: "20 mm", height: "10 mm" },
      { at: ["0", "0", "40 mm"], width: "50 mm", height: "40 mm" },
    ],
    material: "perfect",
  }),
  rod: fresh("parts", "Solids", "Rod", {
    kind: "rod",
    name: "rod",
    points: [
      ["0", "0", "0"],
      ["0", "0", "40 mm"],
      ["40 mm", "0", "40 mm"],
    ],
    radius: "2 mm",
    bend: "8 mm",
    material: "perfect",
  }),
  bar: fresh("parts", "Solids", "Bar of any profile", {
    kind: "rod",
    name: "bar",
    points: [
      ["0", "0", "0"],
      ["40 mm", "0", "0"],
      ["40 mm", "40 mm", "0"],
    ],
    outline: [
      { to: ["-2 mm", "-1 mm"] },
      { to: ["2 mm", "-1 mm"] },
      { to: ["2 mm", "1 mm"] },
      { to: ["-2 mm", "1 mm"] },
    ],
    bend: "8 mm",
    material: "perfect",
  }),
  coil: fresh("parts", "Solids", "Coil", {
    kind: "coil",
    name: "coil",
    centre: ["0", "0", "0"],
    bend: "10 mm",
    pitch: "5 mm",
    turns: "4",
    radius: "1 mm",
    material: "copper",
  }),
  dish: fresh("parts", "Solids", "Dish", {
    kind: "dish",
    name: "dish",
    centre: ["0", "0", "0"],
    focus: "100 mm",
    diameter: "240 mm",
    thickness: "0",
    material: "aluminium",
  }),
  combine: fresh("parts", "Changes", "Fuse, cut, intersect, imprint", {
    kind: "combine",
    name: "combined",
    operation: "fuse",
    first: "",
    others: [""],
  }),
  thicken: fresh("parts", "Changes", "Thicken a sheet", {
    kind: "thicken",
    name: "thick",
    source: "",
    thickness: "1 mm",
  }),
  edges: fresh("parts", "Changes", "Round or chamfer edges", {
    kind: "edges",
    name: "softened",
    source: "",
    operation: "round",
    size: "1 mm",
    picks: [],
  }),
  copy: fresh("parts", "Changes", "Copy of a part", {
    kind: "copy",
    name: "copy",
    source: "",
    operation: "move",
    by: ["100 mm", "0", "0"],
  }),
  frame: fresh("frames", "Build", "Frame", {
    kind: "frame",
    name: "frame",
    origin: ["0", "0", "0"],
  }),
  conductor: fresh("materials", "Materials", "Conductor", {
    kind: "conductor",
    name: "conductor",
    conductivity: "1e7 S/m",
  }),
  dielectric: fresh("materials", "Materials", "Medium", {
    kind: "dielectric",
    name: "medium",
    permittivity: "3",
    loss_tangent: "0.01",
    conductivity: "0 S/m",
    permeability: "1",
  }),
  dispersive: fresh("materials", "Materials", "Dispersive medium", {
    kind: "dispersive",
    name: "dispersive",
    permittivity: "5",
    conductivity: "0 S/m",
    debye: [{ strength: "70", time: "8 ps" }],
  }),
  table: fresh("materials", "Materials", "Tabulated medium", {
    kind: "table",
    name: "tabulated",
    rows: [
      ["1 GHz", "5", "0.2"],
      ["2 GHz", "4.8", "0.25"],
      ["5 GHz", "4.4", "0.3"],
    ],
  }),
  gap: fresh("feeds", "Feeds", "Gap feed", { kind: "gap", number: 1, part: "", at: "0.5" }),
  line: fresh("feeds", "Feeds", "Line feed", {
    kind: "line",
    number: 1,
    centre: ["0", "0", "0"],
    towards: "+x",
    modes: "1",
    shift: "0",
    amplitude: "1",
    phase: "0",
  }),
  dipole: fresh("feeds", "Feeds", "Point dipole", {
    kind: "dipole",
    number: 1,
    centre: ["0", "0", "0"],
    along: ["0", "0", "1"],
    moment: "electric",
    amplitude: "1",
    phase: "0",
  }),
  guide: fresh("feeds", "Feeds", "Guide feed", {
    kind: "guide",
    number: 1,
    centre: ["0", "0", "0"],
    towards: "+x",
    modes: "1",
    shift: "0",
    amplitude: "1",
    phase: "0",
  }),
  series: fresh("loads", "Feeds", "Load", {
    kind: "series",
    name: "load",
    part: "",
    at: "0.5",
    resistance: "50 ohm",
  }),
  parallel: fresh("loads", "Feeds", "Parallel load", {
    kind: "parallel",
    name: "load",
    part: "",
    at: "0.5",
    inductance: "10 nH",
    capacitance: "1 pF",
  }),
  plane_wave: fresh("illuminations", "Feeds", "Plane wave", {
    kind: "plane_wave",
    name: "wave",
    travels: ["0", "0", "-1"],
    electric: ["1", "0", "0"],
    amplitude: "1 V/m",
    phase: "0",
  }),
  gaussian_beam: fresh("illuminations", "Feeds", "Gaussian beam", {
    kind: "gaussian_beam",
    name: "beam",
    travels: ["0", "0", "-1"],
    electric: ["1", "0", "0"],
    focus: ["0", "0", "0"],
    waist: "100 mm",
    amplitude: "1 V/m",
    phase: "0",
  }),
  fine_box: fresh("refinements", "Grid", "Finer cells in a box", {
    kind: "fine_box",
    name: "fine box",
    corner: ["-5 mm", "-5 mm", "-5 mm"],
    size: ["10 mm", "10 mm", "10 mm"],
    cell: "0.5 mm",
  }),
  fine_part: fresh("refinements", "Grid", "Finer cells at a part", {
    kind: "fine_part",
    name: "fine part",
    part: "",
    cell: "0.5 mm",
  }),
  far_field: fresh("captures", "Captures", "Far field", { kind: "far_field", name: "far field" }),
  near_point: fresh("captures", "Captures", "Near field at a point", {
    kind: "near_point",
    name: "point",
    point: ["100 mm", "0", "0"],
  }),
  near_line: fresh("captures", "Captures", "Near field on a line", {
    kind: "near_line",
    name: "line",
    start: ["10 mm", "0", "0"],
    end: ["300 mm", "0", "0"],
  }),
  near_plane: fresh("captures", "Captures", "Near field on a plane", {
    kind: "near_plane",
    name: "plane",
    corner: ["-200 mm", "5 mm", "-200 mm"],
    along: ["400 mm", "0", "0"],
    across: ["0", "0", "400 mm"],
  }),
  near_box: fresh("captures", "Captures", "Near field in a box", {
    kind: "near_box",
    name: "box",
    corner: ["-50 mm", "-50 mm", "0"],
    size: ["100 mm", "100 mm", "50 mm"],
  }),
  power_flux: fresh("captures", "Captures", "Power through a rectangle", {
    kind: "power_flux",
    name: "power",
    corner: ["-50 mm", "-50 mm", "50 mm"],
    along: ["100 mm", "0", "0"],
    across: ["0", "100 mm", "0"],
  }),
  surface_current: fresh("captures", "Captures", "Current on surfaces", {
    kind: "surface_current",
    name: "surface current",
  }),
  scattered_cut: fresh("captures", "Captures", "Radar cross-section all round", {
    kind: "scattered_cut",
    name: "scattered",
    phi: "0",
    step: "2 deg",
  }),
  point_trace: fresh("captures", "Captures", "Signal at a point", {
    kind: "point_trace",
    name: "signal",
    point: ["0", "0", "50 mm"],
  }),
  far_trace: fresh("captures", "Captures", "Signal far away", {
    kind: "far_trace",
    name: "far signal",
    theta: "90 deg",
    phi: "0",
    distance: "1 m",
  }),
  snapshots: fresh("captures", "Captures", "Snapshots in time", {
    kind: "snapshots",
    name: "snapshots",
    corner: ["-50 mm", "-50 mm", "20 mm"],
    along: ["100 mm", "0", "0"],
    across: ["0", "100 mm", "0"],
    interval: "50 ps",
  }),
};

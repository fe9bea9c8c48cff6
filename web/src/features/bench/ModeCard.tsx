import * as Popover from "@radix-ui/react-popover";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import type { Packet } from "../../api/client";
import { modeStudy } from "../../api/queries";
import type { Examination, Step } from "../../api/types";
import { C0, number, quantity, scaled } from "../../format";
import { LinePlot } from "../../plots/LinePlot";
import { exportCsv } from "../../plots/export";
import { magnitude, series } from "../../plots/scale";
import { certain, uncertain } from "../readout/values";
import { useBench } from "./model";
import { CLEAR_OF_SOLVE } from "./popovers";

const SHOWN = 3,
  MOST = 8;
const ARROWS = 11; // along the longer side of a picture
const VALUES = [
  "index_re",
  "index_im",
  "impedance_re",
  "impedance_im",
  "index_error",
  "impedance_error",
];
/** As the command line writes them. */
const COLUMNS = [
  "frequency_hz",
  "mode",
  "index_re",
  "index_im",
  "impedance_re_ohm",
  "impedance_im_ohm",
  "index_error",
  "impedance_error_ohm",
];

/** The modes that a line or guide feed looks at, before any run. */
export function ModeCard({
  number: feed,
  step,
  examination,
}: {
  number: number;
  step: Step;
  examination: Examination;
}) {
  return (
    <Popover.Root>
      <Popover.Trigger className="text-[12.500px] text-heron hover:underline">
        Modes of its opening
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          side="right"
          align="start"
          sideOffset={12}
          collisionPadding={CLEAR_OF_SOLVE}
          aria-label="Modes"
          className="z-20 max-h-[calc(100vh-98px)] w-[33rem] overflow-y-auto rounded-lg border border-rule bg-card p-4 shadow-xl"
        >
          <Modes feed={feed} asked={Number(step.modes ?? 1)} band={examination.band!} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

const HOLLOW = /^T[EM]$/;

function Modes({ feed, asked, band }: { feed: number; asked: number; band: [number, number] }) {
  const document = useBench((s) => s.document)!;
  const projectId = useBench((s) => s.projectId);
  const [chosen, setChosen] = useState(0);
  const [at, setAt] = useState<number | null>(null);
  const { data, error, isPlaceholderData } = useQuery(
    modeStudy(
      document,
      projectId,
      feed,
      at,
      Math.min(MOST, Math.max(SHOWN, (Number.isInteger(asked) ? asked : 1) + 1)),
    ),
  );
  if (error) return <p className="text-rust">{error.message}.</p>;
  if (!data) return <p className="text-ink2">Solving the opening…</p>;
  const {
    kinds,
    at_hz: now,
    cut_off_hz: cuts,
    port,
    axes,
    share,
  } = data.header as {
    kinds: string[];
    at_hz: number;
    cut_off_hz: (number | null)[];
    share: number;
    port: number;
    axes: string[];
  };
  const f = Array.from(data.arrays.frequency!.data),
    count = kinds.length;
  const near = f.reduce(
    (best, v, i) => (Math.abs(v - now) < Math.abs(f[best]! - now) ? i : best),
    0,
  );
  const value = (what: string, row: number, mode: number): number =>
    data.arrays[what]?.data[row * count + mode] ?? NaN;
  const known = data.arrays.index_error !== undefined;
  const travels = (row: number, mode: number): boolean =>
    value("index_re", row, mode) > -value("index_im", row, mode);
  // modes of hollow guides are told by their phase constant, those of lines by their index
  const hollow = kinds.some((k) => HOLLOW.test(k)) && !kinds.some((k) => !HOLLOW.test(k));
  const scale = (row: number): number => (hollow ? (2 * Math.PI * f[row]!) / C0 : 1);
  const shown = (row: number, mode: number, words: typeof uncertain): string =>
    words(
      value("index_re", row, mode) * scale(row),
      value("index_error", row, mode) * scale(row),
      4,
    ) + (hollow ? " rad/m" : "");
  const [u, v] = [data.arrays.u!.data, data.arrays.v!.data];
  const size = (line: Float32Array): string => quantity(line[line.length - 1]! - line[0]!, "m", 3);
  const flip = axes[0]! > axes[1]!;
  return (
    <>
      <h2 className="font-semibold">Modes at port {port}</h2>
      <p className="mb-2 text-[12px] text-ink2">
        The opening on the grid is {size(flip ? v : u)} along {axes[flip ? 1 : 0]} by{" "}
        {size(flip ? u : v)} along {axes[flip ? 0 : 1]}
        {share < 1 &&
          `, ${share === 0.5 ? "half" : "a quarter"} of the whole: mirror planes stand for the rest`}
        .
      </p>
      <div className="flex gap-4">
        <Picture
          data={data}
          mode={Math.min(chosen, count - 1)}
          flip={flip}
          faded={isPlaceholderData}
        />
        <div className="w-[13.500rem] shrink-0">
          <label className="block text-[12px] text-ink2">
            at {quantity(now, "Hz", 4)}
            <input
              type="range"
              aria-label="Frequency of the fields"
              className="w-full accent-heron"
              min={band[0]}
              max={band[1]}
              step={(band[1] - band[0]) / 100 || 1}
              value={at ?? band[1]}
              onChange={(e) => setAt(Number(e.target.value))}
            />
          </label>
          <dl className="num mt-1 text-[11.500px]">
            <Row name="kind">{kinds[Math.min(chosen, count - 1)]}</Row>
            {travels(near, chosen) ? (
              <>
                <Row name={hollow ? "β" : "effective index"}>{shown(near, chosen, uncertain)}</Row>
                <Row name="guide wavelength">
                  {lengthOf(
                    C0 / now / value("index_re", near, chosen),
                    value("index_error", near, chosen) / value("index_re", near, chosen),
                  )}
                </Row>
                <Row name="impedance">
                  {uncertain(
                    value("impedance_re", near, chosen),
                    value("impedance_error", near, chosen),
                    2,
                  )}{" "}
                  Ω
                </Row>
                <Row name="loss excluding walls">
                  {quantityOfLoss(-value("index_im", near, chosen), now)}
                </Row>
              </>
            ) : (
              <Row name="below cut-off, 1/e depth">
                {quantity(C0 / (2 * Math.PI * now * -value("index_im", near, chosen)), "m", 3)}
              </Row>
            )}
          </dl>
          {!known && (
            <p className="mt-1 text-[11.500px] text-ink2">
              How far off these are is not known: the plan asks for one round, or coarser cells are
              too coarse for this opening.
            </p>
          )}
        </div>
      </div>
      <table className="num mt-2 w-full text-[12px]">
        <thead>
          <tr className="text-left text-ink2">
            <th className="font-normal">mode</th>
            <th className="font-normal">kind</th>
            <th className="font-normal">cut-off</th>
            <th className="font-normal">
              {hollow ? "β" : "index"} at {quantity(f[0]!, "Hz", 3)} to{" "}
              {quantity(f[f.length - 1]!, "Hz", 3)}
            </th>
          </tr>
        </thead>
        <tbody>
          {kinds.map((kind, m) => (
            <tr key={m} className={m === chosen ? "bg-heron-soft" : ""}>
              <td>
                <button
                  type="button"
                  aria-pressed={m === chosen}
                  className="text-heron hover:underline"
                  onClick={() => setChosen(m)}
                >
                  {m + 1}
                  {m < asked ? ` · port ${port + m}` : ""}
                </button>
              </td>
              <td>{kind}</td>
              <td>{cuts[m] === null ? "not known" : quantity(cuts[m]!, "Hz", 4)}</td>
              <td>
                {[
                  ...new Set(
                    [0, f.length - 1].map((row) =>
                      travels(row, m) ? shown(row, m, certain) : "below cut-off",
                    ),
                  ),
                ].join(" to ")}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="mt-2 h-36">
        <LinePlot
          curves={kinds
            .map((_, m) => ({
              x: f,
              y: f.map((_, row) =>
                travels(row, m) ? value("index_re", row, m) * scale(row) : null,
              ),
              ...series(m),
              label: `mode ${m + 1}`,
            }))
            .filter((c) => c.y.some((y) => y !== null))}
          x={scaled(f[f.length - 1]!, "Hz")}
          y={
            hollow
              ? { unit: "rad/m", label: "β", ticks: 3 }
              : { unit: "", label: "effective index", ticks: 3 }
          }
          labels
        />
      </div>
      <button
        type="button"
        className="mt-1 text-[12.500px] text-heron hover:underline"
        onClick={() =>
          exportCsv(
            `modes-port-${port}`,
            COLUMNS,
            f.flatMap((hz, row) =>
              kinds.map((_, m) => [hz, m + 1, ...VALUES.map((what) => value(what, row, m))]),
            ),
          )
        }
      >
        Save as CSV
      </button>
    </>
  );
}

/** A length in m with the digits that its relative error allows. */
function lengthOf(length: number, relative: number): string {
  const { unit, factor } = scaled(length, "m");
  return `${certain(length / factor, (relative * length) / factor, 2)} ${unit}`;
}

const Row = ({ name, children }: { name: string; children: React.ReactNode }) => (
  <div className="flex justify-between gap-2">
    <dt className="text-ink2">{name}</dt>
    <dd>{children}</dd>
  </div>
);

/** Of a decaying index, dB per metre. */
const quantityOfLoss = (decay: number, f: number): string =>
  `${number((Math.max(0, decay) * ((2 * Math.PI * f) / C0) * 20) / Math.LN10, 3)} dB/m`;

/** |E| in every cell of the opening and its direction, at the moment when it is strongest; the horizontal axis is the earlier letter. */
function Picture({
  data,
  mode,
  flip,
  faded,
}: {
  data: Packet;
  mode: number;
  flip: boolean;
  faded: boolean;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const drawing = useMemo(() => laidOut(data, mode, flip), [data, mode, flip]);
  const [width, height] = [drawing.wide * drawing.scale, drawing.tall * drawing.scale];
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context) return;
    const dense = window.devicePixelRatio || 1;
    canvas.current!.width = width * dense;
    canvas.current!.height = height * dense;
    context.setTransform(dense, 0, 0, dense, 0, 0);
    for (const { x, y, w, h, level } of drawing.cells) {
      context.fillStyle = magnitude(Math.sqrt(level)); // as the arrows are long
      context.fillRect(x, y, w + 0.6, h + 0.6);
    }
    context.lineWidth = 1.3;
    for (const { x, y, dx, dy, light } of drawing.arrows) {
      context.strokeStyle = light ? DARK : LIGHT;
      const long = Math.hypot(dx, dy),
        [a, b] = [dx / long, dy / long];
      context.beginPath();
      context.moveTo(x - dx / 2, y - dy / 2);
      context.lineTo(x + dx / 2, y + dy / 2);
      context.moveTo(x + dx / 2 - 4 * a + 2 * b, y + dy / 2 - 4 * b - 2 * a);
      context.lineTo(x + dx / 2, y + dy / 2);
      context.lineTo(x + dx / 2 - 4 * a - 2 * b, y + dy / 2 - 4 * b + 2 * a);
      context.stroke();
    }
  }, [drawing, width, height]);
  return (
    <canvas
      ref={canvas}
      role="img"
      aria-label={`Electric field of mode ${mode + 1}`}
      style={{ width, height }}
      className={`shrink-0 self-center border border-rule bg-paper ${faded ? "opacity-60" : ""}`}
    />
  );
}

const [DARK, LIGHT] = ["#22313f", "#fbf8f0"]; // on the two ends of the ramp, in either theme
const ROOM = 250; // px of the longer side, and no more than 200 of the height

interface Drawing {
  wide: number;
  tall: number;
  scale: number;
  cells: { x: number; y: number; w: number; h: number; level: number }[];
  arrows: {
    x: number;
    y: number;
    dx: number;
    dy: number;
    /** What it lies on. */ light: boolean;
  }[];
}

/** Cells and arrows of a mode in pixels. */
export function laidOut(data: Pick<Packet, "arrays">, mode: number, flip: boolean): Drawing {
  const {
    u,
    v,
    field_re: re,
    field_im: im,
    inside,
  } = data.arrays as Record<string, { shape: number[]; data: Float32Array }>;
  const [, na, nb] = re!.shape as [number, number, number, number];
  const [across, up] = flip ? [v!.data, u!.data] : [u!.data, v!.data];
  const [wide, tall] = [across[across.length - 1]! - across[0]!, up[up.length - 1]! - up[0]!];
  const scale = Math.min(ROOM / wide, 200 / tall);
  const cells: Drawing["cells"] = [];
  const vectors: { x: number; y: number; ex: number; ey: number }[] = [];
  for (let i = 0; i < na; i++)
    for (let j = 0; j < nb; j++) {
      if (!inside!.data[i * nb + j]) continue;
      const at = ((mode * na + i) * nb + j) * 2;
      const [p, q] = flip ? [j, i] : [i, j];
      const [h, g] = flip ? [1, 0] : [0, 1];
      const x = (across[p]! - across[0]!) * scale,
        w = (across[p + 1]! - across[p]!) * scale;
      const bottom = (up[q]! - up[0]!) * scale,
        h_ = (up[q + 1]! - up[q]!) * scale;
      const level = Math.hypot(re!.data[at]!, re!.data[at + 1]!, im!.data[at]!, im!.data[at + 1]!);
      cells.push({ x, y: tall * scale - bottom - h_, w, h: h_, level });
      vectors.push({
        x: x + w / 2,
        y: tall * scale - bottom - h_ / 2,
        ex: re!.data[at + h]!,
        ey: re!.data[at + g]!,
      });
    }
  // One arrow in each square of an even raster: that of the cell nearest to its middle.
  const side = (Math.max(wide, tall) * scale) / ARROWS;
  const nearest = new Map<string, (typeof vectors)[number]>();
  const off = (p: { x: number; y: number }): number =>
    Math.hypot(((p.x / side) % 1) - 0.5, ((p.y / side) % 1) - 0.5);
  for (const p of vectors) {
    const key = `${Math.floor(p.x / side)},${Math.floor(p.y / side)}`,
      before = nearest.get(key);
    if (!before || off(p) < off(before)) nearest.set(key, p);
  }
  const arrows = [...nearest.values()]
    .filter((p) => Math.hypot(p.ex, p.ey) > 0.06)
    .map((p) => {
      const strong = Math.hypot(p.ex, p.ey),
        long = side * 0.85 * Math.sqrt(strong);
      const [x, y] = [p.x, p.y].map((v) => (Math.floor(v / side) + 0.5) * side) as [number, number];
      return { x, y, dx: (p.ex / strong) * long, dy: (-p.ey / strong) * long, light: strong > 0.3 };
    });
  return { wide, tall, scale, cells, arrows };
}

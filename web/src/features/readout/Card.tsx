import * as Menu from "@radix-ui/react-dropdown-menu";
import { type ReactNode, createContext, useContext, useEffect, useRef } from "react";
import type { CardEntry } from "../../api/types";
import { SightContext, useAt, useCursor } from "../../app/cursor";
import { exportCsv, exportPng, exportSvg } from "../../plots/export";
import { Animate, type Frames } from "./animate";
import { useDesk } from "./context";

export interface Table {
  columns: string[];
  rows: (number | null)[][];
}
export interface Badge {
  text: string;
  hint?: string;
  good?: boolean;
  bad?: boolean;
  onClick?: () => void;
}
interface Props {
  title: string;
  note?: ReactNode;
  badges?: Badge[];
  /** Verdicts at the cursor. */ live?: (cursor: number) => Badge[];
  table?: () => Table;
  markers?: boolean;
  frames?: Frames;
  extra?: [string, () => void][];
  children: ReactNode;
}

/** What the page does with the card that stands in this frame. */
export interface Frame {
  entry: CardEntry;
  resize: (width: number, height: number) => void;
  duplicate: () => void;
  remove: () => void;
  move: (by: number) => void;
  drop: (id: string) => void;
  set: (settings: CardEntry["settings"]) => void;
}
export const FrameContext = createContext<Frame | null>(null);

const ROW = 336,
  GAP = 12;
const DRAGGED = "application/x-odd-heron-card";

/** One view of the ticked runs: title, verdicts, plot, and ways to take it away, size and move it. */
export function Card({
  title,
  note,
  badges = [],
  live,
  table,
  markers,
  frames,
  extra = [],
  children,
}: Props) {
  const ref = useRef<HTMLElement>(null);
  const frame = useContext(FrameContext),
    sight = useContext(SightContext);
  const desk = useDesk();
  useEffect(() => {
    if (!sight || !ref.current) return;
    const eye = new IntersectionObserver((entries) => sight.see(entries.at(-1)!.isIntersecting));
    eye.observe(ref.current);
    return () => eye.disconnect();
  }, [sight]);
  const width = frame?.entry.width ?? 1,
    height = frame?.entry.height ?? 1;
  const file = title
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-|-$/g, "");
  const item =
    "cursor-pointer rounded px-2 py-1 outline-none data-[highlighted]:bg-heron-soft data-[disabled]:opacity-40";
  const line = <Menu.Separator className="my-1 h-px bg-faint" />;
  return (
    <section
      ref={ref}
      aria-label={title}
      data-card={frame?.entry.id}
      style={{
        gridColumn: `span ${width}`,
        gridRow: `span ${height}`,
        height: ROW * height + GAP * (height - 1),
      }}
      className="group/card flex min-w-0 flex-col [contain:layout_paint] overflow-hidden rounded-lg border border-rule bg-card px-3 pb-2 pt-2.5 print:break-inside-avoid"
      onDragOver={(e) => {
        if (e.dataTransfer.types.includes(DRAGGED)) e.preventDefault();
      }}
      onDrop={(e) => {
        const id = e.dataTransfer.getData(DRAGGED);
        if (id) frame?.drop(id);
      }}
    >
      <header
        className="flex items-start gap-2"
        draggable={desk.writable}
        onDragStart={(e) => {
          if (frame) e.dataTransfer.setData(DRAGGED, frame.entry.id);
        }}
      >
        <div className="flex min-w-0 flex-1 flex-wrap items-baseline gap-x-2">
          <h2 className={`whitespace-nowrap font-semibold ${desk.writable ? "cursor-grab" : ""}`}>
            {title}
          </h2>
          <span className="min-w-0 text-[11.500px] text-ink2">{note}</span>
        </div>
        <Menu.Root>
          <Menu.Trigger
            aria-label={`${title}: card`}
            className="rounded px-1 text-ink2 hover:bg-heron-soft print:hidden"
          >
            ⋯
          </Menu.Trigger>
          <Menu.Portal>
            <Menu.Content
              align="end"
              className="z-20 max-h-[70vh] min-w-44 overflow-y-auto rounded-md border border-rule bg-card p-1 shadow-lg"
            >
              <Menu.Item
                className={item}
                onSelect={() => ref.current && exportPng(ref.current, file)}
              >
                Save as PNG
              </Menu.Item>
              <Menu.Item
                className={item}
                onSelect={() => ref.current && exportSvg(ref.current, file)}
              >
                Save as SVG
              </Menu.Item>
              {table && (
                <Menu.Item
                  className={item}
                  onSelect={() => {
                    const t = table();
                    exportCsv(file, t.columns, t.rows);
                  }}
                >
                  Save as CSV
                </Menu.Item>
              )}
              <Animate card={ref} file={file} frames={frames} className={item} />
              {extra.map(([label, act]) => (
                <Menu.Item key={label} className={item} onSelect={act}>
                  {label}
                </Menu.Item>
              ))}
              {markers && desk.writable && frame && (
                <>
                  {line}
                  <Menu.Item
                    className={item}
                    onSelect={() => desk.addMarker(frame.entry.id, "at", useCursor.getState().at)}
                  >
                    Marker at the cursor
                  </Menu.Item>
                  <Menu.Item
                    className={item}
                    onSelect={() => desk.addMarker(frame.entry.id, "minimum")}
                  >
                    Marker at the minimum
                  </Menu.Item>
                  <Menu.Item
                    className={item}
                    onSelect={() => desk.addMarker(frame.entry.id, "maximum")}
                  >
                    Marker at the maximum
                  </Menu.Item>
                  <Menu.Item
                    className={item}
                    onSelect={() =>
                      desk.addMarker(frame.entry.id, "crossing", useCursor.getState().at)
                    }
                  >
                    Marker at a crossing…
                  </Menu.Item>
                </>
              )}
              {frame && desk.writable && (
                <>
                  {line}
                  <Menu.Item
                    className={item}
                    disabled={width > 2}
                    onSelect={() => frame.resize(width + 1, height)}
                  >
                    Wider
                  </Menu.Item>
                  <Menu.Item
                    className={item}
                    disabled={width < 2}
                    onSelect={() => frame.resize(width - 1, height)}
                  >
                    Narrower
                  </Menu.Item>
                  <Menu.Item
                    className={item}
                    disabled={height > 2}
                    onSelect={() => frame.resize(width, height + 1)}
                  >
                    Taller
                  </Menu.Item>
                  <Menu.Item
                    className={item}
                    disabled={height < 2}
                    onSelect={() => frame.resize(width, height - 1)}
                  >
                    Shorter
                  </Menu.Item>
                  <Menu.Item className={item} onSelect={() => frame.move(-1)}>
                    Earlier
                  </Menu.Item>
                  <Menu.Item className={item} onSelect={() => frame.move(1)}>
                    Later
                  </Menu.Item>
                  <Menu.Item className={item} onSelect={frame.duplicate}>
                    Duplicate
                  </Menu.Item>
                  <Menu.Item className={item} onSelect={frame.remove}>
                    Remove
                  </Menu.Item>
                </>
              )}
            </Menu.Content>
          </Menu.Portal>
        </Menu.Root>
      </header>
      {(badges.length > 0 || live) && (
        <ul className="mt-1 flex max-h-[63px] flex-wrap gap-x-1.5 gap-y-[3px] overflow-hidden">
          <Badges list={badges} />
          {live && <LiveBadges of={live} />}
        </ul>
      )}
      <div className="mt-1.5 min-h-0 flex-1">{children}</div>
    </section>
  );
}

function Badges({ list }: { list: Badge[] }) {
  return list.map((b, i) => {
    const tone = `num block max-w-full rounded px-1.5 text-[11.500px] leading-[19px] ${b.good ? "bg-moss-soft" : b.bad ? "bg-rust-soft" : "bg-faint"}`;
    return (
      <li key={i} className="max-w-full overflow-hidden">
        {b.onClick ? (
          <button
            type="button"
            title={b.hint}
            className={`${tone} underline decoration-dotted underline-offset-2`}
            onClick={b.onClick}
          >
            {b.text}
          </button>
        ) : (
          <span title={b.hint} className={tone}>
            {b.text}
          </span>
        )}
      </li>
    );
  });
}

/** Only these are drawn anew with every step of the cursor. */
const LiveBadges = ({ of }: { of: (cursor: number) => Badge[] }) => <Badges list={of(useAt())} />;

/** A small choice beside a card's title. */
export function Choice<T extends string>({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: T;
  options: readonly (readonly [T, string])[];
  onChange: (v: T) => void;
}) {
  return (
    <select
      aria-label={label}
      className="max-w-36 cursor-pointer bg-transparent [field-sizing:content]"
      value={value}
      onChange={(e) => onChange(e.target.value as T)}
    >
      {options.map(([v, text]) => (
        <option key={v} value={v} className="bg-card">
          {text}
        </option>
      ))}
    </select>
  );
}

/** Which run is shown, where several are ticked. */
export function RunChoice({
  run,
  runs,
  choose,
}: {
  run: { line: { number: number } };
  runs: [string, string][];
  choose: (v: string) => void;
}) {
  return runs.length > 1 ? (
    <>
      {" "}
      · <Choice label="Run" value={String(run.line.number)} options={runs} onChange={choose} />
    </>
  ) : null;
}

/** A small number beside a card's title, with its unit. */
export function Value({
  label,
  value,
  unit,
  onChange,
}: {
  label: string;
  value: number;
  unit: string;
  onChange: (v: number) => void;
}) {
  return (
    <label className="whitespace-nowrap">
      {label}{" "}
      <input
        type="number"
        aria-label={label}
        className="num w-11 border-b border-faint bg-transparent text-right"
        value={value}
        onChange={(e) => {
          const v = Number(e.target.value);
          if (e.target.value !== "" && Number.isFinite(v)) onChange(v);
        }}
      />
      {unit}
    </label>
  );
}

export const Nothing = ({ children }: { children: ReactNode }) => (
  <p className="pt-2 text-ink2">{children}</p>
);

/** A plot without a legend of its own, under one: each label once. */
export function WithLegend({
  lines,
  children,
}: {
  lines: { label?: string; color: string; dash: string }[];
  children: ReactNode;
}) {
  return (
    <div className="flex h-full flex-col">
      <ul className="num flex max-h-9 flex-wrap gap-x-3 overflow-hidden text-[11px] text-ink2">
        {lines
          .filter((l, i) => lines.findIndex((o) => o.label === l.label) === i)
          .map((l, i) => (
            <li key={i} className="flex items-center gap-1 whitespace-nowrap">
              <svg width="18" height="6" aria-hidden>
                <line
                  x2="18"
                  y1="3"
                  y2="3"
                  stroke={l.color}
                  strokeDasharray={l.dash}
                  strokeWidth="2"
                />
              </svg>
              {l.label}
            </li>
          ))}
      </ul>
      <div className="min-h-0 flex-1">{children}</div>
    </div>
  );
}

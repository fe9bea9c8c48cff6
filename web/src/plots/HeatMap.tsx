import { useEffect, useRef } from "react";
import { number, quantity } from "../format";
import { RAMP_CSS, SIGNED_CSS, magnitude, signed as diverging } from "./scale";
import { useSize } from "./useSize";

interface Props {
  columns: number;
  rows: number;
  values: ArrayLike<number>;
  low: number;
  high: number;
  width_m: number;
  height_m: number;
  unit: string;
  signed?: boolean;
  /** What runs along and up, instead of sizes. */ sides?: [string, string];
}

/** A plane of values, true to its proportions, with its colour bar and sizes. */
export function HeatMap({
  columns,
  rows,
  values,
  low,
  high,
  width_m,
  height_m,
  unit,
  signed = false,
  sides,
}: Props) {
  const [ref, size] = useSize();
  const canvas = useRef<HTMLCanvasElement>(null);
  const room = { w: size.width - 64, h: size.height - 22 };
  const scale = Math.max(0, Math.min(room.w / width_m, room.h / height_m));
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context) return;
    context.clearRect(0, 0, columns, rows);
    for (let r = 0; r < rows; r++)
      for (let c = 0; c < columns; c++) {
        if (Number.isNaN(values[r * columns + c]!)) continue;
        context.fillStyle = (signed ? diverging : magnitude)(
          (values[r * columns + c]! - low) / (high - low),
        );
        context.fillRect(c, rows - 1 - r, 1, 1);
      }
  }, [columns, rows, values, low, high, scale, signed]);
  const side = (m: number): string => quantity(m, "m", 3);
  return (
    <div
      ref={ref}
      className="num flex h-full w-full items-start justify-center gap-3 text-[10.500px] text-ink2"
    >
      {scale > 0 && (
        <>
          <figure>
            <canvas
              ref={canvas}
              width={columns}
              height={rows}
              style={{ width: width_m * scale, height: height_m * scale }}
              data-plot
            />
            <figcaption className="mt-0.5">
              {sides ? `${sides[0]} →, ${sides[1]} ↑` : `${side(width_m)} × ${side(height_m)}`}
              {unit && ` · ${unit}`}
            </figcaption>
          </figure>
          <div className="flex gap-1.5" style={{ height: height_m * scale }}>
            <span
              className="w-2.5 rounded-sm"
              style={{ background: signed ? SIGNED_CSS : RAMP_CSS }}
            />
            <span className="flex flex-col justify-between whitespace-nowrap">
              <span>{number(high, 3)}</span>
              <span>{number(low, 3)}</span>
            </span>
          </div>
        </>
      )}
    </div>
  );
}

/** The plot library, with the pieces that are used, and a hook that keeps one chart in step with its element and the theme. */
import { LineChart, ScatterChart } from "echarts/charts";
import {
  GridComponent,
  MarkAreaComponent,
  MarkLineComponent,
  PolarComponent,
} from "echarts/components";
import { type EChartsType, init, use as register } from "echarts/core";
import { LabelLayout } from "echarts/features";
import { CanvasRenderer, SVGRenderer } from "echarts/renderers";
import { type RefObject, useEffect, useRef, useState } from "react";
import { useTheme } from "../app/theme";
import { useSize } from "./useSize";

register([
  LineChart,
  ScatterChart,
  GridComponent,
  PolarComponent,
  MarkAreaComponent,
  MarkLineComponent,
  LabelLayout,
  CanvasRenderer,
  SVGRenderer,
]);

export type Chart = EChartsType;
export type Option = Record<string, unknown>;

export const MONO = "IBM Plex Mono, monospace";
export const SMALL = { fontFamily: MONO, fontSize: 10.5 };

/** A token, or a colour with tokens in it, as the canvas needs it: `var(--heron)` becomes its value. */
export function resolved(value: string): string {
  return value.replace(/var\((--[\w-]+)\)/g, (_, name: string) =>
    getComputedStyle(document.documentElement).getPropertyValue(name).trim(),
  );
}

/** Dash pattern of a series as the library takes it. */
export const dashes = (dash: string): "solid" | number[] =>
  dash ? dash.split(" ").map(Number) : "solid";

/** Charts by the element they draw in, for exports. */
export const charts = new WeakMap<HTMLElement, Chart>();

/** A chart in the element that `ref` names; `option` is built anew when its inputs, the theme or the size change. Returns the chart once it is drawn. */
export function useChart(
  build: (width: number, height: number) => Option | null,
  inputs: readonly unknown[],
): {
  outer: RefObject<HTMLDivElement | null>;
  inner: RefObject<HTMLDivElement | null>;
  chart: Chart | null;
  width: number;
  height: number;
} {
  const [outer, { width, height }] = useSize();
  const inner = useRef<HTMLDivElement>(null);
  const [chart, setChart] = useState<Chart | null>(null);
  const theme = useTheme((s) => s.theme);
  const drawable = width > 60 && height > 50;
  useEffect(() => {
    const element = inner.current;
    if (!element || !drawable) return;
    const made = init(element, null, { renderer: "canvas" });
    setChart(made);
    return () => {
      charts.delete(element);
      made.dispose();
      setChart(null);
    };
  }, [drawable]);
  useEffect(() => {
    chart?.resize({ width, height });
  }, [chart, width, height]);
  useEffect(() => {
    if (!chart) return;
    const option = build(width, height);
    if (!option) return;
    chart.setOption({ animation: false, ...option }, { notMerge: true });
    if (inner.current) charts.set(inner.current, chart); // only now is there something to be saved
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the caller lists what the option depends on
  }, [chart, theme, width, height, ...inputs]);
  return { outer, inner, chart, width, height };
}

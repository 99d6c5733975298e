import type { ChartConfiguration, ChartDataset, Plugin } from 'chart.js';
import { formatNumber, withUnit } from '@helk/core';
import { markedSteps, stepLabel, type TimeSteps } from '@helk/core/data/time-steps';
import { axis, themeColour } from './chart-look';

export type Told = (number | null)[];
/** How all places, or a group of them, went. */
export interface Band {
  key: string;
  count: number;
  mean: Told;
  low: Told;
  high: Told;
}
export interface SeriesAnswer {
  series: { row: number; values: Told }[];
  bands: Band[];
}
/** One line of the chart. */
export interface Line {
  label: string;
  values: Told;
  colour: string;
  width: number;
  dash?: number[];
  /** Steps that have a value stand as dots, where they are few or stand alone. */
  dots?: boolean;
}

export interface SeriesChart {
  steps: TimeSteps;
  unit: string | null;
  name: string;
  lines: Line[];
  bands: { label: string; low: Told; high: Told; colour: string }[];
  /** The step that is seen on the map. */
  now: number | null;
  /** Ends of the part that was chosen. */
  window: [number, number] | null;
}

/** Dates below a chart. */
const DATES = 9;

const points = (v: Told): { x: number; y: number }[] => v.map((y, x) => ({ x, y: y ?? NaN }));

/** A line across all steps at the one that is seen, and a wash over the part that was chosen. */
const marks = (c: SeriesChart): Plugin<'line'> => ({
  id: 'moment',
  beforeDatasetsDraw(chart) {
    const { ctx, chartArea: a, scales } = chart;
    const at = (k: number): number => scales['x']!.getPixelForValue(k);
    if (c.window) {
      ctx.fillStyle = themeColour('--act-soft');
      ctx.fillRect(at(c.window[0]), a.top, Math.max(2, at(c.window[1]) - at(c.window[0])), a.bottom - a.top);
    }
    if (c.now !== null) {
      ctx.strokeStyle = themeColour('--act');
      ctx.lineWidth = 1;
      ctx.beginPath();
      ctx.moveTo(at(c.now), a.top);
      ctx.lineTo(at(c.now), a.bottom);
      ctx.stroke();
    }
  },
});

/** Series through time with what surrounds them. */
export function seriesChart(c: SeriesChart): ChartConfiguration<'line', { x: number; y: number }[]> {
  const { steps } = c;
  const all = [...c.lines.map((l) => l.values), ...c.bands.flatMap((b) => [b.low, b.high])].flat();
  const there = all.filter((v): v is number => v !== null);
  const [low, high] = [Math.min(...there), Math.max(...there)];
  const number = (v: number): string => formatNumber(v, high - low || Math.abs(high) || 1);
  const dates = new Map(markedSteps(steps, DATES).map((m) => [m.step, m.text]));
  const quiet = { borderWidth: 0, pointRadius: 0, pointHitRadius: 0 };
  const bands = c.bands.flatMap((b, i): ChartDataset<'line', { x: number; y: number }[]>[] => [
    { ...quiet, label: `\u0000low ${i}`, data: points(b.low), fill: false },
    { ...quiet, label: `\u0000high ${i}`, data: points(b.high), fill: '-1', backgroundColor: b.colour },
  ]);
  const lines = c.lines.map((l): ChartDataset<'line', { x: number; y: number }[]> => ({
    label: l.label,
    data: points(l.values),
    borderColor: l.colour,
    backgroundColor: l.colour,
    borderWidth: l.width,
    ...(l.dash ? { borderDash: l.dash } : {}),
    pointRadius: l.dots ? 2.5 : 0,
    pointHitRadius: 6,
    spanGaps: false,
  }));
  return {
    type: 'line',
    data: { datasets: [...bands, ...lines] },
    options: {
      animation: false,
      maintainAspectRatio: false,
      events: ['mousemove', 'mouseout'],
      layout: { padding: { top: 6, right: 10 } },
      interaction: { mode: 'nearest', intersect: false },
      scales: {
        x: axis('x', '', (v) => dates.get(v) ?? '', {
          min: 0,
          max: Math.max(1, steps.count - 1),
          afterBuildTicks: (scale: { ticks: { value: number }[] }) => {
            scale.ticks = [...dates.keys()].map((value) => ({ value }));
          },
        }),
        y: axis('y', withUnit(c.name, c.unit), number, low >= 0 && low < 0.5 * high ? { beginAtZero: true } : {}),
      },
      plugins: {
        legend: { display: false },
        tooltip: {
          backgroundColor: themeColour('--ink'),
          filter: (t) => !t.dataset.label!.startsWith('\u0000'),
          callbacks: {
            title: (t) => (t[0] ? stepLabel(steps, t[0].parsed.x ?? 0) : ''),
            label: (t) => `${t.dataset.label!}: ${number(t.parsed.y ?? 0)}`,
          },
        },
      },
    },
    plugins: [marks(c)],
  };
}

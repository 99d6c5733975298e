import type { ChartConfiguration, Plugin } from 'chart.js';
import { displayUnit, formatNumber, valueOf, type Column, type Features } from '@helk/core';
import { evaluateOver } from '@helk/core/formula/over-features';
import type { ApiRun } from '@helk/core/api/schemas';
import { axis, NUMBER_FONT, themeColour } from './chart-look';
import { numbersOf } from './column-values';

/** Points drawn at most; what is picked always counts all. */
const MOST_DOTS = 20_000;

/** The column that a run added under a name: the last of those, numbered where the name was taken. */
export const madeColumn = (f: Pick<Features, 'columns'>, name: string): Column | undefined =>
  f.columns.findLast(
    (c) => c.name === name || (c.name.startsWith(`${name}_`) && /^\d+$/.test(c.name.slice(name.length + 1))),
  );

/** A place's value and its neighbours', in standard deviations from the mean; not numbers where either is missing. */
export interface Quarters {
  x: Float64Array;
  y: Float64Array;
  /** The slope of one over the other. */
  slope: number;
  count: number;
  mean: number;
  sd: number;
  unit: string | null;
  /** What x is in words. */
  of: string;
}

/** Value and neighbours of a result of either measure, with the column or formula that was asked of it. */
export function quartersOf(f: Features, run: ApiRun): Quarters | null {
  const asked = String(run.params['column'] ?? '');
  const prefix = String(run.params['prefix'] ?? '');
  const lag = madeColumn(f, `${prefix}lag`);
  const own = madeColumn(f, `${prefix}value`) ?? f.columns.find((c) => c.name === asked);
  if (!lag) return null;
  let v: Float64Array;
  if (own) v = numbersOf(own);
  else {
    const worked = evaluateOver(f, asked);
    if (!(worked instanceof Float64Array)) return null;
    v = worked;
  }
  const l = numbersOf(lag);
  const rows: number[] = [];
  for (let i = 0; i < v.length; i++) if (Number.isFinite(v[i]) && Number.isFinite(l[i])) rows.push(i);
  if (rows.length < 3) return null;
  const mean = rows.reduce((s, i) => s + v[i]!, 0) / rows.length;
  const sd = Math.sqrt(rows.reduce((s, i) => s + (v[i]! - mean) ** 2, 0) / rows.length);
  // Between two variables, the neighbours' are measured by themselves.
  const other = run.params['other'] !== undefined && run.params['other'] !== '';
  const middle = other ? rows.reduce((s, i) => s + l[i]!, 0) / rows.length : mean;
  const spread = other ? Math.sqrt(rows.reduce((s, i) => s + (l[i]! - middle) ** 2, 0) / rows.length) || 1 : sd;
  const [x, y] = [new Float64Array(v.length).fill(NaN), new Float64Array(v.length).fill(NaN)];
  let [xy, xx] = [0, 0];
  for (const i of rows) {
    x[i] = (v[i]! - mean) / sd;
    y[i] = (l[i]! - middle) / spread;
    xy += x[i]! * y[i]!;
    xx += x[i]! * x[i]!;
  }
  return { x, y, slope: xy / xx, count: rows.length, mean, sd, unit: own?.unit ?? null, of: asked };
}

/** The four quarters, by which side of the mean value and neighbours lie. */
export const QUARTERS = [
  {
    id: 'low-high',
    words: 'low among high',
    place: 'top-0.5 left-[64px]',
    has: (x: number, y: number) => x <= 0 && y > 0,
  },
  {
    id: 'high-high',
    words: 'high among high',
    place: 'top-0.5 right-2',
    has: (x: number, y: number) => x > 0 && y > 0,
  },
  {
    id: 'low-low',
    words: 'low among low',
    place: 'bottom-[42px] left-[64px]',
    has: (x: number, y: number) => x <= 0 && y <= 0,
  },
  {
    id: 'high-low',
    words: 'high among low',
    place: 'bottom-[42px] right-2',
    has: (x: number, y: number) => x > 0 && y <= 0,
  },
] as const;

/** The mean of both, across the whole chart. */
const cross: Plugin<'scatter'> = {
  id: 'cross',
  beforeDatasetsDraw(c) {
    const { left, right, top, bottom } = c.chartArea;
    const [x, y] = [c.scales['x']!.getPixelForValue(0), c.scales['y']!.getPixelForValue(0)];
    c.ctx.save();
    c.ctx.strokeStyle = themeColour('--line');
    c.ctx.beginPath();
    c.ctx.moveTo(x, top);
    c.ctx.lineTo(x, bottom);
    c.ctx.moveTo(left, y);
    c.ctx.lineTo(right, y);
    c.ctx.stroke();
    c.ctx.restore();
  },
};

/** Dots in the colours of the map, the picked ones above all others, and the line whose slope is I. */
export function quartersChart(
  q: Quarters,
  colour: (row: number) => string,
  name: (row: number) => string,
  picked: Uint8Array | null,
): ChartConfiguration<'scatter'> {
  const step = Math.max(1, q.count / MOST_DOTS);
  const rows: number[] = [];
  for (let i = 0; i < q.x.length; i++) if (q.x[i] === q.x[i]) rows.push(i);
  const [some, rest]: { x: number; y: number; row: number }[][] = [[], []];
  for (let k = 0; k < rows.length; k += step) {
    const i = rows[Math.floor(k)]!;
    if (!picked?.[i]) rest!.push({ x: q.x[i]!, y: q.y[i]!, row: i });
  }
  if (picked) for (const i of rows) if (picked[i]) some!.push({ x: q.x[i]!, y: q.y[i]!, row: i });
  const radius = q.count > 3000 ? 1.8 : 3.2;
  const [low, high] = rows.reduce(([a, b], i) => [Math.min(a, q.x[i]!), Math.max(b, q.x[i]!)], [Infinity, -Infinity]);
  const [bottom, top] = rows.reduce(
    ([a, b], i) => [Math.min(a, q.y[i]!), Math.max(b, q.y[i]!)],
    [Infinity, -Infinity],
  ) as [number, number];
  const edge = themeColour('--leaf');
  return {
    type: 'scatter',
    data: {
      datasets: [
        {
          data: some!,
          backgroundColor: themeColour('--pick'),
          pointRadius: radius + 2,
          borderColor: edge,
          pointBorderWidth: 1,
          order: 0,
        },
        {
          type: 'line' as 'scatter',
          data: [low!, high!].map((x) => ({ x, y: q.slope * x })),
          borderColor: themeColour('--ink'),
          borderWidth: 1.5,
          showLine: true,
          pointRadius: 0,
          pointHitRadius: 0,
          order: 1,
        },
        {
          data: rest!,
          backgroundColor: rest!.map((p) => colour(p.row)),
          pointRadius: radius,
          borderColor: themeColour('--ink-3'),
          pointBorderWidth: 0.6,
          order: 2,
        },
      ],
    },
    options: {
      animation: false,
      responsive: true,
      maintainAspectRatio: false,
      plugins: {
        legend: { display: false },
        tooltip: {
          displayColors: false,
          filter: (t: { raw: unknown }) => (t.raw as { row?: number }).row !== undefined,
          callbacks: {
            title: () => '',
            label: (t: { raw: unknown }) => {
              const p = t.raw as { x: number; y: number; row: number };
              return `${name(p.row)}: ${formatNumber(q.mean + p.x * q.sd, q.sd * 10)} ${displayUnit(q.unit)}, ${formatNumber(p.x, 10)} s.d.; neighbours ${formatNumber(p.y, 10)} s.d.`;
            },
          },
        },
      },
      scales: {
        x: axis('x', 'value, standard deviations from the mean', (v) => formatNumber(v, 10)),
        // Room for the names of the quarters.
        y: axis('y', 'neighbours', (v) => formatNumber(Math.round(v * 10) / 10, 10), {
          min: bottom - 0.16 * (top - bottom),
          max: top + 0.16 * (top - bottom),
          ticks: {
            color: themeColour('--ink-2'),
            font: NUMBER_FONT,
            includeBounds: false,
            maxTicksLimit: 6,
            callback: (v: number) => String(Math.round(v * 10) / 10).replace('-', '−'),
          },
        }),
      },
    } as never,
    plugins: [cross],
  };
}

/** A figure with three places that count, as measures are told. */
export const figure = (v: number): string => String(Number(v.toPrecision(3))).replace('-', '−');

/** What a row is called: its first text that tells rows apart, else its number. */
export function namesOf(f: Features): (row: number) => string {
  const c = f.columns.find((o) => o.type === 'text' && /name|title|label|parish|county|district/i.test(o.name));
  return (row) => {
    const v = c ? valueOf(c, row) : null;
    return typeof v === 'string' && v ? v : `no. ${row + 1}`;
  };
}

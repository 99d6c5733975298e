import type { ChartConfiguration } from 'chart.js';
import { displayUnit, formatNumber, withUnit, type Column } from '@helk/core';
import { boxOf, trendOf } from '@helk/core/numeric/box';
import { roundTo } from '../parts/round';
import { axis, themeColour } from './chart-look';
import { numbersOf, type Groups } from './column-values';

/** Bars of a histogram. */
export const BINS = 40;
/** Points drawn at most; what is picked always counts all. */
export const MOST_DOTS = 20_000;

/** Lowest and highest value that is present. */
export function rangeOf(v: Float64Array): { low: number; high: number } {
  let [low, high] = [Infinity, -Infinity];
  for (const x of v) {
    if (x < low) low = x;
    if (x > high) high = x;
  }
  return high >= low ? { low, high } : { low: 0, high: 1 };
}

/** Name of a column with its unit. */
export const titled = (c: Column): string => withUnit(c.name, c.unit);

/** How often values occur, the picked ones apart. */
export function spreadChart(y: Column, picked: Uint8Array | null): ChartConfiguration {
  const v = numbersOf(y);
  const { low, high } = rangeOf(v);
  const [all, some] = [new Uint32Array(BINS), new Uint32Array(BINS)];
  const scale = high > low ? BINS / (high - low) : 0;
  for (let i = 0; i < v.length; i++) {
    if (v[i] !== v[i]) continue;
    const b = Math.min(BINS - 1, Math.floor((v[i]! - low) * scale));
    (picked?.[i] ? some : all)[b]!++;
  }
  const step = (high - low) / BINS;
  const range = high - low || 1;
  const bars = (data: Uint32Array, colour: string): object => ({
    data: Array.from(data),
    backgroundColor: themeColour(colour),
    barPercentage: 1,
    categoryPercentage: 0.92,
  });
  return {
    type: 'bar',
    data: {
      labels: Array.from(all, (_, i) => low + i * step),
      datasets: [bars(some, '--pick'), bars(all, '--act')] as never,
    },
    options: {
      ...plain((t) => {
        const i = t.dataIndex;
        return `${formatNumber(low + i * step, range)} to ${formatNumber(low + (i + 1) * step, range)} ${displayUnit(y.unit)}: ${formatNumber(all[i]! + some[i]!)} rows${some[i] ? `, ${formatNumber(some[i])} picked` : ''}`;
      }),
      scales: {
        x: axis('x', titled(y), (i) => formatNumber(low + i * step, range), {
          type: 'category',
          stacked: true,
          ticks: {
            color: themeColour('--ink-2'),
            font: { family: '"IBM Plex Mono"', size: 11 },
            maxRotation: 0,
            autoSkip: false,
            callback: (i: number) => (i % 8 === 0 ? formatNumber(roundTo(low + i * step, range), range) : null),
          },
        }),
        y: axis('y', '', (n) => (Number.isInteger(n) ? formatNumber(n) : ''), { stacked: true, min: 0 }),
      },
    },
  } as ChartConfiguration;
}

/** Box plots of a column by groups; those of the picked rows beside them. */
export function boxChart(y: Column, by: Column, { names, of }: Groups, picked: Uint8Array | null): ChartConfiguration {
  const v = numbersOf(y);
  const split = (only: boolean): (object | null)[] => {
    const held: number[][] = names.map(() => []);
    for (let i = 0; i < v.length; i++)
      if (of[i]! >= 0 && v[i] === v[i] && (!only || picked![i])) held[of[i]!]!.push(v[i]!);
    return held.map((h) => (h.length ? boxOf(Float64Array.from(h).sort()) : null));
  };
  const set = (boxes: (object | null)[], colour: string, label: string): object => ({
    label,
    data: boxes,
    borderColor: themeColour(colour),
    backgroundColor: `color-mix(in srgb, ${themeColour(colour)} 18%, transparent)`,
    outlierBackgroundColor: themeColour(colour),
    outlierBorderColor: themeColour(colour),
    outlierRadius: 1.6,
    meanRadius: 0,
    itemRadius: 0,
    borderWidth: 1.25,
    maxBarThickness: 46,
  });
  const all = split(false);
  const { low, high } = rangeOf(v);
  const range = high - low;
  return {
    type: 'boxplot' as never,
    data: {
      labels: names,
      datasets: [set(all, '--act', 'all'), ...(picked ? [set(split(true), '--pick', 'picked')] : [])] as never,
    },
    options: {
      ...plain((t) => {
        const b = (t.dataset.data as unknown as (ReturnType<typeof boxOf> | null)[])[t.dataIndex];
        return b
          ? `${names[t.dataIndex]}: median ${formatNumber(b.median, range)}, ${formatNumber(b.q1, range)} to ${formatNumber(b.q3, range)}, ${formatNumber(b.count)} rows`
          : '';
      }),
      scales: {
        x: axis('x', by.name, String, {
          type: 'category',
          ticks: {
            color: themeColour('--ink-2'),
            font: { family: '"Instrument Sans Variable"', size: 11.5 },
            maxRotation: 40,
            callback: (i: number) => (names[i]!.length > 18 ? `${names[i]!.slice(0, 17)}…` : names[i]),
          },
        }),
        y: axis('y', '', (n) => formatNumber(n, range)),
      },
    },
  } as ChartConfiguration;
}

/** One column against another with the straight line through them; at most `MOST_DOTS` points are drawn. */
export function scatterChart(x: Column, y: Column, picked: Uint8Array | null): ChartConfiguration {
  const [vx, vy] = [numbersOf(x), numbersOf(y)];
  const rows: number[] = [];
  for (let i = 0; i < vx.length; i++) if (vx[i] === vx[i] && vy[i] === vy[i]) rows.push(i);
  const step = Math.max(1, rows.length / MOST_DOTS);
  const [some, rest]: { x: number; y: number; row: number }[][] = [[], []];
  for (let k = 0; k < rows.length; k += step) {
    const i = rows[Math.floor(k)]!;
    (picked?.[i] ? some! : rest!).push({ x: vx[i]!, y: vy[i]!, row: i });
  }
  const [rx, ry] = [rangeOf(vx), rangeOf(vy)];
  const t = trendOf(vx, vy);
  const dots = (data: object[], colour: string, alpha: number): object => ({
    data,
    backgroundColor: `color-mix(in srgb, ${themeColour(colour)} ${alpha}%, transparent)`,
    pointRadius: rows.length > 3000 ? 1.8 : 3,
    borderWidth: 0,
    pointBorderWidth: 0,
  });
  const line = Number.isFinite(t.slope)
    ? [
        {
          type: 'line',
          data: [rx.low, rx.high].map((at) => ({ x: at, y: t.intercept + t.slope * at })),
          borderColor: themeColour('--look'),
          borderWidth: 1.5,
          pointRadius: 0,
          pointHitRadius: 0,
        },
      ]
    : [];
  const [wx, wy] = [rx.high - rx.low, ry.high - ry.low];
  const pad = (low: number, high: number): object => ({
    suggestedMin: low - 0.02 * (high - low),
    suggestedMax: high + 0.02 * (high - low),
  });
  return {
    type: 'scatter',
    data: { datasets: [dots(some!, '--pick', 90), dots(rest!, '--act', 55), ...line] as never },
    options: {
      ...plain((p) => {
        const d = p.raw as { x: number; y: number; row?: number };
        return d.row === undefined
          ? ''
          : `no. ${d.row + 1}: ${formatNumber(d.x, wx)} ${displayUnit(x.unit)}, ${formatNumber(d.y, wy)} ${displayUnit(y.unit)}`;
      }),
      scales: {
        x: axis('x', titled(x), (n) => formatNumber(n, wx), pad(rx.low, rx.high)),
        y: axis('y', '', (n) => formatNumber(n, wy), pad(ry.low, ry.high)),
      },
    },
  } as ChartConfiguration;
}

function plain(label: (t: { dataIndex: number; dataset: { data: unknown }; raw: unknown }) => string): object {
  return {
    animation: false,
    responsive: true,
    maintainAspectRatio: false,
    plugins: { tooltip: { displayColors: false, callbacks: { title: () => '', label } } },
  };
}

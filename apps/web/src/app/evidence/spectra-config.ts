import type { ChartConfiguration } from 'chart.js';
import { displayUnit, formatNumber } from '@helk/core';
import type { Spectra } from '@helk/core/glance/spectra';
import { axis, NUMBER_FONT, themeColour } from './chart-look';

/** A line through the bands. */
export interface SpectrumLine {
  key: string;
  label: string;
  colour: string;
  n: number;
  mean: readonly number[];
  sd: readonly number[];
  /** Drawn with its spread, above the others. */
  lit: boolean;
}

/**
 * Where bands stand: by the logarithm of their wavelengths, which spreads the visible ones, where all are known; else one after the other.
 * `order` is by place.
 */
export function bandPlaces(bands: Spectra['bands']): { at: number[]; order: number[]; known: boolean } {
  const known = bands.length > 1 && bands.every((b) => b.wavelength !== null);
  const at = bands.map((b, i) => (known ? Math.log(b.wavelength!) : i));
  return { at, order: [...at.keys()].sort((a, b) => at[a]! - at[b]!), known };
}

/** Means of classes, areas and places through the bands; the lit ones with one standard deviation to each side. */
export function spectraConfig(bands: Spectra['bands'], lines: readonly SpectrumLine[]): ChartConfiguration {
  const { at, order, known } = bandPlaces(bands);
  const units = new Set(bands.map((b) => b.unit ?? ''));
  const unit = units.size === 1 ? displayUnit([...units][0]!) : '';
  const points = (v: (i: number) => number): { x: number; y: number }[] => order.map((i) => ({ x: at[i]!, y: v(i) }));
  const plain = { pointRadius: 0, pointHitRadius: 8, fill: false as boolean | string };
  const spread = lines
    .filter((l) => l.lit && l.n > 1)
    .flatMap((l) => [
      { ...plain, data: points((i) => l.mean[i]! - l.sd[i]!), borderWidth: 0, label: '' },
      {
        ...plain,
        data: points((i) => l.mean[i]! + l.sd[i]!),
        borderWidth: 0,
        label: '',
        fill: '-1',
        backgroundColor: `color-mix(in srgb, ${l.colour} 22%, transparent)`,
      },
    ]);
  const some = lines.some((l) => l.lit);
  const drawn = [...lines].sort((a, b) => Number(a.lit) - Number(b.lit));
  const tick = (x: number, wide: boolean): string[] => {
    const b = bands[at.findIndex((p) => Math.abs(p - x) < 1e-9)];
    return b ? [b.name, ...(known ? [`${Math.round(b.wavelength!)}${wide ? ' nm' : ''}`] : [])] : [];
  };
  return {
    type: 'line',
    data: {
      datasets: [
        ...spread,
        ...drawn.map((l) => ({
          ...plain,
          data: points((i) => l.mean[i]!),
          label: l.label,
          borderColor: some && !l.lit ? `color-mix(in srgb, ${l.colour} 60%, transparent)` : l.colour,
          borderWidth: l.lit ? 2.5 : 1.25,
          pointRadius: l.lit ? 2.5 : 0,
          pointBackgroundColor: l.colour,
        })),
      ] as never,
    },
    options: {
      animation: false,
      responsive: true,
      maintainAspectRatio: false,
      interaction: { mode: 'nearest', intersect: false },
      scales: {
        x: axis('x', '', String, {
          min: Math.min(...at),
          max: Math.max(...at),
          afterBuildTicks: (s: { ticks: { value: number }[] }) => (s.ticks = order.map((i) => ({ value: at[i]! }))),
          ticks: {
            color: themeColour('--ink-2'),
            font: { ...NUMBER_FONT, size: 10.5 },
            autoSkip: bands.length > 16,
            maxRotation: 0,
            callback(this: { chart: { width: number } }, v: string | number) {
              return tick(Number(v), this.chart.width > 560);
            },
          },
          grid: { display: true, color: themeColour('--line-soft') },
        }),
        y: axis('y', unit, (v) => formatNumber(v, 100)),
      },
      plugins: {
        legend: { display: false },
        tooltip: {
          filter: (t) => t.dataset.label !== '',
          callbacks: {
            title: ([t]) => (t ? tick(t.parsed.x!, true).join(', ') : ''),
            label: (t) => `${t.dataset.label}: ${formatNumber(t.parsed.y!, 100)} ${unit}`.trim(),
          },
        },
      },
    },
  };
}

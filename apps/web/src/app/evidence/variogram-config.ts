import type { ChartConfiguration } from 'chart.js';
import { formatLength, formatNumber } from '@helk/core';
import { practicalRange, semivariance, type Lag, type Variogram } from '@helk/core/numeric/variogram';
import { axis, themeColour } from './chart-look';

/** `spherical: nugget 120 (5 % of the sill), …`: a model as it is quoted. */
export function modelWords(m: Variogram): string {
  const share = m.sill > 0 ? (100 * m.nugget) / m.sill : 0;
  const range = m.model === 'linear' ? '' : `, little correlation beyond ${formatLength(practicalRange(m))}`;
  return `${m.model}: nugget ${formatNumber(m.nugget, m.sill)} (${share.toFixed(0)} % of the sill), sill ${formatNumber(m.sill)}, range ${formatLength(m.range)}${range}`;
}

/** Lags sized by their pairs, the model through them, and where its correlation ends. @param unit of the semivariance */
export function variogramConfig(lags: readonly Lag[], m: Variogram | null, unit: string): ChartConfiguration {
  const far = lags.at(-1)?.distance ?? 1;
  const most = lags.reduce((a, l) => Math.max(a, l.pairs), 1);
  const top = Math.max(...lags.map((l) => l.semivariance), m ? semivariance(m, far) : 0);
  const mark = m && m.model !== 'linear' ? practicalRange(m) : NaN;
  const line = (data: { x: number; y: number }[], colour: string, over: object = {}): object => ({
    type: 'line',
    data,
    borderColor: themeColour(colour),
    borderWidth: 1.75,
    pointRadius: 0,
    pointHitRadius: 0,
    ...over,
  });
  const curve = m
    ? Array.from({ length: 121 }, (_, k) => ({
        x: (k * far) / 120 + 1e-9,
        y: semivariance(m, (k * far) / 120 + 1e-9),
      }))
    : [];
  return {
    type: 'scatter',
    data: {
      datasets: [
        {
          data: lags.map((l) => ({ x: l.distance, y: l.semivariance })),
          backgroundColor: themeColour('--act'),
          borderColor: themeColour('--leaf'),
          pointRadius: lags.map((l) => 3 + 5 * Math.sqrt(l.pairs / most)),
        },
        ...(m ? [line(curve, '--look')] : []),
        ...(mark < far
          ? [
              line(
                [
                  { x: mark, y: 0 },
                  { x: mark, y: m!.sill },
                ],
                '--pick',
                { borderDash: [4, 4], borderWidth: 1.25 },
              ),
            ]
          : []),
      ] as never,
    },
    options: {
      animation: false,
      responsive: true,
      maintainAspectRatio: false,
      plugins: {
        tooltip: {
          filter: (x) => x.datasetIndex === 0,
          displayColors: false,
          callbacks: {
            label: (x) =>
              `${formatLength(x.parsed.x ?? 0)}: ${formatNumber(x.parsed.y)} ${unit}, ${formatNumber(lags[x.dataIndex]!.pairs)} pairs`,
          },
        },
      },
      scales: {
        x: axis('x', 'distance', formatLength, { min: 0, max: far * 1.03 }),
        y: axis('y', ['semivariance', unit].filter(Boolean).join(', '), formatNumber, {
          min: 0,
          suggestedMax: top * 1.05,
        }),
      },
    },
  };
}

import * as z from 'zod';
import { floatBand, heldBand } from '../../data/cells';
import { cellCount, cellMetres, missingOf, type Cells } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { choice, quantity } from '../../method/params';
import { blockBytes, defineRowKernel, oneBand, outType, overRows } from '../../method/rows';
import { discRows, discSums } from '../../numeric/disc';
import type { Check } from '../../data/check';

type Statistic = 'mean' | 'median' | 'min' | 'max' | 'sd' | 'majority';

/**
 * One statistic of all values within a disc, cell by cell, for `count` rows from `from` on; missing cells are left out and stay missing.
 * O(cells x radius²).
 */
function windowStatistic(
  cells: Cells,
  width: number,
  height: number,
  rx: number,
  ry: number,
  missing: number,
  what: Statistic,
  out: Cells,
  from: number,
  count: number,
): void {
  const { reach, half } = discRows(rx, ry);
  const held = new Float64Array(half.reduce((s, w) => s + 2 * w + 1, 0));
  for (let y = from; y < from + count; y++) {
    for (let x = 0; x < width; x++) {
      const i = (y - from) * width + x;
      const own = cells[y * width + x]!;
      if (own !== own || own === missing) {
        out[i] = missing;
        continue;
      }
      let n = 0;
      for (let dy = -reach; dy <= reach; dy++) {
        const r = y + dy;
        if (r < 0 || r >= height) continue;
        const w = half[dy + reach]!;
        for (let c = Math.max(0, x - w), e = Math.min(width - 1, x + w); c <= e; c++) {
          const v = cells[r * width + c]!;
          if (v === v && v !== missing) held[n++] = v;
        }
      }
      const values = held.subarray(0, n);
      if (what === 'min') out[i] = values.reduce((m, v) => (v < m ? v : m), Infinity);
      else if (what === 'max') out[i] = values.reduce((m, v) => (v > m ? v : m), -Infinity);
      else {
        values.sort();
        out[i] =
          what === 'median'
            ? n % 2
              ? values[(n - 1) / 2]!
              : (values[n / 2 - 1]! + values[n / 2]!) / 2
            : mostFrequent(values);
      }
    }
  }
}

/** The most frequent of sorted values, the smallest of equals. */
function mostFrequent(sorted: Float64Array): number {
  let best = sorted[0]!;
  let most = 0;
  for (let i = 0; i < sorted.length;) {
    let j = i;
    while (j < sorted.length && sorted[j] === sorted[i]) j++;
    if (j - i > most) {
      most = j - i;
      best = sorted[i]!;
    }
    i = j;
  }
  return best;
}

export const smooth = defineMethod({
  id: 'raster.smooth',
  version: 1,
  title: 'Neighbourhood statistic',
  question: 'What is typical around each cell?',
  about:
    'A statistic of all cells whose centres lie within the radius of each cell, itself included. Missing cells are left out, and stay missing. The standard deviation is that of a sample (n − 1).',
  keywords: ['focal', 'filter', 'smooth', 'moving window', 'median', 'majority', 'neighbourhood'],
  sources: ['Tomlin 1990, Geographic Information Systems and Cartographic Modeling (focal operations)'],
  inputs: { raster: input.raster({ bands: 'all', parts: true }) },
  params: z.object({
    statistic: choice(
      {
        mean: 'mean',
        median: 'median',
        min: 'lowest',
        max: 'highest',
        sd: 'standard deviation',
        majority: 'most frequent',
      },
      { label: 'Statistic' },
    ).default('mean'),
    radius: quantity('length', { label: 'Radius', unit: 'm', above: 0 }),
  }),
  outputs: { smoothed: output.raster('Smoothed', undefined, { as: 'raster' }) },
  figures: {},
  checks: ({ raster }, p): Check[] => {
    if (raster.bands[0]!.kind === 'category' && p.statistic !== 'majority') {
      return [
        {
          level: 'refused',
          code: 'smooth.classes',
          about: 'statistic',
          message: `Classes have no ${p.statistic}; take the most frequent.`,
          mend: { label: 'Most frequent', set: { statistic: 'majority' } },
        },
      ];
    }
    const size = Math.min(...cellMetres(raster.grid, raster.grid.rows >> 1));
    return p.radius < size
      ? [
          {
            level: 'look',
            code: 'smooth.small',
            about: 'radius',
            message: `The radius is less than a cell (${Number(size.toPrecision(3))} m): nothing around a cell lies within it.`,
          },
        ]
      : [];
  },
  suggest: ({ raster }) => ({
    radius: {
      value: `${Number((3 * Math.max(...cellMetres(raster.grid, raster.grid.rows >> 1))).toPrecision(3))} m`,
      reason: 'three cells',
    },
  }),
  estimate: ({ raster }, p) => {
    const r = p.radius / Math.max(...cellMetres(raster.grid, raster.grid.rows >> 1));
    const n = cellCount(raster.grid);
    return {
      cells: n,
      bytes: blockBytes(raster.grid, 2, r),
      seconds: (n * (p.statistic === 'mean' || p.statistic === 'sd' ? 2 * r + 1 : 12 * r * r)) / 1.5e8,
    };
  },
  run: async ({ raster }, p, job) => {
    const { grid, bands } = raster.head;
    const [cw, ch] = cellMetres(grid, grid.rows >> 1);
    const radii = { rx: p.radius / cw, ry: p.radius / ch };
    const { reach } = discRows(radii.rx, radii.ry);
    const keeps = ['min', 'max', 'majority'].includes(p.statistic);
    const made = bands.map((b) => (keeps ? heldBand(b) : floatBand(b)));
    const sink = job.raster('smoothed', { grid, bands: made });
    const sums = p.statistic === 'mean' || p.statistic === 'sd';
    for (const [k, b] of made.entries()) {
      const inputs = [{ of: raster, band: k, halo: reach }];
      const params = { ...radii, statistic: p.statistic, missing: missingOf(b) };
      const share = (s: number): number => (k + s) / bands.length;
      const kernel = sums ? smoothSums : smoothWindows;
      await overRows(job, p.statistic, grid, inputs, kernel, params, oneBand(sink, k), [outType(b)], share);
    }
    return { smoothed: sink, figures: {} };
  },
});

interface Smoothing {
  rx: number;
  ry: number;
  statistic: Statistic;
  missing: number;
}

const smoothSums = defineRowKernel('raster.smooth.sums', ({ rx, ry, statistic }: Smoothing, block) => {
  const { cells, above, rows } = block.inputs[0]!;
  const w = block.width;
  const out = block.out[0]!;
  const visit = (y: number, sum: Float64Array, count: Float64Array, squares: Float64Array): void => {
    for (let x = 0, o = (y - above) * w, i = y * w; x < w; x++, o++, i++) {
      // A missing cell stays missing.
      const there = cells[i]! * 0;
      out[o] =
        statistic === 'mean'
          ? sum[x]! / count[x]! + there
          : (count[x]! > 1 ? Math.sqrt(squares[x]! / (count[x]! - 1)) : 0) + there;
    }
  };
  discSums(cells, w, rows, rx, ry, visit, above, above + block.rows);
});

const smoothWindows = defineRowKernel('raster.smooth.windows', (p: Smoothing, block) => {
  const { cells, above, rows } = block.inputs[0]!;
  windowStatistic(cells, block.width, rows, p.rx, p.ry, p.missing, p.statistic, block.out[0]!, above, block.rows);
});

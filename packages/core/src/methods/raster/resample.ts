import * as z from 'zod';
import type { Grid } from '../../data/raster';
import { formatQuantity, type Quantity } from '../../data/quantity';
import { defineMethod, input, output } from '../../method/define';
import { cellSize } from '../../method/params';
import { resamplingCheck, resamplingWords, suggestResampling, resamplingParam, sizeInCrs } from './reproject';
import { warp, warpBytes } from './warp';
import type { Check } from '../../data/check';
import { cellText } from '../../data/raster-checks';

/** The grid of another cell size from the same north-west corner; the last cells may reach over the edge. */
function coarser(g: Grid, size: number): Grid {
  return {
    ...g,
    dx: size,
    dy: size,
    columns: Math.max(1, Math.ceil((g.columns * g.dx) / size - 1e-6)),
    rows: Math.max(1, Math.ceil((g.rows * g.dy) / size - 1e-6)),
  };
}

export const resample = defineMethod({
  id: 'raster.resample',
  version: 1,
  title: 'Resample',
  question: 'What if the cells were larger or smaller?',
  about:
    'The same values on cells of another size, from the same north-west corner in the same system. Measures are interpolated (bilinear) or averaged, classes take the nearest or the most frequent. Larger cells want mean or mode, so that every source cell counts.',
  keywords: ['coarser', 'finer', 'aggregate', 'cell size', 'resolution'],
  sources: [
    'Keys 1981, doi:10.1109/TASSP.1981.1163711 (cubic)',
    'common practice, no source (mean and mode by cell centres)',
  ],
  inputs: { raster: input.raster({ bands: 'all', parts: true }) },
  params: z.object({ cellSize: cellSize({ label: 'Cell size' }), resampling: resamplingParam.default('auto') }),
  outputs: { resampled: output.raster('Resampled', undefined, { as: 'raster' }) },
  figures: {},
  checks: ({ raster }, p): Check[] => {
    const checks: Check[] = [];
    const odd = resamplingCheck(raster.bands, p.resampling);
    if (odd) checks.push(odd);
    checks.push(...resamplingWords(raster.bands, p.resampling));
    if (p.cellSize !== 'auto' && raster.grid.crs) {
      const size = sizeInCrs(p.cellSize, raster.grid.crs);
      if (
        size > 1.9 * raster.grid.dx &&
        (p.resampling === 'auto' || p.resampling === 'bilinear') &&
        raster.bands.some((b) => b.kind === 'measure')
      ) {
        checks.push({
          level: 'look',
          code: 'resampling.coarser',
          about: 'resampling',
          message: 'Cells become larger: bilinear looks at four of the cells only, the mean at all of them.',
          mend: { label: 'Use the mean', set: { resampling: 'mean' } },
        });
      }
    }
    return checks;
  },
  suggest: ({ raster }) => {
    const unit = raster.grid.crs?.geographic ? '°' : (raster.grid.crs?.unit ?? '');
    const resampling = suggestResampling(raster.bands);
    return {
      ...(resampling ? { resampling } : {}),
      cellSize: {
        value: formatQuantity({ value: Number((2 * raster.grid.dx).toPrecision(8)), unit }),
        reason: `twice the present ${cellText(raster)}`,
      },
    };
  },
  estimate: ({ raster }, p) => {
    const { grid, bands } = raster;
    const size = p.cellSize === 'auto' ? grid.dx : grid.crs ? sizeInCrs(p.cellSize, grid.crs) : p.cellSize.value;
    const cells = Math.ceil((grid.columns * grid.dx) / size) * Math.ceil((grid.rows * grid.dy) / size);
    return { cells, bytes: warpBytes(grid, bands.length), seconds: (cells * bands.length) / 1.5e7 };
  },
  run: async ({ raster }, p, job) => {
    const q = p.cellSize as Quantity;
    const { grid } = raster.head;
    const target = coarser(grid, grid.crs ? sizeInCrs(q, grid.crs) : q.value);
    const { sink } = await warp(job, 'resampled', 'resampling', raster, target, p.resampling);
    return { resampled: sink, figures: {} };
  },
});

import { z } from 'zod';
import { sameCrs } from '../../data/crs';
import { cellCount, firstBand, gridExtent, measureRaster, missingOf, sameGrid, sameLattice } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { cropGrid } from './clip';
import type { Check } from '../../data/check';

export const difference = defineMethod({
  id: 'raster.difference',
  version: 1,
  title: 'Difference',
  question: 'How far apart are two grids?',
  about:
    'a minus b, cell by cell, where both have a value, on the part their grids share. Both must lie on one lattice. Bias is the mean difference, MAE the mean of its size, RMSE the root of its mean square; correlation is Pearson’s.',
  keywords: ['compare', 'subtract', 'change', 'before and after', 'rmse', 'bias'],
  sources: ['Welford 1962, doi:10.1080/00401706.1962.10490022 (running moments)'],
  inputs: { a: input.raster({ label: 'First' }), b: input.raster({ label: 'Minus' }) },
  params: z.object({}),
  outputs: { difference: output.raster('Difference') },
  figures: {
    n: { label: 'Cells compared' },
    bias: { label: 'Bias (mean difference)', unit: 'band' },
    mae: { label: 'Mean absolute difference', unit: 'band' },
    rmse: { label: 'Root mean square difference', unit: 'band' },
    correlation: { label: 'Correlation' },
    min: { label: 'Lowest', unit: 'band' },
    max: { label: 'Highest', unit: 'band' },
  },
  checks: ({ a, b }): Check[] => {
    const checks: Check[] = [];
    if (!sameCrs(a.grid.crs, b.grid.crs)) {
      const crs = a.grid.crs?.code;
      return [
        {
          level: 'refused',
          code: 'grids.crs',
          about: 'b',
          message: `The grids are in different systems (${a.grid.crs?.name ?? 'none'}, ${b.grid.crs?.name ?? 'none'}).`,
          mend: crs
            ? {
                label: `Project the second to ${crs}`,
                run: { method: 'raster.reproject', role: 'raster', input: 'b', params: { crs } },
              }
            : undefined,
        },
      ];
    }
    if (!sameLattice(a.grid, b.grid)) {
      return [
        {
          level: 'refused',
          code: 'grids.lattice',
          about: 'b',
          message: `The cells do not lie on one another (${a.grid.dx} and ${b.grid.dx} wide, or shifted); bring one to the other’s grid first.`,
        },
      ];
    }
    if (!cropGrid(a.grid, gridExtent(b.grid)))
      return [{ level: 'refused', code: 'grids.apart', about: 'b', message: 'The grids do not overlap.' }];
    if (!sameGrid(a.grid, b.grid))
      checks.push({
        level: 'look',
        code: 'grids.part',
        message: 'The grids differ in extent; only the part they share is compared.',
      });
    const ua = a.bands[0]!.unit;
    const ub = b.bands[0]!.unit;
    if (ua && ub && ua !== ub)
      checks.push({
        level: 'look',
        code: 'grids.unit',
        message: `The first is in ${ua}, the second in ${ub}: the difference would mix units.`,
      });
    if (!checks.length) checks.push({ level: 'fine', code: 'fine', message: 'One grid, one unit.' });
    return checks;
  },
  estimate: ({ a }) => ({ cells: cellCount(a.grid), bytes: cellCount(a.grid) * 12, seconds: cellCount(a.grid) / 4e7 }),
  run: ({ a, b }, _p, job) => {
    const part = cropGrid(a.grid, gridExtent(b.grid))!;
    const { grid } = part;
    const other = cropGrid(b.grid, gridExtent(grid))!;
    const ba = firstBand(a);
    const bb = firstBand(b);
    const ma = missingOf(ba);
    const mb = missingOf(bb);
    const wide = ba.cells instanceof Float64Array || bb.cells instanceof Float64Array;
    const out = wide ? new Float64Array(cellCount(grid)) : new Float32Array(cellCount(grid));
    let n = 0;
    let abs = 0;
    let squares = 0;
    let meanA = 0;
    let meanB = 0;
    let saa = 0;
    let sbb = 0;
    let sab = 0;
    let min = Infinity;
    let max = -Infinity;
    for (let y = 0; y < grid.rows; y++) {
      if ((y & 63) === 0) job.progress(y / grid.rows, 'subtracting');
      let i = (part.row + y) * a.grid.columns + part.column;
      let j = (other.row + y) * b.grid.columns + other.column;
      let o = y * grid.columns;
      for (let x = 0; x < grid.columns; x++, i++, j++, o++) {
        const va = ba.cells[i]!;
        const vb = bb.cells[j]!;
        const d = va - vb;
        if (d !== d || va === ma || vb === mb) {
          out[o] = NaN;
          continue;
        }
        out[o] = d;
        n++;
        abs += Math.abs(d);
        squares += d * d;
        if (d < min) min = d;
        if (d > max) max = d;
        const da = va - meanA;
        const db = vb - meanB;
        meanA += da / n;
        meanB += db / n;
        saa += da * (va - meanA);
        sbb += db * (vb - meanB);
        sab += da * (vb - meanB);
      }
    }
    const spread = Math.sqrt(saa * sbb);
    return {
      difference: measureRaster(grid, out, {
        name: `${ba.name} − ${bb.name}`,
        unit: ba.unit ?? bb.unit,
        role: 'difference',
      }),
      figures: n
        ? {
            n,
            bias: meanA - meanB,
            mae: abs / n,
            rmse: Math.sqrt(squares / n),
            correlation: spread > 0 ? sab / spread : null,
            min,
            max,
          }
        : { n: 0, bias: null, mae: null, rmse: null, correlation: null, min: null, max: null },
    };
  },
});

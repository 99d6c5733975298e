import * as z from 'zod';
import { sameCrs } from '../../data/crs';
import { isWide } from '../../data/cells';
import {
  cellCount,
  gridExtent,
  measureHead,
  missingOf,
  sameGrid,
  sameLattice,
  type RasterInfo,
} from '../../data/raster';
import { defineMethod, input, output, shown } from '../../method/define';
import { blockBytes, defineRowKernel, outType, overRows, rowsFrom } from '../../method/rows';
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
  sources: ['Chan, Golub and LeVeque 1983, doi:10.1080/00031305.1983.10483115 (moments of parts together)'],
  inputs: { a: input.raster({ label: 'First', parts: true }), b: input.raster({ label: 'Minus', parts: true }) },
  params: z.object({}),
  serves: 'compare two',
  outputs: {
    difference: shown(output.raster('Difference'), {
      panel: { id: 'changed', title: 'Where they differ', values: 'difference', list: 'Furthest from zero' },
    }),
  },
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
    const checks = latticeChecks(a, b, 'b');
    if (checks[0]?.level === 'refused') return checks;
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
  estimate: ({ a }) => ({ cells: cellCount(a.grid), bytes: blockBytes(a.grid, 3), seconds: cellCount(a.grid) / 4e7 }),
  run: async ({ a, b }, _p, job) => {
    const part = cropGrid(a.head.grid, gridExtent(b.head.grid))!;
    const { grid } = part;
    const other = cropGrid(b.head.grid, gridExtent(grid))!;
    const [ba, bb] = [a.head.bands[0]!, b.head.bands[0]!];
    const wide = [ba, bb].some((x) => isWide(x.held?.type ?? x.storedType));
    const head = measureHead(grid, {
      name: `${ba.name} − ${bb.name}`,
      unit: ba.unit ?? bb.unit,
      role: 'difference',
      storedType: wide ? 'float64' : 'float32',
    });
    const sink = job.raster('difference', head);
    const params = {
      a: { width: a.head.grid.columns, column: part.column, missing: missingOf(ba) },
      b: { width: b.head.grid.columns, column: other.column, missing: missingOf(bb) },
    };
    const inputs = [rowsFrom(a, part.row), rowsFrom(b, other.row)];
    const types = [outType(head.bands[0])];
    const told = await overRows(job, 'subtracting', grid, inputs, differenceRows, params, sink, types);
    const { n, abs, squares, meanA, meanB, saa, sbb, sab, min, max } = told.reduce(joined);
    const spread = Math.sqrt(saa * sbb);
    return {
      difference: sink,
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

/** Whether two grids lie on one another, so that their cells can be held together one by one. @param role of the second */
export function latticeChecks(a: RasterInfo, b: RasterInfo, role: string): Check[] {
  const checks: Check[] = [];
  if (!sameCrs(a.grid.crs, b.grid.crs)) {
    const crs = a.grid.crs?.code;
    return [
      {
        level: 'refused',
        code: 'grids.crs',
        about: role,
        message: `The grids are in different systems (${a.grid.crs?.name ?? 'none'}, ${b.grid.crs?.name ?? 'none'}).`,
        mend: crs
          ? {
              label: `Project the second to ${crs}`,
              run: { method: 'raster.reproject', role: 'raster', input: role, params: { crs } },
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
        about: role,
        message: `The cells do not lie on one another (${a.grid.dx} and ${b.grid.dx} wide, or shifted); bring one to the other’s grid first.`,
      },
    ];
  }
  if (!cropGrid(a.grid, gridExtent(b.grid)))
    return [{ level: 'refused', code: 'grids.apart', about: role, message: 'The grids do not overlap.' }];
  if (!sameGrid(a.grid, b.grid))
    checks.push({
      level: 'look',
      code: 'grids.part',
      message: 'The grids differ in extent; only the part they share is compared.',
    });
  return checks;
}

interface Side {
  /** Columns of the grid, the first that is compared, and the missing value. */
  width: number;
  column: number;
  missing: number;
}

/** Running moments of two variables. */
interface Pairs {
  n: number;
  abs: number;
  squares: number;
  meanA: number;
  meanB: number;
  saa: number;
  sbb: number;
  sab: number;
  min: number;
  max: number;
}

/** Moments of two parts together (Chan, Golub and LeVeque 1983). */
function joined(p: Pairs, q: Pairs): Pairs {
  if (!p.n || !q.n) return p.n ? p : q;
  const n = p.n + q.n;
  const da = q.meanA - p.meanA;
  const db = q.meanB - p.meanB;
  const w = (p.n * q.n) / n;
  return {
    n,
    abs: p.abs + q.abs,
    squares: p.squares + q.squares,
    meanA: p.meanA + (da * q.n) / n,
    meanB: p.meanB + (db * q.n) / n,
    saa: p.saa + q.saa + da * da * w,
    sbb: p.sbb + q.sbb + db * db * w,
    sab: p.sab + q.sab + da * db * w,
    min: Math.min(p.min, q.min),
    max: Math.max(p.max, q.max),
  };
}

const NOTHING: Pairs = {
  n: 0,
  abs: 0,
  squares: 0,
  meanA: 0,
  meanB: 0,
  saa: 0,
  sbb: 0,
  sab: 0,
  min: Infinity,
  max: -Infinity,
};

/**
 * Sums of a row are taken about the means of what came before, which keeps their digits (Chan, Golub and LeVeque 1983) and needs no division
 * for every cell.
 */
const differenceRows = defineRowKernel('raster.difference', ({ a, b }: { a: Side; b: Side }, block): Pairs => {
  const [ca, cb] = [block.inputs[0]!.cells, block.inputs[1]!.cells];
  const out = block.out[0]!;
  let all = NOTHING;
  for (let y = 0; y < block.rows; y++) {
    let i = y * a.width + a.column;
    let j = y * b.width + b.column;
    let o = y * block.width;
    let [ka, kb] = [all.meanA, all.meanB];
    let [n, abs, squares, sa, sb, saa, sbb, sab] = [0, 0, 0, 0, 0, 0, 0, 0];
    let [min, max] = [Infinity, -Infinity];
    for (let x = 0; x < block.width; x++, i++, j++, o++) {
      const va = ca[i]!;
      const vb = cb[j]!;
      const d = va - vb;
      if (d !== d || va === a.missing || vb === b.missing) {
        out[o] = NaN;
        continue;
      }
      out[o] = d;
      if (n === 0 && all.n === 0) [ka, kb] = [va, vb];
      n++;
      abs += Math.abs(d);
      squares += d * d;
      if (d < min) min = d;
      if (d > max) max = d;
      const da = va - ka;
      const db = vb - kb;
      sa += da;
      sb += db;
      saa += da * da;
      sbb += db * db;
      sab += da * db;
    }
    if (n === 0) continue;
    all = joined(all, {
      n,
      abs,
      squares,
      meanA: ka + sa / n,
      meanB: kb + sb / n,
      saa: Math.max(0, saa - (sa * sa) / n),
      sbb: Math.max(0, sbb - (sb * sb) / n),
      sab: sab - (sa * sb) / n,
      min,
      max,
    });
  }
  return all;
});

import * as z from 'zod';
import { bandInfo, cellCount, cellMetres, missingOf, type Band, type Cells } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { choice, quantity } from '../../method/params';
import { enclosedGaps, missingMask } from '../../numeric/components';
import { plural, type Check } from '../../data/check';

/**
 * Fills one gap with the membrane: the surface whose every cell is the mean of its four neighbours (Laplace's equation
 * with the rim as boundary), by conjugate gradients to 10⁻¹⁰ of the first residual.
 *
 * @param gap indices of its cells; none lies on the grid's edge
 */
export function membrane(cells: Cells, width: number, gap: Int32Array): void {
  const n = gap.length;
  const slot = new Map<number, number>();
  gap.forEach((i, k) => slot.set(i, k));
  const around = [-1, 1, -width, width];
  const links = new Int32Array(n * 4).fill(-1);
  const b = new Float64Array(n);
  let rim = 0;
  let rimSum = 0;
  for (let k = 0; k < n; k++) {
    for (let d = 0; d < 4; d++) {
      const j = gap[k]! + around[d]!;
      const s = slot.get(j);
      if (s !== undefined) links[k * 4 + d] = s;
      else {
        b[k]! += cells[j]!;
        rim++;
        rimSum += cells[j]!;
      }
    }
  }
  const x = new Float64Array(n).fill(rimSum / rim);
  const r = new Float64Array(n);
  const q = new Float64Array(n);
  const apply = (v: Float64Array, out: Float64Array): void => {
    for (let k = 0; k < n; k++) {
      let s = 4 * v[k]!;
      for (let d = 0; d < 4; d++) {
        const l = links[k * 4 + d]!;
        if (l >= 0) s -= v[l]!;
      }
      out[k] = s;
    }
  };
  apply(x, q);
  let rr = 0;
  for (let k = 0; k < n; k++) {
    r[k] = b[k]! - q[k]!;
    rr += r[k]! * r[k]!;
  }
  const p = Float64Array.from(r);
  const stop = rr * 1e-20;
  for (let it = 0; it < 20 * Math.sqrt(n) + 200 && rr > stop && rr > 0; it++) {
    apply(p, q);
    let pq = 0;
    for (let k = 0; k < n; k++) pq += p[k]! * q[k]!;
    const a = rr / pq;
    let next = 0;
    for (let k = 0; k < n; k++) {
      x[k]! += a * p[k]!;
      r[k]! -= a * q[k]!;
      next += r[k]! * r[k]!;
    }
    const beta = next / rr;
    rr = next;
    for (let k = 0; k < n; k++) p[k] = r[k]! + beta * p[k]!;
  }
  for (let k = 0; k < n; k++) cells[gap[k]!] = x[k]!;
}

/** Index and squared distance (in metres²) of the rim cells of a gap, nearest to each gap cell. O(gap x rim). */
function rimOf(gap: Int32Array, cells: Cells, width: number, missing: number): Int32Array {
  const rim = new Set<number>();
  for (const i of gap) {
    for (const j of [i - 1, i + 1, i - width, i + width, i - width - 1, i - width + 1, i + width - 1, i + width + 1]) {
      const v = cells[j]!;
      if (v === v && v !== missing) rim.add(j);
    }
  }
  return Int32Array.from(rim).sort();
}

export const fillGaps = defineMethod({
  id: 'raster.fillGaps',
  version: 1,
  title: 'Fill gaps',
  question: 'What could stand in the holes inside the data?',
  about:
    'Fills missing cells that the data enclose; missing cells joined to the edge of the grid stay missing. Membrane stretches a sheet over the rim of each hole (each cell the mean of its four neighbours), inverse distance weighs the rim cells by 1/distance², nearest takes the nearest rim cell. Classes are always filled by the nearest. With a greatest distance, cells further than that from the rim stay missing.',
  keywords: ['holes', 'voids', 'interpolate missing', 'nodata', 'void fill'],
  sources: [
    'Laplace’s equation by conjugate gradients, Hestenes and Stiefel 1952, doi:10.6028/jres.049.044',
    'Shepard 1968, doi:10.1145/800186.810616 (inverse distance)',
  ],
  inputs: { raster: input.raster({ bands: 'all' }) },
  params: z.object({
    method: choice(
      { membrane: 'membrane', idw: 'inverse distance', nearest: 'nearest cell' },
      { label: 'Method' },
    ).default('membrane'),
    maxDistance: quantity('length', {
      label: 'Greatest distance',
      unit: 'm',
      above: 0,
      help: 'From the rim of the hole; empty for no limit.',
    }).optional(),
  }),
  outputs: { filled: output.raster('Gaps filled', 'gaps filled', { as: 'raster' }) },
  figures: { filledCells: { label: 'Filled cells' } },
  checks: ({ raster }): Check[] => {
    const f = raster.bands[0]!.facts;
    if (!f) return [];
    if (f.enclosedCells === 0)
      return [
        {
          level: 'look',
          code: 'gaps.none',
          about: 'raster',
          message: 'There is no hole inside the data; the result will equal the input.',
        },
      ];
    return [
      {
        level: 'fine',
        code: 'fine',
        about: 'raster',
        message: `${plural(f.enclosedGaps, 'hole')} with ${plural(f.enclosedCells, 'cell')}; ${plural(f.summary.missing - f.enclosedCells, 'missing cell')} outside stay missing.`,
      },
    ];
  },
  estimate: ({ raster }) => ({
    cells: cellCount(raster.grid),
    bytes: cellCount(raster.grid) * 10,
    seconds: cellCount(raster.grid) / 3e7 + (raster.bands[0]?.facts?.enclosedCells ?? 0) / 2e5,
  }),
  run: ({ raster }, p, job) => {
    const { grid } = raster;
    const w = grid.columns;
    let filledCells = 0;
    const bands: Band[] = raster.bands.map((band, bandIndex) => {
      const missing = missingOf(band);
      const how = band.kind === 'category' ? 'nearest' : p.method;
      const found = enclosedGaps(missingMask(band.cells, missing), w, grid.rows);
      const cells = band.cells.slice();
      found.forEach((gap, k) => {
        job.progress(k / found.length, `gap ${k + 1} of ${found.length}`);
        const [cw, ch] = cellMetres(grid, Math.floor(gap.cells[0]! / w));
        const needRim = how !== 'membrane' || p.maxDistance !== undefined;
        const rim = needRim ? rimOf(gap.cells, band.cells, w, missing) : null;
        if (how === 'membrane') membrane(cells, w, gap.cells);
        for (let m = 0; m < gap.cells.length; m++) {
          const i = gap.cells[m]!;
          if (bandIndex === 0) filledCells++;
          if (!rim) continue;
          if ((m & 1023) === 0) job.progress(k / found.length, `gap ${k + 1} of ${found.length}`);
          let best = Infinity;
          let value = NaN;
          let sum = 0;
          let weight = 0;
          for (const j of rim) {
            const d2 = (((j % w) - (i % w)) * cw) ** 2 + ((Math.floor(j / w) - Math.floor(i / w)) * ch) ** 2;
            if (d2 < best) {
              best = d2;
              value = band.cells[j]!;
            }
            sum += band.cells[j]! / d2;
            weight += 1 / d2;
          }
          if (p.maxDistance !== undefined && best > p.maxDistance * p.maxDistance) {
            cells[i] = missing;
            if (bandIndex === 0) filledCells--;
          } else if (how === 'nearest') cells[i] = value;
          else if (how === 'idw') cells[i] = sum / weight;
        }
      });
      const info = bandInfo(band);
      // Whole-number sources stay whole only where whole values were copied in.
      const storedType =
        how === 'nearest' || found.length === 0
          ? info.storedType
          : band.cells instanceof Float64Array
            ? 'float64'
            : 'float32';
      return { ...info, storedType, cells };
    });
    return { filled: { kind: 'raster', grid, bands }, figures: { filledCells } };
  },
});

import { likelyValue } from '../../data/column-roles';
import { HelkError } from '../../errors';
import { cellInUnits, metresPerUnit } from '../../data/crs';
import { featureCount, featuresExtent, featuresIn, type Features, type FeaturesInfo } from '../../data/features';
import type { Quantity } from '../../data/quantity';
import { cellCount, measureRaster, type Grid, type Raster } from '../../data/raster';
import { input, type Suggestion } from '../../method/define';
import type { Job } from '../../method/job';
import { defineKernel } from '../../method/parallel';
import { room } from '../../data/room';
import { estimatorOf, type Estimator, type Recipe } from '../../numeric/estimators';
import { bounds, cellSize, column, type Bounds } from '../../method/params';
import type { Samples } from '../../numeric/kriging';
import { insideRows } from '../../numeric/scanline';
import { columnChecks, columnOf, planeChecks } from '../features/common';
import { roundNear } from '../raster/reproject';
import { codeChecks } from '../../data/column-checks';
import { plural, type Check } from '../../data/check';
import type { DatasetInfo } from '../../data/kinds';

export const surfaceInputs = {
  points: { ...input.features({ label: 'Measured points', geometry: 'point' }), refuses: tooFewPlaces },
  within: input.features({ label: 'Only within', geometry: 'polygon', least: 0 }),
};

/** Nothing can be laid through fewer than three points, or through points at one place. */
function tooFewPlaces(info: DatasetInfo): string | null {
  if (info.kind !== 'features') return null;
  if (info.count < 3)
    return `at least three points are wanted; there ${info.count === 1 ? 'is 1' : `are ${info.count}`}.`;
  const e = info.extent;
  return e && e[0] === e[2] && e[1] === e[3]
    ? `all ${info.count} points lie at one place; a surface needs several.`
    : null;
}

export const valueParam = column({ label: 'Values', of: 'points', numeric: true });
export const gridParams = {
  cellSize: cellSize({ label: 'Cell size' }),
  bounds: bounds({
    label: 'Bounds',
    auto: true,
    help: 'West, south, east, north; empty for the extent of the points and a margin.',
  }).optional(),
};

interface Told {
  points: FeaturesInfo;
  within?: FeaturesInfo | undefined;
}

/** Mean spacing of points spread evenly over their extent, in units of the coordinates. */
const spacing = (p: FeaturesInfo): number =>
  p.extent && p.count > 0 ? Math.sqrt(((p.extent[2] - p.extent[0]) * (p.extent[3] - p.extent[1])) / p.count) : NaN;

export function surfaceChecks({ points }: Told, value: string): Check[] {
  return [
    ...planeChecks(points, 'A surface', 'points'),
    ...columnChecks(points, [value], 'value', true),
    ...codeChecks(
      points.columns.filter((c) => c.name === value),
      'points',
    ),
  ];
}

export function suggestGrid({ points }: Told): Record<string, Suggestion | undefined> {
  const s = spacing(points);
  const m = points.crs && !points.crs.geographic ? metresPerUnit(points.crs) : 1;
  const value = likelyValue(points.columns);
  return {
    ...(value ? { value: { value: value.column.name, reason: value.reason } } : {}),
    ...(s > 0
      ? {
          cellSize: {
            value: `${roundNear((s * m) / 5)} m`,
            reason: `a fifth of the mean spacing of the points (${Number((s * m).toPrecision(2))} m)`,
          },
        }
      : {}),
  };
}

/** Cells of a grid over an extent, about. */
export function estimateGrid(
  { points }: Told,
  p: { cellSize: Quantity | 'auto'; bounds?: Bounds | undefined },
  perCell: number,
): { cells: number; bytes: number; seconds: number } {
  if (!points.extent || p.cellSize === 'auto') return { cells: 0, bytes: 0, seconds: 0 };
  const size = cellInUnits(p.cellSize, points.crs);
  const [x0, y0, x1, y1] = p.bounds ?? points.extent;
  const margin = p.bounds ? 0 : 4;
  const cells = Math.ceil((x1 - x0) / size + margin) * Math.ceil((y1 - y0) / size + margin);
  return { cells, bytes: cells * 16 + points.count * 100, seconds: cells * perCell };
}

const MOST_CELLS = 400_000_000;

/** The grid of a surface: the same for the same points, cell size and bounds, whatever the method. */
export function gridFor(points: Features, p: { cellSize: Quantity | 'auto'; bounds?: Bounds | undefined }): Grid {
  if (p.cellSize === 'auto') throw new HelkError('method.parameter', 'cellSize: give a cell size.', 'cellSize');
  const size = cellInUnits(p.cellSize, points.crs);
  let box = p.bounds;
  if (!box) {
    const e = featuresExtent(points);
    if (!e) throw new HelkError('method.input', 'No point has a place.', 'points');
    const margin = Math.max(size, 0.05 * Math.max(e[2] - e[0], e[3] - e[1]));
    // On whole multiples of the cell size, so that grids of other points of the same survey fit too.
    box = [
      Math.floor((e[0] - margin) / size) * size,
      Math.floor((e[1] - margin) / size) * size,
      Math.ceil((e[2] + margin) / size) * size,
      Math.ceil((e[3] + margin) / size) * size,
    ];
  }
  const columns = Math.max(1, Math.round((box[2] - box[0]) / size));
  const rows = Math.max(1, Math.round((box[3] - box[1]) / size));
  if (columns * rows > MOST_CELLS)
    throw new HelkError(
      'method.parameter',
      `cellSize: ${columns} × ${rows} cells are more than ${MOST_CELLS}; take larger ones.`,
      'cellSize',
    );
  return { crs: points.crs, x: box[0], y: box[1] + rows * size, dx: size, dy: size, columns, rows };
}

export interface Measured extends Samples {
  /** Row of each sample among the points; the first of those at one place. */
  rows: number[];
  unit: string | null;
}

/** Squares of larger values, added up, are no longer numbers. */
const LARGEST = 1e140;

/** Values with a place; several at one place become their mean. What is left out is said. */
export function samplesOf(points: Features, value: string, job: Job): Measured {
  const c = columnOf(points.columns, value, 'value');
  const v = c.values as Float64Array;
  const at = new Map<string, number>();
  const [x, y, z, rows, times]: number[][] = [[], [], [], [], []] as never;
  let left = 0;
  let doubled = 0;
  for (let i = 0; i < featureCount(points); i++) {
    const first = points.featureOffsets[i]!;
    if (first === points.featureOffsets[i + 1] || c.missing?.[i] || v[i] !== v[i]) {
      left++;
      continue;
    }
    if (Math.abs(v[i]!) > LARGEST)
      throw new HelkError(
        'method.input',
        `The value ${v[i]} of point ${i + 1} is too large to be compared by its square; is it a code for a missing one?`,
        'points',
      );
    const k = points.ringOffsets[points.partOffsets[first]!]!;
    const [px, py] = [points.xy[2 * k]!, points.xy[2 * k + 1]!];
    const key = `${px},${py}`;
    const known = at.get(key);
    if (known !== undefined) {
      doubled++;
      times![known]!++;
      z![known]! += (v[i]! - z![known]!) / times![known]!;
      continue;
    }
    at.set(key, x!.length);
    x!.push(px);
    y!.push(py);
    z!.push(v[i]!);
    rows!.push(i);
    times!.push(1);
  }
  if (left)
    job.note(
      'look',
      'points.missing',
      `${plural(left, 'point')} without a value or a place ${left === 1 ? 'is' : 'are'} left out.`,
    );
  if (doubled)
    job.note(
      'look',
      'points.doubled',
      `${plural(doubled, 'point')} lie where another lies; values at one place were averaged.`,
    );
  if (x!.length < 3)
    throw new HelkError(
      'method.input',
      `Only ${x!.length} points have a value and a place; at least three are needed.`,
      'points',
    );
  return { x: Float64Array.from(x!), y: Float64Array.from(y!), z: Float64Array.from(z!), rows: rows!, unit: c.unit };
}

/** The samples without what else is known of them: what a thread is given. */
export const plain = ({ x, y, z }: Samples): Samples => ({ x, y, z });

/** Whether all values are alike: then every method gives that value. */
export const allAlike = (z: Float64Array): boolean => z.every((v) => v === z[0]);

/** Fills a grid with estimates, and their variances where two bands are wanted; cells outside `within` are missing. */
export async function fillGrid(
  grid: Grid,
  within: Features | undefined,
  job: Job,
  recipe: Recipe,
  bands: 1 | 2 = 1,
): Promise<Float32Array[]> {
  const n = cellCount(grid);
  const out = Array.from({ length: bands }, () => room(Float32Array, n));
  const inside = within ? insideRows(featuresIn(within, grid.crs), grid) : null;
  function* blocks(): Generator<SurfaceBlock> {
    for (let from = 0; from < grid.rows; from += STEP) {
      const rows = Math.min(STEP, grid.rows - from);
      const mask = inside ? new Uint8Array(rows * grid.columns) : null;
      for (let y = 0; y < rows && mask; y++) inside!(from + y, mask.subarray(y * grid.columns, (y + 1) * grid.columns));
      yield { from, rows, mask };
    }
  }
  await job.parallel(surfaceRows, { grid, recipe, bands }, blocks(), (parts, k) => {
    job.progress((k * STEP) / grid.rows, 'cells');
    parts.forEach((p, b) => out[b]!.set(p, k * STEP * grid.columns));
  });
  return out;
}

/** Rows of a block: few, since a cell costs much. */
const STEP = 8;

interface SurfaceBlock {
  from: number;
  rows: number;
  /** 1 where a cell is wanted; all are where it is absent. */
  mask: Uint8Array | null;
}

interface SurfaceParams {
  grid: Grid;
  recipe: Recipe;
  bands: 1 | 2;
}

/** Estimators that have been made, by what they were made from: a thread makes one for all its blocks. */
const made = new WeakMap<SurfaceParams, Estimator>();

const surfaceRows = defineKernel('surface', (p: SurfaceParams, { from, rows, mask }: SurfaceBlock): Float32Array[] => {
  const { grid, bands } = p;
  const f = made.get(p) ?? estimatorOf(p.recipe);
  made.set(p, f);
  const n = rows * grid.columns;
  const wanted: number[] = [];
  for (let i = 0; i < n; i++) if (!mask || mask[i]) wanted.push(i);
  const x = Float64Array.from(wanted, (i) => grid.x + ((i % grid.columns) + 0.5) * grid.dx);
  const y = Float64Array.from(wanted, (i) => grid.y - (from + Math.floor(i / grid.columns) + 0.5) * grid.dy);
  const values = new Float64Array(wanted.length).fill(NaN);
  const variances = bands === 2 ? new Float64Array(wanted.length).fill(NaN) : undefined;
  f.at(x, y, values, variances);
  const put = (v: Float64Array): Float32Array => {
    const out = new Float32Array(n).fill(NaN);
    wanted.forEach((i, k) => (out[i] = v[k]!));
    return out;
  };
  return variances ? [put(values), put(variances.map(Math.sqrt))] : [put(values)];
});

export const surfaceRaster = (
  grid: Grid,
  cells: Float32Array,
  name: string,
  unit: string | null,
  role?: string,
): Raster => measureRaster(grid, cells, { name, unit, ...(role ? { role } : {}) });

import * as z from 'zod';
import { HelkError } from '../../errors';
import { plainHeld } from '../../data/cells';
import {
  attributeOf,
  classesOf,
  className,
  GROUND,
  metresOfHeight,
  metresOfPlace,
  placesOf,
  type Cloud,
} from '../../data/cloud';
import { cellInUnits } from '../../data/crs';
import { cellCount, MISSING_CLASS, newCells, type BandInfo, type Cells, type Grid } from '../../data/raster';
import { classColour } from '../../render/cloud-style';
import { defineMethod, input, output, type Suggestion } from '../../method/define';
import type { Job } from '../../method/job';
import { cellSize, choice, numbers, quantity } from '../../method/params';
import { NearPoints } from '../../numeric/near';
import { Tin } from '../../numeric/tin';
import {
  aboveGround,
  cellOf,
  classChecks,
  classList,
  groundChecks,
  inMetres,
  placeChecks,
  suggestCell,
} from './common';

const MOST_CELLS = 400_000_000;
const NEIGHBOURS = 12;

export const grid = defineMethod({
  id: 'cloud.grid',
  version: 1,
  title: 'Points to a grid',
  question: 'What grid do the points make?',
  about:
    'Elevation, height above ground, intensity, number or class of the points of each cell: the lowest, highest, mean or median of those in it, or a surface of triangles or of inverse distances through all, which leaves no gap between points. Cells start at whole multiples of the cell size. Noise takes no part unless its class is asked for.',
  keywords: [
    'dtm',
    'dem',
    'dsm',
    'chm',
    'canopy height model',
    'ground grid',
    'rasterise',
    'density',
    'intensity image',
    'elevation model',
  ],
  sources: [
    'Delaunay 1934 (triangles)',
    'Shepard 1968, doi:10.1145/800186.810616 (inverse distance)',
    'common practice, no source',
  ],
  inputs: { cloud: input.cloud({ parts: true }) },
  params: z.object({
    value: choice(
      {
        elevation: 'elevation',
        height: 'height above ground',
        intensity: 'intensity',
        count: 'number of points',
        class: 'class',
      },
      { label: 'Value' },
    ).default('elevation'),
    classes: numbers({
      label: 'Classes',
      help: 'By number, apart by commas; all but noise when empty.',
      min: 0,
      max: 255,
    }).optional(),
    statistic: choice(
      { min: 'lowest', max: 'highest', mean: 'mean', median: 'median', tin: 'triangles', idw: 'inverse distance' },
      { label: 'Statistic' },
    ).optional(),
    cellSize: cellSize({ label: 'Cell size' }).default('auto'),
    maxGap: quantity('length', {
      label: 'Largest gap',
      unit: 'm',
      above: 0,
      help: 'Cells this far from a point at most get a value. Empty: cells without points stay missing, and surfaces reach as far as their points do.',
    }).optional(),
  }),
  outputs: { grid: output.raster('Grid', 'grid') },
  figures: { cells: { label: 'Cells' }, missingCells: { label: 'Missing cells' } },
  preview: { kind: 'window', input: 'cloud' },
  checks: ({ cloud }, p) => [
    ...placeChecks(cloud),
    ...classChecks(cloud, p.classes, 'classes'),
    ...(p.value === 'height' && !cloud.attributes.some((a) => a.name === 'heightAboveGround')
      ? groundChecks(cloud)
      : []),
    ...(p.value === 'intensity' && !cloud.attributes.some((a) => a.name === 'intensity')
      ? [
          {
            level: 'refused' as const,
            code: 'cloud.noIntensity',
            about: 'value',
            message: 'The points have no intensity.',
          },
        ]
      : []),
  ],
  suggest: ({ cloud }, p): Record<string, Suggestion | undefined> => {
    const value = p.value ?? 'elevation';
    const ground = cloud.classes.some((k) => k.value === GROUND);
    const onlyGround = p.classes ? p.classes.length === 1 && p.classes[0] === GROUND : ground && value === 'elevation';
    return {
      cellSize: suggestCell(cloud),
      classes: value === 'elevation' && ground ? { value: '2', reason: 'the ground' } : undefined,
      statistic:
        value === 'elevation' && onlyGround
          ? { value: 'tin', reason: 'ground has gaps under what stands on it' }
          : {
              value: value === 'intensity' ? 'mean' : 'max',
              reason: value === 'intensity' ? 'single echoes vary' : 'the surface seen from above',
            },
    };
  },
  estimate: ({ cloud }, p) => {
    const cells =
      p.cellSize === 'auto' || !cloud.extent
        ? 0
        : cellCount(gridOf(cloud.extent, cellInUnits(p.cellSize, cloud.crs), cloud.crs));
    const surface = p.statistic === 'tin' || p.statistic === 'idw';
    return {
      cells,
      bytes: cloud.count * (surface ? 130 : p.statistic === 'median' ? 30 : 20) + cells * 24,
      seconds: cloud.count / (surface ? 8e5 : 1e7) + cells / 2e6,
    };
  },
  run: async ({ cloud: handle }, p, job) => {
    const wantsAbove = p.value === 'height' && !handle.info.attributes.some((a) => a.name === 'heightAboveGround');
    const cloud = await handle.only(['classification', 'intensity', 'heightAboveGround'], (s) =>
      job.progress(0.4 * s, 'reading points'),
    );
    const size = cellOf(p.cellSize, cloud);
    const extent = handle.info.extent!;
    const g = gridOf(extent, size, cloud.crs);
    if (cellCount(g) > MOST_CELLS)
      throw new HelkError(
        'method.parameter',
        `cellSize: ${g.columns} × ${g.rows} cells are more than ${MOST_CELLS}; take larger ones.`,
        'cellSize',
      );
    const wanted = classList(p.classes, 'classes');
    const at = placesOf(cloud);
    const classes = classesOf(cloud);
    const skip = new Uint8Array(classes.length);
    let taken = 0;
    for (let i = 0; i < skip.length; i++) {
      if (wanted ? !wanted.has(classes[i]!) : classes[i] === 7 || classes[i] === 18) skip[i] = 1;
      else taken++;
    }
    if (!taken) throw new HelkError('method.input', 'No point is of these classes.', 'classes');
    const values = valuesOf(cloud, p.value, at.z, wantsAbove ? job : null);
    const column = new Int32Array(skip.length);
    const row = new Int32Array(skip.length);
    for (let i = 0; i < skip.length; i++) {
      column[i] = Math.floor((at.x[i]! - g.x) / size);
      row[i] = Math.floor((g.y - at.y[i]!) / size);
    }
    job.progress(0.5, 'filling cells');
    const reach = p.maxGap === undefined ? null : p.maxGap / metresOfPlace(cloud.crs);
    const points: Points = { g, column, row, skip, values, x: at.x, y: at.y };
    const statistic = p.statistic ?? 'max';
    const cells =
      p.value === 'class'
        ? usualClass(points)
        : p.value === 'count'
          ? counts(points)
          : statistic === 'tin' || statistic === 'idw'
            ? surface(points, statistic, reach, job)
            : binned(points, statistic);
    if (reach !== null && p.value !== 'count' && statistic !== 'tin' && statistic !== 'idw')
      fillGaps(cells, g, reach, p.value === 'class' ? MISSING_CLASS : NaN);
    const band = bandOf(cloud, p.value, wanted, classes);
    const sink = job.raster('grid', { grid: g, bands: [{ ...band, held: plainHeld(band) }] });
    await sink.write(0, cells);
    let missing = 0;
    for (const v of cells) if (v !== v || v === MISSING_CLASS) missing++;
    return { grid: sink, figures: { cells: cells.length, missingCells: missing } };
  },
});

/** The grid of whole multiples of the cell size that holds all points. */
export function gridOf([w, s, e, t]: readonly [number, number, number, number], size: number, crs: Cloud['crs']): Grid {
  const x = Math.floor(w / size) * size;
  const y = Math.ceil(t / size) * size;
  return {
    crs,
    x,
    y,
    dx: size,
    dy: size,
    columns: Math.floor((e - x) / size) + 1,
    rows: Math.floor((y - s) / size) + 1,
  };
}

interface Points {
  g: Grid;
  column: Int32Array;
  row: Int32Array;
  skip: Uint8Array;
  values: ArrayLike<number>;
  x: Float64Array;
  y: Float64Array;
}

type Value = 'elevation' | 'height' | 'intensity' | 'count' | 'class';

function valuesOf(c: Cloud, value: Value, z: Float64Array, job: Job | null): ArrayLike<number> {
  if (value === 'class') return classesOf(c);
  if (value === 'intensity') return attributeOf(c, 'intensity')!;
  if (value !== 'height') return z;
  const there = attributeOf(c, 'heightAboveGround');
  if (there || !job) return there ?? z;
  const above = aboveGround(inMetres(c), classesOf(c), job, (s) => 0.4 + 0.1 * s);
  const unit = metresOfHeight(c.heightUnit);
  if (unit !== 1) for (let i = 0; i < above.length; i++) above[i]! /= unit;
  return above;
}

function bandOf(c: Cloud, value: Value, wanted: Set<number> | null, classes: Uint8Array): BandInfo {
  const base = { unit: null, kind: 'measure' as const, storedType: 'float32' as const, missingCode: null };
  if (value === 'count') return { ...base, name: 'points', storedType: 'int32' };
  if (value === 'intensity') return { ...base, name: 'intensity' };
  if (value === 'class') {
    const there = [...new Set(classes)].filter((k) => !wanted || wanted.has(k)).sort((a, b) => a - b);
    return {
      ...base,
      name: 'class',
      kind: 'category',
      storedType: 'uint8',
      classes: there.map((k) => ({ value: k, label: className(k), colour: classColour({ classes: {} }, k) })),
    };
  }
  return { ...base, name: value, unit: c.heightUnit, ...(value === 'elevation' ? { role: 'elevation' } : {}) };
}

function counts({ g, column, row, skip }: Points): Cells {
  const out = newCells('measure', cellCount(g)).fill(0);
  for (let i = 0; i < skip.length; i++) if (!skip[i]) out[row[i]! * g.columns + column[i]!]!++;
  return out;
}

/** The lowest, highest, mean or median of the points in each cell. */
function binned({ g, column, row, skip, values }: Points, statistic: 'min' | 'max' | 'mean' | 'median'): Cells {
  const n = cellCount(g);
  const out = newCells('measure', n);
  const cell = (i: number): number => row[i]! * g.columns + column[i]!;
  if (statistic === 'min' || statistic === 'max') {
    const sign = statistic === 'min' ? 1 : -1;
    for (let i = 0; i < skip.length; i++) {
      if (skip[i]) continue;
      const c = cell(i);
      const v = values[i]!;
      if (!(sign * out[c]! <= sign * v)) out[c] = v;
    }
    return out;
  }
  const count = new Uint32Array(n + 1);
  if (statistic === 'mean') {
    const sum = new Float64Array(n);
    for (let i = 0; i < skip.length; i++) {
      if (skip[i]) continue;
      const c = cell(i);
      sum[c]! += values[i]!;
      count[c]!++;
    }
    for (let c = 0; c < n; c++) if (count[c]) out[c] = sum[c]! / count[c]!;
    return out;
  }
  for (let i = 0; i < skip.length; i++) if (!skip[i]) count[cell(i) + 1]!++;
  for (let c = 0; c < n; c++) count[c + 1]! += count[c]!;
  const sorted = new Float64Array(count[n]!);
  const at = count.slice(0, n);
  for (let i = 0; i < skip.length; i++) if (!skip[i]) sorted[at[cell(i)]!++] = values[i]!;
  for (let c = 0; c < n; c++) {
    const [from, to] = [count[c]!, count[c + 1]!];
    if (from === to) continue;
    const part = sorted.subarray(from, to).sort();
    const half = (to - from) >> 1;
    out[c] = (to - from) % 2 ? part[half]! : (part[half - 1]! + part[half]!) / 2;
  }
  return out;
}

/** The class that most points of each cell have; of equally many the lower number. */
function usualClass({ g, column, row, skip, values }: Points): Cells {
  const n = cellCount(g);
  const out = newCells('category', n);
  const start = new Uint32Array(n + 1);
  const cell = (i: number): number => row[i]! * g.columns + column[i]!;
  for (let i = 0; i < skip.length; i++) if (!skip[i]) start[cell(i) + 1]!++;
  for (let c = 0; c < n; c++) start[c + 1]! += start[c]!;
  const sorted = new Uint8Array(start[n]!);
  const at = start.slice(0, n);
  for (let i = 0; i < skip.length; i++) if (!skip[i]) sorted[at[cell(i)]!++] = values[i]!;
  const votes = new Uint32Array(256);
  for (let c = 0; c < n; c++) {
    if (start[c] === start[c + 1]) continue;
    votes.fill(0);
    let best = 256;
    for (let k = start[c]!; k < start[c + 1]!; k++) votes[sorted[k]!]!++;
    for (let k = 0; k < 256; k++) if (votes[k]! > 0 && (best === 256 || votes[k]! > votes[best]!)) best = k;
    out[c] = best;
  }
  return out;
}

/** A surface through the points, at the middle of each cell. */
function surface({ g, skip, values, x, y }: Points, statistic: 'tin' | 'idw', reach: number | null, job: Job): Cells {
  let n = 0;
  for (const s of skip) if (!s) n++;
  // From a corner of the grid: differences keep their digits.
  const [xs, ys, zs] = [new Float64Array(n), new Float64Array(n), new Float64Array(n)];
  let k = 0;
  for (let i = 0; i < skip.length; i++) {
    if (skip[i]) continue;
    xs[k] = x[i]! - g.x;
    ys[k] = y[i]! - g.y;
    zs[k++] = values[i]!;
  }
  const out = newCells('measure', cellCount(g));
  const near = reach !== null || statistic === 'idw' ? new NearPoints(xs, ys) : null;
  const tin = statistic === 'tin' ? new Tin(xs, ys, zs) : null;
  const index = new Uint32Array(NEIGHBOURS);
  const square = new Float64Array(NEIGHBOURS);
  for (let r = 0; r < g.rows; r++) {
    job.progress(0.55 + (0.45 * r) / g.rows, 'surface');
    const py = -(r + 0.5) * g.dy;
    for (let c = 0; c < g.columns; c++) {
      const px = (c + 0.5) * g.dx;
      if (tin) {
        const v = tin.heightAt(px, py);
        if (v !== v || (reach !== null && near!.find(px, py, 1, reach, index, square) === 0)) continue;
        out[r * g.columns + c] = v;
        continue;
      }
      const m = near!.find(px, py, NEIGHBOURS, reach ?? Infinity, index, square);
      if (m) out[r * g.columns + c] = weighted(m, zs, index, square);
    }
  }
  return out;
}

/** The mean of the nearest values, each by its squared distance. */
function weighted(m: number, z: Float64Array, index: Uint32Array, square: Float64Array): number {
  if (square[0] === 0) return z[index[0]!]!;
  let [sum, weight] = [0, 0];
  for (let k = 0; k < m; k++) {
    sum += z[index[k]!]! / square[k]!;
    weight += 1 / square[k]!;
  }
  return sum / weight;
}

/** Gives cells without a value that of the nearest cell with one, no further than `reach`. In place. */
function fillGaps(cells: Cells, g: Grid, reach: number, missing: number): void {
  const isMissing = (v: number): boolean => (missing !== missing ? v !== v : v === missing);
  const xs: number[] = [];
  const ys: number[] = [];
  const vs: number[] = [];
  for (let c = 0; c < cells.length; c++) {
    if (isMissing(cells[c]!)) continue;
    xs.push(((c % g.columns) + 0.5) * g.dx);
    ys.push((Math.floor(c / g.columns) + 0.5) * g.dy);
    vs.push(cells[c]!);
  }
  const near = new NearPoints(xs, ys);
  const index = new Uint32Array(1);
  const square = new Float64Array(1);
  for (let c = 0; c < cells.length; c++)
    if (
      isMissing(cells[c]!) &&
      near.find(((c % g.columns) + 0.5) * g.dx, (Math.floor(c / g.columns) + 0.5) * g.dy, 1, reach, index, square)
    )
      cells[c] = vs[index[0]!]!;
}

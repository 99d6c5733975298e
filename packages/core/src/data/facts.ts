import { enclosedGaps, missingMask } from '../numeric/components';
import { growingFloats } from '../numeric/growing';
import { Random } from '../numeric/random';
import { histogram, quantileSorted, summarise } from '../numeric/statistics';
import type { BandFacts, DatasetInfo, Dataset } from './dataset';
import { featureCount, featuresExtent, type Column, type ColumnInfo, type Features, type Zeros } from './features';
import { findUnit } from './quantity';
import { bandInfo, missingOf, type Band, type Grid } from './raster';
import { tableRows } from './table';

const SAMPLE = 200_000;
const BINS = 128;

/** Codes that stand for "missing" in practice (common practice, no source): all-nines, type limits, huge floats. */
const CODES = [
  -9999, -9999.99, -99999, -999, -99.99, 9999, 99999, -32768, 32767, 65535, 255, -2147483648, 1e20, -1e30,
  -3.4028234663852886e38, 3.4028234663852886e38,
];

/** The facts of a band that checks and drawings rest on. O(cells). */
export function bandFacts(band: Band, grid: Grid): BandFacts {
  const missing = missingOf(band);
  const { cells } = band;
  const summary = summarise(cells, missing);
  const sorted = sample(cells, missing);
  const percentiles: Record<string, number> = {};
  for (const p of [1, 2, 5, 25, 50, 75, 95, 98, 99]) percentiles[p] = quantileSorted(sorted, p / 100);
  const gaps = summary.missing > 0 ? enclosedGaps(missingMask(cells, missing), grid.columns, grid.rows) : [];
  const seen = new Set<number>();
  for (const v of sorted) {
    seen.add(v);
    if (seen.size > 256) break;
  }
  return {
    summary,
    // Where nothing changed is not part of how much changed.
    histogram:
      band.role === 'depth' && summary.max > 0
        ? histogram(cells, Number.MIN_VALUE, summary.max, 32, missing)
        : histogram(cells, summary.min, summary.max, BINS, missing),
    percentiles,
    enclosedCells: gaps.reduce((s, g) => s + g.cells.length, 0),
    enclosedGaps: gaps.length,
    gapBoxes: gaps
      .map((g) => boxOf(g.cells, grid.columns))
      .sort((a, b) => b.cells - a.cells)
      .slice(0, 200),
    ...(band.role === 'depth' || band.role === 'difference'
      ? { extremes: furthestFromZero(cells, missing, grid.columns) }
      : {}),
    suspectCode: suspect(cells, summary.min, summary.max, sorted),
    ...(band.kind === 'measure' ? zerosOf(cells, sorted) : {}),
    distinct: Math.min(seen.size, 256),
    ...(seen.size <= 64 ? valueCounts(cells, missing) : {}),
    ...(band.kind === 'measure' && isLength(band.unit) && band.role !== 'depth' && band.role !== 'difference'
      ? { pits: pitCount(cells, grid.columns, grid.rows) }
      : {}),
  };
}

/** Cells of each value; nothing where the sample missed so many that it is no list of classes. O(cells). */
function valueCounts(cells: ArrayLike<number>, missing: number): Pick<BandFacts, 'values'> {
  const counts = new Map<number, number>();
  for (let i = 0; i < cells.length; i++) {
    const v = cells[i]!;
    if (v !== v || v === missing) continue;
    const n = counts.get(v);
    if (n === undefined && (counts.size >= 64 || v !== Math.floor(v))) return {};
    counts.set(v, (n ?? 0) + 1);
  }
  return { values: [...counts].sort((a, b) => a[0] - b[0]).map(([value, n]) => ({ value, cells: n })) };
}

const isLength = (unit: string | null): boolean => findUnit(unit)?.dimension === 'length';

/** Cells inside the grid that are lower than each of their eight neighbours. O(cells). */
function pitCount(z: ArrayLike<number>, width: number, height: number): number {
  let pits = 0;
  for (let y = 1; y < height - 1; y++) {
    for (let i = y * width + 1; i < (y + 1) * width - 1; i++) {
      const v = z[i]!;
      if (
        v < z[i - 1]! &&
        v < z[i + 1]! &&
        v < z[i - width]! &&
        v < z[i + width]! &&
        v < z[i - width - 1]! &&
        v < z[i - width + 1]! &&
        v < z[i + width - 1]! &&
        v < z[i + width + 1]!
      )
        pits++;
    }
  }
  return pits;
}

function boxOf(cells: Int32Array, width: number): BandFacts['gapBoxes'][number] {
  let west = width;
  let east = 0;
  for (const i of cells) {
    const x = i % width;
    if (x < west) west = x;
    if (x > east) east = x;
  }
  const north = Math.floor(cells[0]! / width);
  const south = Math.floor(cells[cells.length - 1]! / width);
  return { column: west, row: north, columns: east - west + 1, rows: south - north + 1, cells: cells.length };
}

/** Cells furthest from zero, greedily, leaving out those near one already taken. O(n) for the few candidates kept. */
function furthestFromZero(
  cells: ArrayLike<number>,
  missing: number,
  width: number,
): NonNullable<BandFacts['extremes']> {
  const most = 4000;
  let floor = 0;
  let held: { i: number; v: number }[] = [];
  for (let i = 0; i < cells.length; i++) {
    const v = cells[i]!;
    if (v !== v || v === missing || !(Math.abs(v) > floor)) continue;
    held.push({ i, v });
    if (held.length >= 2 * most) {
      held = held.sort((a, b) => Math.abs(b.v) - Math.abs(a.v)).slice(0, most);
      floor = Math.abs(held[most - 1]!.v);
    }
  }
  held.sort((a, b) => Math.abs(b.v) - Math.abs(a.v));
  const out: NonNullable<BandFacts['extremes']> = [];
  for (const { i, v } of held) {
    const column = i % width;
    const row = Math.floor(i / width);
    if (out.some((o) => Math.max(Math.abs(o.column - column), Math.abs(o.row - row)) < 8)) continue;
    out.push({ column, row, value: v });
    if (out.length === 20) break;
  }
  return out;
}

/**
 * Up to 200 000 values spread over the band, sorted: one of each run of cells of equal length, at a place drawn within it (seeded), so
 * that no pattern of the grid (its columns, stripes, a lattice) can keep step with the sample.
 */
function sample(cells: ArrayLike<number>, missing: number): Float64Array {
  const step = Math.max(1, Math.floor(cells.length / SAMPLE));
  const r = new Random(cells.length);
  const out = growingFloats();
  for (let i = 0; i < cells.length; i += step) {
    const at = step === 1 ? i : Math.min(cells.length - 1, i + Math.floor(step * r.uniform()));
    const v = cells[at]!;
    if (v === v && v !== missing) out.push(v);
  }
  return out.done().sort();
}

/** An extreme value that is a usual code and stands apart from the rest of the values by more than their whole range. */
function suspect(cells: ArrayLike<number>, min: number, max: number, sorted: Float64Array): BandFacts['suspectCode'] {
  for (const v of [min, max]) {
    if (!CODES.some((c) => c === v || Math.fround(c) === v)) continue;
    let count = 0;
    for (let i = 0; i < cells.length; i++) if (cells[i] === v) count++;
    const others = sorted.filter((s) => s !== v);
    if (others.length === 0) continue;
    const lo = others[0]!;
    const hi = others[others.length - 1]!;
    const apart = v < lo ? lo - v : v - hi;
    if (apart > hi - lo || (count > 1 && apart > 0.25 * (hi - lo))) return { value: v, count };
  }
  return null;
}

/** Too few to say that zeros stand apart from them. */
const LEAST_OTHERS = 8;

/** Recurring zeros further from all other values than a quarter of their range (common practice, no source): measured, or a code? */
function zerosOf(cells: ArrayLike<number>, sorted: Float64Array): { zeros?: Zeros } {
  const others = sorted.filter((v) => v !== 0);
  const low = others[0]!;
  const high = others[others.length - 1]!;
  const found = sorted.length - others.length;
  if (found < 2 || found > others.length || new Set(others).size < LEAST_OTHERS || low * high < 0) return {};
  if (!(Math.min(Math.abs(low), Math.abs(high)) > 0.25 * (high - low))) return {};
  let count = 0;
  for (let i = 0; i < cells.length; i++) if (cells[i] === 0) count++;
  return { zeros: { count, low, high } };
}

function columnInfo(c: Column): ColumnInfo {
  const { name, type, unit } = c;
  if (type !== 'number') return { name, type, unit };
  const sorted = (c.values as Float64Array).filter((v, i) => v === v && !c.missing?.[i]).sort();
  const found = sorted.length > 2 ? suspect(sorted, sorted[0]!, sorted[sorted.length - 1]!, sorted) : null;
  return { name, type, unit, ...(found ? { suspect: found } : zerosOf(sorted, sorted)) };
}

/** Points that lie exactly where an earlier one lies. O(n), by a table of the bits of both coordinates. */
export function doubledPoints(f: Features): number {
  const n = f.xy.length / 2;
  const bits = new Uint32Array(f.xy.buffer, f.xy.byteOffset, 4 * n);
  let size = 16;
  while (size < 2 * n) size *= 2;
  const table = new Int32Array(size).fill(-1);
  let doubled = 0;
  for (let i = 0; i < n; i++) {
    let h = 0;
    for (let k = 4 * i; k < 4 * i + 4; k++) h = Math.imul(h ^ bits[k]!, 0x9e3779b1) ^ (h >>> 15);
    let at = (h ^ (h >>> 13)) & (size - 1);
    for (; table[at]! >= 0; at = (at + 1) & (size - 1)) {
      const j = table[at]!;
      if (f.xy[2 * j] === f.xy[2 * i] && f.xy[2 * j + 1] === f.xy[2 * i + 1]) break;
    }
    if (table[at]! >= 0) doubled++;
    else table[at] = i;
  }
  return doubled;
}

/** Everything there is to know of a dataset without its bulk. */
export function infoOf(d: Dataset): DatasetInfo {
  if (d.kind === 'raster') {
    return {
      kind: 'raster',
      grid: d.grid,
      bands: d.bands.map((b) => ({ ...bandInfo(b), facts: bandFacts(b, d.grid) })),
    };
  }
  const columns = d.columns.map(columnInfo);
  if (d.kind === 'features') {
    return {
      kind: 'features',
      crs: d.crs,
      geometry: d.geometry,
      count: featureCount(d),
      extent: featuresExtent(d),
      columns,
      ...(d.geometry === 'point' ? { doubled: doubledPoints(d) } : {}),
    };
  }
  return { kind: 'table', rows: tableRows(d), columns };
}

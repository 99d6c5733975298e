import { HelkError } from '../../errors';
import { floatBand, heldBand, isWhole, roomier } from '../../data/cells';
import { transformer } from '../../data/crs';
import type { RasterHandle, RasterSink } from '../../data/handle';
import { cellCount, missingOf, type BandInfo, type Cells, type Grid } from '../../data/raster';
import { BLOCK_ROWS } from '../../data/raster-handles';
import type { Job } from '../../method/job';
import { blockBytes, defineRowKernel, oneBand, outType, overRows, type RowsGiven } from '../../method/rows';
import { CellMapper } from '../../numeric/cell-mapper';
import { resampleRow, type Resampling } from '../../numeric/resample';
import { momentsOf, Summariser, summaryOf, type Summary } from '../../numeric/statistics';

const AVERAGING: readonly (string | undefined)[] = ['bilinear', 'cubic', 'mean'];

/** What a resampling means for a band: classes are never averaged, also where the bands beside them are. */
export function resamplingFor(kind: 'measure' | 'category', how: 'auto' | Resampling): Resampling {
  if (kind === 'category' && (how === 'auto' || AVERAGING.includes(how))) return how === 'mean' ? 'mode' : 'nearest';
  return how === 'auto' ? 'bilinear' : how;
}

/** Source rows around the place of a cell that any way of resampling may look at, beside the reach of a mean. */
const AROUND = 3;

interface Warping {
  source: Grid;
  target: Grid;
  how: Resampling;
  missing: number;
  /** Half a target cell in source cells. */
  reach: [number, number];
}

/** Memory of a warp: blocks of the result, and the source rows that one of them may look at. */
export const warpBytes = (source: Grid, bands: number): number => blockBytes(source, 2 + bands);

/**
 * A raster's values on another grid, by way of both CRSs: the one way grids are brought together. O(target cells); a transform is made
 * exactly at a sixteenth of a percent of the cells and interpolated to 10⁻⁶ cell. Rows of the source are read as they are needed.
 *
 * @returns the sink of the result, and what its first band holds
 * @throws HelkError `method.memory` for more cells than a grid may have
 */
export async function warp(
  job: Job,
  role: string,
  stage: string,
  source: RasterHandle,
  target: Grid,
  how: 'auto' | Resampling,
): Promise<{ sink: RasterSink; after: Summary }> {
  if (cellCount(target) > 2 ** 31)
    throw new HelkError(
      'method.memory',
      `The result would have ${(cellCount(target) / 1e6).toFixed(0)} million cells; take larger cells.`,
      'cellSize',
    );
  const bands = warpedBands(source.head.bands, how);
  const sink = job.raster(role, { grid: target, bands });
  return { sink, after: await warpInto(job, stage, source, target, how, sink) };
}

/** What bands are on another grid: those that are interpolated become floating-point numbers. */
export const warpedBands = (
  bands: readonly Parameters<typeof heldBand>[0][],
  how: 'auto' | Resampling,
): ReturnType<typeof heldBand>[] =>
  bands.map((b) => {
    const r = resamplingFor(b.kind, how);
    return r === 'nearest' || r === 'mode' ? keptBand(b) : floatBand(b);
  });

/**
 * The same into bands of a raster that has been begun.
 *
 * @param first band of the sink that the first of the source becomes
 * @param progress of the whole run, from the share of this
 */
export async function warpInto(
  job: Job,
  stage: string,
  source: RasterHandle,
  target: Grid,
  how: 'auto' | Resampling,
  sink: RasterSink,
  first = 0,
  progress: (share: number) => number = (s) => s,
): Promise<Summary> {
  const g = source.head.grid;
  const bands = warpedBands(source.head.bands, how);
  const mapper = mapperOf(g, target);
  const reach = reachOf(mapper, g, target);
  let after: Summary | null = null;
  for (const [k, b] of bands.entries()) {
    const params: Warping = { source: g, target, how: resamplingFor(b.kind, how), missing: missingOf(b), reach };
    const rows = (from: number, n: number): Promise<RowsGiven> => rowsFor(source, k, mapper, params, from, n);
    const share = (s: number): number => progress((k + s) / bands.length);
    const to = oneBand(sink, first + k);
    const told = await overRows(job, stage, target, [rows], warpRows, params, to, [outType(b)], share);
    after ??= summaryOf(told);
  }
  return after!;
}

/** Values that are some of the source's, and missing ones around it. */
function keptBand(b: Parameters<typeof heldBand>[0]): ReturnType<typeof heldBand> {
  const kept = heldBand(b);
  return kept.held.missing === null && isWhole(kept.held.type)
    ? { ...kept, held: { ...kept.held, ...roomier(kept.held.type) } }
    : kept;
}

const mapperOf = (source: Grid, target: Grid): CellMapper =>
  new CellMapper(target, target.columns, source, transformer(target.crs ?? source.crs!, source.crs ?? target.crs!));

/** Half the size of a target cell in source cells, from the middle of the grid. */
function reachOf(mapper: CellMapper, g: Grid, target: Grid): [number, number] {
  const n = target.columns;
  const [u, v, u2, v2] = [new Float64Array(n), new Float64Array(n), new Float64Array(n), new Float64Array(n)];
  const mid = target.rows >> 1;
  const c = target.columns >> 1;
  mapper.row(mid, u, v);
  mapper.row(Math.min(target.rows - 1, mid + 1), u2, v2);
  const right = Math.min(target.columns - 1, c + 1);
  const across = target.columns > 1 ? Math.hypot(u[right]! - u[c]!, u2[c]! - u[c]!) / 2 : NaN;
  const down = target.rows > 1 ? Math.hypot(v[right]! - v[c]!, v2[c]! - v[c]!) / 2 : NaN;
  return [across > 0 ? across : target.dx / g.dx / 2, down > 0 ? down : target.dy / g.dy / 2];
}

/**
 * Source rows that a block of the target looks at: between the lowest and the highest place of its outline and of some rows within, and
 * what any resampling takes from beyond.
 */
async function rowsFor(
  source: RasterHandle,
  band: number,
  mapper: CellMapper,
  p: Warping,
  from: number,
  n: number,
): Promise<RowsGiven> {
  const { rows } = p.source;
  const u = new Float64Array(p.target.columns);
  const v = new Float64Array(p.target.columns);
  let low = Infinity;
  let high = -Infinity;
  for (let y = from; y < from + n; y = y === from + n - 1 ? y + 1 : Math.min(from + n - 1, y + 32)) {
    mapper.row(y, u, v);
    for (const r of v) {
      if (r < low) low = r;
      if (r > high) high = r;
    }
  }
  // Between the rows that were looked at the earth may bulge a little.
  const spare = AROUND + p.reach[1] + 0.02 * (high - low);
  const first = Math.max(0, Math.min(rows, Math.floor(low - spare)));
  const end = Math.max(first, Math.min(rows, Math.ceil(high + spare) + 1));
  if (!(end > first)) return { cells: new Float32Array(0), first: 0, above: 0, rows: 0 };
  return { cells: await source.rows(band, first, end - first), first, above: 0, rows: end - first };
}

const warpRows = defineRowKernel('raster.warp', (p: Warping, block) => {
  const { cells, first, rows } = block.inputs[0]!;
  const { source: g, target, missing } = p;
  const out = block.out[0]!;
  const n = target.columns;
  const mapper = mapperOf(g, target);
  const u = new Float64Array(n);
  const v = new Float64Array(n);
  const s = { cells, width: g.columns, height: rows, missing };
  for (let y = 0; y < block.rows; y++) {
    mapper.row(block.from + y, u, v);
    for (let x = 0; x < n; x++) {
      // Beyond the rows that were read there may be more of the source: that would be a mistake of ours, not a missing value.
      if (v[x]! >= 0 && v[x]! < g.rows && (v[x]! < first || v[x]! >= first + rows) && u[x]! >= 0 && u[x]! < g.columns)
        throw new Error(`Row ${Math.floor(v[x]!)} of the source was not foreseen.`);
      v[x]! -= first;
    }
    resampleRow(s, p.how, u, v, out, y * n, n, p.reach[0], p.reach[1]);
  }
  return momentsOf(out, missing);
});

/** What a band of a handle holds. */
export async function summaryOfBand(raster: RasterHandle, band: number): Promise<Summary> {
  const known = raster.info.bands[band]!.facts?.summary;
  if (known) return known;
  const { grid, bands } = raster.head;
  const s = new Summariser();
  for (let row = 0; row < grid.rows; row += BLOCK_ROWS) {
    const cells: Cells = await raster.rows(band, row, Math.min(BLOCK_ROWS, grid.rows - row));
    s.add(cells, 0, cells.length, missingOf(bands[band] as BandInfo));
  }
  return s.done();
}

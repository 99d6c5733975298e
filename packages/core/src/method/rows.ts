import { isWide } from '../data/cells';
import type { RasterHandle, RasterSink } from '../data/handle';
import type { Held } from '../data/held';
import type { Cells } from '../data/raster';
import { isShared } from '../data/room';
import type { Job } from './job';
import { defineKernel, type Kernel } from './parallel';

/** Some rows of a grid to be worked out, with what they are worked out from. */
export interface RowBlock {
  /** First row. */
  from: number;
  rows: number;
  width: number;
  /** Rows of each input, with the number of the first of them, and how many lie above the block's own. */
  inputs: RowsGiven[];
  /** Where the results are put. */
  out: Cells[];
}

export interface RowsGiven {
  cells: Cells;
  first: number;
  above: number;
  rows: number;
}

/** Rows that a block is worked out from: those of a grid of the same rows, with some around them; or whatever the method finds. */
export type RowSource =
  { of: RasterHandle; band?: number; halo?: number } | ((from: number, n: number) => Promise<RowsGiven>);

export interface RowResult<R> {
  out: Cells[];
  told: R;
}

/** A kernel that works rows out into `block.out`, and tells something of them. */
export type RowKernel<P, R> = Kernel<P, OpenBlock, RowResult<R>>;

/** A block whose places for results may still have to be made. */
type OpenBlock = Omit<RowBlock, 'out'> & { out: (Cells | OutType)[] };
export type OutType = 'float32' | 'float64' | 'int32';

const ARRAYS = { float32: Float32Array, float64: Float64Array, int32: Int32Array };

/** The type in which the values of a band are worked out. */
export const outType = (band: { kind: 'measure' | 'category'; held: Held }): OutType =>
  band.kind === 'category' ? 'int32' : isWide(band.held.type) ? 'float64' : 'float32';

/** One band of a sink, as if it were its first. */
export const oneBand = (sink: RasterSink, band: number): RasterSink => ({
  write: (k, rows) => sink.write(band + k, rows),
  ...(sink.room && sink.filled
    ? {
        room: (k: number, from: number, count: number) => sink.room!(band + k, from, count),
        filled: (k: number, count: number) => sink.filled!(band + k, count),
      }
    : {}),
});

/** Several rasters of one band each, as if they were the bands of one. */
export function besideSinks(sinks: readonly RasterSink[]): RasterSink {
  const placed = sinks.every((s) => s.room && s.filled);
  return {
    write: (k, rows) => sinks[k]!.write(0, rows),
    ...(placed && {
      room: (k: number, from: number, count: number) => sinks[k]!.room!(0, from, count),
      filled: (k: number, count: number) => sinks[k]!.filled!(0, count),
    }),
  };
}

export const defineRowKernel = <P, R>(id: string, run: (params: P, block: RowBlock) => R): RowKernel<P, R> =>
  defineKernel(id, (params: P, block: OpenBlock) => {
    const out = block.out.map((o) => (typeof o === 'string' ? new ARRAYS[o](block.rows * block.width) : o));
    const told = run(params, { ...block, out });
    // What lies in shared memory is where it belongs already.
    return { out: out.map((o) => (isShared(o) ? o.subarray(0, 0) : o)), told };
  });

/** Cells of a block: enough to be worth the way to a thread, little enough that several fit into a cache. */
const BLOCK_CELLS = 2 ** 18;

/** Rows of a block of a grid so wide; whole blocks of the maps between grids where that is possible. */
export function blockRows(width: number): number {
  const rows = Math.max(1, Math.round(BLOCK_CELLS / width));
  return rows > 32 ? Math.round(rows / 32) * 32 : rows;
}

async function rowsAround(
  { of, band = 0, halo = 0 }: Exclude<RowSource, (...a: never) => unknown>,
  from: number,
  n: number,
  rows: number,
): Promise<RowsGiven> {
  const above = Math.min(halo, from);
  const all = above + n + Math.min(halo, rows - from - n);
  return { cells: await of.rows(band, from - above, all), first: from - above, above, rows: all };
}

/**
 * Works a grid out row block by row block, on all threads, from rows of other grids of the same size into a sink. Blocks depend on the
 * grid alone, so that the result is the same whatever the number of threads.
 *
 * @param inputs of each the band that is meant and the rows around a block that are needed, or a function that gets the rows
 * @param outputs of each band of the result, the type of its values
 * @returns what the kernel told of each block, in order
 */
export async function overRows<P, R>(
  job: Job,
  stage: string,
  grid: { columns: number; rows: number },
  inputs: readonly RowSource[],
  kernel: RowKernel<P, R>,
  params: P,
  sink: RasterSink,
  outputs: readonly OutType[],
  progress: (share: number) => number = (s) => s,
): Promise<R[]> {
  const { columns: width, rows } = grid;
  // What lies around a block is read with it: more of the block than of that.
  const step = Math.max(blockRows(width), 2 * Math.max(0, ...inputs.map((i) => ('of' in i ? (i.halo ?? 0) : 0))));
  async function* blocks(): AsyncGenerator<OpenBlock> {
    for (let from = 0; from < rows; from += step) {
      const n = Math.min(step, rows - from);
      const given = [];
      for (const i of inputs) given.push(await ('of' in i ? rowsAround(i, from, n, rows) : i(from, n)));
      const out = outputs.map((type, k) => {
        const there = sink.room?.(k, from, n) ?? null;
        return there && (isShared(there) || job.threads === 1) ? there : type;
      });
      yield { from, rows: n, width, inputs: given, out };
    }
  }
  const told: R[] = [];
  let from = 0;
  await job.parallel(kernel, params, blocks(), async (r, i) => {
    const n = Math.min(step, rows - from);
    for (const [k, cells] of r.out.entries()) {
      const place = sink.room?.(k, from, n);
      // Worked out in its place, or still to be put there.
      if (place && (cells.length === 0 || cells.buffer === place.buffer)) sink.filled!(k, n);
      else await sink.write(k, cells);
    }
    told[i] = r.told;
    from += n;
    job.progress(progress(from / rows), stage);
  });
  return told;
}

const NO_SINK: RasterSink = { write: () => Promise.resolve() };

/** Goes over a grid row block by row block, like `overRows`, where what the kernels tell is all that is wanted. */
export const tellRows = <P, R>(
  job: Job,
  stage: string,
  grid: { columns: number; rows: number },
  inputs: readonly RowSource[],
  kernel: RowKernel<P, R>,
  params: P,
  progress?: (share: number) => number,
): Promise<R[]> => overRows(job, stage, grid, inputs, kernel, params, NO_SINK, [], progress);

/** Rows of the first band of a grid from one of its rows on, for a part of it. */
export const rowsFrom =
  (of: RasterHandle, first: number): RowSource =>
  async (from, n) => ({ cells: await of.rows(0, first + from, n), first: first + from, above: 0, rows: n });

/**
 * Memory that work row by row takes, about: the blocks under way with what is around them, and strips of chunks where results are stored.
 *
 * @param grids rasters that are read or written beside each other
 */
export const blockBytes = (grid: { columns: number; rows: number }, grids = 2, halo = 1): number =>
  8 * grids * (6 * BLOCK_CELLS + grid.columns * Math.min(grid.rows, 2 * halo + 1536));

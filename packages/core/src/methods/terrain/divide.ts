import type { Cells } from '../../data/raster';
import type { Job } from '../../method/job';
import { defineKernel } from '../../method/parallel';
import { blockRows } from '../../method/rows';
import { room } from '../../data/room';
import { growingSingles } from '../../numeric/growing';
import { dinfDivision, mfdDivision, type Division } from './accumulate';

export type Dividing = 'dinf' | 'mfd';
const DIVISIONS = { dinf: dinfDivision, mfd: mfdDivision };

interface Divided {
  scheme: Dividing;
  z: Cells;
  width: number;
  height: number;
  direction: Int8Array;
  /** Cell sizes of each row, in the unit of the elevations. */
  wide: Float64Array;
  high: Float64Array;
}

/** Which neighbours get water, a byte a cell, and the shares of those that are several, in the order of cells and codes. */
const divideRows = defineKernel('terrain.divide', (d: Divided, { from, rows }: { from: number; rows: number }) => {
  const division = DIVISIONS[d.scheme](
    d.z,
    d.width,
    d.height,
    d.direction,
    (y) => d.wide[y]!,
    (y) => d.high[y]!,
  );
  const first = from * d.width;
  const masks = new Uint8Array(rows * d.width);
  const shares = growingSingles();
  const share = new Float64Array(8);
  for (let k = 0; k < masks.length; k++) {
    const mask = d.direction[first + k]! < 0 ? 0 : division.receivers(first + k);
    masks[k] = mask;
    if (mask === 0 || (mask & (mask - 1)) === 0) continue;
    division.shares(first + k, share);
    for (let c = 0; c < 8; c++) if (mask & (1 << c)) shares.push(share[c]!);
  }
  return { masks, shares: shares.done() };
});

/**
 * How water divides, worked out for all cells on all threads. Shares are kept in single precision, the last one of a cell as what is left of
 * 1, so that no water is lost. About 20 bytes a cell where water divides. O(cells).
 */
export async function dividedBy(
  job: Job,
  scheme: Dividing,
  z: Cells,
  width: number,
  height: number,
  direction: Int8Array,
  w: (row: number) => number,
  h: (row: number) => number,
): Promise<Division> {
  const wide = Float64Array.from({ length: height }, (_, y) => w(y));
  const high = Float64Array.from({ length: height }, (_, y) => h(y));
  const step = blockRows(width);
  const blocks = Array.from({ length: Math.ceil(height / step) }, (_, k) => ({
    from: k * step,
    rows: Math.min(step, height - k * step),
  }));
  const masks = room(Uint8Array, width * height);
  // Where the shares of each cell begin in those of its block.
  const starts = new Uint32Array(width * height);
  const parts: Float32Array[] = [];
  await job.parallel(divideRows, { scheme, z, width, height, direction, wide, high }, blocks, (r, k) => {
    job.progress(0.4 + (0.3 * k) / blocks.length, 'dividing');
    const first = k * step * width;
    masks.set(r.masks, first);
    parts.push(r.shares);
    let at = 0;
    for (let i = 0; i < r.masks.length; i++) {
      const mask = r.masks[i]!;
      starts[first + i] = at;
      if (mask & (mask - 1)) at += BITS[mask]!;
    }
  });
  const perBlock = step * width;
  return {
    receivers: (i) => masks[i]!,
    shares: (i, share) => {
      const mask = masks[i]!;
      const held = parts[Math.floor(i / perBlock)]!;
      let at = starts[i]!;
      let left = 1;
      let last = 0;
      for (let c = 0; c < 8; c++) {
        if ((mask & (1 << c)) === 0) {
          share[c] = 0;
          continue;
        }
        const s = held[at++]!;
        share[c] = s;
        left -= s;
        last = c;
      }
      share[last]! += left;
    },
  };
}

/** Set bits of a byte. */
const BITS = Uint8Array.from({ length: 256 }, (_, v) => {
  let n = 0;
  for (let b = v; b; b &= b - 1) n++;
  return n;
});

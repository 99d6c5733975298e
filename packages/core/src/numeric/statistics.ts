import type { Cells } from '../data/raster';

export interface Summary {
  count: number;
  missing: number;
  min: number;
  max: number;
  mean: number;
  /** Sample standard deviation (n - 1). */
  sd: number;
  sum: number;
}

/** What a summariser holds. */
export interface Moments {
  count: number;
  seen: number;
  min: number;
  max: number;
  mean: number;
  m2: number;
}

/** The moments of some values. */
export function momentsOf(values: ArrayLike<number>, missing = NaN): Moments {
  const s = new Summariser();
  s.add(values, 0, values.length, missing);
  return s.moments();
}

/** A summary of parts in their order. */
export function summaryOf(parts: Iterable<Moments>): Summary {
  const s = new Summariser();
  for (const p of parts) s.merge(p);
  return s.done();
}

/** Values of a block whose sums are taken from one shift. */
const BLOCK = 4096;

/**
 * Count, missing (NaN), lowest, highest, mean and sample standard deviation of values that come run by run, by Welford's
 * update merged block by block (Chan, Golub and LeVeque 1983), so that large offsets do not eat the digits. O(n).
 */
export class Summariser {
  private count = 0;
  private seen = 0;
  private min = Infinity;
  private max = -Infinity;
  private mean = 0;
  private m2 = 0;

  /** Values from `from` up to `to`; NaN and `missingValue` are missing. */
  add(values: ArrayLike<number>, from: number, to: number, missingValue = NaN): void {
    this.seen += to - from;
    for (let start = from; start < to; start += BLOCK) {
      const end = Math.min(to, start + BLOCK);
      let { min, max } = this;
      let bc = 0;
      let shift = NaN;
      let s = 0;
      let q = 0;
      for (let i = start; i < end; i++) {
        const v = values[i]!;
        if (v !== v || v === missingValue) continue;
        if (bc === 0) shift = v;
        if (v < min) min = v;
        if (v > max) max = v;
        const d = v - shift;
        s += d;
        q += d * d;
        bc++;
      }
      if (bc === 0) continue;
      this.min = min;
      this.max = max;
      const bm = shift + s / bc;
      const bq = q - (s * s) / bc;
      const total = this.count + bc;
      const d = bm - this.mean;
      this.m2 += bq + (d * d * this.count * bc) / total;
      this.mean += (d * bc) / total;
      this.count = total;
    }
  }

  /** What has been gathered so far, as plain data. */
  moments(): Moments {
    const { count, seen, min, max, mean, m2 } = this;
    return { count, seen, min, max, mean, m2 };
  }

  /** Values that another has gathered (Chan, Golub and LeVeque 1983). */
  merge(o: Moments): void {
    this.seen += o.seen;
    if (o.count === 0) return;
    const total = this.count + o.count;
    const d = o.mean - this.mean;
    this.m2 += o.m2 + (d * d * this.count * o.count) / total;
    this.mean += (d * o.count) / total;
    this.count = total;
    if (o.min < this.min) this.min = o.min;
    if (o.max > this.max) this.max = o.max;
  }

  done(): Summary {
    const { count, seen, min, max, mean, m2 } = this;
    if (count === 0) return { count: 0, missing: seen, min: NaN, max: NaN, mean: NaN, sd: NaN, sum: 0 };
    return {
      count,
      missing: seen - count,
      min,
      max,
      mean,
      sd: count > 1 ? Math.sqrt(Math.max(0, m2) / (count - 1)) : 0,
      sum: mean * count,
    };
  }
}

/** The same of values that are all at hand. */
export function summarise(values: ArrayLike<number>, missingValue = NaN): Summary {
  const s = new Summariser();
  s.add(values, 0, values.length, missingValue);
  return s.done();
}

export interface Histogram {
  min: number;
  max: number;
  counts: number[];
}

/** Counts in `bins` equal steps between the lowest and highest value; the highest falls into the last bin. */
export function histogram(values: ArrayLike<number>, min: number, max: number, bins: number, missing = NaN): Histogram {
  const counts = new Array<number>(bins).fill(0);
  if (!(max >= min)) return { min, max, counts };
  const scale = max > min ? bins / (max - min) : 0;
  for (let i = 0; i < values.length; i++) {
    const v = values[i]!;
    if (v !== v || v === missing || v < min || v > max) continue;
    let b = ((v - min) * scale) | 0;
    if (b >= bins) b = bins - 1;
    counts[b]!++;
  }
  return { min, max, counts };
}

/**
 * Quantile by linear interpolation of the order statistics (type 7 of Hyndman and Fan 1996, doi:10.2307/2684934).
 *
 * @param sorted ascending values without NaN
 * @param p share between 0 and 1
 */
export function quantileSorted(sorted: ArrayLike<number>, p: number): number {
  const n = sorted.length;
  if (n === 0) return NaN;
  const h = (n - 1) * p;
  const lo = Math.floor(h);
  const hi = Math.min(n - 1, lo + 1);
  return sorted[lo]! + (h - lo) * (sorted[hi]! - sorted[lo]!);
}

/** The values that are present, in ascending order. O(n log n). */
export function sortedPresent(cells: Cells, missing: number): Float64Array {
  let n = 0;
  for (let i = 0; i < cells.length; i++) {
    const v = cells[i]!;
    if (v === v && v !== missing) n++;
  }
  const out = new Float64Array(n);
  let k = 0;
  for (let i = 0; i < cells.length; i++) {
    const v = cells[i]!;
    if (v === v && v !== missing) out[k++] = v;
  }
  return out.sort();
}

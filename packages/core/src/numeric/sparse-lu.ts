import { lagged, rowCount, type Rows } from './sparse-rows';

/** Places are split in two until parts are this small. */
const SMALL = 24;

/**
 * An order of elimination that keeps factors sparse: nested dissection by levels (George and Liu 1978, doi:10.1137/0715059). Parts are cut at
 * the middle level of a walk that begins far out; what is on the cut comes last. O(links log n)
 *
 * @param offsets of a symmetric pattern, `columns` without the diagonal
 */
export function dissection(offsets: Uint32Array, columns: Uint32Array): Uint32Array {
  const n = offsets.length - 1;
  const order = new Uint32Array(n);
  let last = n;
  const part = new Int32Array(n);
  const level = new Int32Array(n).fill(-1);
  let fresh = 0;
  /** Levels of a part from a place, in the order they are come to. */
  const walk = (start: number, mark: number): number[] => {
    const queue = [start];
    level[start] = 0;
    for (let q = 0; q < queue.length; q++) {
      const i = queue[q]!;
      for (let k = offsets[i]!; k < offsets[i + 1]!; k++) {
        const j = columns[k]!;
        if (part[j] !== mark || level[j] !== -1) continue;
        level[j] = level[i]! + 1;
        queue.push(j);
      }
    }
    return queue;
  };
  const forget = (all: readonly number[]): void => {
    for (const i of all) level[i] = -1;
  };
  const stack: number[][] = [Array.from({ length: n }, (_, i) => i)];
  while (stack.length) {
    const all = stack.pop()!;
    const mark = ++fresh;
    for (const i of all) part[i] = mark;
    const first = walk(all[0]!, mark);
    if (first.length < all.length) {
      const reached = new Set(first);
      forget(first);
      stack.push(
        all.filter((i) => !reached.has(i)),
        first,
      );
      continue;
    }
    if (all.length <= SMALL) {
      for (const i of first) order[--last] = i;
      forget(first);
      continue;
    }
    const end = first.at(-1)!;
    forget(first);
    const queue = walk(end, mark);
    const deepest = level[queue.at(-1)!]!;
    if (deepest < 2) {
      // Everybody is near everybody: nothing is gained by cutting.
      for (const i of queue) order[--last] = i;
      forget(queue);
      continue;
    }
    let middle = level[queue[queue.length >> 1]!]!;
    middle = Math.min(Math.max(middle, 1), deepest - 1);
    const [low, cut, high]: [number[], number[], number[]] = [[], [], []];
    for (const i of queue)
      if (level[i]! > middle) high.push(i);
      else if (level[i]! < middle) low.push(i);
      else {
        let joins = false;
        for (let k = offsets[i]!; k < offsets[i + 1]! && !joins; k++)
          joins = part[columns[k]!] === mark && level[columns[k]!] === middle + 1;
        if (joins) cut.push(i);
        else low.push(i);
      }
    forget(queue);
    for (const i of cut) {
      order[--last] = i;
      part[i] = -1;
    }
    if (low.length) stack.push(low);
    if (high.length) stack.push(high);
  }
  return order;
}

/**
 * I - r W for any r: its determinant, and equations with it, by sparse factors L U in an order that is found once. No rows are swapped: for rows
 * that add up to 1 and |r| < 1, and for symmetric W within its range, none need be.
 */
export class Shifted {
  private readonly order: Uint32Array;
  /** Row i of W in the new order. */
  private readonly w: { offsets: Uint32Array; columns: Uint32Array; values: Float64Array };
  private readonly lower: { offsets: Float64Array; columns: Uint32Array; values: Float64Array };
  private readonly upper: { offsets: Float64Array; columns: Uint32Array; values: Float64Array };
  private readonly diagonal: Float64Array;
  /** Multiplications that one factorisation takes. */
  readonly work: number;
  private at = NaN;

  private constructor(
    readonly n: number,
    parts: Pick<Shifted, 'work'> & {
      order: Uint32Array;
      w: Shifted['w'];
      lower: Shifted['lower'];
      upper: Shifted['upper'];
    },
  ) {
    this.order = parts.order;
    this.w = parts.w;
    this.lower = parts.lower;
    this.upper = parts.upper;
    this.work = parts.work;
    this.diagonal = new Float64Array(n);
  }

  /** @returns null where factors would take more than `most` multiplications, or `room` entries */
  static of(w: Rows, most = Infinity, room = 1e8): Shifted | null {
    const n = rowCount(w);
    const pattern = symmetricPattern(w);
    const order = dissection(pattern.offsets, pattern.columns);
    const place = new Uint32Array(n);
    for (let k = 0; k < n; k++) place[order[k]!] = k;

    const offsets = new Uint32Array(n + 1);
    const columns = new Uint32Array(w.neighbours.length);
    const values = new Float64Array(w.neighbours.length);
    let at = 0;
    for (let k = 0; k < n; k++) {
      const i = order[k]!;
      for (let l = w.offsets[i]!; l < w.offsets[i + 1]!; l++) {
        columns[at] = place[w.neighbours[l]!]!;
        values[at++] = w.values[l]!;
      }
      offsets[k + 1] = at;
    }

    // Which entries of L each row has: what is come to in the tree of eliminations (Liu 1990, doi:10.1137/0611010).
    const parent = new Int32Array(n).fill(-1);
    const ancestor = new Int32Array(n).fill(-1);
    const before = (k: number, each: (j: number) => void): void => {
      const i = order[k]!;
      for (let l = pattern.offsets[i]!; l < pattern.offsets[i + 1]!; l++) {
        const j = place[pattern.columns[l]!]!;
        if (j < k) each(j);
      }
    };
    for (let k = 0; k < n; k++)
      before(k, (j) => {
        while (j !== -1 && j < k) {
          const up = ancestor[j]!;
          ancestor[j] = k;
          if (up === -1) parent[j] = k;
          j = up;
        }
      });
    const seen = new Int32Array(n).fill(-1);
    const below = new Float64Array(n);
    const rowCounts = new Float64Array(n + 1);
    const reach = (k: number, each: (j: number) => void): void => {
      seen[k] = k;
      before(k, (j) => {
        for (; seen[j] !== k; j = parent[j]!) {
          seen[j] = k;
          each(j);
        }
      });
    };
    let entries = 0;
    for (let k = 0; k < n; k++) {
      reach(k, (j) => {
        below[j]!++;
        rowCounts[k + 1]!++;
        entries++;
      });
      if (entries > room) return null;
    }
    let work = 0;
    for (let k = 0; k < n; k++) work += below[k]! * (below[k]! + 1);
    if (work > most) return null;

    const rows = running(rowCounts);
    const upperOffsets = new Float64Array(n + 1);
    for (let k = 0; k < n; k++) upperOffsets[k + 1] = upperOffsets[k]! + below[k]!;
    const lower = { offsets: rows, columns: new Uint32Array(entries), values: new Float64Array(entries) };
    const upper = { offsets: upperOffsets, columns: new Uint32Array(entries), values: new Float64Array(entries) };
    const free = upperOffsets.slice();
    seen.fill(-1);
    for (let k = 0; k < n; k++) {
      let to = rows[k]!;
      reach(k, (j) => {
        lower.columns[to++] = j;
        upper.columns[free[j]!++] = k;
      });
      lower.columns.subarray(rows[k], to).sort();
    }
    return new Shifted(n, { order, w: { offsets, columns, values }, lower, upper, work });
  }

  /** The logarithm of the determinant of I - r W; NaN where a step of elimination comes out at 0 or below: r is out of range. */
  logDeterminant(r: number): number {
    const { n, lower, upper, diagonal, w } = this;
    const x = new Float64Array(n);
    let sum = 0;
    this.at = NaN;
    for (let i = 0; i < n; i++) {
      x[i] = 1;
      for (let k = w.offsets[i]!; k < w.offsets[i + 1]!; k++) x[w.columns[k]!]! -= r * w.values[k]!;
      for (let k = lower.offsets[i]!; k < lower.offsets[i + 1]!; k++) {
        const j = lower.columns[k]!;
        const l = x[j]! / diagonal[j]!;
        x[j] = 0;
        lower.values[k] = l;
        if (l === 0) continue;
        for (let m = upper.offsets[j]!; m < upper.offsets[j + 1]!; m++) x[upper.columns[m]!]! -= l * upper.values[m]!;
      }
      const d = x[i]!;
      x[i] = 0;
      if (!(d > 0)) return NaN;
      diagonal[i] = d;
      sum += Math.log(d);
      for (let m = upper.offsets[i]!; m < upper.offsets[i + 1]!; m++) {
        upper.values[m] = x[upper.columns[m]!]!;
        x[upper.columns[m]!] = 0;
      }
    }
    this.at = r;
    return sum;
  }

  /** x of (I - r W) x = b, for an r that has a determinant. O(entries of the factors) */
  solve(r: number, b: ArrayLike<number>): Float64Array {
    return this.solveSeveral(r, b, 1);
  }

  /**
   * The same for several at once, which is quicker than one after the other: the factors are read once.
   *
   * @param b value c of row i at `i * count + c`
   */
  solveSeveral(r: number, b: ArrayLike<number>, count: number): Float64Array {
    const { n, order, lower, upper, diagonal } = this;
    if (this.at !== r && Number.isNaN(this.logDeterminant(r))) return new Float64Array(n * count).fill(NaN);
    const y = new Float64Array(n * count);
    for (let i = 0; i < n; i++) {
      const own = i * count;
      for (let c = 0; c < count; c++) y[own + c] = b[order[i]! * count + c]!;
      for (let k = lower.offsets[i]!; k < lower.offsets[i + 1]!; k++) {
        const l = lower.values[k]!;
        const from = lower.columns[k]! * count;
        for (let c = 0; c < count; c++) y[own + c]! -= l * y[from + c]!;
      }
    }
    for (let i = n - 1; i >= 0; i--) {
      const own = i * count;
      for (let m = upper.offsets[i]!; m < upper.offsets[i + 1]!; m++) {
        const u = upper.values[m]!;
        const from = upper.columns[m]! * count;
        for (let c = 0; c < count; c++) y[own + c]! -= u * y[from + c]!;
      }
      const d = 1 / diagonal[i]!;
      for (let c = 0; c < count; c++) y[own + c]! *= d;
    }
    const x = new Float64Array(n * count);
    for (let i = 0; i < n; i++) x.set(y.subarray(i * count, (i + 1) * count), order[i]! * count);
    return x;
  }
}

function running(counts: Float64Array): Float64Array {
  const out = new Float64Array(counts.length);
  for (let i = 1; i < counts.length; i++) out[i] = out[i - 1]! + counts[i]!;
  return out;
}

/** Who is linked with whom in either direction, without the diagonal. */
function symmetricPattern(w: Rows): { offsets: Uint32Array; columns: Uint32Array } {
  const n = rowCount(w);
  const counts = new Uint32Array(n + 1);
  const each = (f: (i: number, j: number) => void): void => {
    for (let i = 0; i < n; i++)
      for (let k = w.offsets[i]!; k < w.offsets[i + 1]!; k++)
        if (w.neighbours[k] !== i) {
          f(i, w.neighbours[k]!);
          f(w.neighbours[k]!, i);
        }
  };
  each((i) => void counts[i + 1]!++);
  for (let i = 0; i < n; i++) counts[i + 1]! += counts[i]!;
  const all = new Uint32Array(counts[n]!);
  const at = counts.slice();
  each((i, j) => void (all[at[i]!++] = j));
  const offsets = new Uint32Array(n + 1);
  let to = 0;
  for (let i = 0; i < n; i++) {
    const row = all.subarray(counts[i], counts[i + 1]).sort();
    for (let k = 0; k < row.length; k++) if (k === 0 || row[k] !== row[k - 1]) all[to++] = row[k]!;
    offsets[i + 1] = to;
  }
  return { offsets, columns: all.subarray(0, to) };
}

/** The largest eigenvalue of weights that are not negative, by powers of W + I (so that it stands alone by size). */
export function spectralRadius(w: Rows, steps = 500): number {
  const n = rowCount(w);
  let v = new Float64Array(n).fill(1);
  let value = 0;
  for (let s = 0; s < steps; s++) {
    const next = lagged(w, v);
    let size = 0;
    for (let i = 0; i < n; i++) size = Math.max(size, (next[i]! += v[i]!));
    for (let i = 0; i < n; i++) next[i]! /= size;
    const before = value;
    value = size - 1;
    v = next as typeof v;
    if (Math.abs(value - before) < 1e-12 * Math.max(1, value)) break;
  }
  return value;
}

/** A sparse matrix row by row: row i holds `values[k]` at column `neighbours[k]` for k from `offsets[i]` up to `offsets[i + 1]`, columns ascending. */
export interface Rows {
  offsets: Uint32Array;
  neighbours: Uint32Array;
  values: Float64Array;
}

export const rowCount = (w: Rows): number => w.offsets.length - 1;

/** Links as a matrix; those of one row may come in any order, no pair twice. O(links + rows, and sorting within rows). */
export function rowsOf(
  n: number,
  from: ArrayLike<number>,
  to: ArrayLike<number>,
  weight: ArrayLike<number> | null,
): Rows {
  const links = from.length;
  const offsets = new Uint32Array(n + 1);
  for (let k = 0; k < links; k++) offsets[from[k]! + 1]!++;
  for (let i = 0; i < n; i++) offsets[i + 1]! += offsets[i]!;
  // By columns first, so that the columns of every row come out ascending.
  const starts = new Uint32Array(n + 1);
  for (let k = 0; k < links; k++) starts[to[k]! + 1]!++;
  for (let i = 0; i < n; i++) starts[i + 1]! += starts[i]!;
  const order = new Uint32Array(links);
  for (let k = 0; k < links; k++) order[starts[to[k]!]!++] = k;
  const at = offsets.slice();
  const neighbours = new Uint32Array(links);
  const values = new Float64Array(links).fill(1);
  for (const k of order) {
    const slot = at[from[k]!]!++;
    neighbours[slot] = to[k]!;
    if (weight) values[slot] = weight[k]!;
  }
  return { offsets, neighbours, values };
}

/** Rows and columns changed over. O(links). */
export function transposed(w: Rows): Rows {
  const n = rowCount(w);
  return rowsOf(n, w.neighbours, rowNumbers(w), w.values);
}

/** The row of each link. */
export function rowNumbers(w: Rows): Uint32Array {
  const out = new Uint32Array(w.neighbours.length);
  for (let i = 0; i < rowCount(w); i++) out.fill(i, w.offsets[i], w.offsets[i + 1]);
  return out;
}

/** Each row divided by its sum; rows that add up to 0 stay. */
export function standardised(w: Rows): Rows {
  const values = w.values.slice();
  for (let i = 0; i < rowCount(w); i++) {
    let s = 0;
    for (let k = w.offsets[i]!; k < w.offsets[i + 1]!; k++) s += values[k]!;
    if (s !== 0) for (let k = w.offsets[i]!; k < w.offsets[i + 1]!; k++) values[k]! /= s;
  }
  return { ...w, values };
}

/** Whether every row that has neighbours adds up to 1, as near as sums of that many do. */
export function addUpToOne(w: Rows): boolean {
  for (let i = 0; i < rowCount(w); i++) {
    if (w.offsets[i] === w.offsets[i + 1]) continue;
    let s = 0;
    for (let k = w.offsets[i]!; k < w.offsets[i + 1]!; k++) s += w.values[k]!;
    if (!(Math.abs(s - 1) < 1e-9)) return false;
  }
  return true;
}

/** Whether every link has one that runs back, whatever they weigh. O(links) */
export function runsBothWays(w: Rows): boolean {
  const t = transposed(w);
  return w.offsets.every((o, i) => o === t.offsets[i]) && w.neighbours.every((j, k) => j === t.neighbours[k]);
}

/** W x: for each row the weighted sum of its neighbours' values. */
export function lagged(w: Rows, x: ArrayLike<number>, out: Float64Array = new Float64Array(rowCount(w))): Float64Array {
  const { offsets, neighbours, values } = w;
  const n = rowCount(w);
  for (let i = 0; i < n; i++) {
    let s = 0;
    for (let k = offsets[i]!; k < offsets[i + 1]!; k++) s += values[k]! * x[neighbours[k]!]!;
    out[i] = s;
  }
  return out;
}

/** Wᵀ x. */
export function laggedBack(
  w: Rows,
  x: ArrayLike<number>,
  out: Float64Array = new Float64Array(rowCount(w)),
): Float64Array {
  out.fill(0);
  for (let i = 0; i < rowCount(w); i++)
    for (let k = w.offsets[i]!; k < w.offsets[i + 1]!; k++) out[w.neighbours[k]!]! += w.values[k]! * x[i]!;
  return out;
}

/**
 * Some rows and the same columns, in their order; links to others are gone.
 *
 * @param keep rows, ascending
 */
export function restricted(w: Rows, keep: ArrayLike<number>): Rows {
  const place = new Int32Array(rowCount(w)).fill(-1);
  for (let k = 0; k < keep.length; k++) place[keep[k]!] = k;
  const [from, to, value]: [number[], number[], number[]] = [[], [], []];
  for (let r = 0; r < keep.length; r++)
    for (let k = w.offsets[keep[r]!]!; k < w.offsets[keep[r]! + 1]!; k++) {
      const c = place[w.neighbours[k]!]!;
      if (c < 0) continue;
      from.push(r);
      to.push(c);
      value.push(w.values[k]!);
    }
  return rowsOf(keep.length, from, to, value);
}

/** The same with a link from each row to itself; one that is there keeps its weight. */
export function withSelf(w: Rows, weight: (row: number) => number): Rows {
  const n = rowCount(w);
  const [from, to, value] = [Array.from(rowNumbers(w)), Array.from(w.neighbours), Array.from(w.values)];
  for (let i = 0; i < n; i++) {
    let there = false;
    for (let k = w.offsets[i]!; k < w.offsets[i + 1]!; k++) there ||= w.neighbours[k] === i;
    if (there) continue;
    from.push(i);
    to.push(i);
    value.push(weight(i));
  }
  return rowsOf(n, from, to, value);
}

/** The same without links from a row to itself. */
export function withoutSelf(w: Rows): Rows {
  const rows = rowNumbers(w);
  const keep = Array.from(rows.keys()).filter((k) => rows[k] !== w.neighbours[k]);
  return keep.length === rows.length
    ? w
    : rowsOf(
        rowCount(w),
        keep.map((k) => rows[k]!),
        keep.map((k) => w.neighbours[k]!),
        keep.map((k) => w.values[k]!),
      );
}

/**
 * Links of a higher order: to what is first come to in so many steps, and on request in fewer too. All weights are 1. O(places within
 * reach).
 */
export function higherOrder(w: Rows, order: number, lower: boolean): Rows {
  const n = rowCount(w);
  const seen = new Int32Array(n).fill(-1);
  const [from, to]: [number[], number[]] = [[], []];
  for (let i = 0; i < n; i++) {
    seen[i] = i;
    let front = [i];
    for (let step = 1; step <= order && front.length; step++) {
      const next: number[] = [];
      for (const j of front)
        for (let k = w.offsets[j]!; k < w.offsets[j + 1]!; k++) {
          const m = w.neighbours[k]!;
          if (seen[m] === i) continue;
          seen[m] = i;
          next.push(m);
        }
      if (lower || step === order)
        for (const m of next) {
          from.push(i);
          to.push(m);
        }
      front = next;
    }
  }
  return rowsOf(n, from, to, null);
}

/** Which part, by links in either direction, each row belongs to, numbered from 0 in order; and how many there are. */
export function parts(w: Rows): { of: Uint32Array; count: number } {
  const n = rowCount(w);
  const root = new Uint32Array(n).map((_, i) => i);
  const find = (i: number): number => {
    while (root[i] !== i) i = root[i] = root[root[i]!]!;
    return i;
  };
  for (let i = 0; i < n; i++)
    for (let k = w.offsets[i]!; k < w.offsets[i + 1]!; k++) {
      const [a, b] = [find(i), find(w.neighbours[k]!)];
      if (a < b) root[b] = a;
      else root[a] = b;
    }
  const of = new Uint32Array(n);
  let count = 0;
  for (let i = 0; i < n; i++) of[i] = root[i] === i ? count++ : of[find(i)]!;
  return { of, count };
}

/** S0, S1 and S2 of Cliff and Ord (1981): sums over weights that the moments of every such measure rest on. O(links). */
export function weightSums(w: Rows): { s0: number; s1: number; s2: number } {
  const n = rowCount(w);
  const t = transposed(w);
  let [s0, s1, s2] = [0, 0, 0];
  for (let i = 0; i < n; i++) {
    let [row, column] = [0, 0];
    for (let k = w.offsets[i]!; k < w.offsets[i + 1]!; k++) row += w.values[k]!;
    for (let k = t.offsets[i]!; k < t.offsets[i + 1]!; k++) column += t.values[k]!;
    s0 += row;
    s2 += (row + column) ** 2;
    // (wij + wji)² over the columns of both, which ascend.
    let [a, b] = [w.offsets[i]!, t.offsets[i]!];
    const [ae, be] = [w.offsets[i + 1]!, t.offsets[i + 1]!];
    while (a < ae || b < be) {
      const [ca, cb] = [a < ae ? w.neighbours[a]! : Infinity, b < be ? t.neighbours[b]! : Infinity];
      let v = 0;
      if (ca <= cb) v += w.values[a++]!;
      if (cb <= ca) v += t.values[b++]!;
      s1 += v * v;
    }
  }
  return { s0, s1: s1 / 2, s2 };
}

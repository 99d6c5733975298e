import { Random } from './random';

/** Vectors of known class. */
export interface Examples {
  /** n × b. */
  x: Float32Array;
  b: number;
  /** Class of each, from 0. */
  classes: Uint16Array;
  count: number;
}

/** Places where a band may be cut, and the number of cuts that lie below each value. */
export interface Cuts {
  /** Of each band, rising; at most 255. */
  at: Float32Array[];
  /** n × b: how many cuts of the band are less than the value. */
  codes: Uint8Array;
}

/**
 * A decision tree in flat arrays. Node 0 is the root; a node of band -1 is a leaf, `child` its class, else the left child (value at most the
 * cut), the right one beside it.
 */
export interface Tree {
  band: Int16Array;
  cut: Float32Array;
  child: Int32Array;
}

const MOST_CUTS = 255;
/** Nodes of fewer examples are cut by sorting, larger ones by counting. */
const FEW = 96;

/** Cuts half-way between values that differ; where there are more than 255, those that leave about as many examples between them. O(n b log n). */
export function cutsOf({ x, b }: Pick<Examples, 'x' | 'b'>): Cuts {
  const n = x.length / b;
  const codes = new Uint8Array(x.length);
  const at = Array.from({ length: b }, (_, j) => {
    const sorted = Float32Array.from({ length: n }, (_v, i) => x[i * b + j]!).sort();
    const ends: number[] = [];
    for (let i = 1; i < n; i++) if (sorted[i]! > sorted[i - 1]!) ends.push(i);
    const chosen =
      ends.length <= MOST_CUTS
        ? ends
        : [...new Set(Array.from({ length: MOST_CUTS }, (_v, q) => atLeast(ends, ((q + 1) * n) / (MOST_CUTS + 1))))];
    return Float32Array.from(chosen, (i) => between(sorted[i - 1]!, sorted[i]!));
  });
  for (let i = 0; i < n; i++) for (let j = 0; j < b; j++) codes[i * b + j] = below(at[j]!, x[i * b + j]!);
  return { at, codes };
}

/** The first of rising numbers that is at least a value; the last where none is. */
function atLeast(rising: readonly number[], v: number): number {
  let [low, high] = [0, rising.length - 1];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (rising[middle]! < v) low = middle + 1;
    else high = middle;
  }
  return rising[low]!;
}

/** A number of single precision from `a` up to, but not, `c`. */
function between(a: number, c: number): number {
  const m = Math.fround(a + (c - a) / 2);
  return m >= a && m < c ? m : a;
}

/** How many cuts are less than a value. */
function below(cuts: Float32Array, v: number): number {
  let [low, high] = [0, cuts.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (cuts[middle]! < v) low = middle + 1;
    else high = middle;
  }
  return low;
}

/**
 * A tree grown on examples drawn with replacement until its leaves are of one class, each node cut where the Gini impurity falls most among
 * `tries` bands drawn anew (Breiman 2001, doi:10.1023/A:1010933404324). O(n log² n · tries).
 */
export function growTree(e: Examples, cuts: Cuts, tries: number, seed: number): Tree {
  const n = e.classes.length;
  const random = new Random(seed);
  const rows = Uint32Array.from({ length: n }, () => random.below(n));
  const band: number[] = [];
  const cut: number[] = [];
  const child: number[] = [];
  const add = (): number => {
    band.push(-1);
    cut.push(0);
    child.push(0);
    return band.length - 1;
  };
  const search = new CutSearch(e, cuts);
  const work: [node: number, from: number, to: number][] = [[add(), 0, n]];
  while (work.length) {
    const [node, from, to] = work.pop()!;
    const found = search.best(rows, from, to, tries, random);
    if (!found) {
      child[node] = search.commonest(rows, from, to);
      continue;
    }
    const middle = parted(rows, from, to, cuts.codes, e.b, found.band, found.code);
    const left = add();
    add();
    band[node] = found.band;
    cut[node] = cuts.at[found.band]![found.code]!;
    child[node] = left;
    work.push([left + 1, middle, to], [left, from, middle]);
  }
  return { band: Int16Array.from(band), cut: Float32Array.from(cut), child: Int32Array.from(child) };
}

/** Brings the rows at most a code before the others; @returns where those begin */
function parted(
  rows: Uint32Array,
  from: number,
  to: number,
  codes: Uint8Array,
  b: number,
  band: number,
  code: number,
): number {
  let [i, j] = [from, to - 1];
  while (i <= j) {
    if (codes[rows[i]! * b + band]! <= code) i++;
    else {
      const t = rows[i]!;
      rows[i] = rows[j]!;
      rows[j--] = t;
    }
  }
  return i;
}

class CutSearch {
  private readonly counts: Uint32Array;
  private readonly all: Uint32Array;
  private readonly left: Uint32Array;
  private readonly few = new Uint32Array(FEW);
  private readonly order: Uint16Array;

  constructor(
    private readonly e: Examples,
    private readonly cuts: Cuts,
  ) {
    this.counts = new Uint32Array((MOST_CUTS + 1) * e.count);
    this.all = new Uint32Array(e.count);
    this.left = new Uint32Array(e.count);
    this.order = Uint16Array.from({ length: e.b }, (_, j) => j);
  }

  private count(rows: Uint32Array, from: number, to: number): number {
    const { all, e } = this;
    all.fill(0);
    for (let i = from; i < to; i++) all[e.classes[rows[i]!]!]!++;
    let there = 0;
    for (const c of all) if (c > 0) there++;
    return there;
  }

  /** The class of most rows, of several the first. */
  commonest(rows: Uint32Array, from: number, to: number): number {
    this.count(rows, from, to);
    return this.all.indexOf(Math.max(...this.all));
  }

  /** Null where all rows are of one class, or alike in every band. */
  best(
    rows: Uint32Array,
    from: number,
    to: number,
    tries: number,
    random: Random,
  ): { band: number; code: number } | null {
    if (to - from < 2 || this.count(rows, from, to) < 2) return null;
    const { order } = this;
    const b = order.length;
    let found: { band: number; code: number; score: number } | null = null;
    // Bands in which nothing can be cut do not count as tried.
    for (let k = 0, tried = 0; k < b && tried < tries; k++) {
      const r = k + random.below(b - k);
      const band = order[r]!;
      order[r] = order[k]!;
      order[k] = band;
      const c = to - from < FEW ? this.cutFew(rows, from, to, band) : this.cutMany(rows, from, to, band);
      if (!c) continue;
      tried++;
      if (!found || c.score > found.score) found = { band, ...c };
    }
    return found;
  }

  /** Σ l²/L + Σ r²/R over the classes: the greater, the purer are both sides. */
  private score(left: number, n: number): number {
    let [a, c] = [0, 0];
    for (let k = 0; k < this.all.length; k++) {
      const l = this.left[k]!;
      const r = this.all[k]! - l;
      a += l * l;
      c += r * r;
    }
    return a / left + c / (n - left);
  }

  private cutFew(rows: Uint32Array, from: number, to: number, band: number): { code: number; score: number } | null {
    const { e, cuts, left, few } = this;
    const n = to - from;
    for (let i = 0; i < n; i++) {
      const row = rows[from + i]!;
      few[i] = (cuts.codes[row * e.b + band]! << 16) | e.classes[row]!;
    }
    const sorted = few.subarray(0, n).sort();
    left.fill(0);
    let best: { code: number; score: number } | null = null;
    for (let i = 0; i + 1 < n; i++) {
      left[sorted[i]! & 0xffff]!++;
      const code = sorted[i]! >>> 16;
      if (sorted[i + 1]! >>> 16 === code) continue;
      const score = this.score(i + 1, n);
      if (!best || score > best.score) best = { code, score };
    }
    return best;
  }

  private cutMany(rows: Uint32Array, from: number, to: number, band: number): { code: number; score: number } | null {
    const { e, cuts, left, counts } = this;
    const classes = e.count;
    const n = to - from;
    const codes = cuts.at[band]!.length + 1;
    counts.fill(0, 0, codes * classes);
    for (let i = from; i < to; i++) {
      const row = rows[i]!;
      counts[cuts.codes[row * e.b + band]! * classes + e.classes[row]!]!++;
    }
    left.fill(0);
    let best: { code: number; score: number } | null = null;
    let passed = 0;
    for (let code = 0; code + 1 < codes; code++) {
      let here = 0;
      for (let k = 0; k < classes; k++) {
        const c = counts[code * classes + k]!;
        left[k]! += c;
        here += c;
      }
      passed += here;
      if (passed === n) break;
      if (here === 0) continue;
      const score = this.score(passed, n);
      if (!best || score > best.score) best = { code, score };
    }
    return best;
  }
}

/** Trees one behind the other, each with its first node. */
export interface Forest extends Tree {
  roots: Uint32Array;
}

export function planted(trees: readonly Tree[]): Forest {
  const sizes = trees.map((t) => t.band.length);
  const whole = sizes.reduce((s, n) => s + n, 0);
  const out: Forest = {
    band: new Int16Array(whole),
    cut: new Float32Array(whole),
    child: new Int32Array(whole),
    roots: new Uint32Array(trees.length),
  };
  let at = 0;
  trees.forEach((t, k) => {
    out.roots[k] = at;
    out.band.set(t.band, at);
    out.cut.set(t.cut, at);
    for (let i = 0; i < sizes[k]!; i++) out.child[at + i] = t.child[i]! + (t.band[i]! < 0 ? 0 : at);
    at += sizes[k]!;
  });
  return out;
}

/** How many trees are for each class. @param votes room for a number a class */
export function vote(f: Forest, x: ArrayLike<number>, o: number, votes: Uint32Array): void {
  const { band, cut, child, roots } = f;
  votes.fill(0);
  for (let t = 0; t < roots.length; t++) {
    let node = roots[t]!;
    for (let j = band[node]!; j >= 0; j = band[node]!) node = child[node]! + (x[o + j]! <= cut[node]! ? 0 : 1);
    votes[child[node]!]!++;
  }
}

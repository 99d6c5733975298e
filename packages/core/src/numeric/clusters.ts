import type { Random } from './random';

/** Vectors that stand one behind the other, b values each. */
export interface Vectors {
  x: Float32Array;
  b: number;
}

export type Labels = Uint8Array | Int32Array;

/** What a pass over some vectors found. */
export interface Assigned {
  /** Vectors of each cluster. */
  counts: Float64Array;
  /** Sums by cluster and band, of deviations from the mean that was given. */
  sums: Float64Array;
  /** The same of their squares. */
  squares: Float64Array;
  /** Vectors whose cluster is another than before. */
  moved: number;
}

/**
 * Gives vectors the cluster whose mean is nearest (of several as near the first). O(n k b).
 *
 * @param means k × b
 * @param labels of all vectors, changed in place
 */
export function assignNearest(
  { x, b }: Vectors,
  from: number,
  to: number,
  means: Float64Array,
  labels: Labels,
): Assigned {
  const k = means.length / b;
  const out: Assigned = {
    counts: new Float64Array(k),
    sums: new Float64Array(k * b),
    squares: new Float64Array(k * b),
    moved: 0,
  };
  const { counts, sums, squares } = out;
  let moved = 0;
  for (let i = from, o = from * b; i < to; i++, o += b) {
    let best = 0;
    let least = Infinity;
    for (let c = 0, m = 0; c < k; c++, m += b) {
      let d = 0;
      for (let j = 0; j < b; j++) {
        const t = x[o + j]! - means[m + j]!;
        d += t * t;
      }
      if (d < least) {
        least = d;
        best = c;
      }
    }
    if (labels[i] !== best) {
      labels[i] = best;
      moved++;
    }
    counts[best]!++;
    for (let j = 0, m = best * b; j < b; j++, m++) {
      const t = x[o + j]! - means[m]!;
      sums[m]! += t;
      squares[m]! += t * t;
    }
  }
  out.moved = moved;
  return out;
}

/** What vectors that have their clusters hold, about means that are given. O(n b). */
export function tally({ x, b }: Vectors, from: number, to: number, means: Float64Array, labels: Labels): Assigned {
  const k = means.length / b;
  const counts = new Float64Array(k);
  const sums = new Float64Array(k * b);
  const squares = new Float64Array(k * b);
  for (let i = from, o = from * b; i < to; i++, o += b) {
    const c = labels[i]!;
    counts[c]!++;
    for (let j = 0, m = c * b; j < b; j++, m++) {
      const t = x[o + j]! - means[m]!;
      sums[m]! += t;
      squares[m]! += t * t;
    }
  }
  return { counts, sums, squares, moved: 0 };
}

/** What passes over two stretches found together; in the order of the stretches it is the same whoever went over them. */
export function joinAssigned(p: Assigned, q: Assigned): Assigned {
  const plus = (a: Float64Array, b: Float64Array): Float64Array => a.map((v, i) => v + b[i]!);
  return {
    counts: plus(p.counts, q.counts),
    sums: plus(p.sums, q.sums),
    squares: plus(p.squares, q.squares),
    moved: p.moved + q.moved,
  };
}

/** Means after a pass; a cluster that nothing fell to keeps the one it had. */
export function movedMeans(means: Float64Array, a: Assigned, b: number): Float64Array {
  return means.map((m, i) => {
    const n = a.counts[Math.floor(i / b)]!;
    return n > 0 ? m + a.sums[i]! / n : m;
  });
}

/** Squared distances of all vectors of a pass to the means that they give, by cluster and band. */
export function within(a: Assigned, b: number): Float64Array {
  return a.squares.map((q, i) => {
    const n = a.counts[Math.floor(i / b)]!;
    return n > 0 ? Math.max(0, q - a.sums[i]! ** 2 / n) : 0;
  });
}

/**
 * Starting means, each next one taken among the vectors with a chance that grows with the square of its distance from those there are
 * (Arthur and Vassilvitskii 2007, k-means++), of a few so drawn the one that leaves the least distances (the greedy form, section 7 there).
 * Fewer than k where there are not as many different vectors. O(n k b log k).
 */
export function spreadStarts({ x, b }: Vectors, k: number, random: Random): Float64Array {
  const n = x.length / b;
  const means = new Float64Array(k * b);
  let nearest: Float64Array = new Float64Array(n).fill(Infinity);
  const drawn = 2 + Math.floor(Math.log(k));
  /** Squared distances to the nearest mean, were vector `take` one. */
  const withMean = (take: number): { d: Float64Array; sum: number } => {
    const d = new Float64Array(n);
    let sum = 0;
    for (let i = 0, o = 0; i < n; i++, o += b) {
      let q = 0;
      for (let j = 0, t = take * b; j < b; j++, t++) {
        const v = x[o + j]! - x[t]!;
        q += v * v;
      }
      d[i] = q < nearest[i]! ? q : nearest[i]!;
      sum += d[i]!;
    }
    return { d, sum };
  };
  let sum = Infinity;
  for (let c = 0; c < k; c++) {
    let best: { take: number; d: Float64Array; sum: number } | null = null;
    for (let t = 0; t < (c === 0 ? 1 : drawn); t++) {
      const take = c === 0 ? random.below(n) : drawBy(nearest, sum, random);
      const w = withMean(take);
      if (!best || w.sum < best.sum) best = { take, ...w };
    }
    const { take, d } = best!;
    for (let j = 0; j < b; j++) means[c * b + j] = x[take * b + j]!;
    nearest = d;
    sum = best!.sum;
    if (!(sum > 0)) return means.slice(0, (c + 1) * b);
  }
  return means;
}

/** A number of an entry, drawn with a chance that grows with what stands there; never one where 0 stands. */
function drawBy(weights: Float64Array, sum: number, random: Random): number {
  let left = random.uniform() * sum;
  let last = 0;
  for (let i = 0; i < weights.length; i++) {
    if (weights[i] === 0) continue;
    last = i;
    left -= weights[i]!;
    if (left < 0) break;
  }
  return last;
}

export interface Settled {
  means: Float64Array;
  /** Sum of squared distances to the means. */
  sse: number;
  iterations: number;
}

/** Nearest mean and mean in turns until nothing changes (Forgy 1965), on vectors that are few. */
export function settle(v: Vectors, starts: Float64Array, most: number): Settled {
  const n = v.x.length / v.b;
  const labels = new Int32Array(n).fill(-1);
  let means = starts;
  for (let iterations = 1; ; iterations++) {
    const a = assignNearest(v, 0, n, means, labels);
    means = movedMeans(means, a, v.b);
    if (a.moved === 0 || iterations >= most)
      return { means, sse: within(a, v.b).reduce((s, q) => s + q, 0), iterations };
  }
}

/** Starts tried on a sample; the one that settles with the least squared distances is taken. */
export function bestStarts(v: Vectors, k: number, random: Random, tries = 10, most = 100): Float64Array {
  let best: Settled | null = null;
  for (let t = 0; t < tries; t++) {
    const s = settle(v, spreadStarts(v, k, random), most);
    if (!best || s.sse < best.sse) best = s;
  }
  return best!.means;
}

/**
 * One pass of exchanges (Rubin 1967): every vector in turn moves to the cluster where the sum of squared distances falls most, the means of
 * both following at once. Where nearest means have settled this can still find something better. O(n k b), one after the other.
 *
 * @param means k × b, changed in place
 * @param counts of each cluster, changed in place
 * @returns how many moved
 */
export function exchange(
  { x, b }: Vectors,
  from: number,
  to: number,
  means: Float64Array,
  counts: Float64Array,
  labels: Labels,
): number {
  const k = counts.length;
  let moved = 0;
  for (let i = from, o = from * b; i < to; i++, o += b) {
    const own = labels[i]!;
    const n = counts[own]!;
    if (n <= 1) continue;
    let at = 0;
    for (let j = 0; j < b; j++) at += (x[o + j]! - means[own * b + j]!) ** 2;
    // What leaving saves.
    const saved = (at * n) / (n - 1);
    let best = own;
    let least = saved * (1 - 1e-12);
    for (let c = 0; c < k; c++) {
      if (c === own) continue;
      let d = 0;
      for (let j = 0, m = c * b; j < b; j++, m++) {
        const t = x[o + j]! - means[m]!;
        d += t * t;
      }
      // What joining costs.
      const cost = (d * counts[c]!) / (counts[c]! + 1);
      if (cost < least) {
        least = cost;
        best = c;
      }
    }
    if (best === own) continue;
    moved++;
    labels[i] = best;
    for (let j = 0; j < b; j++) {
      const v = x[o + j]!;
      means[own * b + j]! -= (v - means[own * b + j]!) / (n - 1);
      means[best * b + j]! += (v - means[best * b + j]!) / (counts[best]! + 1);
    }
    counts[own]!--;
    counts[best]!++;
  }
  return moved;
}

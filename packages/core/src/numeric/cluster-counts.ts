import { settle, spreadStarts, type Vectors } from './clusters';
import type { Random } from './random';

/** How well so many clusters part some vectors. */
export interface ClusterCount {
  k: number;
  /** Sum of squared distances to the means. */
  within: number;
  /** Index of Caliński and Harabasz 1974, doi:10.1080/03610927408827101: between by within, each by its degrees of freedom. */
  index: number;
}

/**
 * Clusters of some vectors for every k of a range, with what is left within them.
 *
 * @param tries starts of each k, of which the best is taken
 */
export function clusterCounts(v: Vectors, from: number, to: number, random: Random, tries = 3): ClusterCount[] {
  const n = v.x.length / v.b;
  const total = settle(v, meanOf(v), 1).sse;
  const out: ClusterCount[] = [];
  for (let k = from; k <= Math.min(to, n - 1); k++) {
    let within = Infinity;
    for (let t = 0; t < tries; t++) {
      const starts = spreadStarts(v, k, random);
      // There are no more different vectors.
      if (starts.length < k * v.b) return out;
      within = Math.min(within, settle(v, starts, 30).sse);
    }
    out.push({ k, within, index: within > 0 ? (total - within) / (k - 1) / (within / (n - k)) : Infinity });
  }
  return out;
}

function meanOf({ x, b }: Vectors): Float64Array {
  const mean = new Float64Array(b);
  const n = x.length / b;
  for (let i = 0; i < x.length; i++) mean[i % b] = mean[i % b]! + x[i]! / n;
  return mean;
}

/** The k of the highest index, and the least one whose index is nearly (to a hundredth) as high. Null of none. */
export function advisedCount(all: readonly ClusterCount[]): { k: number; fewer: number } | null {
  const best = all.reduce<ClusterCount | null>((b, c) => (b && b.index >= c.index ? b : c), null);
  return best && { k: best.k, fewer: all.find((c) => c.index >= 0.99 * best.index)!.k };
}

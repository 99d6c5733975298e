import { movedMeans, within, type Assigned } from './clusters';

/** What clusters are held to. */
export interface IsodataRules {
  /** Clusters that are wanted, about. */
  k: number;
  /** Smaller ones are given up. */
  minCells: number;
  /** One whose values spread more than that in a band is split. */
  maxSd: number;
  /** Two whose means are nearer to each other are joined. */
  minDistance: number;
}

export interface IsodataStep {
  means: Float64Array;
  dropped: number;
  split: number;
  joined: number;
}

/** Pairs that are joined in one step at most. */
const MOST_JOINED = 2;

/**
 * The means for the next pass after one (Ball and Hall 1965, in the order of Tou and Gonzalez 1974, section 3.3.4): clusters that are too
 * small are given up; then those that spread too far are split where there are too few, or those that are too near are joined where there
 * are too many or in every second pass.
 *
 * @param given means of the pass, k × b
 * @param iteration from 1
 * @param last nothing is split any more: what a split makes would not be given cells
 */
export function isodataStep(
  given: Float64Array,
  a: Assigned,
  b: number,
  rules: IsodataRules,
  iteration: number,
  last: boolean,
): IsodataStep {
  const moved = movedMeans(given, a, b);
  const spread = within(a, b);
  const all = a.counts.length;
  let kept = Array.from({ length: all }, (_, c) => c).filter((c) => a.counts[c]! >= Math.max(1, rules.minCells));
  // Something has to remain: the largest.
  if (!kept.length) kept = [a.counts.indexOf(Math.max(...a.counts))];
  const dropped = all - kept.length;
  let clusters = kept.map((c) => ({
    n: a.counts[c]!,
    mean: moved.slice(c * b, (c + 1) * b),
    sd: spread.slice(c * b, (c + 1) * b).map((q) => Math.sqrt(q / a.counts[c]!)),
  }));
  const size = (sd: Float64Array): number => Math.sqrt(sd.reduce((s, v) => s + v * v, 0));
  const many = clusters.reduce((s, c) => s + c.n, 0);
  const usual = clusters.reduce((s, c) => s + c.n * size(c.sd), 0) / many;
  const few = clusters.length <= rules.k / 2;
  let split = 0;
  let joined = 0;
  if (!last && (few || (iteration % 2 === 1 && clusters.length < 2 * rules.k))) {
    clusters = clusters.flatMap((c) => {
      const widest = c.sd.indexOf(Math.max(...c.sd));
      const wide = c.sd[widest]! > rules.maxSd;
      const worth = few || (size(c.sd) > usual && c.n > 2 * (rules.minCells + 1));
      if (!wide || !worth || clusters.length + split >= 2 * rules.k) return [c];
      split++;
      return [-0.5, 0.5].map((s) => {
        const mean = c.mean.slice();
        mean[widest]! += s * c.sd[widest]!;
        return { ...c, n: c.n / 2, mean };
      });
    });
  }
  if (split === 0 && clusters.length > 1) {
    const pairs: { i: number; j: number; d: number }[] = [];
    for (let i = 0; i < clusters.length; i++)
      for (let j = i + 1; j < clusters.length; j++) {
        const d = Math.sqrt(clusters[i]!.mean.reduce((s, v, q) => s + (v - clusters[j]!.mean[q]!) ** 2, 0));
        if (d < rules.minDistance) pairs.push({ i, j, d });
      }
    pairs.sort((p, q) => p.d - q.d || p.i - q.i || p.j - q.j);
    const gone = new Set<number>();
    for (const { i, j } of pairs) {
      if (joined >= MOST_JOINED || gone.has(i) || gone.has(j)) continue;
      const [p, q] = [clusters[i]!, clusters[j]!];
      const n = p.n + q.n;
      clusters[i] = { ...p, n, mean: p.mean.map((v, s) => (v * p.n + q.mean[s]! * q.n) / n) };
      gone.add(i).add(j);
      clusters[j] = { ...q, n: 0 };
      joined++;
    }
    clusters = clusters.filter((c) => c.n > 0);
  }
  const means = new Float64Array(clusters.length * b);
  clusters.forEach((c, i) => means.set(c.mean, i * b));
  return { means, dropped, split, joined };
}

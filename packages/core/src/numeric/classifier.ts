import { vote, type Forest } from './forest';
import { mahalanobis, type GaussianClass } from './gaussian';

/** What has been learned from examples. */
export type Model =
  | { kind: 'minimumDistance'; means: Float64Array[] }
  | { kind: 'maximumLikelihood'; classes: GaussianClass[]; priors: number[] }
  | { kind: 'randomForest'; forest: Forest; count: number };

/** A class and how sure it is, 0 to 1. */
export interface Decision {
  class: number;
  confidence: number;
}

/**
 * A function that decides the class of a vector and writes it into `out`. Confidence: of nearest means, how much nearer the nearest is than
 * the next, (d2 - d1) / d2; of likelihood, the class's probability among all; of a forest, the share of trees.
 */
export function decider(m: Model, b: number, out: Decision): (x: ArrayLike<number>, o: number) => void {
  switch (m.kind) {
    case 'minimumDistance':
      return (x, o) => {
        let [best, first, next] = [0, Infinity, Infinity];
        for (let c = 0; c < m.means.length; c++) {
          const mean = m.means[c]!;
          let d = 0;
          for (let j = 0; j < b; j++) {
            const t = x[o + j]! - mean[j]!;
            d += t * t;
          }
          if (d < first) {
            next = first;
            first = d;
            best = c;
          } else if (d < next) next = d;
        }
        out.class = best;
        out.confidence = next === Infinity ? 1 : next > 0 ? 1 - Math.sqrt(first / next) : 0;
      };
    case 'maximumLikelihood': {
      const d = new Float64Array(b);
      const log = new Float64Array(m.classes.length);
      const constant = m.classes.map((g, c) => Math.log(m.priors[c]!) - g.logDet / 2);
      return (x, o) => {
        let best = 0;
        for (let c = 0; c < log.length; c++) {
          log[c] = constant[c]! - mahalanobis(m.classes[c]!, x, o, d) / 2;
          if (log[c]! > log[best]!) best = c;
        }
        let whole = 0;
        for (let c = 0; c < log.length; c++) whole += Math.exp(log[c]! - log[best]!);
        out.class = best;
        out.confidence = 1 / whole;
      };
    }
    case 'randomForest': {
      const votes = new Uint32Array(m.count);
      const trees = m.forest.roots.length;
      return (x, o) => {
        vote(m.forest, x, o, votes);
        let best = 0;
        for (let c = 1; c < votes.length; c++) if (votes[c]! > votes[best]!) best = c;
        out.class = best;
        out.confidence = votes[best]! / trees;
      };
    }
  }
}

import { straightened, straightenedSamples, type Anisotropy } from './anisotropy';
import { InverseDistance } from './inverse-distance';
import { GlobalKriging, LocalKriging, type Factors, type Samples } from './kriging';
import { NearPoints } from './near';
import { sheetAt, type Sheet } from './spline';
import type { Variogram } from './variogram';

/** Estimates at places from samples; `variance` where the way gives one. */
export interface Estimator {
  at(x: ArrayLike<number>, y: ArrayLike<number>, estimate: Float64Array, variance?: Float64Array): void;
}

interface Ways {
  nearest: { s: Samples };
  /** @see InverseDistance */
  idw: { s: Samples; power: number; neighbours: number; radius: number };
  spline: { sheet: Sheet };
  /** All samples at once, their covariances factorised; or the nearest of each place. Samples as they lie, distances by direction. */
  kriging: { s: Samples; v: Variogram; drift: 'none' | 'linear'; anisotropy: Anisotropy | null } & (
    { factors: Factors } | { neighbours: number }
  );
}

/** A way of estimating with all it has worked out, as plain data that a thread can be given. */
export type Recipe = { [K in keyof Ways]: { how: K } & Ways[K] }[keyof Ways];

const MAKERS: { [K in keyof Ways]: (r: Ways[K]) => Estimator } = {
  nearest: ({ s }) => {
    const near = new NearPoints(s.x, s.y);
    const [index, square] = [new Uint32Array(1), new Float64Array(1)];
    return {
      at: (x, y, out) => {
        for (let i = 0; i < x.length; i++) {
          near.find(x[i]!, y[i]!, 1, Infinity, index, square);
          out[i] = s.z[index[0]!]!;
        }
      },
    };
  },
  idw: ({ s, power, neighbours, radius }) => {
    const f = new InverseDistance(s, power, neighbours, radius);
    return { at: (x, y, out) => f.many(x, y, out) };
  },
  spline: ({ sheet }) => ({
    at: (x, y, out) => {
      for (let i = 0; i < x.length; i++) out[i] = sheetAt(sheet, x[i]!, y[i]!);
    },
  }),
  kriging: (r) => {
    const s = straightenedSamples(r.s, r.anisotropy);
    const k =
      'factors' in r ? new GlobalKriging(s, r.v, r.drift, r.factors) : new LocalKriging(s, r.v, r.neighbours, r.drift);
    if (!r.anisotropy) return k;
    return {
      at: (x, y, estimate, variance) => {
        const p = straightened(x, y, r.anisotropy);
        k.at(p.x, p.y, estimate, variance);
      },
    };
  },
};

export const estimatorOf = (r: Recipe): Estimator => (MAKERS[r.how] as (r: Recipe) => Estimator)(r);

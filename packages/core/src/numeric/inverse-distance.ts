import type { Samples } from './kriging';
import { NearPoints } from './near';

/** Weights fall with distance to a power (Shepard 1968, doi:10.1145/800186.810616); a sample at the place itself rules. */
export class InverseDistance {
  private readonly near: NearPoints | null;
  private readonly index: Uint32Array;
  private readonly square: Float64Array;

  /** @param neighbours 0 for all; @param radius Infinity for none */
  constructor(
    private readonly s: Samples,
    private readonly power: number,
    private readonly neighbours: number,
    private readonly radius: number,
  ) {
    const few = neighbours > 0 && neighbours < s.x.length;
    this.near = few ? new NearPoints(s.x, s.y) : null;
    this.index = new Uint32Array(few ? neighbours : 0);
    this.square = new Float64Array(few ? neighbours : 0);
  }

  /** Estimate at a place; NaN where no sample is within the radius. */
  at(px: number, py: number): number {
    const { x, y, z } = this.s;
    const half = this.power / 2;
    let [sum, weight] = [0, 0];
    if (this.near) {
      const k = this.near.find(px, py, this.neighbours, this.radius, this.index, this.square);
      for (let i = 0; i < k; i++) {
        if (this.square[i] === 0) return z[this.index[i]!]!;
        const w = half === 1 ? 1 / this.square[i]! : this.square[i]! ** -half;
        sum += w * z[this.index[i]!]!;
        weight += w;
      }
      return weight > 0 ? sum / weight : NaN;
    }
    const limit = this.radius * this.radius;
    for (let i = 0; i < x.length; i++) {
      const dx = x[i]! - px;
      const dy = y[i]! - py;
      const d2 = dx * dx + dy * dy;
      if (d2 > limit) continue;
      if (d2 === 0) return z[i]!;
      const w = half === 1 ? 1 / d2 : d2 ** -half;
      sum += w * z[i]!;
      weight += w;
    }
    return weight > 0 ? sum / weight : NaN;
  }

  /** Estimates at many places; all samples without a radius at the power 2 are taken four places at a time. */
  many(px: ArrayLike<number>, py: ArrayLike<number>, out: Float64Array): void {
    const n = px.length;
    let i = 0;
    if (!this.near && this.power === 2 && this.radius === Infinity)
      for (; i + 4 <= n; i += 4) this.four(px, py, out, i);
    for (; i < n; i++) out[i] = this.at(px[i]!, py[i]!);
  }

  /** Four places in one pass over the samples, so that four divisions are under way at once. */
  private four(px: ArrayLike<number>, py: ArrayLike<number>, out: Float64Array, at: number): void {
    const { x, y, z } = this.s;
    const [x0, x1, x2, x3] = [px[at]!, px[at + 1]!, px[at + 2]!, px[at + 3]!];
    const [y0, y1, y2, y3] = [py[at]!, py[at + 1]!, py[at + 2]!, py[at + 3]!];
    let [s0, s1, s2, s3, w0, w1, w2, w3] = [0, 0, 0, 0, 0, 0, 0, 0];
    for (let i = 0; i < x.length; i++) {
      const [xi, yi, zi] = [x[i]!, y[i]!, z[i]!];
      const a0 = 1 / ((xi - x0) * (xi - x0) + (yi - y0) * (yi - y0));
      const a1 = 1 / ((xi - x1) * (xi - x1) + (yi - y1) * (yi - y1));
      const a2 = 1 / ((xi - x2) * (xi - x2) + (yi - y2) * (yi - y2));
      const a3 = 1 / ((xi - x3) * (xi - x3) + (yi - y3) * (yi - y3));
      s0 += a0 * zi;
      s1 += a1 * zi;
      s2 += a2 * zi;
      s3 += a3 * zi;
      w0 += a0;
      w1 += a1;
      w2 += a2;
      w3 += a3;
    }
    out[at] = s0 / w0;
    out[at + 1] = s1 / w1;
    out[at + 2] = s2 / w2;
    out[at + 3] = s3 / w3;
    // A sample at the very place made an infinite weight.
    for (let k = at; k < at + 4; k++) if (out[k] !== out[k]) out[k] = this.at(px[k]!, py[k]!);
  }
}

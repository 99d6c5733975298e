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
}

import type { Transform } from '../data/crs';

/** Where a grid lies: outer north-west corner and cell size, all in its CRS. */
export interface Placement {
  x: number;
  y: number;
  dx: number;
  dy: number;
}

const BLOCK = 32;
const NODES = 4;
/** Greatest error of the interpolated position, in source cells. */
const TOLERANCE = 1e-6;

/** Chebyshev nodes on 0…1 and, for every cell centre of a block, the Lagrange weights of the nodes. */
const NODE = Array.from({ length: NODES }, (_, k) => 0.5 - 0.5 * Math.cos(((2 * k + 1) * Math.PI) / (2 * NODES)));
const weights = (s: number): number[] =>
  NODE.map((a, i) => NODE.reduce((p, b, j) => (i === j ? p : (p * (s - b)) / (a - b)), 1));
const W = new Float64Array(BLOCK * NODES);
for (let k = 0; k < BLOCK; k++) W.set(weights((k + 0.5) / BLOCK), k * NODES);
const CHECKS = [0.5, 0.02].map((s) => ({ s, w: weights(s) }));

/**
 * For each cell centre of a target grid, its place in a source grid in fractional cells (0 is the source's outer west or
 * north edge, cell centres lie at halves). Exact transforms are made at 16 Chebyshev nodes per 32 x 32 block and
 * interpolated between by cubics; a block whose check points are off by more than a millionth of a source cell is
 * transformed cell by cell. NaN where the place cannot be expressed.
 */
export class CellMapper {
  private readonly blocks: number;
  private blockRow = -1;
  private readonly nodeU: Float64Array;
  private readonly nodeV: Float64Array;
  private readonly exact: Uint8Array;
  private readonly pair = new Float64Array(2);

  constructor(
    private readonly target: Placement,
    private readonly columns: number,
    private readonly source: Placement,
    private readonly transform: Transform,
  ) {
    this.blocks = Math.ceil(columns / BLOCK);
    this.nodeU = new Float64Array(this.blocks * NODES * NODES);
    this.nodeV = new Float64Array(this.blocks * NODES * NODES);
    this.exact = new Uint8Array(this.blocks);
  }

  /** Writes the source column and row of every cell of target row `y`. Rows are best asked in order. */
  row(y: number, u: Float64Array, v: Float64Array): void {
    const by = Math.floor(y / BLOCK);
    if (by !== this.blockRow) this.prepare(by);
    const wy = (y - by * BLOCK) * NODES;
    for (let b = 0; b < this.blocks; b++) {
      const x0 = b * BLOCK;
      const x1 = Math.min(this.columns, x0 + BLOCK);
      if (this.exact[b] === 1) {
        for (let x = x0; x < x1; x++) {
          this.place(x + 0.5, y + 0.5);
          u[x] = this.pair[0]!;
          v[x] = this.pair[1]!;
        }
        continue;
      }
      const o = b * NODES * NODES;
      const { nodeU: nu, nodeV: nv } = this;
      const w0 = W[wy]!;
      const w1 = W[wy + 1]!;
      const w2 = W[wy + 2]!;
      const w3 = W[wy + 3]!;
      const u0 = w0 * nu[o]! + w1 * nu[o + 4]! + w2 * nu[o + 8]! + w3 * nu[o + 12]!;
      const u1 = w0 * nu[o + 1]! + w1 * nu[o + 5]! + w2 * nu[o + 9]! + w3 * nu[o + 13]!;
      const u2 = w0 * nu[o + 2]! + w1 * nu[o + 6]! + w2 * nu[o + 10]! + w3 * nu[o + 14]!;
      const u3 = w0 * nu[o + 3]! + w1 * nu[o + 7]! + w2 * nu[o + 11]! + w3 * nu[o + 15]!;
      const v0 = w0 * nv[o]! + w1 * nv[o + 4]! + w2 * nv[o + 8]! + w3 * nv[o + 12]!;
      const v1 = w0 * nv[o + 1]! + w1 * nv[o + 5]! + w2 * nv[o + 9]! + w3 * nv[o + 13]!;
      const v2 = w0 * nv[o + 2]! + w1 * nv[o + 6]! + w2 * nv[o + 10]! + w3 * nv[o + 14]!;
      const v3 = w0 * nv[o + 3]! + w1 * nv[o + 7]! + w2 * nv[o + 11]! + w3 * nv[o + 15]!;
      for (let x = x0, k = 0; x < x1; x++, k += NODES) {
        const a = W[k]!;
        const c = W[k + 1]!;
        const d = W[k + 2]!;
        const e = W[k + 3]!;
        u[x] = a * u0 + c * u1 + d * u2 + e * u3;
        v[x] = a * v0 + c * v1 + d * v2 + e * v3;
      }
    }
  }

  private place(col: number, row: number): void {
    const t = this.target;
    const s = this.source;
    this.transform(t.x + col * t.dx, t.y - row * t.dy, this.pair);
    this.pair[0] = (this.pair[0]! - s.x) / s.dx;
    this.pair[1] = (s.y - this.pair[1]!) / s.dy;
  }

  private prepare(by: number): void {
    this.blockRow = by;
    const row0 = by * BLOCK;
    for (let b = 0; b < this.blocks; b++) {
      const col0 = b * BLOCK;
      const o = b * NODES * NODES;
      let fine = true;
      for (let j = 0; j < NODES; j++) {
        for (let i = 0; i < NODES; i++) {
          this.place(col0 + NODE[i]! * BLOCK, row0 + NODE[j]! * BLOCK);
          this.nodeU[o + j * NODES + i] = this.pair[0]!;
          this.nodeV[o + j * NODES + i] = this.pair[1]!;
        }
      }
      for (const { s, w } of CHECKS) {
        let u = 0;
        let v = 0;
        for (let j = 0; j < NODES; j++) {
          for (let i = 0; i < NODES; i++) {
            u += w[i]! * w[j]! * this.nodeU[o + j * NODES + i]!;
            v += w[i]! * w[j]! * this.nodeV[o + j * NODES + i]!;
          }
        }
        this.place(col0 + s * BLOCK, row0 + s * BLOCK);
        // NaN compares false, so a block with an unreachable corner goes cell by cell.
        if (!(Math.abs(u - this.pair[0]!) < TOLERANCE && Math.abs(v - this.pair[1]!) < TOLERANCE)) fine = false;
      }
      this.exact[b] = fine ? 0 : 1;
    }
  }
}

import { Delaunay } from 'd3-delaunay';

/**
 * A surface of triangles through points (Delaunay 1934), by place: linear within a triangle. Places are found by walking from the triangle
 * found last, so that asking in an order of neighbours costs little.
 */
export class Tin {
  private readonly triangles: Uint32Array;
  private readonly halfedges: Int32Array;
  private readonly xy: Float64Array;
  private at = 0;

  /** @param x,y,z of the points; of several at one place the first counts */
  constructor(
    x: ArrayLike<number>,
    y: ArrayLike<number>,
    private readonly z: ArrayLike<number>,
  ) {
    const n = x.length;
    this.xy = new Float64Array(2 * n);
    for (let i = 0; i < n; i++) {
      this.xy[2 * i] = x[i]!;
      this.xy[2 * i + 1] = y[i]!;
    }
    const d = new Delaunay(this.xy);
    this.triangles = d.triangles as unknown as Uint32Array;
    this.halfedges = d.halfedges as unknown as Int32Array;
  }

  /** Whether there is a surface at all: three points that are not on one line. */
  get spans(): boolean {
    return this.triangles.length > 0;
  }

  /** First corner of the triangle a place lies in, as an index into the corners of all; -1 outside. */
  private locate(px: number, py: number): number {
    const { triangles: t, halfedges, xy } = this;
    if (t.length === 0) return -1;
    let tri = this.at;
    const most = t.length;
    // Each step crosses the side that the place lies beyond; a convex surface has no circles.
    for (let step = 0; step < most; step++) {
      let out = -1;
      for (let k = 0; k < 3; k++) {
        const a = t[tri + k]!;
        const b = t[tri + ((k + 1) % 3)]!;
        const side =
          (xy[2 * b]! - xy[2 * a]!) * (py - xy[2 * a + 1]!) - (xy[2 * b + 1]! - xy[2 * a + 1]!) * (px - xy[2 * a]!);
        // Corners go clockwise where y goes up, as the library has them for a y that goes down.
        if (side * this.turn(tri) < 0) {
          out = tri + k;
          break;
        }
      }
      if (out < 0) {
        this.at = tri;
        return tri;
      }
      const next = halfedges[out]!;
      if (next < 0) {
        this.at = tri;
        return -1;
      }
      tri = next - (next % 3);
    }
    return -1;
  }

  private turn(tri: number): number {
    const { triangles: t, xy } = this;
    const [a, b, c] = [2 * t[tri]!, 2 * t[tri + 1]!, 2 * t[tri + 2]!];
    return (xy[b]! - xy[a]!) * (xy[c + 1]! - xy[a + 1]!) - (xy[b + 1]! - xy[a + 1]!) * (xy[c]! - xy[a]!);
  }

  /** Height at a place; NaN outside the triangles. */
  heightAt(px: number, py: number): number {
    const tri = this.locate(px, py);
    if (tri < 0) return NaN;
    const { triangles: t, xy, z } = this;
    const [a, b, c] = [t[tri]!, t[tri + 1]!, t[tri + 2]!];
    const [ax, ay] = [xy[2 * a]!, xy[2 * a + 1]!];
    const ux = xy[2 * b]! - ax;
    const uy = xy[2 * b + 1]! - ay;
    const vx = xy[2 * c]! - ax;
    const vy = xy[2 * c + 1]! - ay;
    const area = ux * vy - uy * vx;
    const s = ((px - ax) * vy - (py - ay) * vx) / area;
    const r = (ux * (py - ay) - uy * (px - ax)) / area;
    return z[a]! + s * (z[b]! - z[a]!) + r * (z[c]! - z[a]!);
  }

  /** Numbers of the three points of the triangle a place lies in; null outside. */
  cornersAt(px: number, py: number): [number, number, number] | null {
    const tri = this.locate(px, py);
    return tri < 0 ? null : [this.triangles[tri]!, this.triangles[tri + 1]!, this.triangles[tri + 2]!];
  }
}

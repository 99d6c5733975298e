import Flatbush from 'flatbush';
import type { Features } from '../data/features';

/** Where a place is on lines: the line, the share of its length before it, and how far off it lies. */
export interface Placed {
  line: number;
  share: number;
  x: number;
  y: number;
  /** In units of the coordinates. */
  distance: number;
}

/** Finds the nearest place on lines of one part each. O(n log n) to make, O(log n) a place where lines are short against the whole. */
export class Placer {
  private readonly tree: Flatbush | null;
  /** First coordinate of each segment, and its line. */
  private readonly starts: Uint32Array;
  private readonly lines: Uint32Array;
  private readonly extent: number;

  constructor(private readonly f: Pick<Features, 'xy' | 'featureOffsets' | 'partOffsets' | 'ringOffsets'>) {
    const { xy, featureOffsets, partOffsets, ringOffsets } = f;
    const n = featureOffsets.length - 1;
    let m = 0;
    const each = (visit: (line: number, coordinate: number) => void): void => {
      for (let i = 0; i < n; i++)
        for (let r = partOffsets[featureOffsets[i]!]!; r < partOffsets[featureOffsets[i + 1]!]!; r++)
          for (let c = ringOffsets[r]!; c + 1 < ringOffsets[r + 1]!; c++) visit(i, c);
    };
    each(() => m++);
    this.starts = new Uint32Array(m);
    this.lines = new Uint32Array(m);
    this.tree = m ? new Flatbush(m) : null;
    let k = 0;
    let [x0, y0, x1, y1] = [Infinity, Infinity, -Infinity, -Infinity];
    each((line, c) => {
      this.starts[k] = c;
      this.lines[k++] = line;
      const [ax, ay, bx, by] = [xy[2 * c]!, xy[2 * c + 1]!, xy[2 * c + 2]!, xy[2 * c + 3]!];
      const [w, s, e, t] = [Math.min(ax, bx), Math.min(ay, by), Math.max(ax, bx), Math.max(ay, by)];
      this.tree!.add(w, s, e, t);
      [x0, y0, x1, y1] = [Math.min(x0, w), Math.min(y0, s), Math.max(x1, e), Math.max(y1, t)];
    });
    this.tree?.finish();
    this.extent = Math.max(x1 - x0, y1 - y0, 0) || 1;
  }

  /**
   * The nearest place on a line within a distance, among lines that are `allowed`.
   *
   * @param within in units of the coordinates
   */
  place(x: number, y: number, within = Infinity, allowed: (line: number) => boolean = () => true): Placed | null {
    if (!this.tree || !(x === x && y === y)) return null;
    // A box that grows until what is found in it is nearer than its sides; from far outside all are looked at.
    let reach = Math.min(within, this.extent / Math.sqrt(this.starts.length));
    for (;;) {
      const all = reach > 4 * this.extent;
      const some = all ? this.starts.keys() : this.tree.search(x - reach, y - reach, x + reach, y + reach);
      let [best, least, at] = [-1, Infinity, 0];
      for (const s of some) {
        if (!allowed(this.lines[s]!)) continue;
        const { d2, t } = this.to(s, x, y);
        if (d2 < least || (d2 === least && s < best)) [best, least, at] = [s, d2, t];
      }
      if (best >= 0 && least <= within * within && (all || least <= reach * reach))
        return this.told(best, at, Math.sqrt(least));
      if (all || reach >= within) return null;
      reach = Math.min(within, 2 * reach);
    }
  }

  private to(s: number, x: number, y: number): { d2: number; t: number } {
    const { xy } = this.f;
    const i = 2 * this.starts[s]!;
    const [ax, ay] = [xy[i]!, xy[i + 1]!];
    const [dx, dy] = [xy[i + 2]! - ax, xy[i + 3]! - ay];
    const l2 = dx * dx + dy * dy;
    const t = l2 > 0 ? Math.min(1, Math.max(0, ((x - ax) * dx + (y - ay) * dy) / l2)) : 0;
    return { d2: (ax + t * dx - x) ** 2 + (ay + t * dy - y) ** 2, t };
  }

  private told(s: number, t: number, distance: number): Placed {
    const { xy, featureOffsets, partOffsets, ringOffsets } = this.f;
    const line = this.lines[s]!;
    const c = this.starts[s]!;
    const ring = partOffsets[featureOffsets[line]!]!;
    const length = (i: number): number => Math.hypot(xy[2 * i + 2]! - xy[2 * i]!, xy[2 * i + 3]! - xy[2 * i + 1]!);
    let [before, all] = [0, 0];
    for (let i = ringOffsets[ring]!; i + 1 < ringOffsets[ring + 1]!; i++) {
      if (i < c) before += length(i);
      all += length(i);
    }
    return {
      line,
      share: all > 0 ? Math.min(1, (before + t * length(c)) / all) : 0,
      x: xy[2 * c]! + t * (xy[2 * c + 2]! - xy[2 * c]!),
      y: xy[2 * c + 1]! + t * (xy[2 * c + 3]! - xy[2 * c + 1]!),
      distance,
    };
  }
}

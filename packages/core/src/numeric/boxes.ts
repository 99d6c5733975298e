import Flatbush from 'flatbush';
import { featureBoxes, featureCount, type Features } from '../data/features';

/** Features by the boxes they lie in: which may touch a box, a place or another feature. O(n log n) to make. */
export class BoxIndex {
  readonly boxes: Float64Array;
  private readonly tree: Flatbush | null;
  /** Features that have a place. */
  private readonly rows: number[] = [];

  constructor(f: Features) {
    this.boxes = featureBoxes(f);
    for (let i = 0; i < featureCount(f); i++) if (this.boxes[4 * i]! === this.boxes[4 * i]!) this.rows.push(i);
    this.tree = this.rows.length ? new Flatbush(this.rows.length) : null;
    for (const i of this.rows)
      this.tree!.add(this.boxes[4 * i]!, this.boxes[4 * i + 1]!, this.boxes[4 * i + 2]!, this.boxes[4 * i + 3]!);
    this.tree?.finish();
  }

  /** Features whose boxes meet a box, ascending. */
  near(xmin: number, ymin: number, xmax: number, ymax: number): number[] {
    if (!this.tree || !(xmin === xmin)) return [];
    return this.tree
      .search(xmin, ymin, xmax, ymax)
      .map((k) => this.rows[k]!)
      .sort((a, b) => a - b);
  }

  /** Features whose boxes are nearest to a place, nearest first. */
  nearest(x: number, y: number, most: number, within = Infinity): number[] {
    return this.tree ? this.tree.neighbors(x, y, most, within).map((k) => this.rows[k]!) : [];
  }
}

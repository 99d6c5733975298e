/** An enclosed gap as a box of cells with its count of missing ones. */
export interface GapBox {
  column: number;
  row: number;
  columns: number;
  rows: number;
  cells: number;
}

/** Groups that are kept apart before those that have ended are counted and forgotten. */
const MOST_GROUPS = 2 ** 20;

/**
 * Enclosed gaps of a grid whose rows come one after the other: groups of missing cells, connected by their four sides, that do not reach
 * the edge. Runs of each row are joined to those above by union-find (Rosenfeld and Pfaltz 1966, doi:10.1145/321356.321357); groups that
 * ended are forgotten, so that the memory grows with a row and not with the grid. O(cells).
 */
export class GapRuns {
  gaps = 0;
  cells = 0;
  /** The largest, with room for twice as many so that sorting is rare. */
  private largest: GapBox[] = [];
  private parent = new Int32Array(256);
  private count = new Float64Array(256);
  private box = new Int32Array(4 * 256);
  private open = new Uint8Array(256);
  private n = 0;
  private y = 0;
  private above: Int32Array;
  private here: Int32Array;
  private runsAbove = 0;

  constructor(
    private readonly width: number,
    private readonly height: number,
    private readonly keep = 200,
  ) {
    // A run is its first column, the column behind its last, and its group.
    this.above = new Int32Array(3 * (Math.ceil(width / 2) + 1));
    this.here = new Int32Array(this.above.length);
  }

  /** Takes whole rows of values; NaN and `missing` are missing. */
  push(cells: ArrayLike<number>, missing: number): void {
    const { width } = this;
    for (let from = 0; from < cells.length; from += width) this.row(cells, from, missing);
  }

  private row(cells: ArrayLike<number>, from: number, missing: number): void {
    const { width, y } = this;
    const edge = y === 0 || y === this.height - 1;
    let runs = 0;
    let k = 0;
    const { above, here } = this;
    for (let x = 0; x < width;) {
      const v = cells[from + x]!;
      if (v === v && v !== missing) {
        x++;
        continue;
      }
      const start = x;
      for (x++; x < width; x++) {
        const w = cells[from + x]!;
        if (w === w && w !== missing) break;
      }
      const g = this.group(start, x, edge || start === 0 || x === width);
      while (k < this.runsAbove && above[3 * k + 1]! <= start) k++;
      for (let j = k; j < this.runsAbove && above[3 * j]! < x; j++) this.join(g, above[3 * j + 2]!);
      here[3 * runs] = start;
      here[3 * runs + 1] = x;
      here[3 * runs + 2] = g;
      runs++;
    }
    this.above = here;
    this.here = above;
    this.runsAbove = runs;
    this.y++;
    if (this.n > MOST_GROUPS + width) this.forget();
  }

  private group(start: number, end: number, open: boolean): number {
    if (this.n === this.parent.length) this.grow();
    const g = this.n++;
    this.parent[g] = g;
    this.count[g] = end - start;
    const { box, y } = this;
    box[4 * g] = start;
    box[4 * g + 1] = y;
    box[4 * g + 2] = end - 1;
    box[4 * g + 3] = y;
    this.open[g] = open ? 1 : 0;
    return g;
  }

  private grow(): void {
    const more = <T extends Int32Array | Float64Array | Uint8Array>(a: T): T => {
      const b = new (a.constructor as new (n: number) => T)(2 * a.length);
      b.set(a as never);
      return b;
    };
    this.parent = more(this.parent);
    this.count = more(this.count);
    this.box = more(this.box);
    this.open = more(this.open);
  }

  private root(g: number): number {
    const { parent } = this;
    while (parent[g] !== g) {
      parent[g] = parent[parent[g]!]!;
      g = parent[g]!;
    }
    return g;
  }

  private join(a: number, b: number): void {
    const p = this.root(a);
    const q = this.root(b);
    if (p === q) return;
    // The older group stays, so that chains point backwards.
    const [into, gone] = p < q ? [p, q] : [q, p];
    this.parent[gone] = into;
    this.count[into] = this.count[into]! + this.count[gone]!;
    this.open[into] = this.open[into]! | this.open[gone]!;
    const { box } = this;
    for (let k = 0; k < 2; k++) {
      box[4 * into + k] = Math.min(box[4 * into + k]!, box[4 * gone + k]!);
      box[4 * into + 2 + k] = Math.max(box[4 * into + 2 + k]!, box[4 * gone + 2 + k]!);
    }
  }

  /** Counts the groups that reach no further down and numbers the others anew. */
  private forget(): void {
    const fresh = new Map<number, number>();
    for (let k = 0; k < this.runsAbove; k++) {
      const r = this.root(this.above[3 * k + 2]!);
      if (!fresh.has(r)) fresh.set(r, fresh.size);
    }
    for (let g = 0; g < this.n; g++) if (this.parent[g] === g && !fresh.has(g)) this.ended(g);
    for (let k = 0; k < this.runsAbove; k++) this.above[3 * k + 2] = fresh.get(this.root(this.above[3 * k + 2]!))!;

    const moves = [...fresh].map(([from]) => ({
      count: this.count[from]!,
      box: this.box.slice(4 * from, 4 * from + 4),
      open: this.open[from]!,
    }));
    this.n = moves.length;
    moves.forEach((m, g) => {
      this.parent[g] = g;
      this.count[g] = m.count;
      this.box.set(m.box, 4 * g);
      this.open[g] = m.open;
    });
  }

  private ended(g: number): void {
    if (this.open[g]) return;
    this.gaps++;
    this.cells += this.count[g]!;
    const [west, north, east, south] = this.box.subarray(4 * g, 4 * g + 4) as unknown as [
      number,
      number,
      number,
      number,
    ];
    this.largest.push({
      column: west,
      row: north,
      columns: east - west + 1,
      rows: south - north + 1,
      cells: this.count[g]!,
    });
    if (this.largest.length >= 2 * this.keep) this.trim();
  }

  private trim(): void {
    this.largest.sort((a, b) => b.cells - a.cells || a.row - b.row || a.column - b.column).splice(this.keep);
  }

  /** The gaps; the largest first. */
  done(): { gaps: number; cells: number; boxes: GapBox[] } {
    this.runsAbove = 0;
    this.forget();
    this.trim();
    return { gaps: this.gaps, cells: this.cells, boxes: this.largest };
  }
}

/** Points in buckets of a regular net: the nearest ones of any place. O(n) to make, about O(k) to ask. */
export class NearPoints {
  private readonly start: Uint32Array;
  private readonly order: Uint32Array;
  private readonly columns: number;
  private readonly rows: number;
  private readonly size: number;
  private readonly x0: number;
  private readonly y0: number;

  constructor(
    private readonly x: ArrayLike<number>,
    private readonly y: ArrayLike<number>,
  ) {
    const n = x.length;
    let [w, s, e, t] = [Infinity, Infinity, -Infinity, -Infinity];
    for (let i = 0; i < n; i++) {
      w = Math.min(w, x[i]!);
      e = Math.max(e, x[i]!);
      s = Math.min(s, y[i]!);
      t = Math.max(t, y[i]!);
    }
    this.x0 = w;
    this.y0 = s;
    // Some four points a bucket; points on a line still make only as many buckets as there are points.
    this.size = Math.max(Math.sqrt(((e - w) * (t - s) * 4) / Math.max(1, n)), Math.max(e - w, t - s) / 2000) || 1;
    this.columns = Math.max(1, Math.floor((e - w) / this.size) + 1);
    this.rows = Math.max(1, Math.floor((t - s) / this.size) + 1);
    const bucket = new Uint32Array(n);
    this.start = new Uint32Array(this.columns * this.rows + 1);
    for (let i = 0; i < n; i++) {
      bucket[i] = this.row(y[i]!) * this.columns + this.column(x[i]!);
      this.start[bucket[i]! + 1]!++;
    }
    for (let b = 0; b < this.columns * this.rows; b++) this.start[b + 1]! += this.start[b]!;
    const at = this.start.slice();
    this.order = new Uint32Array(n);
    for (let i = 0; i < n; i++) this.order[at[bucket[i]!]!++] = i;
  }

  private column = (x: number): number =>
    Math.min(this.columns - 1, Math.max(0, Math.floor((x - this.x0) / this.size)));
  private row = (y: number): number => Math.min(this.rows - 1, Math.max(0, Math.floor((y - this.y0) / this.size)));

  /**
   * The `most` nearest points within a distance, nearest first.
   *
   * @param index filled with the points, `square` with their squared distances
   * @returns how many there are
   */
  find(px: number, py: number, most: number, within: number, index: Uint32Array, square: Float64Array): number {
    const limit = within * within;
    // From the bucket nearest to the place: a place outside is at least as far from every point as its nearest place inside is.
    const c0 = this.column(px);
    const r0 = this.row(py);
    let n = 0;
    const last = Math.max(c0, this.columns - 1 - c0, r0, this.rows - 1 - r0);
    for (let ring = 0; ring <= last; ring++) {
      // Nothing in this ring of buckets, or beyond, can be nearer than this.
      const reach = (ring - 1) * this.size;
      if (ring > 0 && ((n === most && square[n - 1]! <= reach * reach) || reach > within)) break;
      for (let r = r0 - ring; r <= r0 + ring; r++) {
        if (r < 0 || r >= this.rows) continue;
        const side = r === r0 - ring || r === r0 + ring ? 1 : Math.max(1, 2 * ring);
        for (let c = c0 - ring; c <= c0 + ring; c += side) {
          if (c < 0 || c >= this.columns) continue;
          const b = r * this.columns + c;
          for (let k = this.start[b]!; k < this.start[b + 1]!; k++) {
            const i = this.order[k]!;
            const d = (this.x[i]! - px) ** 2 + (this.y[i]! - py) ** 2;
            if (d > limit || (n === most && d >= square[n - 1]!)) continue;
            let at = n < most ? n++ : n - 1;
            for (; at > 0 && square[at - 1]! > d; at--) {
              square[at] = square[at - 1]!;
              index[at] = index[at - 1]!;
            }
            square[at] = d;
            index[at] = i;
          }
        }
      }
    }
    return n;
  }
}

import { around, distance as greatCircle } from 'geokdbush';
import KDBush from 'kdbush';
import { Geodesic } from '../data/geodesic';

/** A place and how far off it is, in metres. */
export interface NearPlace {
  place: number;
  distance: number;
}

/** By distance, then by number: on a regular net many are equally far, and the same ones must be taken every time. */
const byDistance = (a: NearPlace, b: NearPlace): number => a.distance - b.distance || a.place - b.place;

/** Ellipsoid and sphere differ by less than this share. */
const FLATTENING = 1.006;

/** Places that can be asked what lies near to one of them. O(n log n) to make. */
export class NearPlaces {
  private readonly tree: KDBush;

  /**
   * @param xy x, y of each place; those without are not numbers and near to nothing
   * @param geographic degrees: distances are geodesic, on the ellipsoid; else planar
   * @param metres in a unit of planar coordinates
   */
  constructor(
    readonly xy: Float64Array,
    private readonly geographic: boolean,
    private readonly metres: number,
  ) {
    const n = xy.length / 2;
    this.tree = new KDBush(n, 16, Float64Array);
    // What has no place lies where no question reaches; it is left out of answers as well.
    for (let i = 0; i < n; i++)
      if (this.placed(i)) this.tree.add(xy[2 * i]!, xy[2 * i + 1]!);
      else this.tree.add(geographic ? 0 : 1e300, geographic ? 0 : 1e300);
    this.tree.finish();
  }

  private placed(i: number): boolean {
    return this.xy[2 * i] === this.xy[2 * i];
  }

  /** Metres between two places. */
  distance(i: number, j: number): number {
    const { xy } = this;
    const [x, y, u, v] = [xy[2 * i]!, xy[2 * i + 1]!, xy[2 * j]!, xy[2 * j + 1]!];
    return this.geographic
      ? (Geodesic.Inverse(y, x, v, u, Geodesic.DISTANCE).s12 ?? 0)
      : Math.hypot(u - x, v - y) * this.metres;
  }

  private measured(i: number, all: readonly number[]): NearPlace[] {
    return all
      .filter((j) => j !== i && this.placed(j))
      .map((place) => ({ place, distance: this.distance(i, place) }))
      .sort(byDistance);
  }

  /** All others within a distance in metres, nearest first. */
  within(i: number, metres: number): NearPlace[] {
    if (!this.placed(i)) return [];
    const [x, y] = [this.xy[2 * i]!, this.xy[2 * i + 1]!];
    const all = this.geographic
      ? around(this.tree, x, y, Infinity, (metres / 1000) * FLATTENING)
      : this.tree.within(x, y, (metres / this.metres) * (1 + 1e-12));
    return this.measured(i, all).filter((p) => p.distance <= metres);
  }

  /** The so many nearest others, nearest first; of those equally far the lower numbers. */
  nearest(i: number, count: number): NearPlace[] {
    if (!this.placed(i)) return [];
    const [x, y] = [this.xy[2 * i]!, this.xy[2 * i + 1]!];
    const first = this.geographic ? around(this.tree, x, y, count + 1) : this.planarNearest(x, y, count + 1);
    const last = first.at(-1);
    if (last === undefined) return [];
    // Whatever is as far off as the last of them, or may be on the ellipsoid.
    const radius = this.geographic
      ? greatCircle(x, y, this.xy[2 * last]!, this.xy[2 * last + 1]!) * FLATTENING * FLATTENING
      : Math.hypot(this.xy[2 * last]! - x, this.xy[2 * last + 1]! - y) * (1 + 1e-12);
    const all = this.geographic ? around(this.tree, x, y, Infinity, radius) : this.tree.within(x, y, radius);
    return this.measured(i, all).slice(0, count);
  }

  /** By doubling a circle that begins where so many are expected. */
  private planarNearest(x: number, y: number, count: number): number[] {
    let r = this.usual * Math.sqrt(count);
    for (;;) {
      const found = this.tree.within(x, y, r).filter((j) => this.placed(j));
      if (found.length >= Math.min(count, this.size))
        return found.sort((a, b) => this.square(a, x, y) - this.square(b, x, y)).slice(0, count);
      r *= 2;
    }
  }

  private square(j: number, x: number, y: number): number {
    return (this.xy[2 * j]! - x) ** 2 + (this.xy[2 * j + 1]! - y) ** 2;
  }

  private readonly extent = once(() => {
    let [w, s, e, n, count] = [Infinity, Infinity, -Infinity, -Infinity, 0];
    for (let i = 0; i < this.xy.length / 2; i++) {
      if (!this.placed(i)) continue;
      count++;
      w = Math.min(w, this.xy[2 * i]!);
      e = Math.max(e, this.xy[2 * i]!);
      s = Math.min(s, this.xy[2 * i + 1]!);
      n = Math.max(n, this.xy[2 * i + 1]!);
    }
    return { count, width: e - w, height: n - s };
  });
  private get size(): number {
    return this.extent().count;
  }
  /** How far apart places would be on a square net. */
  private get usual(): number {
    const { count, width, height } = this.extent();
    return Math.max(Math.sqrt((width * height) / count), Math.max(width, height) / count) || 1;
  }

  /** The smallest distance within which every place has another, in metres; 0 where there are less than two. O(n log n). */
  leastForAll(): number {
    let most = 0;
    for (let i = 0; i < this.xy.length / 2; i++) most = Math.max(most, this.nearest(i, 1)[0]?.distance ?? 0);
    return most;
  }
}

function once<T>(make: () => T): () => T {
  let made: T | undefined;
  return () => (made ??= make());
}

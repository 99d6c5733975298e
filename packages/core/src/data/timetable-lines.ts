import { Geodesic } from './geodesic';
import { parseCrs, type Crs } from './crs';
import { FeaturesBuilder, type Column, type Features } from './features';
import { numberColumn, textColumn } from './table';
import { numbersOf, rowsIn, textsOf, type Timetable } from './timetable';
import { callsOf, type Calls } from './timetable-calls';

/** Ways of going by what a feed calls them (GTFS route_type). */
const VEHICLES = [
  'tram',
  'underground',
  'rail',
  'bus',
  'ferry',
  'cable tram',
  'aerial lift',
  'funicular',
  '',
  '',
  '',
  'trolleybus',
  'monorail',
];
/** The extended types by their hundreds. */
const EXTENDED: Record<number, string> = {
  1: 'rail',
  2: 'coach',
  4: 'underground',
  7: 'bus',
  8: 'trolleybus',
  9: 'tram',
  10: 'ferry',
  11: 'air',
  12: 'ferry',
  13: 'aerial lift',
  14: 'funicular',
  15: 'taxi',
};

export const vehicleOf = (type: number): string => VEHICLES[type] || EXTENDED[Math.floor(type / 100)] || 'other';

/** The system of every feed. */
export const FEED_CRS = (): Crs => parseCrs('EPSG:4326');

/** Metres along an ellipsoid between two places in degrees. */
export const metresBetween = (x0: number, y0: number, x1: number, y1: number): number =>
  Geodesic.Inverse(y0, x0, y1, x1, Geodesic.DISTANCE).s12!;

/** Corners of a shape in order, with the metres before each. */
export interface Shape {
  xy: Float64Array;
  metres: Float64Array;
  /** As the feed measures it; NaN where it does not. */
  dist: Float64Array;
}

/** Shapes of a feed by name. */
export function shapesOf(t: Timetable): Map<string, Shape> {
  const ids = textsOf(t, 'shapes', 'shape_id');
  const [lat, lon, sequence, dist] = ['shape_pt_lat', 'shape_pt_lon', 'shape_pt_sequence', 'shape_dist_traveled'].map(
    (c) => numbersOf(t, 'shapes', c),
  ) as [Float64Array, Float64Array, Float64Array, Float64Array];
  const rows = new Map<string, number[]>();
  for (let i = 0; i < rowsIn(t, 'shapes'); i++) {
    if (!(Math.abs(lat[i]!) <= 90 && Math.abs(lon[i]!) <= 180)) continue;
    const own = rows.get(ids[i]!);
    if (own) own.push(i);
    else rows.set(ids[i]!, [i]);
  }
  const out = new Map<string, Shape>();
  for (const [id, all] of rows) {
    all.sort((a, b) => sequence[a]! - sequence[b]! || a - b);
    if (all.length < 2) continue;
    const xy = Float64Array.from(all.flatMap((i) => [lon[i]!, lat[i]!]));
    const metres = new Float64Array(all.length);
    for (let k = 1; k < all.length; k++)
      metres[k] = metres[k - 1]! + metresBetween(xy[2 * k - 2]!, xy[2 * k - 1]!, xy[2 * k]!, xy[2 * k + 1]!);
    out.set(id, { xy, metres, dist: Float64Array.from(all, (i) => dist[i]!) });
  }
  return out;
}

/** How much farther off than the nearest place on a shape a stop may be held to lie, where that comes earlier: lines that come back on themselves. m */
const EARLIER = 25;

/**
 * Where the calls of a trip lie along its shape, m, never running back: by the feed's own measure where both have it, else at the earliest place
 * that is about as near as the nearest.
 */
export function callsAlong(c: Calls, trip: number, shape: Shape): Float64Array {
  const [from, to] = [c.offsets[trip]!, c.offsets[trip + 1]!];
  const out = new Float64Array(to - from);
  const own = c.along.subarray(from, to);
  const last = shape.metres.length - 1;
  const measured =
    shape.dist.every((v, i) => v === v && (i === 0 || v >= shape.dist[i - 1]!)) &&
    own.every((v, i) => v === v && (i === 0 || v >= own[i - 1]!));
  if (measured) {
    let k = 0;
    own.forEach((d, i) => {
      while (k < last - 1 && shape.dist[k + 1]! < d) k++;
      const span = shape.dist[k + 1]! - shape.dist[k]!;
      const share = span > 0 ? Math.min(1, Math.max(0, (d - shape.dist[k]!) / span)) : 0;
      out[i] = shape.metres[k]! + share * (shape.metres[k + 1]! - shape.metres[k]!);
    });
    return out;
  }
  let at = 0;
  for (let i = 0; i < out.length; i++) {
    const s = c.stops[c.stop[from + i]!]!;
    const flat = Math.cos((s.lat * Math.PI) / 180) * 111_320;
    const near: { m: number; d: number }[] = [];
    let least = Infinity;
    for (let k = 0; k < last; k++) {
      if (shape.metres[k + 1]! < at) continue;
      const [ax, ay] = [(shape.xy[2 * k]! - s.lon) * flat, (shape.xy[2 * k + 1]! - s.lat) * 111_320];
      const [bx, by] = [(shape.xy[2 * k + 2]! - s.lon) * flat, (shape.xy[2 * k + 3]! - s.lat) * 111_320];
      const l2 = (bx - ax) ** 2 + (by - ay) ** 2;
      const span = shape.metres[k + 1]! - shape.metres[k]!;
      const low = span > 0 ? Math.max(0, (at - shape.metres[k]!) / span) : 0;
      const share = l2 > 0 ? Math.min(1, Math.max(low, -(ax * (bx - ax) + ay * (by - ay)) / l2)) : low;
      const d = Math.hypot(ax + share * (bx - ax), ay + share * (by - ay));
      near.push({ m: shape.metres[k]! + share * span, d });
      least = Math.min(least, d);
    }
    at = near.find((n) => n.d <= least + EARLIER)?.m ?? at;
    out[i] = at;
  }
  return out;
}

/** The corners of a shape between two places along it, m. */
export function partOfShape(shape: Shape, from: number, to: number): [number, number][] {
  const { xy, metres } = shape;
  const place = (m: number): [number, number] => {
    let k = 0;
    while (k < metres.length - 2 && metres[k + 1]! < m) k++;
    const span = metres[k + 1]! - metres[k]!;
    const s = span > 0 ? (m - metres[k]!) / span : 0;
    return [xy[2 * k]! + s * (xy[2 * k + 2]! - xy[2 * k]!), xy[2 * k + 1]! + s * (xy[2 * k + 3]! - xy[2 * k + 1]!)];
  };
  const out = [place(from)];
  metres.forEach((m, k) => {
    if (m > from && m < to) out.push([xy[2 * k]!, xy[2 * k + 1]!]);
  });
  out.push(place(to));
  return out;
}

/** What lies between two calls that follow on each other: its corners in degrees, and metres. */
export interface Hop {
  corners: [number, number][];
  metres: number;
}

/** Hops of a trip along its shape, or straight from stop to stop where it has none. */
export function hopsOf(c: Calls, trip: number, shapes: ReadonlyMap<string, Shape>): Hop[] {
  const [from, to] = [c.offsets[trip]!, c.offsets[trip + 1]!];
  const shape = shapes.get(c.trips[trip]!.shape);
  const along = shape ? callsAlong(c, trip, shape) : null;
  const out: Hop[] = [];
  for (let k = from; k + 1 < to; k++) {
    const [a, b] = [c.stops[c.stop[k]!]!, c.stops[c.stop[k + 1]!]!];
    const [m0, m1] = along ? [along[k - from]!, along[k + 1 - from]!] : [0, 0];
    if (shape && m1 > m0) out.push({ corners: partOfShape(shape, m0, m1), metres: m1 - m0 });
    else
      out.push({
        corners: [
          [a.lon, a.lat],
          [b.lon, b.lat],
        ],
        metres: metresBetween(a.lon, a.lat, b.lon, b.lat),
      });
  }
  return out;
}

/**
 * A timetable as lines in degrees: one for each stretch from stop to stop of each line, with `line`, `name`, `by`, `from`, `to`, `trips` (rows of the
 * feed that go along it) and `seconds` (the least it takes).
 */
export function timetableLines(t: Timetable): Features {
  const c = callsOf(t);
  const shapes = shapesOf(t);
  const b = new FeaturesBuilder();
  type Row = { line: number; from: number; to: number; trips: number; seconds: number };
  const rows: Row[] = [];
  const known = new Map<string, Row>();
  const placed = (k: number): boolean => c.stops[k]!.lon === c.stops[k]!.lon;
  for (let trip = 0; trip < c.trips.length; trip++) {
    let hops: Hop[] | null = null;
    const start = c.offsets[trip]!;
    for (let k = start; k + 1 < c.offsets[trip + 1]!; k++) {
      const [line, from, to] = [c.trips[trip]!.line, c.stop[k]!, c.stop[k + 1]!];
      if (!placed(from) || !placed(to)) continue;
      const key = `${line} ${from} ${to}`;
      const seconds = c.arrive[k + 1]! - c.depart[k]!;
      const found = known.get(key);
      if (found) {
        found.trips++;
        found.seconds = Math.min(found.seconds, seconds);
        continue;
      }
      hops ??= hopsOf(c, trip, shapes);
      for (const [x, y] of hops[k - start]!.corners) b.coordinate(x, y);
      b.endRing();
      b.endPart();
      b.endFeature();
      const row = { line, from, to, trips: 1, seconds };
      rows.push(row);
      known.set(key, row);
    }
  }
  const columns: Column[] = [
    textColumn(
      'line',
      rows.map((r) => c.lines[r.line]!.name),
    ),
    textColumn(
      'name',
      rows.map((r) => c.lines[r.line]!.longName),
    ),
    textColumn(
      'by',
      rows.map((r) => vehicleOf(c.lines[r.line]!.type)),
    ),
    textColumn(
      'from',
      rows.map((r) => c.stops[r.from]!.name),
    ),
    textColumn(
      'to',
      rows.map((r) => c.stops[r.to]!.name),
    ),
    numberColumn(
      'trips',
      rows.map((r) => r.trips),
    ),
    numberColumn(
      'seconds',
      rows.map((r) => r.seconds),
      's',
    ),
  ];
  return b.build('line', FEED_CRS(), columns);
}

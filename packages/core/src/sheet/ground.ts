import { wgs84, type Crs } from '../data/crs-record';
import { Geodesic } from '../data/geodesic';
import { transformer } from '../data/crs';
import type { Frame, PaperBox } from './shape';

/** A frame as far as its geometry goes. */
export type FrameGeometry = Pick<Frame, 'crs' | 'centre' | 'scale' | 'turn'> & PaperBox;

const RADIANS = Math.PI / 180;
/** Half of the line by which the scale at a place is measured, as a share of what a unit of the system is good for. */
const PROBE = { degrees: 0.0005, units: 50 };

/** Metres on the WGS 84 ellipsoid between two places of a system; NaN where one is nowhere. */
export function groundBetween(crs: Crs, a: readonly [number, number], b: readonly [number, number]): number {
  const to = transformer(crs, wgs84());
  const [p, q] = [
    [0, 0],
    [0, 0],
  ];
  to(a[0], a[1], p);
  to(b[0], b[1], q);
  if (![...p, ...q].every(Number.isFinite)) return NaN;
  return Geodesic.Inverse(p[1]!, p[0]!, q[1]!, q[0]!).s12 ?? NaN;
}

/**
 * Metres on the ground to one unit of a system at a place, in a direction.
 *
 * @param turn direction, degrees anticlockwise from the x axis
 */
export function groundPerUnit(crs: Crs, [x, y]: readonly [number, number], turn = 0): number {
  const h = crs.geographic ? PROBE.degrees : PROBE.units;
  const [dx, dy] = [h * Math.cos(turn * RADIANS), h * Math.sin(turn * RADIANS)];
  return groundBetween(crs, [x - dx, y - dy], [x + dx, y + dy]) / (2 * h);
}

/** Units of the frame's system to a millimetre of paper. Where the middle is nowhere on Earth a metre is taken to be a unit. */
export function unitsPerMm(f: FrameGeometry): number {
  const ground = groundPerUnit(f.crs, f.centre, f.turn);
  return f.scale / 1000 / (ground > 0 ? ground : 1);
}

/** From paper to the frame's system and back. */
export interface FrameMap {
  /** Units of the system to a millimetre. */
  perMm: number;
  toGround(x: number, y: number): [number, number];
  toPaper(x: number, y: number): [number, number];
}

export function frameMap(f: FrameGeometry): FrameMap {
  const perMm = unitsPerMm(f);
  const [cos, sin] = [Math.cos(f.turn * RADIANS), Math.sin(f.turn * RADIANS)];
  const [mx, my] = [f.x + f.width / 2, f.y + f.height / 2];
  const [cx, cy] = f.centre;
  return {
    perMm,
    toGround(x, y) {
      // Upwards on paper; what is drawn has been turned clockwise.
      const [u, v] = [(x - mx) * perMm, (my - y) * perMm];
      return [cx + u * cos - v * sin, cy + u * sin + v * cos];
    },
    toPaper(x, y) {
      const [u, v] = [x - cx, y - cy];
      return [mx + (u * cos + v * sin) / perMm, my - (-u * sin + v * cos) / perMm];
    },
  };
}

/** Corners of a frame in its system, from the upper left clockwise. */
export function cornersOf(f: FrameGeometry): [number, number][] {
  const m = frameMap(f);
  const [r, b] = [f.x + f.width, f.y + f.height];
  return [m.toGround(f.x, f.y), m.toGround(r, f.y), m.toGround(r, b), m.toGround(f.x, b)];
}

/** The box around what a frame shows, in its system. */
export function extentOfFrame(f: FrameGeometry): [number, number, number, number] {
  const c = cornersOf(f);
  const [xs, ys] = [c.map((p) => p[0]), c.map((p) => p[1])];
  return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
}

/**
 * Paper that a length on the ground takes across the middle of a frame, mm: the line is as long as its geodesic says.
 *
 * @param ground m
 */
export function paperFor(f: FrameGeometry, ground: number): number {
  const m = frameMap(f);
  const [mx, my] = [f.x + f.width / 2, f.y + f.height / 2];
  const over = (w: number): number => groundBetween(f.crs, m.toGround(mx - w / 2, my), m.toGround(mx + w / 2, my));
  let w = (ground / f.scale) * 1000;
  for (let i = 0; i < 12; i++) {
    const got = over(w);
    if (!(got > 0)) break;
    const next = (w * ground) / got;
    if (Math.abs(next - w) < 1e-9 * w) return next;
    w = next;
  }
  return w;
}

/**
 * By how much the scale along the edges differs from that in the middle: the least and the greatest of `there / middle`, of the four corners
 * and the middles of the sides, along and across.
 */
export function scaleSpread(f: FrameGeometry): [least: number, most: number] {
  const m = frameMap(f);
  const middle = groundPerUnit(f.crs, f.centre, f.turn);
  const at = [0, 0.5, 1].flatMap((u) => [0, 0.5, 1].map((v) => m.toGround(f.x + u * f.width, f.y + v * f.height)));
  const all = at
    .flatMap((p) => [0, 90].map((t) => groundPerUnit(f.crs, p, f.turn + t) / middle))
    .filter(Number.isFinite);
  return all.length ? [Math.min(...all), Math.max(...all)] : [1, 1];
}

/**
 * Angle from grid north (up along the y axis) to true north at a place, degrees clockwise: the convergence of the meridians with its sign
 * turned, as on the edge of a topographic map. NaN where there is no north.
 */
export function trueNorth(crs: Crs, [x, y]: readonly [number, number]): number {
  if (crs.geographic) return 0;
  const place = [0, 0];
  transformer(crs, wgs84())(x, y, place);
  const [lon, lat] = place as [number, number];
  if (!Number.isFinite(lon) || Math.abs(lat) > 89.999) return NaN;
  const back = transformer(wgs84(), crs);
  const [a, b] = [
    [0, 0],
    [0, 0],
  ];
  const h = 1e-4;
  back(lon, lat - h, a);
  back(lon, lat + h, b);
  return Math.atan2(b[0]! - a[0]!, b[1]! - a[1]!) / RADIANS;
}

/** Round scales of maps: 1, 1.5, 2, 2.5, 3, 4, 5, 6, 7.5 and 8 times powers of ten. */
const ROUND = [1, 1.5, 2, 2.5, 3, 4, 5, 6, 7.5, 8, 10];

/** The next round scale that shows no less. */
export function roundScale(scale: number): number {
  const power = 10 ** Math.floor(Math.log10(scale));
  return (ROUND.find((r) => r * power >= scale * (1 - 1e-9)) ?? 10) * power;
}

/**
 * The scale at which a box of a system fits into a frame.
 *
 * @param room share of the frame that stays free around it
 */
export function scaleToFit(f: FrameGeometry, [w, s, e, n]: readonly number[], room = 0.08): number {
  const centre: [number, number] = [(w! + e!) / 2, (s! + n!) / 2];
  const ground = groundPerUnit(f.crs, centre, f.turn);
  const [cos, sin] = [Math.abs(Math.cos(f.turn * RADIANS)), Math.abs(Math.sin(f.turn * RADIANS))];
  const [dx, dy] = [e! - w!, n! - s!];
  const free = 1 - room;
  const [across, down] = [(dx * cos + dy * sin) / (f.width * free), (dx * sin + dy * cos) / (f.height * free)];
  return Math.max(1, Math.max(across, down) * 1000 * (ground > 0 ? ground : 1));
}

const GROUPS = /\B(?=(\d{3})+(?!\d))/g;

/** `1:25 000`, with thin spaces kept apart from what would break a line. */
export const scaleText = (scale: number): string => {
  const digits = scale >= 100 ? Math.round(scale).toString() : String(Number(scale.toPrecision(3)));
  return `1:${digits.replace(GROUPS, '\u00a0')}`;
};

/** A scale as it is written: `1:25 000`, `1 : 25,000`, `25000`, `25k`; null when it is none. */
export function readScale(text: string): number | null {
  const m = /^\s*(?:1\s*[:/]\s*)?(\d[\d\s\u00a0\u202f,.']*?)\s*(k|m)?\s*$/i.exec(text);
  if (!m) return null;
  // Marks before three digits group them; what stands before fewer is a decimal mark.
  const plain = m[1]!
    .replace(/[\s\u00a0\u202f']/g, '')
    .replace(/[.,](?=\d{3}(?:\D|$))/g, '')
    .replace(',', '.');
  const value = Number(plain) * ({ k: 1000, m: 1e6 }[m[2]?.toLowerCase() ?? ''] ?? 1);
  return value >= 1 && value <= 1e9 ? value : null;
}

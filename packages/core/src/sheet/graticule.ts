import { wgs84 } from '../data/crs-record';
import { transformer } from '../data/crs';
import { cornersOf, extentOfFrame, frameMap, type FrameGeometry } from './ground';
import type { Grid, PaperBox } from './shape';

/** A line of coordinates on a frame. */
export interface GridLine {
  /** Along x or along y of what is told: the value that stays the same is a northing or a latitude, or an easting or a longitude. */
  constant: 'x' | 'y';
  value: number;
  /** What it is called. */
  label: string;
  /** Its pieces within the frame, mm. */
  pieces: [number, number][][];
}

/** A label at the edge of a frame. */
export interface EdgeLabel {
  x: number;
  y: number;
  side: 'left' | 'right' | 'top' | 'bottom';
  label: string;
}

/** Degrees from line to line that divide well: halves, thirds and tenths of degrees, minutes and seconds. */
const DEGREES = [30, 20, 15, 10, 5, 2, 1, 30 / 60, 20 / 60, 10 / 60, 5 / 60, 2 / 60, 1 / 60];
const SECONDS = [30, 20, 10, 5, 2, 1].map((s) => s / 3600);
/** Paper from line to line that is aimed at, mm. */
const APART = 45;
/** Points along a line that is curved. */
const POINTS = 96;
/** Lines of one direction beyond which a step is taken for a slip. */
export const MOST_LINES = 400;

/** What suits a frame: from line to line about 45 mm, a round step. */
export function gridStep(f: FrameGeometry, of: Grid['of']): number {
  const wanted = APART * frameMap(f).perMm;
  if (of === 'system' && !f.crs.geographic) {
    const power = 10 ** Math.floor(Math.log10(wanted));
    return [1, 2, 5, 10].map((m) => m * power).reduce((a, b) => (Math.abs(b - wanted) < Math.abs(a - wanted) ? b : a));
  }
  const [w, s, e, n] = lonLatBox(f);
  const degrees = (APART / 2) * ((e - w) / f.width + (n - s) / f.height);
  return [...DEGREES, ...SECONDS].reduce((a, b) =>
    Math.abs(Math.log(b / degrees)) < Math.abs(Math.log(a / degrees)) ? b : a,
  );
}

/** Longitudes and latitudes that a frame shows, from places along its edges and within; all of them where some are nowhere. */
function lonLatBox(f: FrameGeometry): [number, number, number, number] {
  const m = frameMap(f);
  const to = transformer(f.crs, wgs84());
  const out = [0, 0];
  let [w, s, e, n] = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0; i <= 16; i++)
    for (let j = 0; j <= 16; j++) {
      to(...m.toGround(f.x + (f.width * i) / 16, f.y + (f.height * j) / 16), out);
      const [lon, lat] = out as [number, number];
      if (!Number.isFinite(lon) || !Number.isFinite(lat)) continue;
      [w, s, e, n] = [Math.min(w, lon), Math.min(s, lat), Math.max(e, lon), Math.max(n, lat)];
    }
  return w <= e ? [w, Math.max(-90, s), e, Math.min(90, n)] : [-180, -90, 180, 90];
}

/** Multiples of a step from one value to another. */
function multiples(from: number, to: number, step: number): number[] {
  const [a, b] = [Math.ceil(from / step - 1e-9), Math.floor(to / step + 1e-9)];
  return b - a >= MOST_LINES ? [] : Array.from({ length: Math.max(0, b - a + 1) }, (_, i) => (a + i) * step);
}

/** An angle in degrees, minutes and seconds, as many as a step needs. */
export function angleText(value: number, step: number, [plus, minus]: readonly [string, string]): string {
  const seconds = Math.round(Math.abs(value) * 3600);
  const [d, m, s] = [Math.floor(seconds / 3600), Math.floor(seconds / 60) % 60, seconds % 60];
  const fine = Math.abs(step * 60 - Math.round(step * 60)) > 1e-6;
  const some = Math.abs(step - Math.round(step)) > 1e-6;
  const two = (v: number): string => String(v).padStart(2, '0');
  const side = seconds === 0 ? '' : value < 0 ? minus : plus;
  return `${d}°${some || fine ? `${two(m)}′` : ''}${fine ? `${two(s)}″` : ''}${side && `\u00a0${side}`}`;
}

/** A step of degrees as it is said: 1°, 5′, 30″, 1°30′. */
export function stepWords(step: number): string {
  const seconds = Math.round(step * 3600);
  const parts = [
    [Math.floor(seconds / 3600), '°'],
    [Math.floor(seconds / 60) % 60, '′'],
    [seconds % 60, '″'],
  ] as const;
  return Math.abs(seconds - step * 3600) > 1e-6
    ? `${Number(step.toPrecision(6))}°`
    : parts.flatMap(([v, mark]) => (v ? [`${v}${mark}`] : [])).join('') || '0°';
}

const PLAIN = /^(\d+(?:\.\d+)?)\s*°?$/;
const MARKED = /^(?:(\d+(?:\.\d+)?)\s*°)?\s*(?:(\d+(?:\.\d+)?)\s*[′'])?\s*(?:(\d+(?:\.\d+)?)\s*[″"])?$/;

/** Degrees of what is typed: `0.5`, `30′`, `1°30'`, `30"`; null for what is no angle. */
export function readAngle(text: string): number | null {
  const m = PLAIN.exec(text.trim()) ?? MARKED.exec(text.trim());
  if (!m || !m.slice(1).some(Boolean)) return null;
  return Number(m[1] ?? 0) + Number(m[2] ?? 0) / 60 + Number(m[3] ?? 0) / 3600;
}

/** Lines of a grid over a frame, each cut at its edges. */
export function gridLines(f: FrameGeometry, grid: Pick<Grid, 'of' | 'step'>): GridLine[] {
  const step = grid.step ?? gridStep(f, grid.of);
  const m = frameMap(f);
  const own = grid.of === 'system';
  const [w, s, e, n] = own ? extentOfFrame(f) : lonLatBox(f);
  const back = own ? null : transformer(wgs84(), f.crs);
  const out = [0, 0];
  const place = (x: number, y: number): [number, number] => {
    if (!back) return m.toPaper(x, y);
    back(x, y, out);
    return m.toPaper(out[0]!, out[1]!);
  };
  const degrees = !own || f.crs.geographic;
  const label = (constant: 'x' | 'y', value: number): string =>
    degrees
      ? angleText(value, step, constant === 'x' ? ['E', 'W'] : ['N', 'S'])
      : `${groups(value)}\u00a0${constant === 'x' ? 'E' : 'N'}`;
  const line = (constant: 'x' | 'y', value: number): GridLine => {
    const [from, to] = constant === 'x' ? [s, n] : [w, e];
    const points = Array.from({ length: own ? 2 : POINTS + 1 }, (_, i) => {
      const t = from + ((to - from) * i) / (own ? 1 : POINTS);
      return constant === 'x' ? place(value, t) : place(t, value);
    });
    return { constant, value, label: label(constant, value), pieces: within(points, f) };
  };
  return [...multiples(w, e, step).map((v) => line('x', v)), ...multiples(s, n, step).map((v) => line('y', v))].filter(
    (l) => l.pieces.length > 0,
  );
}

/** Where lines of a grid leave their frame, with what is written there: eastings above and below, northings at the sides, once a side. */
export function edgeLabels(f: PaperBox, lines: readonly GridLine[]): EdgeLabel[] {
  const near = 0.01;
  const [right, bottom] = [f.x + f.width, f.y + f.height];
  return lines.flatMap((l) => {
    const found = new Map<string, EdgeLabel>();
    for (const p of l.pieces.flatMap((piece) => [piece[0]!, piece.at(-1)!])) {
      const side =
        l.constant === 'y'
          ? Math.abs(p[0] - f.x) < near
            ? 'left'
            : Math.abs(p[0] - right) < near
              ? 'right'
              : null
          : Math.abs(p[1] - f.y) < near
            ? 'top'
            : Math.abs(p[1] - bottom) < near
              ? 'bottom'
              : null;
      if (side && !found.has(side)) found.set(side, { x: p[0], y: p[1], side, label: l.label });
    }
    return [...found.values()];
  });
}

/** Where two lines of a grid cross within the frame, for crosses in place of lines. */
export function crossings(f: FrameGeometry, grid: Pick<Grid, 'of' | 'step'>): [number, number][] {
  const lines = gridLines(f, grid);
  const m = frameMap(f);
  const back = grid.of === 'system' ? null : transformer(wgs84(), f.crs);
  const out = [0, 0];
  return lines
    .filter((l) => l.constant === 'x')
    .flatMap((a) =>
      lines
        .filter((l) => l.constant === 'y')
        .map((b): [number, number] => {
          if (!back) return m.toPaper(a.value, b.value);
          back(a.value, b.value, out);
          return m.toPaper(out[0]!, out[1]!);
        }),
    )
    .filter(([x, y]) => x > f.x && x < f.x + f.width && y > f.y && y < f.y + f.height);
}

/** Where a frame lies in another one, as a closed line on the other's paper, densely enough to be curved. */
export function outlineIn(of: FrameGeometry, over: FrameGeometry): [number, number][] {
  const to = transformer(of.crs, over.crs);
  const m = frameMap(over);
  const corners = cornersOf(of);
  const out = [0, 0];
  return corners.flatMap((a, k) => {
    const b = corners[(k + 1) % 4]!;
    return Array.from({ length: 16 }, (_, i): [number, number] => {
      const t = i / 16;
      to(a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t, out);
      return m.toPaper(out[0]!, out[1]!);
    }).filter((p) => p.every(Number.isFinite));
  });
}

/** Pieces of a line within a box (Liang and Barsky 1984, doi:10.1145/357332.357333). Places that are nowhere break it. */
export function within(points: readonly (readonly [number, number])[], b: PaperBox): [number, number][][] {
  const pieces: [number, number][][] = [];
  let piece: [number, number][] = [];
  const end = (): void => {
    if (piece.length > 1) pieces.push(piece);
    piece = [];
  };
  for (let i = 1; i < points.length; i++) {
    const [p, q] = [points[i - 1]!, points[i]!];
    const cut = [...p, ...q].every(Number.isFinite) ? cutTo(p, q, b) : null;
    if (!cut) {
      end();
      continue;
    }
    const [from, to] = cut;
    if (from[0] !== piece.at(-1)?.[0] || from[1] !== piece.at(-1)?.[1]) {
      end();
      piece.push(from);
    }
    piece.push(to);
  }
  end();
  return pieces;
}

type Point = [number, number];

function cutTo(p: readonly [number, number], q: readonly [number, number], b: PaperBox): [Point, Point] | null {
  const [dx, dy] = [q[0] - p[0], q[1] - p[1]];
  let [t0, t1] = [0, 1];
  for (const [step, room] of [
    [-dx, p[0] - b.x],
    [dx, b.x + b.width - p[0]],
    [-dy, p[1] - b.y],
    [dy, b.y + b.height - p[1]],
  ] as const) {
    if (step === 0) {
      if (room < 0) return null;
      continue;
    }
    const t = room / step;
    if (step < 0) t0 = Math.max(t0, t);
    else t1 = Math.min(t1, t);
    if (t0 > t1) return null;
  }
  if (t0 === t1) return null;
  const at = (t: number): Point => (t === 0 ? [p[0], p[1]] : t === 1 ? [q[0], q[1]] : [p[0] + t * dx, p[1] + t * dy]);
  return [at(t0), at(t1)];
}

const groups = (v: number): string => String(Number(v.toPrecision(12))).replace(/\B(?=(\d{3})+(?!\d))/g, '\u00a0');

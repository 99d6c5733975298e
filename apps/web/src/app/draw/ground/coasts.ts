import type { MultiLineString, Position } from 'geojson';
import { metresPerUnit, transformer, wgs84, type Crs } from '@helk/core';

/** Corners of one piece: short ones, so that only what is in view is drawn. */
const PIECE = 96;
/** Degrees by which a place may come back elsewhere; beyond, a projection folds. */
const FOLD = 1e-4;
/** A step longer than this, in metres or degrees, may jump over the seam of a projection. */
const LONG = { metres: 300_000, degrees: 20 };
/** Milliseconds that are worked without a pause. */
const SLICE = 12;

/** The edge of the map on which the dataset's areas were cut, and the end of it at the pole: no coast. */
const cut = (a: Position, b: Position): boolean =>
  (Math.abs(a[0]!) > 179.99 && Math.abs(b[0]!) > 179.99) || (a[1]! < -89.9 && b[1]! < -89.9);

/**
 * Coasts in a system: lines in its units, in short pieces, without what the system cannot express. A line ends where a projection folds
 * or jumps, told by places that do not come back and by steps whose middle does not lie in their middle.
 *
 * @param lines longitude and latitude, degrees
 * @param pause waits until there is time again
 */
export async function coastLines(
  lines: Pick<MultiLineString, 'coordinates'>,
  crs: Crs,
  pause: () => Promise<void> = () => new Promise((done) => setTimeout(done)),
): Promise<Position[][]> {
  const to = transformer(wgs84(), crs);
  const back = transformer(crs, wgs84());
  const long = crs.geographic ? LONG.degrees : LONG.metres / metresPerUnit(crs);
  const out: Position[][] = [];
  const [p, q] = [
    [0, 0],
    [0, 0],
  ];
  const at = ([lon, lat]: Position): Position | null => {
    to(lon!, lat!, p);
    if (!Number.isFinite(p[0]!) || !Number.isFinite(p[1]!)) return null;
    if (crs.geographic) return [p[0]!, p[1]!];
    back(p[0]!, p[1]!, q);
    const apart = Math.abs(((((q[0]! - lon!) % 360) + 540) % 360) - 180);
    return apart < FOLD && Math.abs(q[1]! - lat!) < FOLD ? [p[0]!, p[1]!] : null;
  };
  const jumps = (a: Position, b: Position, u: Position, v: Position): boolean => {
    const step = Math.hypot(v[0]! - u[0]!, v[1]! - u[1]!);
    if (step < long) return false;
    // The short way round: the middle of 179 and -179 is 180.
    const round = Math.abs(a[0]! - b[0]!) > 180 ? 180 : 0;
    const m = at([(a[0]! + b[0]!) / 2 + round, (a[1]! + b[1]!) / 2]);
    return !m || Math.hypot(m[0]! - (u[0]! + v[0]!) / 2, m[1]! - (u[1]! + v[1]!) / 2) > 0.25 * step;
  };
  let since = performance.now();
  for (const line of lines.coordinates) {
    let piece: Position[] = [];
    const end = (): void => {
      if (piece.length > 1) out.push(piece);
      piece = [];
    };
    let [before, there]: [Position | null, Position | null] = [null, null];
    for (const c of line) {
      const here = at(c);
      if (!here || (before && (cut(before, c) || (there && jumps(before, c, there, here))))) end();
      if (here) piece.push(here);
      if (here && piece.length === PIECE) {
        end();
        piece.push(here);
      }
      [before, there] = [c, here];
    }
    end();
    if (performance.now() - since > SLICE) {
      await pause();
      since = performance.now();
    }
  }
  return out;
}

let world: Promise<MultiLineString> | null = null;

/** The coasts of the world in degrees (Natural Earth, 1 : 50 000 000, public domain, as packaged by world-atlas). */
export function worldCoasts(): Promise<MultiLineString> {
  world ??= load();
  world.catch(() => (world = null));
  return world;
}

async function load(): Promise<MultiLineString> {
  const [{ mesh }, answer] = await Promise.all([import('topojson-client'), fetch('/land-50m.json')]);
  if (!answer.ok) throw new Error('The coasts of the world could not be loaded.');
  const topology = (await answer.json()) as Parameters<typeof mesh>[0];
  return mesh(topology);
}

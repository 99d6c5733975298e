import { HelkError } from '../../errors';
import { plural } from '../../data/check';
import { FeaturesBuilder, featureCount, featuresIn, valueOf, type Features } from '../../data/features';
import { pieceCount, MODES, type Network } from '../../data/network';
import { numberColumn, textColumn } from '../../data/table';
import type { Job } from '../../method/job';
import { LONG_TEXT, text } from '../../method/params';

export const closedParam = () =>
  text({
    label: 'Closed streets',
    help: 'Lines across the streets that are closed, in the network’s coordinates: x y, x y; x y, x y.',
    widget: 'drawn-lines',
    whatIf: 'What if a street were closed?',
    most: LONG_TEXT,
  }).optional();

export const addedParam = () =>
  text({
    label: 'More facilities',
    help: 'Places in the network’s coordinates: x y; x y.',
    widget: 'drawn-points',
    whatIf: 'What if there were one more?',
    most: LONG_TEXT,
  }).optional();

/**
 * Lines of corners, as they are written: `x y, x y; x y, x y`.
 *
 * @param least corners that each has to have
 * @throws HelkError `method.parameter`
 */
export function readCorners(written: string, param: string, least: number): [number, number][][] {
  return written
    .split(/[;\n]/)
    .map((line) => line.trim())
    .filter(Boolean)
    .map((line) => {
      const corners = line.split(',').map((c) => c.trim().split(/\s+/).map(Number));
      const wrong = corners.find((c) => c.length !== 2 || !c.every(Number.isFinite));
      if (wrong || corners.length < least)
        throw new HelkError(
          'method.parameter',
          `${param}: "${line.slice(0, 60)}" is not of the form ${least > 1 ? 'x y, x y' : 'x y'}; several are apart by semicolons.`,
          param,
        );
      return corners as [number, number][];
    });
}

/** A network in which nobody goes along the pieces that lines cross; vehicles of its timetable run all the same. */
export function without(n: Network, closed: string | undefined, job: Pick<Job, 'note'>): Network {
  const lines = closed ? readCorners(closed, 'closed', 2) : [];
  if (!lines.length) return n;
  const shut = piecesCrossed(n, lines);
  job.note(
    shut.length ? 'info' : 'look',
    'network.closed',
    shut.length
      ? `${plural(shut.length, 'piece')} of streets ${shut.length === 1 ? 'is' : 'are'} closed to all${n.timetable ? '; vehicles of the timetable run as before' : ''}.`
      : 'The lines that were drawn cross no street: none is closed.',
  );
  const seconds = Object.fromEntries(
    MODES.map((m) => {
      const [there, back] = [n.seconds[m].there.slice(), n.seconds[m].back.slice()];
      for (const i of shut) there[i] = back[i] = Infinity;
      return [m, { there, back }];
    }),
  ) as Network['seconds'];
  return { ...n, seconds };
}

/** Pieces that lines cross or touch. O(segments of both) */
function piecesCrossed(n: Network, lines: readonly (readonly [number, number])[][]): number[] {
  const { xy, ringOffsets } = n.pieces;
  const out: number[] = [];
  const side = (ax: number, ay: number, bx: number, by: number, x: number, y: number): number =>
    (bx - ax) * (y - ay) - (by - ay) * (x - ax);
  for (let i = 0; i < pieceCount(n); i++) {
    let hit = false;
    for (let k = ringOffsets[i]!; k + 1 < ringOffsets[i + 1]! && !hit; k++) {
      const [ax, ay, bx, by] = [xy[2 * k]!, xy[2 * k + 1]!, xy[2 * k + 2]!, xy[2 * k + 3]!];
      hit = lines.some((line) =>
        line.some(([x, y], j) => {
          const next = line[j + 1];
          if (!next) return false;
          const [u, v] = next;
          if (Math.max(x, u) < Math.min(ax, bx) || Math.min(x, u) > Math.max(ax, bx)) return false;
          if (Math.max(y, v) < Math.min(ay, by) || Math.min(y, v) > Math.max(ay, by)) return false;
          return (
            side(ax, ay, bx, by, x, y) * side(ax, ay, bx, by, u, v) <= 0 &&
            side(x, y, u, v, ax, ay) * side(x, y, u, v, bx, by) <= 0
          );
        }),
      );
    }
    if (hit) out.push(i);
  }
  return out;
}

/** Facilities with more of them, which are called `new 1` and so on where they have names. */
export function withMore(
  facilities: Features,
  added: string | undefined,
  n: Network,
  idColumn: string | undefined,
): Features {
  const places = added ? readCorners(added, 'added', 1).flat() : [];
  if (!places.length) return facilities;
  const b = new FeaturesBuilder();
  b.append(featuresIn(facilities, n.pieces.crs));
  for (const [x, y] of places) b.point(x, y);
  const count = featureCount(facilities);
  const own = facilities.columns.find((c) => c.name === idColumn);
  const names = own
    ? [
        textColumn(own.name, [
          ...Array.from({ length: count }, (_, i) => String(valueOf(own, i) ?? i + 1)),
          ...places.map((_, k) => `new ${k + 1}`),
        ]),
      ]
    : [
        numberColumn(
          'row',
          Float64Array.from({ length: count + places.length }, (_, i) => i + 1),
        ),
      ];
  return b.build('point', n.pieces.crs, names);
}

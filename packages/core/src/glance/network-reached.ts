import * as z from 'zod';
import { HelkError } from '../errors';
import { FeaturesBuilder, featuresIn, type Features } from '../data/features';
import { pieceCorners, type Network } from '../data/network';
import { inPlane, placed } from '../methods/network/common';
import { modeChecks } from '../methods/network/modes';
import { reach } from '../methods/network/reach';
import { without, withMore } from '../methods/network/what-if';
import { searchOf, type Going } from '../methods/network/within';
import { partOfLine } from '../numeric/reached';
import { transformer } from '../data/crs';
import { defineGlance } from './glance';

/** Stretches that are told: of a town; more would not be drawn while one drags. */
const MOST = 40_000;

export const reached = z.object({
  /** Corners of the stretches one after the other, x y, in the network's system, and how many each has. */
  xy: z.array(z.number()),
  corners: z.array(z.number()),
  /** Metres of all streets that may be gone along. */
  whole: z.number(),
  /** Places that are on a street, and those that are not. */
  placed: z.number(),
  unplaced: z.number(),
});
export type Reached = z.output<typeof reached>;

/** Those of reach that decide which streets are reached. */
type Settings = Going & { closed?: string; added?: string; idColumn?: string; maxSnap: number };

export const networkReached = defineGlance({
  id: 'network.reached',
  question: 'Which streets would be reached, and when?',
  inputs: { network: { kind: 'network' }, facilities: { kind: 'features', optional: true } },
  params: z.object({
    /** Settings of `network.reach`, as they are typed. */
    params: z.record(z.string().max(100), z.unknown()),
    /** A place that is tried beside the facilities, or alone, in the network's system. */
    at: z.tuple([z.number(), z.number()]).optional(),
    alone: z.boolean().default(false),
    /** As far as is looked, s. */
    most: z.number().positive().max(86_400),
  }),
  answer: reached,
  run: async ({ network: handle, facilities }, p, job) => {
    const settings = reach.params.safeParse({ ...p.params, window: 0 });
    if (!settings.success)
      throw new HelkError(
        'method.parameter',
        `${settings.error.issues[0]!.path.join('.')}: ${settings.error.issues[0]!.message}`,
      );
    const s = settings.data as unknown as Settings;
    const refused = modeChecks(handle.head, s).find((c) => c.level === 'refused');
    if (refused) throw new HelkError('method.input', refused.message, refused.about ?? null);
    const given = without(await handle.load(), s.closed, job);
    const own = facilities && !p.alone ? await facilities.load() : null;
    const places = withMore(tried(own, given, p.at), p.alone ? undefined : s.added, given, s.idColumn);
    if (places.featureOffsets.length < 2)
      throw new HelkError('method.input', 'There is no place to set out from yet.', 'facilities');
    const { network, plane, metres } = inPlane(given);
    const { ways, search } = searchOf(network, { ...s, window: 0 }, () => undefined);
    const on = placed(places, ways, metres, s.maxSnap, undefined, job, 'places').places.filter((o) => o !== null);
    const { stretches } = search(on, [p.most])[0]!;
    if (stretches.length > MOST)
      throw new HelkError('method.input', 'The network is too large to follow while one drags; run it.', 'network');
    const out: Reached = {
      xy: [],
      corners: [],
      whole: 0,
      placed: on.length,
      unplaced: places.featureOffsets.length - 1 - on.length,
    };
    const back = plane && given.pieces.crs ? transformer(plane, given.pieces.crs) : null;
    const digits = given.pieces.crs?.geographic ? 1e6 : 10;
    const at = [0, 0];
    for (const t of stretches) {
      const [a, b] = pieceCorners(network, t.edge);
      const line = partOfLine(network.pieces.xy, a, b, t.a, t.b);
      for (const [x, y] of line) {
        if (back) back(x, y, at);
        else [at[0], at[1]] = [x, y];
        out.xy.push(Math.round(at[0]! * digits) / digits, Math.round(at[1]! * digits) / digits);
      }
      out.corners.push(line.length);
    }
    const { there, back: other } = ways.seconds;
    network.length.forEach((l, i) => {
      if (there[i]! < Infinity || other[i]! < Infinity) out.whole += l;
    });
    return out;
  },
});

/** The facilities with the place that is tried. */
function tried(own: Features | null, n: Network, at: readonly [number, number] | undefined): Features {
  const b = new FeaturesBuilder();
  if (own) b.append(featuresIn(own, n.pieces.crs));
  if (at) b.point(at[0], at[1]);
  return b.build('point', n.pieces.crs, []);
}

import * as z from 'zod';
import { HelkError } from '../../errors';
import { FeaturesBuilder, featuresIn, type Features } from '../../data/features';
import { later, momentOf, type Moment } from '../../data/moment';
import type { Network, Seconds } from '../../data/network';
import { numberColumn, textColumn } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import { choice, column, quantity } from '../../method/params';
import type { Placed } from '../../numeric/placing';
import { ShortestPaths } from '../../numeric/shortest';
import { bestOrder, EXACT } from '../../numeric/tour';
import { costAt, inPlane, nameColumn, placed, sourcesAt, waysOf, type Placement, type Ways } from './common';
import { directions } from './directions';
import { Journeys, type Part } from './journeys';
import { lengthsWhere } from './matrix';
import {
  changeParam,
  departureParam,
  modeChecks,
  modeParam,
  suggestDeparture,
  transitOnlyTime,
  type WayOfGoing,
} from './modes';
import { draw, stagesBetween } from './stages';
import { closedParam, without } from './what-if';

/** Stops whose order is looked for, at most: of more it takes too long. */
const MOST_ORDERED = 200;

export const route = defineMethod({
  id: 'network.route',
  version: 1,
  title: 'Way over stops',
  question: 'Which is the best way?',
  about: `The quickest or the shortest way from the first stop over all others to the last, in the order given or in the best one: exactly for up to ${EXACT} stops between the two (Held and Karp 1962), of more by the cheapest insertion and then moving runs of up to three stops while that helps (Or 1976), which is near to the best. Directions name the streets by their id, with how one turns into them. By public transport each leg sets out when the one before has come; the way is in parts, on foot and by vehicle, and the time that one waits counts to the ride.`,
  keywords: ['routing', 'shortest path', 'directions', 'travelling salesman', 'round', 'tour', 'navigation'],
  sources: ['Dijkstra 1959, doi:10.1007/BF01386390', 'Held and Karp 1962, doi:10.1137/0110015'],
  inputs: {
    network: input.network({}),
    stops: input.features({ label: 'Stops', geometry: 'point' }),
  },
  params: z.object({
    mode: modeParam(),
    weight: choice({ time: 'the quickest', length: 'the shortest' }, { label: 'Way' }).default('time'),
    order: choice({ asGiven: 'as given', best: 'the best, first and last stay' }, { label: 'Order of stops' }).default(
      'asGiven',
    ),
    maxSnap: quantity('length', { label: 'Farthest from a street', unit: 'm', above: 0 }).default(100),
    departure: departureParam(),
    change: changeParam(),
    closed: closedParam(),
    idColumn: column({ of: 'stops', label: 'Column that names stops' }).optional(),
  }),
  outputs: {
    route: shown(output.features('Way', 'way', { geometry: 'line' }), { features: { width: 4 } }),
    directions: shown(output.table('Directions', 'directions'), { first: true }),
  },
  figures: { seconds: { label: 'Time', unit: 's' }, length: { label: 'Length', unit: 'm' } },
  checks: ({ network, stops }, p) => [
    ...modeChecks(network, p),
    ...transitOnlyTime(p),
    ...(p.mode === 'transit' && p.order === 'best'
      ? [
          {
            level: 'refused' as const,
            code: 'route.order',
            about: 'order',
            message: 'By public transport stops are gone to as given: how long a leg takes depends on when it begins.',
            mend: { label: 'Keep their order', set: { order: 'asGiven' } },
          },
        ]
      : []),
    ...(stops.count < 2
      ? [{ level: 'refused' as const, code: 'route.stops', about: 'stops', message: 'A way needs two stops at least.' }]
      : []),
    ...(p.order === 'best' && stops.count > MOST_ORDERED
      ? [
          {
            level: 'refused' as const,
            code: 'route.many',
            about: 'order',
            message: `The best order of ${stops.count} stops is not looked for; of ${MOST_ORDERED} it is.`,
          },
        ]
      : []),
  ],
  suggest: ({ network }, p) => suggestDeparture(network, p.mode),
  estimate: ({ network, stops }) => ({
    cells: stops.count,
    of: 'stops',
    bytes: network.pieces * 300 + stops.count * 5000,
    seconds: 0.3 + (stops.count * network.pieces) / 3e6,
  }),
  run: ({ network: whole, stops }, p, job) => {
    const given = without(whole, p.closed, job);
    const { network, plane, metres } = inPlane(given);
    const along = network.seconds[p.mode === 'transit' ? 'walk' : p.mode];
    const at = placed(stops, { network, seconds: along }, metres, p.maxSnap, p.idColumn, job, 'stops');
    const there = [...at.places.keys()].filter((i) => at.places[i]);
    if (there.length < 2)
      throw new HelkError('method.input', 'Only one stop lies near a street; a way needs two.', 'stops');
    const ways = waysOf(network, p.weight === 'time' ? along : lengthsWhere(network.length, along), 'from');
    const order = p.order === 'best' ? ordered(ways, new ShortestPaths(ways.graph), there, at.places, job) : there;
    const find =
      p.mode === 'transit'
        ? byVehicle(new Journeys(network, plane, network.timetable!, p.change), at, momentOf(p.departure!))
        : byStreet(network, ways, along, at, p.mode);
    const lines = new FeaturesBuilder();
    const parts: (Part & { leg: number })[] = [];
    for (let k = 0; k + 1 < order.length; k++) {
      job.progress(0.5 + (0.5 * k) / order.length, 'ways');
      const [a, b] = [order[k]!, order[k + 1]!];
      const found = find(k + 1, a, b);
      if (!found)
        throw new HelkError(
          'method.input',
          p.mode === 'transit'
            ? `There is no way from ${at.names[a]!} to ${at.names[b]!} within 24 h.`
            : `There is no way from ${at.names[a]!} to ${at.names[b]!}: they lie in parts that do not hang together, or one-way streets lead elsewhere.`,
          'stops',
        );
      for (const part of found) {
        part.draw(lines);
        parts.push({ ...part, leg: k + 1 });
      }
    }
    const steps = parts.flatMap((q) => q.steps);
    // What one waits for a vehicle counts to the ride.
    const seconds = parts.map((q, k) => q.arrives - (parts[k - 1]?.leg === q.leg ? parts[k - 1]!.arrives : 0));
    const route: Features = {
      ...lines.build('line', plane, []),
      columns: [
        numberColumn(
          'leg',
          parts.map((q) => q.leg),
        ),
        nameColumn(
          'from',
          parts.map((q) => q.from),
        ),
        nameColumn(
          'to',
          parts.map((q) => q.to),
        ),
        textColumn(
          'mode',
          parts.map((q) => q.mode),
        ),
        ...(p.mode === 'transit'
          ? [
              textColumn(
                'line',
                parts.map((q) => q.line),
              ),
              numberColumn(
                'waits',
                parts.map((q, k) => q.departs - (parts[k - 1]?.leg === q.leg ? parts[k - 1]!.arrives : 0)),
                's',
              ),
            ]
          : []),
        numberColumn('seconds', seconds, 's'),
        numberColumn(
          'length',
          parts.map((q) => q.length),
          'm',
        ),
      ],
    };
    return {
      route: featuresIn(route, given.pieces.crs),
      directions: {
        kind: 'table' as const,
        columns: [
          numberColumn(
            'leg',
            steps.map((s) => s.leg),
          ),
          textColumn(
            'turn',
            steps.map((s) => s.turn),
          ),
          textColumn(
            'street',
            steps.map((s) => s.street),
          ),
          numberColumn(
            'seconds',
            steps.map((s) => s.seconds),
            's',
          ),
          numberColumn(
            'length',
            steps.map((s) => s.length),
            'm',
          ),
        ],
      },
      figures: {
        seconds: seconds.reduce((s, v) => s + v, 0),
        length: parts.reduce((s, q) => s + q.length, 0),
      },
    };
  },
});

/** How one leg is found: its parts, null where there is no way. */
type Find = (leg: number, a: number, b: number) => Part[] | null;

function byStreet(network: Network, ways: Ways, along: Seconds, at: Placement, mode: WayOfGoing): Find {
  const paths = new ShortestPaths(ways.graph);
  return (leg, a, b) => {
    const stages = stagesBetween(ways, paths, at.places[a]!, at.places[b]!);
    if (!stages) return null;
    let [seconds, length] = [0, 0];
    for (const s of stages) {
      const share = Math.abs(s.b - s.a);
      length += share * network.length[s.piece]!;
      seconds += share === 0 ? 0 : share * (s.b >= s.a ? along.there : along.back)[s.piece]!;
    }
    return [
      {
        mode,
        from: at.names[a]!,
        to: at.names[b]!,
        line: '',
        departs: 0,
        arrives: seconds,
        length,
        steps: directions(network, stages, along, leg, at.names[b]!),
        draw: (lines) => draw(network, stages, at.places[a]!, lines),
      },
    ];
  };
}

/** Each leg sets out when the one before has come. */
function byVehicle(journeys: Journeys, at: Placement, departure: Moment): Find {
  let now = departure;
  return (leg, a, b) => {
    journeys.from(at.places[a]!, now);
    const parts = journeys.parts(leg, [at.names[a]!, at.names[b]!], at.places[b]!, now);
    now = later(now, parts?.at(-1)?.arrives ?? 0);
    return parts;
  };
}

/** Stops in the order that costs least; said where it is not certain. */
function ordered(
  ways: Ways,
  paths: ShortestPaths,
  there: readonly number[],
  places: readonly (Placed | null)[],
  job: { note(level: 'info', code: string, message: string): void; progress(share: number, stage: string): void },
): number[] {
  const cost = there.map((i, k) => {
    job.progress((0.5 * k) / there.length, 'order');
    paths.run(sourcesAt(ways, places[i]!));
    return there.map((j) => costAt(ways, paths.cost, places[j]!, places[i]!).cost);
  });
  const { order, exact } = bestOrder(cost);
  if (!exact)
    job.note(
      'info',
      'route.order',
      `The order of more than ${EXACT + 2} stops is bettered step by step; it is near to the best.`,
    );
  return order.map((k) => there[k]!);
}

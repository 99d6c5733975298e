// npm run bench:transit [pieces]: everywhere by public transport from one place, on a feed of 1 000 trips; held against one search on foot over the same streets.
import { crsOfCode, dataOf, FeaturesBuilder, methodOf, Random, runMethod, transformer } from '@helk/core';
import { timeOfSeconds } from '@helk/core/data/gtfs-spec';
import { momentOf } from '@helk/core/data/moment';
import { nodeCount, pieceCount, type Network } from '@helk/core/data/network';
import { readFeed } from '@helk/core/formats/gtfs';
import { Transit } from '@helk/core/methods/network/transit';
import { ShortestPaths } from '@helk/core/numeric/shortest';
import { Placer } from '@helk/core/numeric/placing';
import { setupNode } from '@helk/node';

setupNode();
const PIECES = Number(process.argv[2] ?? 20_000);
const TRIPS = 1000;
const print = (s: string): void => void process.stdout.write(`${s}\n`);
const r = new Random(5);
const crs = crsOfCode(25832);
const side = Math.ceil(Math.sqrt(PIECES / 1.8));
const place = (i: number, j: number): [number, number] => [400_000 + 100 * i, 5_700_000 + 100 * j];

const b = new FeaturesBuilder();
for (let j = 0; j < side; j++)
  for (let i = 0; i < side; i++)
    for (const [u, v] of [
      [1, 0],
      [0, 1],
    ] as const) {
      if (i + u >= side || j + v >= side || r.uniform() < 0.1) continue;
      for (const [x, y] of [place(i, j), place(i + u, j + v)]) b.coordinate(x, y);
      b.endRing();
      b.endPart();
      b.endFeature();
    }
const streets = b.build('line', crs, []);

/** Forty lines along rows and columns, a stop every 400 m, trips spread over the day. */
const go = transformer(crs, crsOfCode(4326));
const at = [0, 0];
const stops = new Map<string, string>();
const times: string[] = [];
const trips: string[] = [];
const LINES = 40;
for (let line = 0; line < LINES; line++) {
  const fixed = Math.floor((side * (line >> 1)) / (LINES / 2));
  const calls: string[] = [];
  for (let k = 0; k < side; k += 4) {
    const [i, j] = line % 2 ? [fixed, k] : [k, fixed];
    const id = `${i}_${j}`;
    const [x, y] = place(i, j);
    go(x, y, at);
    stops.set(id, `${id},${id},${at[1]!},${at[0]!}`);
    calls.push(id);
  }
  for (let n = 0; n < TRIPS / LINES; n++) {
    const id = `t${line}_${n}`;
    trips.push(`L${line},all,${id}`);
    const start = 6 * 3600 + (n * 16 * 3600) / (TRIPS / LINES) + 60 * Math.floor(10 * r.uniform());
    (n % 2 ? calls.toReversed() : calls).forEach((s, k) =>
      times.push(`${id},${timeOfSeconds(start + 60 * k)},${timeOfSeconds(start + 60 * k + 15)},${s},${k}`),
    );
  }
}
const files: Record<string, string> = {
  agency: 'agency_name,agency_url,agency_timezone\nA,https://example.org,Etc/UTC',
  stops: `stop_id,stop_name,stop_lat,stop_lon\n${[...stops.values()].join('\n')}`,
  routes: `route_id,route_short_name,route_type\n${Array.from({ length: LINES }, (_, l) => `L${l},${l},3`).join('\n')}`,
  trips: `route_id,service_id,trip_id\n${trips.join('\n')}`,
  stop_times: `trip_id,arrival_time,departure_time,stop_id,stop_sequence\n${times.join('\n')}`,
  calendar:
    'service_id,monday,tuesday,wednesday,thursday,friday,saturday,sunday,start_date,end_date\nall,1,1,1,1,1,1,1,20260901,20261220',
};

async function clock<T>(name: string, f: () => T | Promise<T>, often = 1): Promise<{ made: T; seconds: number }> {
  const t = process.hrtime.bigint();
  let made = await f();
  for (let k = 1; k < often; k++) made = await f();
  const seconds = Number(process.hrtime.bigint() - t) / 1e9 / often;
  print(`${name}: ${(1000 * seconds).toFixed(1)} ms`);
  return { made, seconds };
}

const { made: timetable } = await clock(
  'reading the feed, checked',
  () =>
    readFeed(
      Object.entries(files).map(([n, text]) => [`${n}.txt`, new TextEncoder().encode(text)] as const),
      'bench.zip',
      {},
    ).timetable,
);
const { made: network } = await clock('joining the streets', async (): Promise<Network> => {
  const o = await runMethod(methodOf('network.build'), { streets: [streets], timetable: [timetable] }, {});
  return dataOf('network', o.outputs[0]!.data)!;
});
print(
  `${pieceCount(network)} pieces, ${nodeCount(network)} nodes, ${stops.size} stops, ${trips.length} trips, ${times.length} calls`,
);
const [x, y] = place(side >> 1, side >> 1);
const spot = new Placer(network.pieces).place(x, y)!;
const { made: transit } = await clock('stops on streets', () => new Transit(network, timetable, 'from', 60));
await clock('trips of the day in order', () => transit.setOut(momentOf('2026-09-08 08:10')));
const walk = new ShortestPaths(transit.ways.graph);
const foot = await clock('one to all on foot', () => walk.run([[network.from[spot.line]!, 0]]), 10);
const all = await clock('one to all by public transport', () => transit.search([spot], 0, 86_400), 10);
print(`by public transport takes ${(all.seconds / foot.seconds).toFixed(1)} times one search on foot`);

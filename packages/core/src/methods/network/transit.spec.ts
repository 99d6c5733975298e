import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { setupNode } from '@helk/node';
import { crsOfCode, transformer } from '../../data/crs';
import { takeFeatures, type Features } from '../../data/features';
import { dataOf } from '../../data/kinds';
import { dateOf, dayOf, timeOfSeconds } from '../../data/gtfs-spec';
import type { Network } from '../../data/network';
import type { Timetable } from '../../data/timetable';
import { callsOf } from '../../data/timetable-calls';
import { readFile } from '../../formats';
import { methodOf } from '../../method/registry';
import { runMethod, type Outcome } from '../../method/run';
import { Random } from '../../numeric/random';
import { Placer } from '../../numeric/placing';
import { refusalOf } from '../../testing';
import { AGENCY, CALENDAR, daily, feed, pointsOf, streetsOf, type Street } from './network-fixture';
import { placesOn, spreadOut } from './transit-fixture';

setupNode();

const DAY = '2026-09-08';

/** Places in metres of the streets' plane as stops in degrees. */
function stopRows(places: readonly (readonly [number, number])[]): string {
  const go = transformer(crsOfCode(25832), crsOfCode(4326));
  const at = [0, 0];
  return places
    .map(([x, y], i) => {
      go(500_000 + x, 5_900_000 + y, at);
      return `s${i},Stop ${i},${at[1]},${at[0]}`;
    })
    .join('\n');
}

/** Streets in a net, and lines that run over stops beside them: some trips overtake, some run after midnight, some again and again. */
function town(seed: number): { streets: Features; timetable: Timetable; places: Features } {
  const r = new Random(seed);
  const size = 8;
  const lines: Street[] = [];
  for (let j = 0; j < size; j++)
    for (let i = 0; i < size; i++) {
      const [x, y] = [400 * i, 400 * j];
      if (i + 1 < size && r.uniform() > 0.12)
        lines.push([
          [x, y],
          [x + 400, y],
        ]);
      if (j + 1 < size && r.uniform() > 0.12)
        lines.push([
          [x, y],
          [x, y + 400],
        ]);
    }
  const spot = (): [number, number] => {
    const [a, b] = [400 * Math.floor(size * r.uniform()), 2800 * r.uniform()];
    return r.uniform() < 0.5 ? [a, b] : [b, a];
  };
  const stops = Array.from({ length: 16 }, spot);
  const trips: string[] = [];
  const times: string[] = [];
  const frequencies: string[] = [];
  for (let line = 0; line < 5; line++) {
    const way = Array.from({ length: 5 }, () => Math.floor(stops.length * r.uniform()));
    for (let k = 0; k < 6; k++) {
      const id = `l${line}t${k}`;
      trips.push(`L${line},${k % 3 === 0 ? 'odd' : 'all'},${id}`);
      // Late ones of the day before are still under way after midnight.
      let t = (k === 5 ? 24 : 7) * 3600 + Math.floor(7200 * r.uniform());
      way.forEach((s, j) => {
        const wait = Math.floor(60 * r.uniform());
        times.push(
          `${id},${timeOfSeconds(t)},${timeOfSeconds(t + wait)},s${s},${10 * j},${r.uniform() < 0.1 ? 1 : ''},${r.uniform() < 0.1 ? 1 : 0}`,
        );
        t += wait + 60 + Math.floor(400 * r.uniform());
      });
      if (k === 1) frequencies.push(`${id},07:30:00,08:40:00,${600 + 60 * line}`);
    }
  }
  const transfers = Array.from({ length: 12 }, () => {
    const [a, b] = [Math.floor(16 * r.uniform()), Math.floor(16 * r.uniform())];
    const kind = Math.floor(4 * r.uniform());
    return `s${a},s${b},${kind},${kind === 2 ? 30 + Math.floor(400 * r.uniform()) : ''}`;
  });
  const timetable = feed({
    agency: AGENCY,
    stops: `stop_id,stop_name,stop_lat,stop_lon\n${stopRows(stops)}\n`,
    routes: `route_id,route_short_name,route_type\n${[0, 1, 2, 3, 4].map((l) => `L${l},${l},3`).join('\n')}\n`,
    trips: `route_id,service_id,trip_id\n${trips.join('\n')}\n`,
    stop_times: `trip_id,arrival_time,departure_time,stop_id,stop_sequence,pickup_type,drop_off_type\n${times.join('\n')}\n`,
    calendar: `${CALENDAR}${daily('all')}\n${daily('odd')}\n`,
    calendar_dates: `service_id,date,exception_type\nodd,20260909,2\n`,
    frequencies: `trip_id,start_time,end_time,headway_secs\n${frequencies.join('\n')}\n`,
    transfers: `from_stop_id,to_stop_id,transfer_type,min_transfer_time\n${[...new Map(transfers.map((t) => [t.split(',').slice(0, 2).join(), t])).values()].join('\n')}\n`,
  });
  return { streets: streetsOf(lines), timetable, places: pointsOf(Array.from({ length: 6 }, spot)) };
}

/** A town as a network, and those of its places that lie by a street of it. */
async function townNet(seed: number): Promise<{ network: Network; timetable: Timetable; places: Features }> {
  const { streets, timetable, places } = town(seed);
  const network = await built(streets, timetable);
  const on = placesOn(network, places);
  return {
    network,
    timetable,
    places: takeFeatures(
      places,
      [...on.keys()].filter((i) => on[i]),
    ),
  };
}

async function built(streets: Features, timetable: Timetable): Promise<Network> {
  const o = await runMethod(methodOf('network.build'), { streets: [streets], timetable: [timetable] }, {});
  return dataOf('network', o.outputs[0]!.data)!;
}

const numbers = (o: Outcome, role: string, name: string): number[] => {
  const data = o.outputs.find((x) => x.role === role)!.data;
  const columns = dataOf('table', data)?.columns ?? dataOf('features', data)!.columns;
  return Array.from(columns.find((c) => c.name === name)!.values as Float64Array);
};
const texts = (o: Outcome, role: string, name: string): string[] => {
  const data = o.outputs.find((x) => x.role === role)!.data;
  const columns = dataOf('table', data)?.columns ?? dataOf('features', data)!.columns;
  return columns.find((c) => c.name === name)!.values as string[];
};

describe('ways by public transport', () => {
  for (const seed of [1, 2, 3, 4])
    for (const [time, change] of [
      ['08:10', '0 min'],
      ['00:20', '2 min'],
    ] as const)
      it(`take as long as a search of all events says (town ${seed}, leaving ${time}, changes ${change})`, async () => {
        const { network, timetable, places } = await townNet(seed);
        const o = await runMethod(
          methodOf('network.matrix'),
          { network: [network], origins: [places], destinations: [places] },
          { mode: 'transit', departure: `2026-09-09 ${time}`, change },
        );
        const got = numbers(o, 'times', 'seconds');
        const [h, m] = time.split(':').map(Number);
        const want = spreadOut(
          network,
          timetable,
          placesOn(network, places),
          h! * 3600 + m! * 60,
          dayOf('2026-09-09'),
          change === '0 min' ? 0 : 120,
        ).flat();
        expect(got.length).toBe(want.length);
        want.forEach((v, i) => (v < Infinity ? expect(got[i]).toBeCloseTo(v, 6) : expect(got[i]).toBeNaN()));
      });

  it('take as long in the example feed (sample-gtfs-feed 0.13) over streets between its stops', async () => {
    const bytes = readFileSync(createRequire(import.meta.url).resolve('sample-gtfs-feed/gtfs.zip'));
    const timetable = dataOf('timetable', (await readFile('sample.zip', new Uint8Array(bytes))).layers[0]!.data)!;
    const { stops } = callsOf(timetable);
    const go = transformer(crsOfCode(4326), crsOfCode(25832));
    const at = stops.map((s): [number, number] => {
      const out = [0, 0];
      go(s.lon, s.lat, out);
      return [out[0]! - 500_000, out[1]! - 5_900_000];
    });
    // A road from each stop to the next, and some way beyond.
    const roads = at.slice(1).map((b, k): Street => [at[k]!, b]);
    const network = await built(streetsOf(roads), timetable);
    const places = pointsOf(at);
    let ridden = 0;
    for (const departure of ['2019-05-29 07:30', '2019-05-29 15:00', '2019-06-16 12:50', '2019-05-01 15:00']) {
      const set = { network: [network], origins: [places], destinations: [places] };
      const o = await runMethod(methodOf('network.matrix'), set, { mode: 'transit', departure });
      const w = await runMethod(methodOf('network.matrix'), set, { mode: 'walk' });
      const [day, time] = departure.split(' ') as [string, string];
      const [h, m] = time.split(':').map(Number);
      const want = spreadOut(network, timetable, placesOn(network, places), h! * 3600 + m! * 60, dayOf(day), 0).flat();
      const [got, walked] = [numbers(o, 'times', 'seconds'), numbers(w, 'times', 'seconds')];
      want.forEach((v, i) => (v < Infinity ? expect(got[i]).toBeCloseTo(v, 5) : expect(got[i]).toBeNaN()));
      ridden += got.filter((v, i) => v < walked[i]! - 1).length;
    }
    expect(ridden).toBeGreaterThan(20);
  });

  it('serve places by vehicle that would take longer on foot, and never take longer than walking', async () => {
    const { network, places } = await townNet(2);
    const times = async (params: Record<string, unknown>): Promise<number[]> =>
      numbers(
        await runMethod(
          methodOf('network.matrix'),
          { network: [network], origins: [places], destinations: [places] },
          params,
        ),
        'times',
        'seconds',
      );
    const walk = await times({ mode: 'walk' });
    const bus = await times({ mode: 'transit', departure: `${DAY} 08:10` });
    expect(bus.every((v, i) => v <= walk[i]! + 1e-9)).toBeTrue();
    expect(bus.some((v, i) => v < walk[i]! - 60)).toBeTrue();
  });

  it('towards a place reach it from where a search from there would come to it in time', async () => {
    const { network, places } = await townNet(3);
    const goal: Features = pointsOf([[800, 1200]]);
    const limit = 1500;
    const o = await runMethod(
      methodOf('network.reach'),
      { network: [network], facilities: [goal] },
      { mode: 'transit', departure: `${DAY} 08:10`, limits: `${limit} s`, direction: 'towards', change: '1 min' },
    );
    const reached = dataOf('features', o.outputs.find((x) => x.role === 'edges')!.data)!;
    const ends = new Placer(reached);
    const m = await runMethod(
      methodOf('network.matrix'),
      { network: [network], origins: [places], destinations: [goal] },
      { mode: 'transit', departure: `${DAY} 08:10`, change: '1 min' },
    );
    const times = numbers(m, 'times', 'seconds');
    const at = placesOn(network, places);
    expect(times.some((t) => t <= limit)).toBeTrue();
    times.forEach((t, i) => {
      const on = ends.place(at[i]!.x, at[i]!.y, 1e-3) !== null;
      if (Math.abs(t - limit) > 1)
        expect(on)
          .withContext(`place ${i}: ${t} s`)
          .toBe(t <= limit);
    });
  });

  it('over a window reach at least what every departure does, and no more than any', async () => {
    const { streets, timetable } = town(4);
    const network = await built(streets, timetable);
    const goal = pointsOf([[1200, 1200]]);
    const area = async (params: Record<string, unknown>): Promise<Outcome> =>
      runMethod(
        methodOf('network.reach'),
        { network: [network], facilities: [goal] },
        { mode: 'transit', departure: `${DAY} 08:00`, limits: '10, 20 min', ...params },
      );
    const of = (o: Outcome): number => o.figures['area'] as number;
    const any = await area({ window: '20 min', over: 'any' });
    const half = await area({ window: '20 min' });
    const once = await area({});
    const walk = await area({ mode: 'walk' });
    expect(of(any)).toBeGreaterThanOrEqual(of(half));
    expect(of(any)).toBeGreaterThanOrEqual(of(once));
    expect(of(half)).toBeGreaterThanOrEqual(of(walk) - 1e-6);
    expect(numbers(any, 'through', 'after').length).toBe(2 * 21);
    expect(once.outputs.some((x) => x.role === 'through')).toBeFalse();
  });

  it('give the way in parts that follow on each other, with lines, waits and stops', async () => {
    const timetable = feed({
      agency: AGENCY,
      stops: `stop_id,stop_name,stop_lat,stop_lon\n${stopRows([
        [0, 0],
        [4000, 0],
      ])}\n`,
      routes: 'route_id,route_short_name,route_type\nr,7,3\n',
      trips: 'route_id,service_id,trip_id,trip_headsign\nr,all,t,Harbour\n',
      stop_times:
        'trip_id,arrival_time,departure_time,stop_id,stop_sequence\nt,08:15:00,08:15:00,s0,1\nt,08:20:00,08:20:00,s1,2\n',
      calendar: `${CALENDAR}${daily('all')}\n`,
    });
    const network = await built(
      streetsOf([
        [
          [0, 0],
          [5000, 0],
        ],
      ]),
      timetable,
    );
    const o = await runMethod(
      methodOf('network.route'),
      {
        network: [network],
        stops: [
          pointsOf([
            [80, 0],
            [4160, 0],
          ]),
        ],
      },
      { mode: 'transit', departure: `${DAY} 08:10` },
    );
    expect(texts(o, 'route', 'mode')).toEqual(['walk', 'transit', 'walk']);
    expect(texts(o, 'route', 'line')).toEqual(['', '7', '']);
    // 80 m and 160 m at 4.8 km/h are 60 s and 120 s; the vehicle leaves 300 s after setting out and takes as long.
    const seconds = numbers(o, 'route', 'seconds');
    [60, 540, 120].forEach((v, k) => expect(seconds[k]).toBeCloseTo(v, 1));
    expect(numbers(o, 'route', 'waits')[1]).toBeCloseTo(240, 1);
    expect(o.figures['seconds']).toBeCloseTo(720, 1);
    expect(texts(o, 'directions', 'turn')).toEqual([
      'set out west',
      '08:15 get on at Stop 0',
      '08:20 get off at Stop 1',
      'set out east',
      'arrive',
    ]);
    expect(texts(o, 'directions', 'street')[1]).toBe('7 towards Harbour');
  });

  it('find the nearest facility by vehicle, in both ways of counting', async () => {
    const { network, places } = await townNet(1);
    const goals = pointsOf([
      [400, 400],
      [2400, 2000],
      [1600, 400],
    ]);
    const common = { mode: 'transit', departure: `${DAY} 08:10` };
    const m = await runMethod(
      methodOf('network.matrix'),
      { network: [network], origins: [places], destinations: [goals] },
      common,
    );
    const all = numbers(m, 'times', 'seconds');
    const o = await runMethod(
      methodOf('network.nearest'),
      { network: [network], places: [places], facilities: [goals] },
      common,
    );
    numbers(o, 'assigned', 'seconds').forEach((s, i) =>
      expect(s).toBeCloseTo(Math.min(...all.slice(3 * i, 3 * i + 3)), 6),
    );
    const back = await runMethod(
      methodOf('network.nearest'),
      { network: [network], places: [places], facilities: [goals] },
      { ...common, direction: 'from' },
    );
    const m2 = await runMethod(
      methodOf('network.matrix'),
      { network: [network], origins: [goals], destinations: [places] },
      common,
    );
    const from = numbers(m2, 'times', 'seconds');
    const n = places.featureOffsets.length - 1;
    numbers(back, 'assigned', 'seconds').forEach((s, i) =>
      expect(s).toBeCloseTo(Math.min(...[0, 1, 2].map((k) => from[k * n + i]!)), 6),
    );
  });

  it('are refused in words without a timetable, outside its days, the shortest way, or without a time', async () => {
    const { network, places } = await townNet(1);
    const { timetable: _, ...bare } = network;
    const ask = async (n: Network, params: Record<string, unknown>): Promise<string> => {
      const of = { network: [n], origins: [places], destinations: [places] };
      return (await refusalOf(runMethod(methodOf('network.matrix'), of, { mode: 'transit', ...params }))).message;
    };
    expect(await ask(bare, { departure: `${DAY} 08:10` })).toContain('has no timetable');
    expect(await ask(network, { departure: '2027-01-05 08:10' })).toContain('runs from 2026-09-01 to 2026-12-20');
    expect(await ask(network, { departure: 'tomorrow' })).toContain('is no date and time');
    expect(await ask(network, { departure: `${DAY} 08:10`, weight: 'length' })).toContain(
      'the quickest way is looked for',
    );
  });

  it('leave on the day with the most trips where nobody says when', async () => {
    const { network, places } = await townNet(1);
    const o = await runMethod(
      methodOf('network.matrix'),
      { network: [network], origins: [places], destinations: [places] },
      { mode: 'transit' },
    );
    expect(o.params['departure']).toBe(`${dateOf(dayOf('2026-09-01'))}T08:10`);
  });
});

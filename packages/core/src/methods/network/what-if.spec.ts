import { setupNode } from '@helk/node';
import { dataOf, handleOn } from '../../data/kinds';
import type { Network } from '../../data/network';
import { textColumn } from '../../data/table';
import { glanceAt } from '../../glance/glance';
import { glanceOf } from '../../glance/registry';
import type { Reached } from '../../glance/network-reached';
import type { ServiceDay } from '../../glance/timetable-day';
import { LocalJob } from '../../method/job';
import { methodOf } from '../../method/registry';
import { runMethod, type Outcome } from '../../method/run';
import { refusalOf } from '../../testing';
import { ferry, pointsOf, streetsOf } from './network-fixture';
import { often } from './within';

setupNode();

/** A square of four streets of 100 m each. */
const square = async (): Promise<Network> => {
  const lines = streetsOf([
    [
      [0, 0],
      [100, 0],
    ],
    [
      [100, 0],
      [100, 100],
    ],
    [
      [100, 100],
      [0, 100],
    ],
    [
      [0, 100],
      [0, 0],
    ],
  ]);
  const o = await runMethod(methodOf('network.build'), { streets: [lines] }, {});
  return dataOf('network', o.outputs[0]!.data)!;
};
const at = (x: number, y: number): string => `${500_000 + x} ${5_900_000 + y}`;

describe('what if', () => {
  const length = async (params: Record<string, unknown>): Promise<Outcome> =>
    runMethod(
      methodOf('network.route'),
      {
        network: [await square()],
        stops: [
          pointsOf([
            [10, 0],
            [90, 0],
          ]),
        ],
      },
      params,
    );

  it('a street were closed: the way goes round, and it is said how many are', async () => {
    expect((await length({})).figures['length']).toBeCloseTo(80, 1);
    const o = await length({ closed: `${at(50, -10)}, ${at(50, 10)}` });
    // From the nearest corners, round the other three streets.
    expect(o.figures['length']).toBeCloseTo(300, 0);
    expect(o.notes.find((n) => n.code === 'network.closed')?.message).toContain('1 piece of streets is closed');
  });

  it('the line crossed nothing: all is as it was, and that is said', async () => {
    const o = await length({ closed: `${at(40, 40)}, ${at(60, 60)}` });
    expect(o.figures['length']).toBeCloseTo(80, 1);
    expect(o.notes.find((n) => n.code === 'network.closed')?.level).toBe('look');
  });

  it('there were one facility more: it is called new, and reached like the others', async () => {
    const network = await square();
    const halls = pointsOf([[50, 0]], [textColumn('name', ['Hall'])]);
    const reach = (params: Record<string, unknown>): Promise<Outcome> =>
      runMethod(
        methodOf('network.reach'),
        { network: [network], facilities: [halls] },
        { limits: '30 s', idColumn: 'name', ...params },
      );
    const o = await reach({ added: `${at(50, 100)}; ${at(0, 50)}` });
    const names = dataOf('features', o.outputs[0]!.data)!.columns.find((c) => c.name === 'facility')!.values;
    expect([...new Set(names as string[])].sort()).toEqual(['Hall', 'new 1', 'new 2']);
    expect(o.figures['area'] as number).toBeGreaterThan((await reach({})).figures['area'] as number);
  });

  it('is refused where it cannot be read', async () => {
    const message = async (closed: string): Promise<string> => (await refusalOf(length({ closed }))).message;
    expect(await message('here')).toContain('closed: "here" is not of the form x y, x y');
    expect(await message('1 2')).toContain('is not of the form');
  });

  it('counts as reached over departures what at least so many reach, cut where fewer do', () => {
    const within = (a: number, b: number, nodes: number[] = []) => ({
      stretches: [{ edge: 3, a, b, first: 100 * a, last: 100 * b }],
      nodes,
    });
    const all = [within(0, 0.6, [1, 2]), within(0.2, 1, [2]), within(0.4, 0.8, [2, 3])];
    expect(often(all, 1).stretches).toEqual([jasmine.objectContaining({ edge: 3, a: 0, b: 1 })]);
    expect(often(all, 2)).toEqual({
      stretches: [jasmine.objectContaining({ edge: 3, a: 0.2, b: 0.8 })] as never,
      nodes: [2],
    });
    expect(often(all, 3).stretches).toEqual([jasmine.objectContaining({ a: 0.4, b: 0.6 })]);
    expect(often(all, 4).stretches).toEqual([]);
  });
});

describe('glances at networks and timetables', () => {
  it('tell the streets that are reached from facilities, and from where one points', async () => {
    const network = handleOn(await square());
    const facilities = handleOn(pointsOf([[50, 0]]));
    const ask = async (params: object, all = true): Promise<Reached> =>
      (await glanceAt(
        glanceOf('network.reached'),
        { network, ...(all ? { facilities } : {}) },
        params as never,
        new LocalJob(),
      )) as Reached;
    const metres = (r: Reached): number => {
      let [sum, i] = [0, 0];
      for (const n of r.corners) {
        for (let k = 1; k < n; k++)
          sum += Math.hypot(
            r.xy[2 * (i + k)]! - r.xy[2 * (i + k) - 2]!,
            r.xy[2 * (i + k) + 1]! - r.xy[2 * (i + k) - 1]!,
          );
        i += n;
      }
      return sum;
    };
    // 4.8 km/h are 40 m in 30 s, to both sides.
    const r = await ask({ params: {}, most: 30 });
    expect(metres(r)).toBeCloseTo(80, 0);
    expect([r.placed, r.unplaced, Math.round(r.whole)]).toEqual([1, 0, 400]);
    const two = await ask({ params: { added: at(50, 100) }, most: 30 });
    expect(metres(two)).toBeCloseTo(160, 0);
    const own = await ask({ params: {}, most: 15, at: [500_000, 5_900_050], alone: true }, false);
    expect(metres(own)).toBeCloseTo(40, 0);
    expect((await refusalOf(ask({ params: {}, most: 30 }, false))).message).toContain('no place to set out from');
    expect((await refusalOf(ask({ params: { mode: 'transit' }, most: 30 }))).message).toContain('has no timetable');
  });

  it('tell what runs on a day, by line and hour', async () => {
    const timetable = handleOn(ferry(9, 53, 0.01));
    const day = async (d: string): Promise<ServiceDay> =>
      (await glanceAt(glanceOf('timetable.day'), { timetable }, { day: d }, new LocalJob())) as ServiceDay;
    const { lines, idle, stops } = await day('2026-09-08');
    // Every hour from 6 to 21, and one back.
    expect(lines.map((l) => [l.line, l.by, l.trips, l.first, l.last])).toEqual([['7', 'ferry', 17, 21_600, 75_600]]);
    expect(lines[0]!.hours.slice(5, 10)).toEqual([0, 1, 1, 2, 1]);
    expect(idle).toBe(0);
    expect(stops).toEqual([
      { name: 'Quay', calls: 17 },
      { name: 'Mill', calls: 17 },
    ]);
    expect((await day('2027-09-08')).lines).toEqual([]);
  });
});

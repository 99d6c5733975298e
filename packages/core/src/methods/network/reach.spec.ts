import { readFileSync } from 'node:fs';
import { setupNode } from '@helk/node';
import { featureArea, featureLength } from '../../data/measure';
import { featureCount, FeaturesBuilder, featuresIn, type Features } from '../../data/features';
import { wgs84 } from '../../data/crs';
import { dataOf } from '../../data/kinds';
import { networkLines, networkOf, type Network } from '../../data/network';
import { numberColumn, textColumn } from '../../data/table';
import { methodOf } from '../../method/registry';
import { runMethod, type Outcome } from '../../method/run';
import { refusalOf } from '../../testing';
import { pointsOf, streetsOf, type Street } from './network-fixture';

setupNode();

/** Made by reference/network/networkx_values.py: times by NetworkX, areas by Shapely. */
const { reach: outside } = JSON.parse(
  readFileSync(new URL('../../../../../reference/fixtures/network.json', import.meta.url), 'utf8'),
) as {
  reach: {
    streets: Street[];
    start: [number, number];
    speed: number;
    width: number;
    limits: { limit: number; length: number; area: number; holes: number }[];
  };
};

const networkOn = async (streets: Features, params: Record<string, unknown> = {}): Promise<Network> =>
  dataOf('network', (await runMethod(methodOf('network.build'), { streets: [streets] }, params)).outputs[0]!.data)!;
const reachOn = (n: Network, facilities: Features, params: Record<string, unknown>): Promise<Outcome> =>
  runMethod(methodOf('network.reach'), { network: [n], facilities: [facilities] }, params);
const out = (o: Outcome, role: string): Features => dataOf('features', o.outputs.find((x) => x.role === role)?.data)!;
const column = (f: Features, name: string): ArrayLike<number> =>
  f.columns.find((c) => c.name === name)!.values as Float64Array;
const sum = (f: Features, of: (f: Features, i: number) => number): number =>
  Array.from({ length: featureCount(f) }, (_, i) => of(f, i)).reduce((a, b) => a + b, 0);

describe('network.reach', () => {
  const town = () => networkOn(streetsOf(outside.streets), { walkSpeed: `${outside.speed} m/s`, snap: '0.001 m' });

  it('covers the streets and the area that NetworkX and Shapely say, with the holes of unreached blocks', async () => {
    const n = await town();
    const start = pointsOf([outside.start]);
    for (const { limit, length, area, holes } of outside.limits) {
      const o = await reachOn(n, start, { limits: `${limit} s`, width: outside.width });
      const f = out(o, 'reach');
      expect(featureCount(f)).toBe(1);
      expect(Math.abs(featureArea(f, 0) / area - 1)).toBeLessThan(1e-6);
      expect(o.figures['area'] as number).toBeCloseTo(featureArea(f, 0), 3);
      expect(sum(out(o, 'edges'), featureLength)).toBeCloseTo(length, 3);
      expect(f.ringOffsets.length - 1 - (f.partOffsets.length - 1)).toBe(holes);
      // Nothing is reached later than the limit; what is cut off ends just then.
      const seconds = column(out(o, 'edges'), 'seconds');
      expect(Math.max(...Array.from(seconds))).toBeCloseTo(limit, 6);
    }
  });

  it('has as bands what one limit adds to the one before, and grows with the limit', async () => {
    const n = await town();
    const start = pointsOf([outside.start]);
    const discs = out(await reachOn(n, start, { limits: '2, 4, 6', width: 20 }), 'reach');
    const bands = out(await reachOn(n, start, { limits: '2, 4, 6', width: 20, shape: 'bands' }), 'reach');
    // The largest first, so that what is nearer is drawn above it.
    expect(Array.from(column(discs, 'limit'))).toEqual([360, 240, 120]);
    const [a, b, c] = Array.from(column(discs, 'area')).reverse();
    expect(a! < b! && b! < c!).toBeTrue();
    const parts = Array.from(column(bands, 'area')).reverse();
    expect(parts[0]!).toBeCloseTo(a!, 3);
    expect(parts[1]!).toBeCloseTo(b! - a!, 2);
    expect(parts[2]!).toBeCloseTo(c! - b!, 2);
  });

  it('begins in the middle of a street and ends where the time ends', async () => {
    // 1000 m of street; from 300 m on, 200 s at 1 m/s either way.
    const n = await networkOn(
      streetsOf([
        [
          [0, 0],
          [1000, 0],
        ],
      ]),
      { walkSpeed: '1 m/s' },
    );
    const o = await reachOn(n, pointsOf([[300, 5]]), { limits: '200 s', width: 10 });
    const edges = out(o, 'edges');
    expect(Array.from(edges.xy, (v, i) => v - (i % 2 ? 5_900_000 : 500_000))).toEqual([100, 0, 500, 0]);
    expect(Array.from(column(edges, 'first'))).toEqual([0]);
    expect(featureArea(out(o, 'reach'), 0)).toBeCloseTo(400 * 20, 6);
  });

  it('differs towards and from where a street is one way, and is alike on the reversed network', async () => {
    const street = [
      [0, 0],
      [1000, 0],
    ] as const;
    const way = [textColumn('oneway', ['yes'])];
    const n = await networkOn(streetsOf([street], way), { onewayColumn: 'oneway', carSpeed: '3.6 km/h' });
    const at = pointsOf([[400, 0]]);
    const params = { mode: 'car', limits: '100 s', width: 10 };
    const from = out(await reachOn(n, at, { ...params, direction: 'from' }), 'edges');
    const towards = out(await reachOn(n, at, { ...params, direction: 'towards' }), 'edges');
    const along = (f: Features): number[] => [f.xy[0]! - 500_000, f.xy[2]! - 500_000].map(Math.round);
    expect(along(from)).toEqual([400, 500]);
    expect(along(towards)).toEqual([300, 400]);
    const turned = await networkOn(streetsOf([[...street].reverse()], way), {
      onewayColumn: 'oneway',
      carSpeed: '3.6 km/h',
    });
    const back = out(await reachOn(turned, at, { ...params, direction: 'from' }), 'edges');
    expect(along(back).sort((a, b) => a - b)).toEqual([300, 400]);
  });

  it('names facilities, merges them, and lists those that no street is near', async () => {
    const n = await networkOn(
      streetsOf([
        [
          [0, 0],
          [1000, 0],
        ],
      ]),
      { walkSpeed: '1 m/s' },
    );
    const three = pointsOf(
      [
        [100, 20],
        [700, -60],
        [500, 400],
      ],
      [textColumn('name', ['Farhope', 'Mill', 'Moor end'])],
    );
    const each = await reachOn(n, three, { limits: '1 min', width: 10, idColumn: 'name' });
    expect(each.figures).toEqual(jasmine.objectContaining({ placed: 2, unplaced: 1 }));
    expect(out(each, 'reach').columns[0]!.values).toEqual(['Farhope', 'Mill']);
    expect(out(each, 'unplaced').columns[0]!.values).toEqual(['Moor end']);
    expect(Array.from(column(out(each, 'unplaced'), 'off'))).toEqual([400]);
    const notes = Object.fromEntries(each.notes.map((m) => [m.code, m.message]));
    expect(notes['network.unplaced']).toContain('Moor end (400 m off)');
    expect(notes['network.unplaced']).toContain('1 of the 3 facilities lies more than 100 m');
    expect(notes['network.moved']).toContain('Mill (60 m off)');
    const merged = await reachOn(n, three, { limits: '10 min', width: 10, merge: 'yes' });
    expect(featureCount(out(merged, 'reach'))).toBe(1);
    expect(merged.figures['area'] as number).toBeCloseTo(1000 * 20 + Math.PI * 100, -1);
    expect((await refusalOf(reachOn(n, three, { limits: '1 min', maxSnap: '5 m' }))).message).toContain(
      'None of the facilities',
    );
  });

  it('is the same on a network that was written in degrees and read back', async () => {
    const n = await town();
    const start = pointsOf([outside.start]);
    const degrees = networkOf(featuresIn(networkLines(n), wgs84()));
    const params = { limits: '4 min', width: 20 };
    const [a, b] = [await reachOn(n, start, params), await reachOn(degrees, start, params)];
    expect(Math.abs((b.figures['area'] as number) / (a.figures['area'] as number) - 1)).toBeLessThan(2e-3);
    expect(out(b, 'reach').crs?.geographic).toBeTrue();
  });

  it('is refused for a mode that may go nowhere, and for limits that cannot be read', async () => {
    const n = await networkOn(
      streetsOf(
        [
          [
            [0, 0],
            [100, 0],
          ],
        ],
        [textColumn('class', ['footway'])],
      ),
      { classColumn: 'class' },
    );
    const at = pointsOf([[10, 0]]);
    expect((await refusalOf(reachOn(n, at, { mode: 'car' }))).message).toContain('by car');
    expect((await refusalOf(reachOn(n, at, { limits: '5, x' }))).message).toMatch(/limits/);
    expect((await refusalOf(reachOn(n, at, { limits: '0 min' }))).message).toContain('more than 0');
  });
});

describe('network.compareReach', () => {
  it('parts what one reaches from what the other does, and all of it adds up', async () => {
    const n = await networkOn(streetsOf(outside.streets), { walkSpeed: '1.25 m/s', snap: '0.001 m' });
    const at = (x: number, y: number): Promise<Outcome> =>
      reachOn(n, pointsOf([[x, y]]), { limits: '2, 4', width: 20 });
    const [a, b] = [out(await at(200, 300), 'reach'), out(await at(500, 420), 'reach')];
    const area = (f: Features): number =>
      Array.from(column(f, 'limit')).reduce((s, l, i) => (l === 240 ? s + featureArea(f, i) : s), 0);
    const run = (x: Features, y: Features, params: Record<string, unknown> = {}): Promise<Outcome> =>
      runMethod(methodOf('network.compareReach'), { a: [x], b: [y] }, { unit: 'm2', ...params });
    const o = await run(a, b);
    const { onlyA, onlyB, both, shareBoth } = o.figures as Record<string, number>;
    expect(onlyA! + both!).toBeCloseTo(area(a), 2);
    expect(onlyB! + both!).toBeCloseTo(area(b), 2);
    expect(shareBoth!).toBeCloseTo(both! / (onlyA! + onlyB! + both!), 9);
    expect(out(o, 'result').columns[0]!.values).toEqual(['only A', 'only B', 'both']);
    const same = await run(a, a);
    expect(same.figures).toEqual(jasmine.objectContaining({ onlyA: 0, onlyB: 0, shareBoth: 1 }));
    const less = await run(a, b, { limit: '2 min' });
    expect((less.figures['both'] as number) < both!).toBeTrue();
    expect((await refusalOf(run(a, b, { limit: '3 min' }))).message).toContain('2 min, 4 min');
    // In degrees, as a script has them, the areas are geodesic.
    const degrees = await run(featuresIn(a, wgs84()), featuresIn(b, wgs84()));
    expect(Math.abs((degrees.figures['onlyA'] as number) / onlyA! - 1)).toBeLessThan(2e-3);
  });
});

describe('network.served', () => {
  it('counts points that lie within, and areas by the share that does, up to each limit', async () => {
    const n = await networkOn(
      streetsOf([
        [
          [0, 0],
          [1000, 0],
        ],
      ]),
      { walkSpeed: '1 m/s' },
    );
    const reach = out(await reachOn(n, pointsOf([[500, 0]]), { limits: '100 s, 200 s', width: 50 }), 'reach');
    const b = new FeaturesBuilder();
    for (const [x, y, w] of [
      [500, -50, 200],
      [900, -50, 50],
    ] as const) {
      for (const [u, v] of [
        [0, 0],
        [w, 0],
        [w, 100],
        [0, 100],
        [0, 0],
      ] as const)
        b.coordinate(500_000 + x + u, 5_900_000 + y + v);
      b.endRing();
      b.endPart();
      b.endFeature();
    }
    const areas = b.build('polygon', reach.crs, [numberColumn('people', [1000, 70])]);
    const run = (people: Features, of: string): Promise<Outcome> =>
      runMethod(methodOf('network.served'), { reach: [reach], people: [people] }, { column: of });
    const o = await run(areas, 'people');
    const t = dataOf('table', o.outputs[0]!.data)!;
    expect(Array.from(t.columns[0]!.values as Float64Array)).toEqual([100, 200]);
    const counts = Array.from(t.columns[1]!.values as Float64Array);
    expect(counts[0]!).toBeCloseTo(500, 6);
    expect(counts[1]!).toBeCloseTo(1000, 6);
    expect(o.figures['total']).toBe(1070);
    const points = pointsOf(
      [
        [450, 10],
        [690, 49],
        [690, 51],
        [800, 0],
      ],
      [numberColumn('n', [1, 10, 100, 1000])],
    );
    const p = await run(points, 'n');
    expect(Array.from(dataOf('table', p.outputs[0]!.data)!.columns[1]!.values as Float64Array)).toEqual([1, 11]);
    expect((await refusalOf(run(pointsOf([[450, 0]], [numberColumn('n', [-3])]), 'n'))).message).toContain('below 0');
  });
});

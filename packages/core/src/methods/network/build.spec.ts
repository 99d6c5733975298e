import { setupNode } from '@helk/node';
import { refusalOf } from '../../testing';
import { crsOfCode, wgs84 } from '../../data/crs';
import { measureRaster } from '../../data/raster';
import { toblerFactor } from './gradient';
import { dataOf } from '../../data/kinds';
import { networkLines, networkOf, pieceCount, type Network } from '../../data/network';
import { networkInfo } from '../../data/network-facts';
import { numberColumn, textColumn } from '../../data/table';
import { featuresIn, type Features } from '../../data/features';
import { methodOf } from '../../method/registry';
import { runMethod } from '../../method/run';
import { streetsOf } from './network-fixture';

setupNode();

const run = (streets: Features, params: Record<string, unknown> = {}) =>
  runMethod(methodOf('network.build'), { streets: [streets] }, params);
const built = async (streets: Features, params: Record<string, unknown> = {}): Promise<Network> =>
  dataOf('network', (await run(streets, params)).outputs[0]!.data)!;

describe('network.build', () => {
  it('joins ends within the tolerance, and cuts a line where another ends on it', async () => {
    // A long street with a side street that ends half a metre before it, and one that goes on from its end.
    const streets = streetsOf([
      [
        [0, 0],
        [100, 0],
      ],
      [
        [40, 60],
        [40, 0.5],
      ],
      [
        [100.4, 0.3],
        [160, 0],
      ],
    ]);
    const made = await run(streets);
    expect(made.figures).toEqual({
      nodes: 5,
      edges: 4,
      length: jasmine.any(Number),
      components: 1,
      largestShare: 1,
      deadEnds: 3,
    });
    expect(made.figures['length'] as number).toBeCloseTo(100 + 60 + 60, 0);
    // Without a tolerance nothing meets.
    const apart = await run(streets, { snap: 0 });
    expect(apart.figures).toEqual(jasmine.objectContaining({ nodes: 6, edges: 3, components: 3, deadEnds: 6 }));
  });

  it('joins lines that cross only when asked to, at corners they have in common too', async () => {
    const streets = streetsOf([
      [
        [0, 0],
        [50, 0],
        [100, 0],
      ],
      [
        [30, -20],
        [30, 20],
      ],
      [
        [50, 30],
        [50, 0],
        [50, -30],
      ],
    ]);
    expect((await run(streets)).figures).toEqual(jasmine.objectContaining({ components: 3, edges: 3 }));
    const crossed = await run(streets, { split: 'atCrossings' });
    expect(crossed.figures).toEqual(jasmine.objectContaining({ components: 1, edges: 7, nodes: 8, deadEnds: 6 }));
  });

  it('says of time what speeds, classes, rights and one-way rules say', async () => {
    const line = (y: number) =>
      [
        [0, y],
        [1000, y],
      ] as const;
    const streets = streetsOf(
      [line(0), line(10), line(20), line(30), line(40), line(50)],
      [
        textColumn('class', ['primary', 'motorway', 'footway', 'back alley', 'residential', 'residential']),
        numberColumn('speed', [50, NaN, NaN, NaN, 0, NaN], 'km/h'),
        textColumn('oneway', ['yes', 'no', 'yes', 'reverse', '', 'perhaps']),
        { name: 'bicycle', type: 'boolean', unit: null, values: Float64Array.of(1, 1, 1, 1, 1, 0) },
      ],
    );
    const made = await run(streets, {
      speedColumn: 'speed',
      classColumn: 'class',
      onewayColumn: 'oneway',
      bicycleColumn: 'bicycle',
    });
    const n = dataOf('network', made.outputs[0]!.data)!;
    const seconds = (m: 'walk' | 'bicycle' | 'car', i: number): number[] =>
      [n.seconds[m].there[i]!, n.seconds[m].back[i]!].map((v) => Number(v.toFixed(6)));
    const at = (kmh: number): number => Number(((1000 / kmh) * 3.6).toFixed(6));
    expect(seconds('walk', 0)).toEqual([at(4.8), at(4.8)]);
    expect(seconds('car', 0)).toEqual([at(50), Infinity]);
    expect(seconds('bicycle', 0)).toEqual([at(16), Infinity]);
    // A motorway is for cars, but a column may say that bicycles go there.
    expect(seconds('walk', 1)).toEqual([Infinity, Infinity]);
    expect(seconds('bicycle', 1)).toEqual([at(16), at(16)]);
    expect(seconds('car', 1)).toEqual([at(110), at(110)]);
    // On foot against a one-way rule; no car on a footway.
    expect(seconds('walk', 2)).toEqual([at(4.8), at(4.8)]);
    expect(seconds('car', 2)).toEqual([Infinity, Infinity]);
    // A class nobody knows, the other way round.
    expect(seconds('car', 3)).toEqual([Infinity, at(40)]);
    // A speed of 0 closes; "perhaps" says nothing; a bicycle may not.
    expect(seconds('car', 4)).toEqual([Infinity, Infinity]);
    expect(seconds('car', 5)).toEqual([at(30), at(30)]);
    expect(seconds('bicycle', 5)).toEqual([Infinity, Infinity]);
    expect(made.notes.map((m) => m.code)).toEqual(
      jasmine.arrayWithExactContents(['network.words', 'network.speed', 'network.classes', 'network.traps']),
    );
    const own = await built(streets, {
      classColumn: 'class',
      classSpeeds: 'back alley 12; primary none',
      carSpeed: '20 km/h',
    });
    // The column of one-way rules is taken by its name.
    expect(own.seconds.car.back[3]).toBeCloseTo(at(12), 5);
    expect(own.seconds.car.there[0]).toBe(Infinity);
  });

  it('leaves out a piece that lies on another, unless it allows more', async () => {
    const twice = [
      [0, 0],
      [50, 5],
      [100, 0],
    ] as const;
    const back = [...twice].reverse();
    const same = await run(streetsOf([twice, back]));
    expect(same.figures['edges']).toBe(1);
    expect(same.notes.map((m) => m.code)).toContain('network.doubled');
    // Two carriageways on one line, each one way: together both.
    const ways = await run(streetsOf([twice, back], [textColumn('oneway', ['yes', 'yes'])]), {
      onewayColumn: 'oneway',
    });
    expect(ways.figures['edges']).toBe(2);
  });

  it('tells of parts, dead ends that nearly join, and one-way streets that lead nowhere', async () => {
    const n = await built(
      streetsOf(
        [
          [
            [0, 0],
            [100, 0],
          ],
          [
            [50, 4],
            [50, 80],
          ],
          [
            [100, 0],
            [200, 0],
          ],
        ],
        [textColumn('oneway', ['no', 'no', 'yes'])],
      ),
      { onewayColumn: 'oneway' },
    );
    const info = networkInfo(n);
    expect(info.components).toBe(2);
    expect(info.largestShare).toBeCloseTo(200 / 276, 6);
    expect(info.nearly.count).toBe(1);
    expect(info.nearly.places[0]![2]).toBeCloseTo(4, 6);
    expect(info.traps.count).toBe(1);
    expect(info.traps.places).toEqual([[500_200, 5_900_000]]);
    expect(info.modes.car.oneWay).toBe(1);
    expect(info.modes.car.length).toBeCloseTo(276, 6);
  });

  it('is written as lines and read back the same', async () => {
    const n = await built(
      streetsOf(
        [
          [
            [0, 0],
            [100, 0],
          ],
          [
            [40, 60],
            [40, 0],
          ],
        ],
        [textColumn('name', ['High Street', 'Side Lane']), textColumn('oneway', ['yes', 'no'])],
      ),
      { onewayColumn: 'oneway', idColumn: 'name' },
    );
    const lines = networkLines(n);
    expect(lines.columns.map((c) => c.name)).toEqual(
      'id,from,to,length,walk,walkBack,bicycle,bicycleBack,car,carBack,oneway,drivenAt,part'.split(','),
    );
    expect(lines.columns[0]!.values).toEqual(['High Street', 'High Street', 'Side Lane']);
    const again = networkOf(lines);
    expect(again.from).toEqual(n.from);
    expect(again.nodes).toEqual(n.nodes);
    expect(again.seconds).toEqual(n.seconds);
    expect(pieceCount(again)).toBe(3);
    const bent = {
      ...lines,
      columns: lines.columns.map((c) =>
        c.name === 'to' ? { ...c, values: (c.values as Float64Array).slice().fill(1) } : c,
      ),
    };
    expect((await refusalOf(Promise.resolve().then(() => networkOf(bent)))).code).toBe('file.damaged');
  });

  it('joins streets in degrees as it does in metres, with geodesic lengths, and says so', async () => {
    const streets = streetsOf([
      [
        [0, 0],
        [1000, 0],
      ],
      [
        [400, 600],
        [400, 0.5],
      ],
    ]);
    const degrees = await run(featuresIn(streets, wgs84()));
    const metres = await run(streets);
    expect(degrees.figures).toEqual(jasmine.objectContaining({ nodes: 4, edges: 3, components: 1 }));
    // On the central meridian of the zone its grid is 0.04 % short.
    expect((degrees.figures['length'] as number) / (metres.figures['length'] as number)).toBeCloseTo(1 / 0.9996, 5);
    expect(degrees.notes.map((m) => m.code)).toContain('crs.degrees');
    expect(dataOf('network', degrees.outputs[0]!.data)!.pieces.crs?.geographic).toBeTrue();
  });

  it('walks slower uphill and on steep ground, after Tobler, where an elevation is given', async () => {
    // His own figures: 6 km/h at 5 % downhill, 5 km/h on level ground.
    expect(6 * Math.exp(-0.175) * toblerFactor(-0.05)).toBeCloseTo(6, 9);
    expect(6 * Math.exp(-0.175)).toBeCloseTo(5.04, 2);
    // Land that rises one in ten to the east, and knows no height beyond 900 m.
    const grid = { crs: crsOfCode(25832), x: 499_900, y: 5_900_100, dx: 10, dy: 10, columns: 100, rows: 20 };
    const cells = Float32Array.from({ length: 2000 }, (_, i) => (i % 100) + 0.5);
    const elevation = measureRaster(grid, cells, { name: 'z', unit: 'm' });
    const east = [
      [0, 0],
      [800, 0],
    ] as const;
    const north = [
      [400, -50],
      [400, 50],
    ] as const;
    const o = await runMethod(
      methodOf('network.build'),
      { streets: [streetsOf([east, north])], elevation: [elevation] },
      { walkSpeed: '1 m/s' },
    );
    const n = dataOf('network', o.outputs[0]!.data)!;
    expect(n.seconds.walk.there[0]).toBeCloseTo(800 / Math.exp(-3.5 * 0.1), 0);
    expect(n.seconds.walk.back[0]).toBeCloseTo(800, 0);
    expect(n.seconds.walk.there[1]).toBeCloseTo(100, 6);
    expect(n.seconds.bicycle.there[0]).toBeCloseTo(800 / (16 / 3.6), 6);
    const beyond = await runMethod(
      methodOf('network.build'),
      {
        streets: [
          streetsOf([
            [
              [0, 500],
              [100, 500],
            ],
          ]),
        ],
        elevation: [elevation],
      },
      {},
    );
    expect(beyond.notes.map((m) => m.code)).toContain('network.heights');
  });

  it('refuses no line at all, and speeds that cannot be read', async () => {
    const one = streetsOf([
      [
        [0, 0],
        [1, 0],
      ],
    ]);
    expect((await refusalOf(run(streetsOf([])))).message).toContain('no line');
    expect(
      (
        await refusalOf(
          run(
            streetsOf([
              [
                [0, 0],
                [0, 0],
              ],
            ]),
          ),
        )
      ).message,
    ).toContain('two corners');
    expect((await refusalOf(run(one, { classColumn: 'x', classSpeeds: 'primary fast' }))).message).toMatch(
      /classSpeeds|column/,
    );
    expect((await refusalOf(run(one, { walkSpeed: 0 }))).message).toContain('more than 0');
  });
});

import { setupNode } from '@helk/node';
import type { Features } from '../../data/features';
import { dataOf } from '../../data/kinds';
import { featureLength } from '../../data/measure';
import { nodeCount, pieceCount, type Network } from '../../data/network';
import { textColumn } from '../../data/table';
import { methodOf } from '../../method/registry';
import { runMethod, type Outcome } from '../../method/run';
import { Random } from '../../numeric/random';
import { refusalOf } from '../../testing';
import { pointsOf, streetsOf, type Street } from './network-fixture';

setupNode();

/** A net of streets with bends, some left out, one in four one way; places beside them. */
function town(seed: number, size = 7): { streets: Street[]; ways: string[]; places: [number, number][] } {
  const r = new Random(seed);
  const at = Array.from({ length: size * size }, (_, k): [number, number] => [
    100 * (k % size) + 30 * r.uniform(),
    100 * Math.floor(k / size) + 30 * r.uniform(),
  ]);
  const streets: Street[] = [];
  const ways: string[] = [];
  for (let j = 0; j < size; j++)
    for (let i = 0; i < size; i++)
      for (const [di, dj] of [
        [1, 0],
        [0, 1],
      ] as const) {
        if (i + di >= size || j + dj >= size || r.uniform() < 0.15) continue;
        const [a, b] = [at[j * size + i]!, at[(j + dj) * size + i + di]!];
        const bend: [number, number] = [(a[0] + b[0]) / 2 + 8 * r.normal(), (a[1] + b[1]) / 2 + 8 * r.normal()];
        streets.push(r.uniform() < 0.5 ? [a, bend, b] : [b, bend, a]);
        ways.push(r.uniform() < 0.25 ? 'yes' : 'no');
      }
  const places = Array.from({ length: 8 }, (): [number, number] => [600 * r.uniform(), 600 * r.uniform()]);
  return { streets, ways, places };
}

const built = async (t: { streets: Street[]; ways: string[] }): Promise<Network> => {
  const streets = streetsOf(t.streets, [textColumn('oneway', t.ways)]);
  const o = await runMethod(
    methodOf('network.build'),
    { streets: [streets] },
    { onewayColumn: 'oneway', snap: '0.001 m' },
  );
  return dataOf('network', o.outputs[0]!.data)!;
};
const numbers = (o: Outcome, name: string): number[] => {
  const { data } = o.outputs[0]!;
  const columns = dataOf('table', data)?.columns ?? dataOf('features', data)!.columns;
  return Array.from(columns.find((c) => c.name === name)!.values as Float64Array);
};

/** Times and lengths by Floyd and Warshall's search over all nodes, places put in as nodes of their own: another algorithm. */
function byHand(n: Network, places: Features, weight: 'time' | 'length'): { cost: number[][]; other: number[][] } {
  const { xy } = n.pieces;
  const m = nodeCount(n);
  const total = m + places.featureOffsets.length - 1;
  const cost = Array.from({ length: total }, (_, i) =>
    Array.from({ length: total }, (_, j) => (i === j ? 0 : Infinity)),
  );
  const other = cost.map((row) => row.slice());
  const put = (a: number, b: number, seconds: number, length: number): void => {
    const [c, o] = weight === 'time' ? [seconds, length] : [seconds < Infinity ? length : Infinity, seconds];
    if (c < cost[a]![b]!) [cost[a]![b], other[a]![b]] = [c, o];
  };
  const { there, back } = n.seconds.car;
  /** Places on each piece, by how far along it they lie. */
  const on = Array.from({ length: pieceCount(n) }, (): { share: number; node: number }[] => []);
  for (let k = 0; k < total - m; k++) {
    const [px, py] = [places.xy[2 * k]!, places.xy[2 * k + 1]!];
    let best = { d: Infinity, piece: -1, share: 0 };
    for (let i = 0; i < pieceCount(n); i++) {
      const [a, b] = [n.pieces.ringOffsets[i]!, n.pieces.ringOffsets[i + 1]! - 1];
      let before = 0;
      for (let c = a; c < b; c++) {
        const [x, y, dx, dy] = [
          xy[2 * c]!,
          xy[2 * c + 1]!,
          xy[2 * c + 2]! - xy[2 * c]!,
          xy[2 * c + 3]! - xy[2 * c + 1]!,
        ];
        const l = Math.hypot(dx, dy);
        const t = Math.min(1, Math.max(0, ((px - x) * dx + (py - y) * dy) / (l * l)));
        const d = Math.hypot(x + t * dx - px, y + t * dy - py);
        if (d < best.d) best = { d, piece: i, share: (before + t * l) / n.length[i]! };
        before += l;
      }
    }
    on[best.piece]!.push({ share: best.share, node: m + k });
  }
  on.forEach((some, i) => {
    const stops = [
      { share: 0, node: n.from[i]! },
      ...some.sort((p, q) => p.share - q.share),
      { share: 1, node: n.to[i]! },
    ];
    for (let k = 1; k < stops.length; k++) {
      const [a, b] = [stops[k - 1]!, stops[k]!];
      const s = b.share - a.share;
      if (there[i]! < Infinity) put(a.node, b.node, s * there[i]!, s * n.length[i]!);
      if (back[i]! < Infinity) put(b.node, a.node, s * back[i]!, s * n.length[i]!);
    }
  });
  for (let k = 0; k < total; k++)
    for (let i = 0; i < total; i++)
      for (let j = 0; j < total; j++) {
        const c = cost[i]![k]! + cost[k]![j]!;
        if (c < cost[i]![j]!) {
          cost[i]![j] = c;
          other[i]![j] = other[i]![k]! + other[k]![j]!;
        }
      }
  const part = (rows: number[][]): number[][] => rows.slice(m).map((row) => row.slice(m));
  return { cost: part(cost), other: part(other) };
}

describe('network.matrix', () => {
  it('has the times and lengths that another search over all nodes finds, on one-way streets too', async () => {
    for (const seed of [1, 2, 3]) {
      const t = town(seed);
      const n = await built(t);
      const places = pointsOf(t.places);
      for (const weight of ['time', 'length'] as const) {
        const o = await runMethod(
          methodOf('network.matrix'),
          { network: [n], origins: [places], destinations: [places] },
          { mode: 'car', weight, maxSnap: '1 km' },
        );
        const { cost, other } = byHand(n, places, weight);
        const [seconds, length] = [numbers(o, 'seconds'), numbers(o, 'length')];
        expect(o.figures['pairs']).toBe(64);
        let lost = 0;
        for (let i = 0; i < 8; i++)
          for (let j = 0; j < 8; j++) {
            const [s, l] = weight === 'time' ? [cost, other] : [other, cost];
            if (cost[i]![j] === Infinity) {
              lost++;
              expect(seconds[8 * i + j]).toBeNaN();
            } else {
              expect(Math.abs(seconds[8 * i + j]! - s[i]![j]!)).toBeLessThan(1e-6);
              expect(Math.abs(length[8 * i + j]! - l[i]![j]!)).toBeLessThan(1e-6);
            }
          }
        expect(o.figures['unreachable']).toBe(lost);
      }
    }
  });
});

describe('network.nearest', () => {
  it('is the least of the times to all facilities, either way', async () => {
    for (const direction of ['from', 'towards'] as const) {
      const t = town(5);
      const n = await built(t);
      const [facilities, places] = [pointsOf(t.places.slice(0, 3)), pointsOf(t.places.slice(3))];
      const o = await runMethod(
        methodOf('network.nearest'),
        { network: [n], places: [places], facilities: [facilities] },
        { mode: 'car', direction, maxSnap: '1 km' },
      );
      const { cost, other } = byHand(n, pointsOf(t.places), 'time');
      const [who, seconds, length] = ['facility', 'seconds', 'length'].map((c) => numbers(o, c)) as [
        number[],
        number[],
        number[],
      ];
      for (let k = 0; k < 5; k++) {
        const all = [0, 1, 2].map((f) => (direction === 'from' ? cost[f]![3 + k]! : cost[3 + k]![f]!));
        const least = Math.min(...all);
        const f = all.indexOf(least);
        if (least === Infinity) {
          expect(seconds[k]).toBeNaN();
          continue;
        }
        expect(who[k]).toBe(f + 1);
        expect(Math.abs(seconds[k]! - least)).toBeLessThan(1e-6);
        expect(Math.abs(length[k]! - (direction === 'from' ? other[f]![3 + k]! : other[3 + k]![f]!))).toBeLessThan(
          1e-6,
        );
      }
    }
  });
  it('leaves places without one beyond the limit, with what they are called', async () => {
    const n = await built({
      streets: [
        [
          [0, 0],
          [1000, 0],
        ],
      ],
      ways: ['no'],
    });
    const o = await runMethod(
      methodOf('network.nearest'),
      {
        network: [n],
        places: [
          pointsOf([
            [50, 0],
            [900, 0],
          ]),
        ],
        facilities: [pointsOf([[100, 0]], [textColumn('name', ['Mill'])])],
      },
      { idColumn: 'name', limit: '5 min' },
    );
    expect(o.figures).toEqual({ assigned: 1, unreachable: 1 });
    const f = dataOf('features', o.outputs[0]!.data)!;
    const c = f.columns.find((x) => x.name === 'facility')!;
    expect(c.values).toEqual(['Mill', '']);
    expect(Array.from(c.missing!)).toEqual([0, 1]);
  });
});

describe('network.route', () => {
  const table = (o: Outcome, name: string): string[] =>
    dataOf('table', o.outputs.find((x) => x.role === 'directions')!.data)!.columns.find((c) => c.name === name)!
      .values as string[];
  it('takes as long as the matrix says, leg by leg, along a line that is as long', async () => {
    const t = town(8);
    const n = await built(t);
    const stops = pointsOf(t.places.slice(0, 4));
    const both = { mode: 'car', maxSnap: '1 km' };
    const { cost, other } = byHand(n, stops, 'time');
    const o = await runMethod(methodOf('network.route'), { network: [n], stops: [stops] }, both);
    const [seconds, length] = [numbers(o, 'seconds'), numbers(o, 'length')];
    const f = dataOf('features', o.outputs[0]!.data)!;
    for (let k = 0; k < 3; k++) {
      expect(seconds[k]).toBeCloseTo(cost[k]![k + 1]!, 6);
      expect(length[k]).toBeCloseTo(other[k]![k + 1]!, 6);
      expect(featureLength(f, k)).toBeCloseTo(length[k]!, 6);
    }
    expect(o.figures['seconds'] as number).toBeCloseTo(
      seconds.reduce((a, b) => a + b, 0),
      6,
    );
    const best = await runMethod(
      methodOf('network.route'),
      { network: [n], stops: [stops] },
      { ...both, order: 'best' },
    );
    const orders = [
      [0, 1, 2, 3],
      [0, 2, 1, 3],
    ].map((o2) => o2.slice(1).reduce((s, v, k) => s + cost[o2[k]!]![v]!, 0));
    expect(best.figures['seconds'] as number).toBeCloseTo(Math.min(...orders), 6);
  });
  it('says how one goes: where one sets out, turns and arrives', async () => {
    const streets = streetsOf(
      [
        [
          [0, 0],
          [100, 0],
        ],
        [
          [100, 0],
          [200, 0],
        ],
        [
          [200, 0],
          [200, 100],
        ],
      ],
      [textColumn('name', ['Long Street', 'Long Street', 'Hill'])],
    );
    const n = dataOf(
      'network',
      (await runMethod(methodOf('network.build'), { streets: [streets] }, {})).outputs[0]!.data,
    )!;
    const o = await runMethod(
      methodOf('network.route'),
      {
        network: [n],
        stops: [
          pointsOf(
            [
              [10, 0],
              [200, 90],
            ],
            [textColumn('called', ['home', 'mill'])],
          ),
        ],
      },
      { idColumn: 'called' },
    );
    expect(table(o, 'turn')).toEqual(['set out east', 'left', 'arrive']);
    expect(table(o, 'street')).toEqual(['Long Street', 'Hill', 'mill']);
    expect(o.figures['length'] as number).toBeCloseTo(280, 6);
  });
  it('says between which stops there is no way, and wants two', async () => {
    const n = await built({
      streets: [
        [
          [0, 0],
          [100, 0],
        ],
        [
          [0, 500],
          [100, 500],
        ],
      ],
      ways: ['no', 'no'],
    });
    const run = (places: [number, number][]): Promise<Outcome> =>
      runMethod(methodOf('network.route'), { network: [n], stops: [pointsOf(places)] }, {});
    expect(
      (
        await refusalOf(
          run([
            [0, 0],
            [50, 500],
          ]),
        )
      ).message,
    ).toContain('no way from 1 to 2');
    expect((await refusalOf(run([[0, 0]]))).message).toContain('two stops');
    const here = await run([
      [50, 0],
      [50, 0],
    ]);
    expect(here.figures).toEqual({ seconds: 0, length: 0 });
  });
});

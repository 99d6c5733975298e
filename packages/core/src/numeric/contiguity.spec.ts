import fc from 'fast-check';
import { setupNode } from '../../../node/src/index';
import { featureCount, FeaturesBuilder, type Features } from '../data/features';
import { columbus, listsOf, northCarolina, reference } from '../methods/stats/columbus-fixture';
import { BORDER, CORNER, exactMeetings, meeting } from './contiguity';
import { Random } from './random';
import { rowsOf } from './sparse-rows';

beforeAll(setupNode);

type Corner = readonly [number, number];
function polygons(rings: readonly (readonly Corner[])[]): Features {
  const b = new FeaturesBuilder();
  for (const r of rings) {
    for (const [x, y] of [...r, r[0]!]) b.coordinate(x, y);
    b.endRing();
    b.endPart();
    b.endFeature();
  }
  return b.build('polygon', null, []);
}
const box = (x: number, y: number, w = 1, h = w): Corner[] => [
  [x, y],
  [x + w, y],
  [x + w, y + h],
  [x, y + h],
];

/** Neighbours by corner or edge, or by edge only, as lists from 1; and pairs that meet only within the tolerance, or nearly. */
function neighbours(
  f: Features,
  least: number,
  reach: number,
  wide = 100 * reach,
): { lists: number[][]; loose: number; nearly: number } {
  const m = exactMeetings(f, wide);
  const pairs = new Map<string, number>();
  const key = (i: number, j: number): string => `${i} ${j}`;
  m.how.forEach((h, k) => pairs.set(key(m.found[2 * k]!, m.found[2 * k + 1]!), h));
  let [loose, nearly] = [0, 0];
  for (let k = 0; k < m.open.length; k += 2) {
    const [i, j] = [m.open[k]!, m.open[k + 1]!];
    const met = meeting(f, i, j, reach, wide);
    if (met.loose) loose++;
    if (met.nearly) nearly++;
    pairs.set(key(i, j), Math.max(met.how, pairs.get(key(i, j)) ?? 0));
  }
  const [from, to]: [number[], number[]] = [[], []];
  for (const [k, how] of pairs) {
    if (how < least) continue;
    const [i, j] = k.split(' ').map(Number) as [number, number];
    from.push(i, j);
    to.push(j, i);
  }
  return { lists: listsOf(rowsOf(featureCount(f), from, to, null)), loose, nearly };
}

describe('polygons that touch', () => {
  it('are those that spdep finds, by corner or edge and by edge only: Columbus, North Carolina', async () => {
    const [c, nc] = [await columbus(), await northCarolina()];
    expect(neighbours(c, CORNER, 1e-7).lists).toEqual(reference.columbus.queen);
    expect(neighbours(c, BORDER, 1e-7).lists).toEqual(reference.columbus.rook);
    expect(neighbours(nc, CORNER, 1e-7).lists).toEqual(reference.northCarolina.queen);
    expect(neighbours(nc, BORDER, 1e-7).lists).toEqual(reference.northCarolina.rook);
  });

  it('are found where a corner of one lies on an edge of the other', () => {
    const f = polygons([box(0, 0, 2, 2), box(2, 0, 2, 1), box(2, 1, 2, 1), box(5, 0)]);
    expect(neighbours(f, BORDER, 1e-6)).toEqual({ lists: [[2, 3], [1, 3], [1, 2], []], loose: 0, nearly: 0 });
  });

  it('tells a corner from a border', () => {
    const f = polygons([box(0, 0), box(1, 1), box(1, 0)]);
    expect(neighbours(f, CORNER, 1e-6).lists).toEqual([
      [2, 3],
      [1, 3],
      [1, 2],
    ]);
    expect(neighbours(f, BORDER, 1e-6).lists).toEqual([[3], [3], [1, 2]]);
    // A corner of one in the middle of an edge of the other.
    const tip = polygons([
      box(0, 0, 2),
      [
        [1, 2],
        [2, 4],
        [0, 4],
      ],
    ]);
    expect(neighbours(tip, CORNER, 1e-6).lists).toEqual([[2], [1]]);
    expect(neighbours(tip, BORDER, 1e-6).lists).toEqual([[], []]);
  });

  it('keeps to the tolerance over gaps and overlaps, and says that it was needed', () => {
    for (const off of [0.004, -0.004]) {
      const f = polygons([box(0, 0), box(1 + off, 0.1, 1, 0.8)]);
      expect(neighbours(f, BORDER, 0.01)).toEqual({ lists: [[2], [1]], loose: 1, nearly: 0 });
    }
    expect(neighbours(polygons([box(0, 0), box(1.02, 0)]), CORNER, 0.01)).toEqual({
      lists: [[], []],
      loose: 0,
      nearly: 1,
    });
    // An overlap wider than the tolerance: their outlines cross, which is a meeting, but no border is shared.
    const over = polygons([box(0, 0, 2), box(1, 1, 2)]);
    expect(neighbours(over, CORNER, 0.01).lists).toEqual([[2], [1]]);
    expect(neighbours(over, BORDER, 0.01).lists).toEqual([[], []]);
  });

  it('finds an island in a hole, and parts of one feature', () => {
    const b = new FeaturesBuilder();
    for (const ring of [box(0, 0, 4), box(1, 1, 2)]) {
      for (const [x, y] of [...ring, ring[0]!]) b.coordinate(x, y);
      b.endRing();
    }
    b.endPart();
    b.endFeature();
    for (const ring of [box(1, 1, 2), box(8, 8)]) {
      for (const [x, y] of [...ring, ring[0]!]) b.coordinate(x, y);
      b.endRing();
      b.endPart();
    }
    b.endFeature();
    const f = b.build('polygon', null, []);
    expect(neighbours(f, BORDER, 1e-6).lists).toEqual([[2], [1]]);
  });

  it('comes to the same on a net whose corners are not shared, shaken or put elsewhere', () => {
    fc.assert(
      fc.property(fc.integer(), fc.double({ min: -1e6, max: 1e6, noNaN: true }), (seed, shift) => {
        const random = new Random(seed);
        const size = 5;
        const rings: Corner[][] = [];
        for (let r = 0; r < size; r++)
          for (let c = 0; c < size; c++) {
            // More corners along some edges, and all of them off by less than half of the tolerance.
            const ring: Corner[] = [];
            for (const [k, [x, y]] of box(c, r).entries()) {
              const [u, v] = box(c, r)[(k + 1) % 4]!;
              ring.push([x, y]);
              if (random.uniform() < 0.5) {
                const t = random.uniform();
                ring.push([x + t * (u - x), y + t * (v - y)]);
              }
            }
            rings.push(ring.map(([x, y]) => [shift + x + 0.001 * random.uniform(), y + 0.001 * random.uniform()]));
          }
        const { lists } = neighbours(polygons(rings), BORDER, 0.005, 0.01);
        for (let i = 0; i < size * size; i++) {
          const [r, c] = [Math.floor(i / size), i % size];
          const want = [
            [r - 1, c],
            [r, c - 1],
            [r, c + 1],
            [r + 1, c],
          ].filter(([a, b]) => a! >= 0 && b! >= 0 && a! < size && b! < size);
          expect(lists[i]).toEqual(want.map(([a, b]) => a! * size + b! + 1));
        }
      }),
      { numRuns: 25 },
    );
  });
});

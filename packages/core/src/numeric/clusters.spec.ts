import fc from 'fast-check';
import {
  assignNearest,
  bestStarts,
  exchange,
  joinAssigned,
  movedMeans,
  settle,
  spreadStarts,
  within,
  type Vectors,
} from './clusters';
import { digits, iris, reference } from './imagery-fixture';
import { isodataStep } from './isodata';
import { Random } from './random';

const sum = (v: ArrayLike<number>): number => Array.from(v).reduce((s, x) => s + x, 0);

describe('clusters by nearest means', () => {
  it('are at most a hundredth wider than scikit-learn’s best of ten, whatever the seed', () => {
    for (const seed of [1, 2, 3]) {
      for (const [k, wanted] of Object.entries(reference.inertia.iris)) {
        const v = { x: iris, b: 4 };
        const s = settle(v, bestStarts(v, Number(k), new Random(seed)), 1000);
        expect(s.sse / wanted)
          .withContext(`iris, ${k}, seed ${seed}`)
          .toBeLessThan(1.01);
      }
      const v = { x: digits, b: 64 };
      const s = settle(v, bestStarts(v, 10, new Random(seed)), 1000);
      expect(s.sse / reference.inertia.digits['10']!)
        .withContext(`digits, seed ${seed}`)
        .toBeLessThan(1.01);
    }
  });

  it('are the same from a pass in one go and in parts', () => {
    const v = { x: iris, b: 4 };
    const means = spreadStarts(v, 3, new Random(5));
    const labels = new Uint8Array(150).fill(255);
    const parts = [0, 50, 70].map((from, i, all) => assignNearest(v, from, all[i + 1] ?? 150, means, labels));
    const joined = parts.reduce(joinAssigned);
    const again = new Int32Array(150).fill(-1);
    const whole = assignNearest(v, 0, 150, means, again);
    expect([...labels]).toEqual([...again]);
    expect([...joined.counts]).toEqual([...whole.counts]);
    whole.squares.forEach((q, i) => expect(joined.squares[i]).toBeCloseTo(q, 9));
    expect(whole.moved).toBe(150);
  });

  it('get no wider from pass to pass', () =>
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: -50, max: 50 }), { minLength: 6, maxLength: 60 }),
        fc.integer({ min: 1, max: 4 }),
        (values, k) => {
          const v: Vectors = { x: Float32Array.from(values.slice(0, values.length & ~1)), b: 2 };
          const n = v.x.length / 2;
          const labels = new Int32Array(n).fill(-1);
          let means = spreadStarts(v, k, new Random(3));
          let last = Infinity;
          for (let i = 0; i < 20; i++) {
            const a = assignNearest(v, 0, n, means, labels);
            const wide = sum(within(a, 2));
            expect(wide).toBeLessThanOrEqual(last + 1e-6);
            last = wide;
            means = movedMeans(means, a, 2);
          }
        },
      ),
    ));

  it('are fewer where there are not as many different vectors', () => {
    const starts = spreadStarts({ x: Float32Array.of(1, 1, 1, 2, 2, 1), b: 1 }, 5, new Random(1));
    expect([...starts].sort()).toEqual([1, 2]);
  });
});

describe('exchange', () => {
  const labelled = (x: number[], labels: number[], k: number) => {
    const v = { x: Float32Array.from(x), b: 1 };
    const l = Uint8Array.from(labels);
    const counts = new Float64Array(k);
    const means = new Float64Array(k);
    x.forEach((value, i) => {
      counts[labels[i]!]!++;
      means[labels[i]!]! += value;
    });
    counts.forEach((n, c) => (means[c]! /= n));
    return { v, l, counts, means };
  };

  it('goes on where nearest means have settled (worked by hand)', () => {
    // 0, 0 | 1.2 against 0, 0, 1.2: means 0 and 5.2/2… The vector 4 lies nearer to 2 (2 apart) than to 7 (3 apart), yet leaving a pair
    // saves 2² × 2 / 1 = 8 where joining three costs 3² × 3 / 4 = 6.75.
    const { v, l, counts, means } = labelled([0, 4, 7, 7, 7], [0, 0, 1, 1, 1], 2);
    expect([...means]).toEqual([2, 7]);
    const nearest = assignNearest(v, 0, 5, means, l);
    expect(nearest.moved).toBe(0);
    expect(exchange(v, 0, 5, means, counts, l)).toBe(1);
    expect([...l]).toEqual([0, 1, 1, 1, 1]);
    expect([...counts]).toEqual([1, 4]);
    expect(means[1]).toBeCloseTo(6.25, 12);
    expect(exchange(v, 0, 5, means, counts, l)).toBe(0);
  });

  it('never makes clusters wider, and keeps the means of what it holds', () =>
    fc.assert(
      fc.property(fc.array(fc.integer({ min: -30, max: 30 }), { minLength: 4, maxLength: 40 }), (x) => {
        const { v, l, counts, means } = labelled(
          x,
          x.map((_, i) => i % 2),
          2,
        );
        const wide = (): number => x.reduce((s, value, i) => s + (value - means[l[i]!]!) ** 2, 0);
        const before = wide();
        exchange(v, 0, x.length, means, counts, l);
        expect(wide()).toBeLessThanOrEqual(before + 1e-6);
        for (const c of [0, 1]) {
          const own = x.filter((_, i) => l[i] === c);
          expect(counts[c]).toBe(own.length);
          expect(means[c]).toBeCloseTo(sum(own) / own.length, 6);
        }
      }),
    ));
});

describe('a step of ISODATA', () => {
  const pass = (x: number[], means: number[]) => {
    const v = { x: Float32Array.from(x), b: 1 };
    return assignNearest(v, 0, x.length, Float64Array.from(means), new Int32Array(x.length));
  };
  const rules = { k: 2, minCells: 2, maxSd: 3, minDistance: 1 };
  const step = (x: number[], means: number[], over: Partial<typeof rules> = {}, iteration = 1, last = false) =>
    isodataStep(Float64Array.from(means), pass(x, means), 1, { ...rules, ...over }, iteration, last);

  it('splits what spreads too far where there are too few', () => {
    const s = step([0, 0, 0, 10, 10, 10], [5]);
    expect([s.split, s.joined, s.dropped]).toEqual([1, 0, 0]);
    // Half a standard deviation (5) to either side of the mean.
    expect([...s.means]).toEqual([2.5, 7.5]);
    expect(step([0, 0, 0, 10, 10, 10], [5], {}, 1, true).split).toBe(0);
  });

  it('gives up what is too small', () => {
    const s = step([0, 0, 0, 1, 1, 50], [0.4, 50], { maxSd: 100 });
    expect([s.dropped, s.means.length]).toEqual([1, 1]);
  });

  it('joins what is too near, weighted by how many there are', () => {
    const s = step([0, 0, 0, 0.8, 9, 9], [0, 0.8, 9], { minCells: 1 }, 2);
    expect(s.joined).toBe(1);
    expect(s.means[0]).toBeCloseTo(0.2, 6);
    expect(s.means[1]).toBe(9);
  });

  it('always leaves a cluster', () => {
    expect(step([1, 2, 3], [1, 2, 3], { minCells: 100 }).means.length).toBe(1);
  });
});

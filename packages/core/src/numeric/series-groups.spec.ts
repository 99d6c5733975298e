import reference from '../../../../reference/fixtures/time.json';
import { assignNearest } from './clusters';
import {
  bandOf,
  groupIndex,
  groupSamples,
  meansOf,
  medoidsOf,
  polished,
  seriesVectors,
  silhouettesOf,
  squaresOf,
} from './series-groups';

const { groups } = reference;
const steps = groups.y[0]!.length;
const flat = Float64Array.from(groups.y.flat() as number[]);
const byValue = seriesVectors(flat, steps, 0, steps, false);
const byProfile = seriesVectors(flat, steps, 0, steps, true);
const labels = Int32Array.from(groups.labels);
const n = labels.length;

describe('Groups of series', () => {
  it('have the index of Caliński and Harabasz that scikit-learn has', () => {
    const index = groupIndex(n, 3, squaresOf(byValue, labels, 3));
    expect(Math.abs(index / groups.index - 1)).toBeLessThan(1e-5);
  });

  it('have its silhouettes', () => {
    const s = silhouettesOf(byValue, labels, groupSamples(labels, 3), 0, n);
    groups.silhouettes.forEach((want, i) => expect(Math.abs(s[2 * i]! - want)).toBeLessThan(1e-5));
  });

  it('leave no more within than scikit-learn’s best of 50 starts, for 2 to 10 groups, by value and by profile', () => {
    for (const [v, want] of [
      [byValue, groups.value],
      [byProfile, groups.profile],
    ] as const)
      for (const w of want) {
        let least = Infinity;
        for (let seed = 1; seed <= 8; seed++) least = Math.min(least, polished(v, meansOf(v, w.k, seed)!).cost);
        expect(least / w.within)
          .withContext(`${w.k} groups`)
          .toBeLessThan(1.02);
      }
  });

  it('by profile do not change when series are shifted or scaled, each in its own way', () => {
    const other = flat.map((v, i) => {
      const place = Math.floor(i / steps);
      return v * (0.5 + (place % 7)) + 100 * (place % 11) - 300;
    });
    const moved = seriesVectors(other, steps, 0, steps, true);
    for (const k of [2, 3, 5]) {
      const [a, b] = [meansOf(byProfile, k, 4)!, meansOf(moved, k, 4)!];
      expect(b.labels).toEqual(a.labels);
      expect(Math.abs(b.cost - a.cost)).toBeLessThan(1e-3);
    }
  });

  it('about medoids are about members, and no other member would do better', () => {
    const g = medoidsOf(byValue, 3, 2)!;
    const { x, b } = byValue;
    const distance = (i: number, j: number): number => {
      let q = 0;
      for (let k = 0; k < b; k++) q += (x[i * b + k]! - x[j * b + k]!) ** 2;
      return Math.sqrt(q);
    };
    for (let c = 0; c < 3; c++) {
      const own = Array.from({ length: n }, (_, i) => i).filter((i) => g.labels[i] === c);
      const is = own.find((i) => g.middles.subarray(c * b, (c + 1) * b).every((v, k) => v === x[i * b + k]));
      expect(is).toBeDefined();
      const sum = (m: number): number => own.reduce((s, i) => s + distance(i, m), 0);
      const least = Math.min(...own.map(sum));
      expect(sum(is!)).toBeCloseTo(least, 6);
    }
    const again = new Int32Array(n);
    assignNearest(byValue, 0, n, g.middles, again);
    expect(again).toEqual(g.labels);
  });

  it('are not made where there are not as many different series', () => {
    const two = seriesVectors(Float64Array.of(1, 2, 1, 2, 5, 6, 5, 6), 2, 0, 2, false);
    expect(meansOf(two, 3, 1)).toBeNull();
    expect(medoidsOf(two, 3, 1)).toBeNull();
    expect(meansOf(two, 2, 1)!.cost).toBe(0);
  });
});

describe('Series as vectors', () => {
  it('fill gaps on the line between, at the ends with the nearest, and say how many', () => {
    const v = seriesVectors(Float64Array.of(NaN, 1, NaN, NaN, 4, NaN), 6, 0, 6, false);
    expect(v.rows.length).toBe(0);
    const w = seriesVectors(Float64Array.of(NaN, 1, NaN, 3, 4, NaN), 6, 0, 6, false);
    expect(Array.from(w.x)).toEqual([1, 1, 2, 3, 4, 4]);
    expect(w.filled).toBe(3);
  });

  it('leave out series that are too short, and by profile those that never change', () => {
    const v = seriesVectors(Float64Array.of(0, 0, 0, NaN, NaN, 1, 1, 2, 3), 3, 0, 3, true);
    expect([v.few, v.flat, Array.from(v.rows)]).toEqual([1, 1, [2]]);
  });
});

describe('The band of a group', () => {
  it('has mean, median and the tenths at either end by step, missing values left out', () => {
    const series = new Float64Array(11 * 2);
    for (let i = 0; i < 11; i++) series.set([i, i === 0 ? 5 : NaN], 2 * i);
    const b = bandOf(
      series,
      2,
      Array.from({ length: 11 }, (_, i) => i),
    );
    expect([b.mean[0], b.median[0], b.low[0], b.high[0]]).toEqual([5, 5, 1, 9]);
    expect([b.mean[1], b.low[1], b.high[1]]).toEqual([5, 5, 5]);
  });
});

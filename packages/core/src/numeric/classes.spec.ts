import fc from 'fast-check';
import { classBreaks, classOf } from './classes';
import { steepestStretch } from './steepest';

/** Sum of squared deviations from the class means, by the definition. */
function within(sorted: number[], breaks: number[]): number {
  const groups = new Map<number, number[]>();
  for (const v of sorted) {
    const k = classOf(v, breaks);
    groups.set(k, [...(groups.get(k) ?? []), v]);
  }
  let sum = 0;
  for (const g of groups.values()) {
    const m = g.reduce((a, b) => a + b, 0) / g.length;
    sum += g.reduce((a, b) => a + (b - m) ** 2, 0);
  }
  return sum;
}

/** The least there is, by trying every partition of the ranks. */
function least(sorted: number[], classes: number): number {
  const go = (from: number, left: number): number => {
    const cost = (a: number, b: number): number => {
      const g = sorted.slice(a, b);
      const m = g.reduce((x, y) => x + y, 0) / g.length;
      return g.reduce((x, y) => x + (y - m) ** 2, 0);
    };
    if (left === 1) return cost(from, sorted.length);
    let best = Infinity;
    for (let to = from + 1; to <= sorted.length - left + 1; to++)
      best = Math.min(best, cost(from, to) + go(to, left - 1));
    return best;
  };
  return go(0, classes);
}

describe('class breaks', () => {
  it('natural ones are the best partition there is', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 0, max: 60 }), { minLength: 5, maxLength: 11 }),
        fc.integer({ min: 2, max: 4 }),
        (values, k) => {
          const sorted = values.sort((a, b) => a - b);
          fc.pre(new Set(sorted).size >= k);
          const breaks = classBreaks(Float64Array.from(sorted), k, 'natural');
          expect(within(sorted, breaks)).toBeCloseTo(least(sorted, k), 8);
        },
      ),
      { numRuns: 150 },
    );
  });
  it('equal steps and counts are what they say, and no rule leaves the range', () => {
    expect(classBreaks(Float64Array.of(0, 1, 9, 10), 5, 'equal')).toEqual([2, 4, 6, 8]);
    expect(
      classBreaks(
        Float64Array.from({ length: 101 }, (_, i) => i),
        4,
        'quantile',
      ),
    ).toEqual([25, 50, 75]);
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: -1e6, max: 1e6, noNaN: true }), { minLength: 1, maxLength: 60 }),
        fc.integer({ min: 2, max: 12 }),
        fc.constantFrom('equal', 'quantile', 'natural', 'geometric', 'sd'),
        (values, k, rule) => {
          const s = Float64Array.from(values).sort();
          const b = classBreaks(s, k, rule as 'equal');
          expect(b.length).toBeLessThan(k);
          for (let i = 0; i < b.length; i++)
            expect(b[i]! > (i ? b[i - 1]! : s[0]!) && b[i]! <= s[s.length - 1]!).toBeTrue();
        },
      ),
    );
  });
  it('geometric steps grow by one factor, from the crowded end', () => {
    const b = classBreaks(Float64Array.of(1, 2, 3, 4, 5, 100), 4, 'geometric');
    const w = [b[0]! - 1, b[1]! - b[0]!, b[2]! - b[1]!, 100 - b[2]!];
    expect(w[1]! / w[0]!).toBeCloseTo(w[2]! / w[1]!, 9);
    expect(w[3]! / w[2]!).toBeCloseTo(w[2]! / w[1]!, 9);
    expect(w[0]!).toBeLessThan(w[3]!);
  });
  it('standard deviations lie about the mean', () => {
    const v = Float64Array.of(2, 4, 4, 4, 5, 5, 7, 9);
    const sd = Math.sqrt(32 / 7);
    for (const [k, m] of [5 - sd, 5, 5 + sd].entries()) expect(classBreaks(v, 4, 'sd')[k]).toBeCloseTo(m, 12);
  });
});

describe('the steepest stretch', () => {
  it('is the one by the definition, on random profiles', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 0, max: 50 }), { minLength: 2, maxLength: 30 }),
        fc.integer({ min: 1, max: 9 }),
        (z, length) => {
          const d = z.map((_, i) => i * 2);
          const got = steepestStretch(d, z, length);
          // The shortest stretch of at least the length from each end point.
          let best = -1;
          const span = Math.ceil(length / 2);
          for (let to = span; to < z.length; to++) best = Math.max(best, Math.abs(z[to]! - z[to - span]!) / (2 * span));
          expect(got ? got.gradient : -1).toBeCloseTo(best, 12);
        },
      ),
    );
  });
  it('does not reach across missing values', () => {
    expect(steepestStretch([0, 1, 2, 3, 4], [0, 1, NaN, 90, 91], 1)).toEqual({ from: 0, to: 1, gradient: 1 });
  });
});

import fc from 'fast-check';
import reference from '../../../../reference/fixtures/time.json';
import { medianInPlace, selectInPlace } from './select';
import { trendOf, TrendRoom, trendsOf, TREND_FIELDS, type TrendFound } from './trend';

const series = (y: readonly (number | null)[]): Float64Array => Float64Array.from(y, (v) => v ?? NaN);
const test = (y: readonly (number | null)[], season = 0, how: 'none' | 'plain' | 'trendFree' = 'none'): TrendFound =>
  trendOf(series(y), season, how, new TrendRoom(y.length));
const near = (a: number, b: number, what = ''): void =>
  expect(Math.abs(a - b) <= 1e-9 * Math.max(1, Math.abs(b)))
    .withContext(`${what} ${a} against ${b}`)
    .toBeTrue();

describe('The test for a trend', () => {
  it('agrees with SciPy over ties and gaps: S, variance, tau-b, slope and its interval', () => {
    for (const r of reference.series) {
      const t = test(r.y);
      for (const [ours, theirs] of [
        ['s', r.s],
        ['variance', r.variance],
        ['tau', r.tau],
        ['z', r.z],
        ['p', r.p],
        ['slope', r.slope],
        ['low', r.low],
        ['high', r.high],
      ] as const)
        near(t[ours], theirs, `${ours} of ${r.y.length}`);
      // SciPy's own p is without the correction for continuity: S by the root of the variance gives it.
      const z = t.s / Math.sqrt(t.variance);
      near(t.s === 0 ? 1 : r.pScipy, 2 * tail(Math.abs(z)), 'p without correction');
    }
  });

  it('gives the example of Sen (1968): slope 4 between 26/7 and 35/8 over uneven times', () => {
    // Times 1, 2, 3, 4, 10, 12, 18: steps between them are gaps. The interval is that of 93 % as in SciPy's tests; at 95 % it is wider.
    const y = new Array<number | null>(18).fill(null);
    [1, 2, 3, 4, 10, 12, 18].forEach((t, i) => (y[t - 1] = [9, 15, 19, 20, 45, 55, 78][i]!));
    const t = test(y);
    near(t.slope, 4);
    expect(t.low).toBeLessThanOrEqual(26 / 7 + 1e-12);
    expect(t.high).toBeGreaterThanOrEqual(35 / 8 - 1e-12);
  });

  it('counts as in the worked example of Hollander and Wolfe (1973, p. 187; the tuna of R’s cor.test): T = 26 of 36 pairs', () => {
    const lightness = [44.4, 45.9, 41.9, 53.3, 44.7, 44.1, 50.7, 45.2, 60.1];
    const panel = [2.6, 3.1, 2.5, 5.0, 3.6, 4.0, 5.2, 2.8, 3.8];
    const order = lightness.map((_, i) => i).sort((a, b) => lightness[a]! - lightness[b]!);
    const tuna = test(order.map((i) => panel[i]!));
    expect(tuna.s).toBe(2 * 26 - 36);
    near(tuna.tau, 0.4444444444444444);
  });

  it('counts as in the example of EPA QA/G-9 (5, 6, 11, 8, 10: S = 6; from memory)', () => {
    expect(test([5, 6, 11, 8, 10]).s).toBe(6);
  });

  it('by season agrees with SciPy’s seasonal form, with ties and gaps', () => {
    for (const r of reference.seasonal) {
      const t = test(r.y, r.season);
      near(t.s, r.s, 's');
      near(t.variance, r.variance, 'variance');
      near(t.p, r.p, 'p');
      near(t.slope, r.slope, 'slope');
    }
  });

  it('finds by season what the seasons hide', () => {
    const y = Array.from({ length: 96 }, (_, i) => 0.02 * i + 8 * Math.sin((2 * Math.PI * i) / 12));
    expect(test(y, 12).p).toBeLessThan(1e-6);
    expect(test(y).p).toBeGreaterThan(0.05);
    near(test(y, 12).slope, 0.02);
  });

  it('takes out what neighbouring steps share as Yue and others (2002) do', () => {
    for (const r of reference.whitened) {
      const t = test(r.y, 0, 'trendFree');
      near(t.alike, r.alike, 'alike');
      near(t.s, r.s, 's');
      near(t.p, r.p, 'p');
    }
  });

  it('leaves the slope of the series as it is, whatever is taken out before', () => {
    const { y } = reference.whitened[0]!;
    const [a, b] = [test(y), test(y, 0, 'trendFree')];
    expect([b.slope, b.low, b.high]).toEqual([a.slope, a.low, a.high]);
    expect(b.p).not.toBe(a.p);
  });

  it('says nothing of what is too short, and no trend of what never changes', () => {
    expect(test([null, 1, 2, null]).p).toBeNaN();
    const zeros = test([0, 0, 0, 0, 0]);
    expect([zeros.s, zeros.variance, zeros.z, zeros.p, zeros.slope]).toEqual([0, 0, 0, 1, 0]);
    expect(zeros.tau).toBeNaN();
    expect(test([null, null, null]).slope).toBeNaN();
  });

  it('turns its sign when a series is turned round, and holds whatever is added', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: -20, max: 20 }), { minLength: 3, maxLength: 30 }), (y) => {
        const [a, b, c] = [test(y), test([...y].reverse()), test(y.map((v) => 3 * v + 7))];
        expect(b.s).toBe(a.s === 0 ? b.s : -a.s);
        expect(Math.abs(b.s)).toBe(Math.abs(a.s));
        expect(c.s).toBe(a.s);
        expect(Math.abs(c.slope - 3 * a.slope)).toBeLessThan(1e-9);
        expect(a.low).toBeLessThanOrEqual(a.slope + 1e-12);
        expect(a.high).toBeGreaterThanOrEqual(a.slope - 1e-12);
      }),
    );
  });

  it('has about as many false alarms as its level says', () => {
    let seed = 5;
    const random = (): number => ((seed = (Math.imul(seed, 1664525) + 1013904223) | 0) >>> 0) / 2 ** 32;
    const n = 2000;
    const all = Float64Array.from({ length: n * 20 }, random);
    const found = trendsOf(all, 20, 0, 20, 0, 'none');
    const p = TREND_FIELDS.indexOf('p');
    const alarms = Array.from({ length: n }, (_, i) => found[i * TREND_FIELDS.length + p]!).filter((v) => v < 0.05);
    expect(alarms.length / n).toBeGreaterThan(0.03);
    expect(alarms.length / n).toBeLessThan(0.065);
  });

  it('tests a window of each series by itself', () => {
    const two = Float64Array.of(9, 1, 2, 3, 9, 9, 3, 2, 1, 9);
    const found = trendsOf(two, 5, 1, 3, 0, 'none');
    const s = TREND_FIELDS.indexOf('s');
    expect([found[s], found[TREND_FIELDS.length + s]]).toEqual([3, -3]);
  });
});

describe('Selection in place', () => {
  it('finds what sorting finds', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: -9, max: 9 }), { minLength: 1, maxLength: 60 }), fc.nat(), (list, at) => {
        const k = at % list.length;
        const sorted = Float64Array.from(list).sort();
        expect(selectInPlace(Float64Array.from(list), k)).toBe(sorted[k]!);
        const m = list.length;
        expect(medianInPlace(Float64Array.from(list))).toBe((sorted[(m - 1) >> 1]! + sorted[m >> 1]!) / 2);
      }),
    );
    expect(medianInPlace(new Float64Array(0))).toBeNaN();
  });
});

/** Upper tail of the normal distribution by its continued fraction and series, for a check of p that is not ours. */
function tail(z: number): number {
  if (z < 3) {
    let [term, sum] = [z, z];
    for (let k = 1; k < 200; k++) sum += term *= (z * z) / (2 * k + 1);
    return 0.5 - (sum * Math.exp((-z * z) / 2)) / Math.sqrt(2 * Math.PI);
  }
  let f = 0;
  for (let k = 200; k > 0; k--) f = k / (z + f);
  return Math.exp((-z * z) / 2) / Math.sqrt(2 * Math.PI) / (z + f);
}

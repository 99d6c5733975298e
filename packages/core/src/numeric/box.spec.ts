import fc from 'fast-check';
import { boxOf, trendOf } from './box';
import boxes from '../../../../reference/fixtures/boxes.json';
import meuse from '../../../../reference/fixtures/meuse.json';

const close = (a: number, b: number): void => void expect(Math.abs(a - b)).toBeLessThan(1e-9 * (1 + Math.abs(b)));

describe('box plots and straight lines', () => {
  it('of the meuse values equal numpy’s quartiles with Tukey’s whiskers', () => {
    for (const [given, r] of [
      [meuse.z, boxes.values],
      [meuse.z.map(Math.exp), boxes.zinc],
    ] as const) {
      const b = boxOf(Float64Array.from(given).sort());
      for (const k of ['q1', 'median', 'q3', 'mean', 'whiskerMin', 'whiskerMax'] as const) close(b[k], r[k]);
      expect(b.outliers.length).toBe(r.outliers.length);
      b.outliers.forEach((v, i) => close(v, r.outliers[i]!));
      expect(b.count).toBe(155);
    }
  });

  it('of meuse equal SciPy’s linregress', () => {
    const t = trendOf(meuse.x, meuse.z);
    close(t.slope, boxes.fit.slope);
    close(t.intercept, boxes.fit.intercept);
    close(t.r, boxes.fit.r);
    expect(t.count).toBe(155);
  });

  it('leave nothing out: whiskers hold the box, the rest are outliers', () => {
    fc.assert(
      fc.property(fc.array(fc.double({ noNaN: true, min: -1e6, max: 1e6 }), { minLength: 1 }), (all) => {
        const s = Float64Array.from(all).sort();
        const b = boxOf(s);
        const within = [...s].filter((v) => v >= b.whiskerMin && v <= b.whiskerMax).length;
        return within + b.outliers.length === s.length && b.whiskerMin <= b.median && b.whiskerMax >= b.median;
      }),
    );
  });

  it('skip pairs of which one is missing, and know no slope when x never changes', () => {
    const t = trendOf([1, 2, NaN, 3], [2, 4, 9, 6]);
    expect([t.count, t.slope, t.intercept, t.r]).toEqual([3, 2, 0, 1]);
    expect(trendOf([1, 1, 1], [1, 2, 3]).slope).toBeNaN();
  });
});

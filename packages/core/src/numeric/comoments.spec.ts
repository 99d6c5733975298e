import { comoments, covarianceOf, joinComoments, noComoments } from './comoments';
import { symmetricEigen } from './eigen';
import { iris, reference } from './imagery-fixture';

describe('moments of vectors', () => {
  it('are the same in parts, whatever the offset', () => {
    const x = Float64Array.from(reference.iris.x.flat(), (v) => v + 1e6);
    const whole = comoments(x, 150, 4);
    const parts = [0, 40, 41, 150].map((from, i, all) =>
      i + 1 < all.length ? comoments(x.subarray(4 * from, 4 * all[i + 1]!), all[i + 1]! - from, 4) : noComoments(4),
    );
    const joined = parts.reduce(joinComoments);
    expect(joined.n).toBe(150);
    const [a, b] = [covarianceOf(whole), covarianceOf(joined)];
    a.forEach((v, i) => expect(b[i]).toBeCloseTo(v, 8));
    // Of one vector nothing can be told.
    expect([...covarianceOf(comoments([1, 2], 1, 2))]).toEqual([0, 0, 0, 0]);
  });

  it('give the components of NumPy (eigh of the covariance, and of the correlation)', () => {
    const c = covarianceOf(comoments(iris, 150, 4));
    const sd = [0, 1, 2, 3].map((i) => Math.sqrt(c[5 * i]!));
    const correlation = c.map((v, i) => v / (sd[Math.floor(i / 4)]! * sd[i % 4]!));
    for (const [m, wanted] of [
      [c, reference.components],
      [correlation, reference.standardised],
    ] as const) {
      const e = symmetricEigen(m, 4);
      wanted.values.forEach((v, i) => expect(e.values[i]! / v).toBeCloseTo(1, 6));
      wanted.vectors.flat().forEach((v, i) => expect(e.vectors[i]).withContext(`${i}`).toBeCloseTo(v, 6));
    }
  });
});

describe('eigenvalues', () => {
  it('of repeated and empty matrices are told too', () => {
    expect([...symmetricEigen([2, 0, 0, 2], 2).values]).toEqual([2, 2]);
    expect([...symmetricEigen(new Float64Array(9), 3).values]).toEqual([0, 0, 0]);
    // Golub and Van Loan's form: 2 × 2 by hand, 3 and 1 along the diagonals.
    const e = symmetricEigen([2, 1, 1, 2], 2);
    expect(e.values[0]).toBeCloseTo(3, 12);
    expect(e.values[1]).toBeCloseTo(1, 12);
    expect(e.vectors[0]).toBeCloseTo(Math.SQRT1_2, 12);
  });
});

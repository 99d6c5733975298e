import { comoments } from './comoments';
import { gaussianClass, mahalanobis, separability } from './gaussian';
import { iris, reference } from './imagery-fixture';

const y = reference.iris.y;
const species = [0, 1, 2].map((c) => {
  const rows = y.flatMap((v, i) => (v === c ? [i] : []));
  return gaussianClass(
    comoments(Float32Array.from(rows.flatMap((i) => [...iris.subarray(4 * i, 4 * i + 4)])), rows.length, 4),
  )!;
});

describe('classes told by mean and covariance', () => {
  it('have SciPy’s likelihood (multivariate_normal), vector by vector', () => {
    const d = new Float64Array(4);
    species.forEach((g, c) =>
      reference.likelihood.log[c]!.forEach((wanted, k) => {
        const got = -0.5 * (mahalanobis(g, iris, 40 * k, d) + g.logDet + 4 * Math.log(2 * Math.PI));
        expect(got / wanted)
          .withContext(`class ${c}, vector ${10 * k}`)
          .toBeCloseTo(1, 5);
      }),
    );
  });

  it('are apart by the formulas worked out with NumPy’s inverse and determinant', () => {
    for (const { a, b, jm, td } of reference.apart) {
      const s = separability(species[a]!, species[b]!);
      expect(s.jeffriesMatusita).toBeCloseTo(jm, 5);
      expect(s.transformedDivergence).toBeCloseTo(td, 5);
    }
    const own = separability(species[1]!, species[1]!);
    expect(own.jeffriesMatusita).toBeCloseTo(0, 12);
    expect(own.transformedDivergence).toBeCloseTo(0, 12);
  });

  it('are apart by hand: one band, variances 4 and 4, means 6 apart', () => {
    const of = (mean: number) => gaussianClass({ n: 9, mean: Float64Array.of(mean), products: Float64Array.of(32) })!;
    const s = separability(of(0), of(6));
    // B = 6² / (8 × 4) = 1.125 and D = 6² / 4 = 9.
    expect(s.jeffriesMatusita).toBeCloseTo(2 * (1 - Math.exp(-1.125)), 12);
    expect(s.transformedDivergence).toBeCloseTo(2 * (1 - Math.exp(-9 / 8)), 12);
  });

  it('cannot be told from too few vectors, or from bands that repeat each other', () => {
    expect(gaussianClass(comoments([1, 2, 3, 4], 2, 2))).toBeNull();
    expect(gaussianClass(comoments([1, 2, 2, 4, 5, 10, 7, 14], 4, 2))).toBeNull();
  });
});

import { readFileSync } from 'node:fs';
import { Random } from './random';
import { kendall, midRanks, pearson, spearman } from './association';
import { betaI, chiUpper, fUpper, gammaQ, lnGamma, normalTwoSided, tTwoSided } from './distributions';

/** By SciPy; made by reference/statistics/scipy_values.py. */
const want = JSON.parse(readFileSync('reference/fixtures/stats.json', 'utf8')) as {
  [K in 'lnGamma' | 'beta' | 'gammaQ' | 't' | 'f' | 'chi' | 'normal']: number[][];
} & {
  cases: Record<'x' | 'y' | 'ranks' | 'pearson' | 'spearman' | 'kendall', number[]>[];
};

const alike = (got: number, wanted: number, within = 1e-11): void => {
  if (Math.abs(wanted) < 1e-290) expect(Math.abs(got)).toBeLessThan(1e-280);
  else
    expect(Math.abs(got / wanted - 1))
      .withContext(`${got} for ${wanted}`)
      .toBeLessThan(within);
};

describe('chances of distributions', () => {
  it('are those of SciPy', () => {
    // At 1 and 2 it is 0.
    for (const [x, v] of want.lnGamma)
      expect(Math.abs(lnGamma(x!) - v!)).toBeLessThan(1e-12 * Math.max(1, Math.abs(v!)));
    for (const [x, a, b, v] of want.beta) alike(betaI(x!, a!, b!), v!, 1e-10);
    for (const [a, x, v] of want.gammaQ) alike(gammaQ(a!, x!), v!, 1e-10);
    for (const [t, df, v] of want.t) alike(tTwoSided(t!, df!), v!, 1e-10);
    for (const [f, a, b, v] of want.f) alike(fUpper(f!, a!, b!), v!, 1e-10);
    for (const [x, df, v] of want.chi) alike(chiUpper(x!, df!), v!, 1e-10);
    for (const [z, v] of want.normal) alike(normalTwoSided(z!), v!, 1e-10);
  });
  it('of what is no number are none', () => {
    for (const v of [betaI(NaN, 1, 1), gammaQ(1, NaN), tTwoSided(NaN, 3), fUpper(NaN, 1, 1), normalTwoSided(NaN)])
      expect(v).toBeNaN();
  });
});

describe('how rows of values go together', () => {
  it('is what SciPy says, with ties too', () => {
    for (const c of want.cases) {
      midRanks(c.x).forEach((r, i) => expect(r).toBe(c.ranks[i]!));
      for (const [how, key] of [
        [pearson, 'pearson'],
        [spearman, 'spearman'],
        [kendall, 'kendall'],
      ] as const) {
        const { r, p } = how(c.x, c.y);
        alike(r, c[key][0]!, 1e-10);
        if (c[key][1]! > 0) alike(p, c[key][1]!, 1e-7);
        else expect(p).toBeLessThan(1e-30);
      }
    }
  });
  it('counts every pair, as by hand', () => {
    const r = new Random(4);
    for (let k = 0; k < 20; k++) {
      const n = 2 + Math.floor(30 * r.uniform());
      const x = Array.from({ length: n }, () => Math.floor(5 * r.uniform()));
      const y = Array.from({ length: n }, () => Math.floor(7 * r.uniform()));
      let [s, a, b] = [0, 0, 0];
      for (let i = 0; i < n; i++)
        for (let j = 0; j < i; j++) {
          s += Math.sign(x[i]! - x[j]!) * Math.sign(y[i]! - y[j]!);
          a += Number(x[i] !== x[j]);
          b += Number(y[i] !== y[j]);
        }
      const tau = s / Math.sqrt(a * b);
      if (tau === tau) expect(kendall(x, y).r).toBeCloseTo(tau, 12);
      else expect(kendall(x, y).r).toBeNaN();
    }
  });
  it('is unknown where one of them does not vary', () => {
    for (const how of [pearson, spearman, kendall]) expect(how([1, 1, 1], [1, 2, 3]).r).toBeNaN();
  });
});

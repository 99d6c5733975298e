import fc from 'fast-check';
import meuse from '../../../../reference/fixtures/meuse.json';
import scipy from '../../../../reference/fixtures/surface-scipy.json';
import { InverseDistance } from './inverse-distance';
import { GlobalKriging, LocalKriging, type Samples } from './kriging';
import { NearPoints } from './near';
import { sheetAt, thinPlate } from './spline';
import { empiricalVariogram, fitVariogram, semivariance, type Variogram, type VariogramKind } from './variogram';

const s: Samples = { x: Float64Array.from(meuse.x), y: Float64Array.from(meuse.y), z: Float64Array.from(meuse.z) };
const near = (a: ArrayLike<number>, b: ArrayLike<number>, relative = 1e-6): void => {
  expect(a.length).toBe(b.length);
  for (let i = 0; i < a.length; i++)
    expect(Math.abs(a[i]! - b[i]!))
      .withContext(`${i}: ${a[i]} and ${b[i]}`)
      .toBeLessThan(Math.abs(b[i]!) * relative + 1e-9);
};
const SPH: Variogram = { model: 'spherical', nugget: 0.05, sill: 0.64, range: 897 };

describe('the zinc of the meuse data against gstat', () => {
  const diagonal = Math.hypot(Math.max(...meuse.x) - Math.min(...meuse.x), Math.max(...meuse.y) - Math.min(...meuse.y));
  const lags = empiricalVariogram(s.x, s.y, s.z, diagonal / 45, diagonal / 3);
  it('empirical variogram, in all directions and in one', () => {
    expect(lags.map((l) => l.pairs)).toEqual(meuse.variogram.np);
    near(
      lags.map((l) => l.distance),
      meuse.variogram.dist,
    );
    near(
      lags.map((l) => l.semivariance),
      meuse.variogram.gamma,
    );
    const d = empiricalVariogram(s.x, s.y, s.z, 100, 1500, { azimuth: 45, tolerance: 22.5 });
    expect(d.map((l) => l.pairs)).toEqual(meuse.direction45.np);
    near(
      d.map((l) => l.semivariance),
      meuse.direction45.gamma,
    );
  });
  it('fitted models; ours is never worse by the same measure', () => {
    for (const [model, [nugget, sill, range]] of Object.entries(meuse.fit)) {
      const f = fitVariogram(lags, model as VariogramKind);
      // gstat's search stops short of the optimum of the Gaussian model.
      if (model !== 'gaussian') near([f.sill, f.range], [sill!, range!], 2e-3);
      if (model !== 'gaussian') expect(f.nugget).toBeCloseTo(nugget!, 3);
      const error = (v: Variogram): number =>
        lags.reduce((t, l) => t + (l.pairs / l.distance ** 2) * (l.semivariance - semivariance(v, l.distance)) ** 2, 0);
      expect(error(f)).toBeLessThanOrEqual(
        error({ model: model as VariogramKind, nugget: nugget!, sill: sill!, range: range! }) * (1 + 1e-9),
      );
    }
  });
  const models: [keyof typeof meuse, Variogram][] = [
    ['spherical', SPH],
    ['exponential', { model: 'exponential', nugget: 0.02, sill: 0.72, range: 450 }],
    ['gaussian', { model: 'gaussian', nugget: 0.12, sill: 0.62, range: 400 }],
  ];
  it('ordinary kriging and its variance, with three models', () => {
    for (const [name, v] of models) {
      const [e, q] = [new Float64Array(meuse.gx.length), new Float64Array(meuse.gx.length)];
      new GlobalKriging(s, v).at(meuse.gx, meuse.gy, e, q);
      const [pred, variance] = meuse[name] as unknown as [number[], number[]];
      near(e, pred);
      near(q, variance);
    }
  });
  it('a linear drift, and a neighbourhood of twelve', () => {
    const [e, q] = [new Float64Array(meuse.gx.length), new Float64Array(meuse.gx.length)];
    new GlobalKriging(s, SPH, 'linear').at(meuse.gx, meuse.gy, e, q);
    near(e, meuse.drift[0]!);
    near(q, meuse.drift[1]!);
    new LocalKriging(s, SPH, 12).at(meuse.gx, meuse.gy, e, q);
    near(e, meuse.nearest12[0]!);
    near(q, meuse.nearest12[1]!);
    // All of them as neighbours is the global result.
    const [e2, q2] = [new Float64Array(5), new Float64Array(5)];
    new LocalKriging(s, SPH, 155, 'linear').at(meuse.gx.slice(0, 5), meuse.gy.slice(0, 5), e2, q2);
    near(e2, meuse.drift[0]!.slice(0, 5));
  });
  it('the linear model, whose sill is nowhere, is solved the same in the whole and in all neighbours', () => {
    const v: Variogram = { model: 'linear', nugget: 0.1, sill: 0.6, range: 1000 };
    const [a, b, c, d] = [0, 1, 2, 3].map(() => new Float64Array(8)) as [
      Float64Array,
      Float64Array,
      Float64Array,
      Float64Array,
    ];
    new GlobalKriging(s, v).at(meuse.gx.slice(0, 8), meuse.gy.slice(0, 8), a, b);
    new LocalKriging(s, v, 155).at(meuse.gx.slice(0, 8), meuse.gy.slice(0, 8), c, d);
    near(a, c, 1e-7);
    near(b, d, 1e-6);
  });
  it('inverse distance, with all and with eight neighbours', () => {
    const all = new InverseDistance(s, 2, 0, Infinity);
    const eight = new InverseDistance(s, 3, 8, Infinity);
    near(
      meuse.gx.map((x, i) => all.at(x, meuse.gy[i]!)),
      meuse.idw2,
    );
    near(
      meuse.gx.map((x, i) => eight.at(x, meuse.gy[i]!)),
      meuse.idw3near8,
    );
    expect(all.at(s.x[3]!, s.y[3]!)).toBe(s.z[3]!);
    expect(new InverseDistance(s, 2, 0, 10).at(0, 0)).toBeNaN();
  });
  it('thin plate spline against SciPy, exact and smoothed', () => {
    const exact = thinPlate(s, 0)!;
    near(
      meuse.gx.map((x, i) => sheetAt(exact, x, meuse.gy[i]!)),
      scipy.tps,
      1e-6,
    );
    const smooth = thinPlate(s, scipy.smoothing)!;
    near(
      meuse.gx.map((x, i) => sheetAt(smooth, x, meuse.gy[i]!)),
      scipy.smooth,
      1e-6,
    );
    const line = { x: Float64Array.of(0, 1, 2, 3), y: Float64Array.of(0, 1, 2, 3), z: Float64Array.of(1, 2, 3, 4) };
    expect(thinPlate(line, 0)).toBeNull();
  });
});

describe('nearest points', () => {
  it('are those that a search of all finds', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ min: 0, max: 40 }), fc.integer({ min: 0, max: 8 })), {
          minLength: 1,
          maxLength: 60,
        }),
        fc.integer({ min: -20, max: 60 }),
        fc.integer({ min: -20, max: 30 }),
        fc.integer({ min: 1, max: 9 }),
        fc.constantFrom(3, 9, Infinity),
        (points, px, py, most, within) => {
          const [x, y] = [points.map((p) => p[0]), points.map((p) => p[1])];
          const [index, square] = [new Uint32Array(most), new Float64Array(most)];
          const n = new NearPoints(x, y).find(px, py, most, within, index, square);
          const all = points
            .map((p) => (p[0] - px) ** 2 + (p[1] - py) ** 2)
            .filter((d) => d <= within * within)
            .sort((a, b) => a - b)
            .slice(0, most);
          expect([...square.subarray(0, n)]).toEqual(all);
        },
      ),
      { numRuns: 400 },
    );
  });

  it('many places at once give what each gives by itself, on samples too, whatever the count', () => {
    const f = new InverseDistance(s, 2, 0, Infinity);
    const x = [...meuse.gx.slice(0, 9), meuse.x[3]!, meuse.x[4]!];
    const y = [...meuse.gy.slice(0, 9), meuse.y[3]!, meuse.y[4]!];
    const out = new Float64Array(x.length);
    f.many(x, y, out);
    near(
      out,
      x.map((v, i) => f.at(v, y[i]!)),
      1e-12,
    );
    expect(out[9]).toBe(meuse.z[3]!);
  });
});

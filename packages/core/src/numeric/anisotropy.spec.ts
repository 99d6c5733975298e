import told from '../../../../reference/fixtures/anisotropy.json';
import meuse from '../../../../reference/fixtures/meuse.json';
import rain from '../../../../reference/fixtures/rainfall.json';
import { FeaturesBuilder, type Features } from '../data/features';
import { numberColumn } from '../data/table';
import { LocalJob } from '../method/job';
import { krigingOf } from '../methods/surface/kriging';
import { refusalOf, run, utm27 } from '../testing';
import { fittedAnisotropy, straightened, type Anisotropy } from './anisotropy';
import { estimatorOf } from './estimators';
import { Random } from './random';
import { empiricalVariogram, fitVariogram, type Variogram } from './variogram';

const floats = (a: number[]): Float64Array => Float64Array.from(a);

function pointsOf(x: ArrayLike<number>, y: ArrayLike<number>, z: ArrayLike<number>): Features {
  const b = new FeaturesBuilder();
  for (let i = 0; i < x.length; i++) b.point(x[i]!, y[i]!);
  return b.build('point', utm27(), [numberColumn('v', z)]);
}

describe('ranges that are longer in one direction', () => {
  const s = { x: floats(meuse.x), y: floats(meuse.y), z: floats(meuse.z) };
  const krige = (v: Variogram & Anisotropy, drift: 'none' | 'linear', neighbours = 0) => {
    const [e, q] = [new Float64Array(meuse.gx.length), new Float64Array(meuse.gx.length)];
    estimatorOf(krigingOf(s, null, v, neighbours, drift, new LocalJob())).at(meuse.gx, meuse.gy, e, q);
    return [e, q] as const;
  };
  const expectNear = (ours: ArrayLike<number>, theirs: number[]): void =>
    theirs.forEach((v, i) => expect(Math.abs(ours[i]! - v)).toBeLessThan(1e-6 * Math.abs(v)));

  it('krige the zinc of the meuse data as gstat does, with and without a drift', () => {
    const [e, q] = krige({ model: 'spherical', nugget: 0.05, sill: 0.64, range: 1200, angle: 30, ratio: 0.4 }, 'none');
    expectNear(e, told.spherical30[0]!);
    expectNear(q, told.spherical30[1]!);
    const drift = krige(
      { model: 'exponential', nugget: 0.02, sill: 0.72, range: 450, angle: 115, ratio: 0.7 },
      'linear',
    );
    expectNear(drift[0], told.drift115[0]!);
    expectNear(drift[1], told.drift115[1]!);
    // All samples as neighbours are the nearest in the same sense.
    const near = krige(
      { model: 'spherical', nugget: 0.05, sill: 0.64, range: 1200, angle: 30, ratio: 0.4 },
      'none',
      154,
    );
    near[0].forEach((v, i) => expect(v).toBeCloseTo(e[i]!, 2));
  });

  it('keep distances along the angle and stretch those across it', () => {
    const along = straightened([0, Math.sin(0.7) * 5], [0, Math.cos(0.7) * 5], {
      angle: (0.7 * 180) / Math.PI,
      ratio: 0.25,
    });
    expect(Math.hypot(along.x[1]! - along.x[0]!, along.y[1]! - along.y[0]!)).toBeCloseTo(5, 9);
    const across = straightened([0, Math.cos(0.7) * 5], [0, -Math.sin(0.7) * 5], {
      angle: (0.7 * 180) / Math.PI,
      ratio: 0.25,
    });
    expect(Math.hypot(across.x[1]! - across.x[0]!, across.y[1]! - across.y[0]!)).toBeCloseTo(20, 9);
  });

  it('are found again in a field that was made with them', () => {
    const r = new Random(11);
    for (const want of [
      { angle: 40, ratio: 0.4 },
      { angle: 130, ratio: 0.5 },
    ]) {
      const waves = Array.from({ length: 200 }, () => ({
        k: (2 * Math.PI) / (300 + 900 * r.uniform()),
        t: 2 * Math.PI * r.uniform(),
        p: 2 * Math.PI * r.uniform(),
      }));
      const [x, y] = [floats([]), floats([])].map(() =>
        Float64Array.from({ length: 900 }, () => 4000 * r.uniform()),
      ) as [Float64Array, Float64Array];
      const p = straightened(x, y, want);
      const z = Float64Array.from(x, (_, i) =>
        waves.reduce((t, w) => t + Math.cos(w.k * (p.x[i]! * Math.cos(w.t) + p.y[i]! * Math.sin(w.t)) + w.p), 0),
      );
      const v = fitVariogram(empiricalVariogram(x, y, z, 60, 900), 'gaussian');
      const found = fittedAnisotropy({ x, y, z }, v, 60, 900)!;
      expect(Math.abs(((found.angle - want.angle + 270) % 180) - 90)).toBeLessThan(12);
      expect(Math.abs(found.ratio - want.ratio)).toBeLessThan(0.2);
    }
  });

  it('are advised for the rainfall of SIC97, and miss less where nothing was given', async () => {
    const points = pointsOf(rain.x, rain.y, rain.z);
    const plain = await run('surface.variogram', { points }, { value: 'v' });
    const advice = plain.notes.find((n) => n.code === 'variogram.direction')!;
    const [, angle, ratio] = /angle (\d+)° and the ratio ([\d.]+)/.exec(advice.message)!;
    const told = await run('surface.variogram', { points }, { value: 'v', angle: `${angle} °`, ratio: Number(ratio) });
    expect(told.figures['looRmse'] as number).toBeLessThan(plain.figures['looRmse'] as number);
    const missed = (f: unknown, a: Partial<Anisotropy>): number => {
      const given = { x: floats(rain.x), y: floats(rain.y), z: floats(rain.z) };
      const out = new Float64Array(rain.ox.length);
      estimatorOf(krigingOf(given, null, { ...(f as Variogram), ...a }, 0, 'none', new LocalJob())).at(
        rain.ox,
        rain.oy,
        out,
      );
      return Math.sqrt(out.reduce((t, v, i) => t + (v - rain.oz[i]!) ** 2, 0) / out.length);
    };
    const better = missed(told.figures, { angle: Number(angle), ratio: Number(ratio) });
    expect(better).toBeLessThan(missed(plain.figures, {}));
  });

  it('are not advised for values that know no direction, and want an angle with a ratio', async () => {
    const r = new Random(4);
    const [x, y, z] = [0, 1, 2].map(() => Array.from({ length: 200 }, () => 1000 * r.uniform())) as [
      number[],
      number[],
      number[],
    ];
    const noise = await run('surface.variogram', { points: pointsOf(x, y, z) }, { value: 'v' });
    expect(noise.notes.map((n) => n.code)).not.toContain('variogram.direction');
    const e = await refusalOf(run('surface.kriging', { points: pointsOf(x, y, z) }, { value: 'v', ratio: 0.5 }));
    expect([e.code, e.path]).toEqual(['method.refused', 'angle']);
  });
});

import fc from 'fast-check';
import { setupNode } from '../../../../node/src/index';
import { crsOfCode, wgs84 } from '../../data/crs';
import { featureCount, FeaturesBuilder, valueOf, type Column, type Features } from '../../data/features';
import { featureArea } from '../../data/measure';
import { methodOf } from '../../method/registry';
import { forecast } from '../../method/resolve';
import { MISSING_CLASS, type Raster } from '../../data/raster';
import { numberColumn, textColumn, type Table } from '../../data/table';
import { Random } from '../../numeric/random';
import { rasterOf, refusalOf, run } from '../../testing';
import meuse from '../../../../../reference/fixtures/meuse.json';
import scipy from '../../../../../reference/fixtures/surface-scipy.json';
import { infoOf } from '../../data/kinds';

beforeAll(setupNode);

const UTM = crsOfCode(32631);
function points(x: ArrayLike<number>, y: ArrayLike<number>, columns: Column[], crs = UTM): Features {
  const b = new FeaturesBuilder();
  for (let i = 0; i < x.length; i++) {
    b.point(x[i]!, y[i]!);
  }
  return b.build('point', crs, columns);
}
function polygons(rings: number[][][], columns: Column[] = [], crs = crsOfCode(32627)): Features {
  const b = new FeaturesBuilder();
  for (const r of rings) {
    for (const [x, y] of r) b.coordinate(x!, y!);
    b.endRing();
    b.endPart();
    b.endFeature();
  }
  return b.build('polygon', crs, columns);
}
const column = (f: Features | Table, name: string): unknown[] => {
  const c = f.columns.find((x) => x.name === name)!;
  return Array.from({ length: c.values.length }, (_, i) => valueOf(c, i));
};
const zinc = points(meuse.x, meuse.y, [numberColumn('zinc', meuse.z, 'ln mg/kg')]);
const FIXED = { model: 'spherical', nugget: 0.05, sill: 0.64, range: '897 m' };
const GRID = { cellSize: '100 m', bounds: '178600,329700,181400,333700' };

describe('surfaces of the meuse zinc', () => {
  it('lie on one grid whatever the method, so that they can be subtracted', async () => {
    const grids: string[] = [];
    for (const id of ['nearest', 'idw', 'spline', 'kriging']) {
      const o = await run(`surface.${id}`, { points: zinc }, { cellSize: '200 m' });
      grids.push(JSON.stringify((o.outputs[0]!.data as Raster).grid));
    }
    expect(new Set(grids).size).toBe(1);
  });
  it('kriging is gstat’s at the cells where gstat was asked, with its standard error', async () => {
    // One cell around each place that the reference was computed for.
    for (const i of [0, 7, 19]) {
      const [x, y] = [meuse.gx[i]!, meuse.gy[i]!];
      const o = await run(
        'surface.kriging',
        { points: zinc },
        { ...FIXED, cellSize: '10 m', bounds: `${x - 5},${y - 5},${x + 5},${y + 5}` },
      );
      const [e, q] = o.outputs.map((r) => (r.data as Raster).bands[0]!.cells[0]!);
      expect(e!).toBeCloseTo(meuse.spherical[0]![i]!, 5);
      expect(q!).toBeCloseTo(Math.sqrt(meuse.spherical[1]![i]!), 5);
      expect(o.figures).toEqual({ model: 'spherical', nugget: 0.05, sill: 0.64, range: 897 });
    }
  });
  it('cross-validation gives the residuals of gstat, and ranks the methods on the same folds', async () => {
    const o = await run('surface.validate', { points: zinc }, { ...FIXED, methods: 'idw, kriging, nearest' });
    const r = o.outputs[1]!.data as Features;
    const ours = [column(r, 'residual_kriging'), column(r, 'residual_idw')] as number[][];
    [meuse.cvKriging, meuse.cvIdw].forEach((theirs, k) =>
      theirs.forEach((v, i) => expect(ours[k]![i]!).toBeCloseTo(v, 6)),
    );
    expect(o.figures['best']).toBe('kriging');
    const t = o.outputs[0]!.data as unknown as Table;
    expect(column(t, 'method')).toEqual(['kriging', 'idw', 'nearest']);
    expect((column(t, 'rmse') as number[])[0]!).toBeCloseTo(
      Math.sqrt(meuse.cvKriging.reduce((s, v) => s + v * v, 0) / 155),
      8,
    );
    const folds = await run('surface.validate', { points: zinc }, { ...FIXED, folds: '10' });
    expect(folds.figures['best']).toBe('kriging');
  });
  it('the fitted variogram goes into the figures and says its lags and pairs', async () => {
    const o = await run('surface.variogram', { points: zinc }, {});
    expect(o.params['maxDistance']).toMatch(/ m$/);
    expect(o.figures['model']).toBe('spherical');
    expect(o.figures['range'] as number).toBeCloseTo(897, -1);
    expect(column(o.outputs[0]!.data as unknown as Table, 'pairs')[1]).toBeGreaterThan(200);
  });
  it('the variogram of one direction is gstat’s', async () => {
    const o = await run('surface.variogram', { points: zinc }, { lag: '100 m', maxDistance: '1500 m', azimuth: 45 });
    const t = o.outputs[0]!.data as unknown as Table;
    expect(column(t, 'pairs')).toEqual(meuse.direction45.np);
    expect(
      column(t, 'semivariance').every((v, i) => Math.abs((v as number) / meuse.direction45.gamma[i]! - 1) < 1e-9),
    ).toBeTrue();
  });
  it('Thiessen areas are SciPy’s', async () => {
    const o = await run('surface.thiessen', { points: zinc }, { bounds: scipy.bounds.join(',') });
    const f = o.outputs[0]!.data as Features;
    scipy.thiessen.forEach((a, i) => expect(Math.abs(featureArea(f, i) / a - 1)).toBeLessThan(1e-7));
    const part = polygons(
      [
        [
          [179000, 330000],
          [180000, 330000],
          [180000, 331000],
          [179000, 331000],
          [179000, 330000],
        ],
      ],
      [],
      UTM,
    );
    const cut = (await run('surface.thiessen', { points: zinc, within: part })).outputs[0]!.data as Features;
    let sum = 0;
    for (let i = 0; i < featureCount(cut); i++) sum += featureArea(cut, i);
    expect(sum).toBeCloseTo(1e6, 2);
  });
  it('stay within polygons, leave out missing values, average what lies at one place', async () => {
    const part = polygons(
      [
        [
          [179000, 330000],
          [180000, 330000],
          [180000, 331000],
          [179000, 331000],
          [179000, 330000],
        ],
      ],
      [],
      UTM,
    );
    const o = await run('surface.idw', { points: zinc, within: part }, GRID);
    const cells = (o.outputs[0]!.data as Raster).bands[0]!.cells;
    expect(cells.filter((v) => v === v).length).toBe(100);
    const twice = points([0, 0, 100, 0, 50], [0, 0, 0, 100, 50], [numberColumn('v', [1, 3, 5, 7, NaN])]);
    const n = await run('surface.nearest', { points: twice }, { cellSize: '10 m' });
    expect(n.notes.map((x) => x.code)).toEqual(['points.missing', 'points.doubled']);
    expect((n.outputs[0]!.data as Raster).bands[0]!.cells).toContain(2);
  });
  it('say what cannot be: few points, all alike, on a line, in degrees, no correlation', async () => {
    const few = points([0, 1], [0, 1], [numberColumn('v', [1, 2])]);
    expect((await refusalOf(run('surface.idw', { points: few }, { cellSize: '1 m' }))).message).toContain(
      'at least three',
    );
    const alike = points([0, 10, 0, 10], [0, 0, 10, 10], [numberColumn('v', [4, 4, 4, 4])]);
    expect((await refusalOf(run('surface.kriging', { points: alike }))).message).toContain('All values are 4');
    expect((await refusalOf(run('surface.variogram', { points: alike }))).message).toContain('alike');
    const line = points([0, 10, 20, 30], [0, 0, 0, 0], [numberColumn('v', [1, 2, 3, 4])]);
    expect((await refusalOf(run('surface.spline', { points: line }, { cellSize: '5 m' }))).message).toContain(
      'on one line',
    );
    const degrees = points([-20, -20.1, -20.2], [58, 58.1, 58], [numberColumn('v', [1, 2, 3])], wgs84());
    expect((await refusalOf(run('surface.idw', { points: degrees }, { cellSize: '1 m' }))).message).toContain(
      'in degrees',
    );
    const r = new Random(4);
    const at = Array.from({ length: 200 }, () => [1000 * r.uniform(), 1000 * r.uniform()]);
    const noise = points(
      at.map((p) => p[0]!),
      at.map((p) => p[1]!),
      [
        numberColumn(
          'v',
          at.map(() => r.normal()),
        ),
      ],
    );
    const o = await run('surface.variogram', { points: noise });
    expect(o.notes.some((n) => ['variogram.none', 'variogram.short'].includes(n.code))).toBeTrue();
  });
});

describe('cells, points and areas', () => {
  const grid = rasterOf(scipy.columns, scipy.cells);
  it('zonal statistics follow rasterio’s centre rule', async () => {
    const zones = polygons(scipy.zones);
    const o = await run(
      'raster.zonal',
      { raster: grid, zones },
      { statistics: 'count,mean,min,max,sum,median,sd', prefix: 'z_' },
    );
    const f = o.outputs[0]!.data as Features;
    scipy.zonal.forEach((z, i) => {
      for (const k of ['count', 'mean', 'min', 'max', 'sum', 'median', 'sd'] as const) {
        const expected = (z as Record<string, number>)[k];
        const got = column(f, `z_${k}`)[i] as number | null;
        if (expected === undefined) expect(got).toBeNull();
        else
          expect(Math.abs(got! - expected) / Math.abs(expected || 1))
            .withContext(`${k} of ${i}`)
            .toBeLessThan(1e-5);
      }
    });
    expect(o.figures).toEqual({ zones: 3, emptyZones: 1 });
    expect(
      (await refusalOf(run('raster.zonal', { raster: grid, zones }, { statistics: 'average' }))).message,
    ).toContain('no "average"');
  });
  it('majority is the most frequent, the lowest of equals; variety counts', async () => {
    const r = rasterOf(4, [1, 1, 2, 2, 3, 3, 3, 9]);
    const whole = polygons([
      [
        [399990, 6459970],
        [400050, 6459970],
        [400050, 6460010],
        [399990, 6460010],
        [399990, 6459970],
      ],
    ]);
    const f = (await run('raster.zonal', { raster: r, zones: whole }, { statistics: 'majority,variety,range' }))
      .outputs[0]!.data as Features;
    expect([column(f, 'majority')[0], column(f, 'variety')[0], column(f, 'range')[0]]).toEqual([3, 4, 8]);
  });
  it('a sample is the cell’s value, or between centres; outside is counted', async () => {
    const r = rasterOf(2, [0, 10, 20, 30]);
    const p = points(
      [400005, 400010, 500000],
      [6459995, 6459990, 6459995],
      [textColumn('id', ['a', 'b', 'c'])],
      crsOfCode(32627),
    );
    const o = await run('raster.sample', { rasters: [r, r], points: p }, { interpolation: 'bilinear', keep: 'id' });
    const f = o.outputs[0]!.data as Features;
    expect(f.columns.map((c) => c.name)).toEqual(['id', 'z', 'z_2']);
    expect(column(f, 'z')).toEqual([0, 15, null]);
    expect(o.figures).toEqual({ sampled: 2, outside: 1 });
  });
  it('cells become points and areas, and areas the grid again', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.option(fc.integer({ min: 1, max: 3 }), { freq: 6 }), { minLength: 12, maxLength: 12 }),
        fc.constantFrom('4', '8'),
        async (values, connect) => {
          if (values.every((v) => v === null)) return;
          const r = rasterOf(4, values);
          const n = values.filter((v) => v !== null).length;
          const p = await run('raster.toPoints', { rasters: [r, r] }, { names: 'a, b' });
          expect(p.figures).toEqual({ points: 2 * n });
          const f = (await run('raster.toPolygons', { raster: r }, { connect })).outputs[0]!.data as Features;
          let area = 0;
          for (let i = 0; i < featureCount(f); i++) area += featureArea(f, i);
          expect(area).toBeCloseTo(100 * n, 6);
          const back = (await run('raster.fromFeatures', { features: f, like: r }, { value: 'value' })).outputs[0]!
            .data as Raster;
          expect(Array.from(back.bands[0]!.cells, (v) => (v === v ? v : null))).toEqual(values);
          const again = (
            await run('raster.fromFeatures', { features: p.outputs[0]!.data as Features, like: r }, { value: 'value' })
          ).outputs[0]!.data as Raster;
          expect(Array.from(again.bands[0]!.cells, (v) => (v === v ? v : null))).toEqual(values);
        },
      ),
      { numRuns: 40 },
    );
  });
  it('texts become classes with their labels', async () => {
    const f = polygons(
      [
        [
          [0, 0],
          [20, 0],
          [20, 10],
          [0, 10],
          [0, 0],
        ],
        [
          [0, 10],
          [10, 10],
          [10, 20],
          [0, 20],
          [0, 10],
        ],
      ],
      [textColumn('class', ['moor', 'arable'])],
    );
    const o = await run('raster.fromFeatures', { features: f }, { value: 'class', cellSize: '10 m' });
    const b = (o.outputs[0]!.data as Raster).bands[0]!;
    expect([...b.cells]).toEqual([1, MISSING_CLASS, 2, 2]);
    expect(b.classes!.map((c) => c.label)).toEqual(['arable', 'moor']);
    expect((await refusalOf(run('raster.toPolygons', { raster: rasterOf(2, [1.5, 2]) }))).message).toContain('Recode');
  });
});

describe('points that no surface can be laid through', () => {
  const at = (x: number[], z: number[], y = x): Features => points(x, y, [numberColumn('z', z)]);
  const SURFACES = ['nearest', 'idw', 'spline', 'kriging', 'variogram', 'validate'];
  for (const id of SURFACES)
    it(`are refused by surface.${id} in words, whatever the settings`, async () => {
      const why = async (p: Features): Promise<string> =>
        (await refusalOf(run(`surface.${id}`, { points: p }, { value: 'z' }))).message;
      expect(await why(at([178600], [1]))).toBe('points: at least three points are wanted; there is 1.');
      expect(await why(at([1, 2], [1, 2]))).toContain('there are 2');
      expect(await why(at([5, 5, 5, 5], [1, 2, 3, 4]))).toBe(
        'points: all 4 points lie at one place; a surface needs several.',
      );
    });
  it('but one point has all the land as its Thiessen polygon', async () => {
    const o = await run('surface.thiessen', { points: at([178600], [1]) }, { bounds: '0,0,10,20' });
    expect(featureArea(o.outputs[0]!.data as Features, 0)).toBeCloseTo(200, 6);
  });
  it('or whose values cannot be squared', async () => {
    const r = new Random(3);
    const far = Array.from({ length: 20 }, () => 1000 * r.uniform());
    const p = at(far, far.map((_, i) => (i === 7 ? 1e300 : i)), far.map((v) => (v * 7) % 1000)); // prettier-ignore
    const { message } = await refusalOf(run('surface.variogram', { points: p }, { value: 'z' }));
    expect(message).toContain('1e+300 of point 8');
  });
});

describe('values without any pattern', () => {
  it('are mostly said to know little of their surroundings, those of the meuse never', async () => {
    const codes = async (p: Features, value: string): Promise<string[]> =>
      (await run('surface.variogram', { points: p }, { value })).notes.map((n) => n.code);
    const known = (all: string[]): boolean => !all.includes('variogram.none') && !all.includes('variogram.short');
    let fooled = 0;
    for (let seed = 1; seed <= 20; seed++) {
      const r = new Random(seed);
      const list = (size: number): number[] => Array.from({ length: 80 }, () => size * r.uniform());
      const noise = points(list(1000), list(1000), [numberColumn('z', list(1))]);
      if (known(await codes(noise, 'z'))) fooled++;
    }
    // Chance looks like a pattern now and then.
    expect(fooled).toBeLessThan(7);
    expect(known(await codes(zinc, 'zinc'))).toBeTrue();
  });
});

describe('the cost of a surface', () => {
  it('follows its bounds and not the extent of its points', () => {
    const b = new FeaturesBuilder();
    for (const [x, y] of [
      [0, 0],
      [100, 0],
      [0, 100],
    ] as const)
      b.point(x, y);
    const points = b.build('point', crsOfCode(32627), [numberColumn('v', [1, 2, 3])]);
    for (const id of ['surface.idw', 'surface.nearest', 'surface.kriging', 'surface.spline']) {
      const f = forecast(
        methodOf(id),
        { points: [infoOf(points)] },
        { value: 'v', cellSize: '10 m', bounds: '0,0,100000,50000' },
      );
      expect(f.estimate!.cells).withContext(id).toBe(50_000_000);
      expect(f.estimate!.bytes)
        .withContext(id)
        .toBeGreaterThanOrEqual(4 * 50_000_000);
    }
  });
});

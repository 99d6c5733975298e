import { MISSING_CLASS, type Raster } from '../../data/raster';
import type { Table } from '../../data/table';
import { iris, reference } from '../../numeric/imagery-fixture';
import { Random } from '../../numeric/random';
import { refusalOf, run, runRaster } from '../../testing';
import { sceneOf } from './scenes';

const flowers = sceneOf(15, iris, 4, ['sepal length', 'sepal width', 'petal length', 'petal width']);
const columnOf = (t: Table, name: string): Float64Array =>
  t.columns.find((c) => c.name === name)!.values as Float64Array;

/** Cells of three kinds, with noise; the first is missing in a band. */
function fields(): { scene: Raster; truth: number[] } {
  const r = new Random(4);
  const kinds = [
    [10, 50, 20],
    [60, 20, 80],
    [90, 95, 10],
  ];
  const truth = Array.from({ length: 900 }, (_, i) => (i % 30 < 10 ? 0 : Math.floor(i / 30) < 12 ? 1 : 2));
  const x = truth.flatMap((k) => kinds[k]!.map((v) => v + 2 * r.normal()));
  x[1] = NaN;
  return { scene: sceneOf(30, x, 3), truth };
}

describe('imagery.components', () => {
  it('are NumPy’s, in loadings and in cells', async () => {
    const { out, outcome } = await runRaster('imagery.components', { scene: flowers }, { count: 2 });
    const loadings = outcome.outputs[1]!.data as Table;
    const { values, vectors } = reference.components;
    expect(
      [...columnOf(loadings, 'component 2')].slice(0, 4).every((v, j) => Math.abs(v - vectors[1]![j]!) < 1e-6),
    ).toBeTrue();
    expect(columnOf(loadings, 'component 1')[4]! / values[0]!).toBeCloseTo(1, 6);
    const whole = values.reduce((s, v) => s + v, 0);
    expect(outcome.figures['explained']).toBeCloseTo((values[0]! + values[1]!) / whole, 6);
    expect(
      String(outcome.figures['variances'])
        .split(', ')
        .map((v) => Number(v).toFixed(3)),
    ).toEqual(['4.228', '0.243']);
    // A cell by hand: its deviations from the means, weighted.
    const mean = [0, 1, 2, 3].map((j) => reference.iris.x.reduce((s, r) => s + r[j]!, 0) / 150);
    const wanted = reference.iris.x[70]!.reduce((s, v, j) => s + (v - mean[j]!) * vectors[0]![j]!, 0);
    expect(out.bands[0]!.cells[70]).toBeCloseTo(wanted, 5);
  });

  it('standardised weigh every band alike; more than there are bands are not made', async () => {
    const { out, outcome } = await runRaster('imagery.components', { scene: flowers }, { count: 9, standardise: true });
    expect(out.bands.length).toBe(4);
    expect(outcome.figures['explained']).toBeCloseTo(1, 9);
    const first = Number(String(outcome.figures['variances']).split(', ')[0]);
    expect(first / reference.standardised.values[0]!).toBeCloseTo(1, 6);
  });
});

describe('imagery.index', () => {
  const scene = (roles?: string[], names?: string[]) =>
    sceneOf(3, [500, 3000, 0, 0, 1000, 1000], 2, names ?? ['a', 'b'], roles);

  it('takes bands by their role, by their name, and by their number', async () => {
    const wanted = [Math.fround(2500 / 3500), NaN, 0];
    for (const [s, p] of [
      [scene(['red', 'nir']), {}],
      [scene(undefined, ['scene_RED', 'scene-NIR']), {}],
      [scene(), { red: 'a', nir: 'b' }],
      [scene(), { red: '1', nir: '2' }],
    ] as const) {
      const { out, outcome } = await runRaster('imagery.index', { scene: s }, p);
      expect([...out.bands[0]!.cells]).toEqual(wanted);
      expect(outcome.figures['max']).toBeCloseTo(2500 / 3500, 6);
    }
  });

  it('is refused where roles are neither known nor given', async () => {
    expect((await refusalOf(run('imagery.index', { scene: scene() }))).message).toContain('nir (760 to 1000 nm)');
    expect((await refusalOf(run('imagery.index', { scene: scene() }, { red: 'c', nir: '2' }))).message).toContain(
      '"c"',
    );
    expect((await refusalOf(run('imagery.index', { scene: scene() }, { red: '2', nir: '2' }))).message).toContain(
      'One band',
    );
    expect((await refusalOf(run('imagery.index', { scene: scene(['nir', 'nir']) }, { red: '1' }))).message).toContain(
      '2 bands are nir',
    );
  });

  it('that has constants in reflectance knows what stands for 1', async () => {
    const s = sceneOf(1, [400, 600, 3200], 3, ['blue', 'red', 'nir']);
    const { out, outcome } = await runRaster('imagery.index', { scene: s }, { index: 'evi' });
    expect(outcome.params['scale']).toBe(10000);
    // 2.5 × 0.26 / (0.32 + 6 × 0.06 - 7.5 × 0.04 + 1)
    expect(out.bands[0]!.cells[0]).toBeCloseTo((2.5 * 0.26) / (0.32 + 0.36 - 0.3 + 1), 6);
    const savi = await runRaster('imagery.index', { scene: s }, { index: 'savi' });
    expect(savi.out.bands[0]!.cells[0]).toBeCloseTo((1.5 * 0.26) / (0.38 + 0.5), 6);
  });
});

describe('imagery.cluster', () => {
  for (const method of ['kmeans', 'exchange', 'both', 'isodata'])
    it(`finds the kinds of surface there are, by ${method}`, async () => {
      const { scene, truth } = fields();
      const { out, outcome } = await runRaster('imagery.cluster', { scene }, { method, k: 3 });
      const cells = out.bands[0]!.cells;
      expect(cells[0]).toBe(MISSING_CLASS);
      // Numbered from the darkest: 80, 160 and 195 in all bands together.
      for (let i = 1; i < truth.length; i++) expect(cells[i]).toBe(truth[i]! + 1);
      const t = outcome.outputs[1]!.data as Table;
      expect(t.columns.map((c) => c.name)).toEqual([
        'cluster',
        'cells',
        'mean_band 1',
        'mean_band 2',
        'mean_band 3',
        'sd_band 1',
        'sd_band 2',
        'sd_band 3',
      ]);
      expect([...columnOf(t, 'cells')]).toEqual([299, 240, 360]);
      expect(columnOf(t, 'mean_band 1')[1]).toBeCloseTo(60, 0);
      expect(columnOf(t, 'sd_band 3')[2]).toBeGreaterThan(1.7);
      expect(columnOf(t, 'sd_band 3')[2]).toBeLessThan(2.3);
      expect(outcome.figures['clusters']).toBe(3);
      expect(outcome.figures['cells']).toBe(899);
      expect(outcome.figures['withinVariance']).toBeGreaterThan(9);
      expect(outcome.figures['withinVariance']).toBeLessThan(15);
    });

  it('is as narrow as scikit-learn’s best of ten, and exchange no wider', async () => {
    const wanted = reference.inertia.iris['3']! / 150;
    const at = async (method: string, seed = {}) =>
      (await run('imagery.cluster', { scene: flowers }, { method, k: 3, maxIterations: 100, ...seed })).figures[
        'withinVariance'
      ] as number;
    const [nearest, both] = [await at('kmeans'), await at('both')];
    expect(nearest / wanted).toBeLessThan(1.01);
    expect(both).toBeLessThanOrEqual(nearest + 1e-9);
    expect(await at('kmeans', { standardise: true })).toBeGreaterThan(wanted);
  });

  it('says when it stopped at the limit, and what is left', async () => {
    const r = new Random(2);
    const x = Array.from({ length: 4000 }, () => 100 * r.uniform());
    const o = await run(
      'imagery.cluster',
      { scene: sceneOf(50, x, 2) },
      { method: 'exchange', k: 12, maxIterations: 1 },
    );
    expect(o.notes.map((n) => n.code)).toContain('cluster.limit');
    expect(o.figures['iterations']).toBe(1);
  });

  it('takes the means from a sample on wish, says so, and gives every cell the nearest', async () => {
    const { scene, truth } = fields();
    const { out, outcome } = await runRaster('imagery.cluster', { scene }, { k: 3, sample: 150 });
    expect([...out.bands[0]!.cells].slice(1)).toEqual(truth.slice(1).map((k) => k + 1));
    expect(outcome.notes.find((n) => n.code === 'cluster.sample')!.message).toContain('150 cells');
    expect(outcome.figures['cells']).toBe(899);
  });

  it('of fewer kinds of cells than clusters makes as many as there are', async () => {
    const o = await run('imagery.cluster', { scene: sceneOf(3, [1, 1, 1, 5, 5, 9], 1) }, { k: 6 });
    expect(o.figures['clusters']).toBe(3);
    expect(o.figures['withinVariance']).toBe(0);
    expect(o.notes.map((n) => n.code)).toContain('cluster.fewer');
  });

  it('refuses classes and scenes without a whole cell', async () => {
    const classes = sceneOf(3, [1, 2, 3], 1);
    Object.assign(classes.bands[0]!, { kind: 'category', cells: Int32Array.of(1, 2, 3) });
    expect((await refusalOf(run('imagery.cluster', { scene: classes }))).message).toContain('raster of classes');
    const empty = sceneOf(2, [1, NaN, NaN, 2], 2);
    expect((await refusalOf(run('imagery.cluster', { scene: empty }))).message).toContain(
      'No cell has a value in every band',
    );
  });
});

import { setupNode } from '../../../../node/src/index';
import { FeaturesBuilder, type Features } from '../../data/features';
import { MISSING_CLASS, type Band, type Raster } from '../../data/raster';
import { gridOf, refusalOf, runRaster, run, utm27 } from '../../testing';
import { bandFacts } from '../../data/band-facts';

beforeAll(setupNode);

/** Squares by their lower left corner and side. */
function squares(all: [x: number, y: number, side: number][]): Features {
  const b = new FeaturesBuilder();
  for (const [x, y, s] of all) {
    for (const [i, j] of [
      [0, 0],
      [1, 0],
      [1, 1],
      [0, 1],
      [0, 0],
    ] as const)
      b.coordinate(400000 + x + s * i, 6459000 + y + s * j);
    b.endRing();
    b.endPart();
    b.endFeature();
  }
  return b.build('polygon', utm27(), []);
}
const measure = (columns: number, rows: number, cells: Float32Array): Raster => ({
  kind: 'raster',
  grid: gridOf(columns, rows),
  bands: [{ name: 'z', unit: 'm', kind: 'measure', storedType: 'float32', missingCode: null, cells }],
});

describe('areas that overlap', () => {
  const r = measure(
    100,
    100,
    Float32Array.from({ length: 10_000 }, (_, i) => i),
  );
  // Two squares of 500 m that share 250 by 250 m: 2 × 2 500 less 625 cells.
  const two = squares([
    [0, 0, 500],
    [250, 250, 500],
  ]);

  it('keep all cells of their union when a raster is clipped by them', async () => {
    const { outcome } = await runRaster('raster.clip', { raster: r, area: two });
    expect(outcome.figures['cells']).toBe(4375);
  });

  it('limit a surface to their union', async () => {
    const b = new FeaturesBuilder();
    for (const [x, y] of [
      [10, 10],
      [700, 40],
      [300, 710],
    ] as const)
      b.point(400000 + x, 6459000 + y);
    const points = b.build('point', utm27(), [
      { name: 'v', type: 'number', unit: null, values: Float64Array.of(1, 2, 3) },
    ]);
    const o = await run(
      'surface.idw',
      { points, within: two },
      { value: 'v', cellSize: '10 m', bounds: '400000,6459000,401000,6460000' },
    );
    const cells = (o.outputs[0]!.data as Raster).bands[0]!.cells as Float32Array;
    expect(cells.reduce((n, v) => n + (v === v ? 1 : 0), 0)).toBe(4375);
  });

  it('are each measured whole, as the cells pass or put together', async () => {
    const o = await run(
      'raster.zonal',
      { raster: r, zones: two },
      { statistics: 'count, sum, mean, sd, median, variety' },
    );
    const columns = (o.outputs[0]!.data as Features).columns;
    const of = (name: string): number[] => [...(columns.find((c) => c.name === name)!.values as Float64Array)];
    expect(of('count')).toEqual([2500, 2500]);
    expect(of('variety')).toEqual([2500, 2500]);
    // Rows 50 to 99, columns 0 to 49: the middle of the values and their mean are alike.
    expect(of('mean')[0]).toBeCloseTo(7474.5, 9);
    expect(of('median')[0]).toBeCloseTo(7474.5, 9);
    expect(of('sum')[0]).toBeCloseTo(7474.5 * 2500, 3);
  });
});

describe('the facts of a band', () => {
  it('do not keep step with stripes of the grid', () => {
    const n = 4000;
    const cells = new Float32Array(n * n);
    // Every eightieth column is a thousand, all others are their number: a sample every eighty cells sees one column only.
    for (let i = 0; i < cells.length; i++) cells[i] = i % 80 === 0 ? 1000 : i % n;
    const facts = bandFacts({ ...measure(1, 1, cells).bands[0]!, unit: null }, gridOf(n, n));
    expect(Math.abs(facts.percentiles['50']! - 1987)).toBeLessThan(40);
    expect(facts.distinct).toBe(256);
  });
});

describe('a stack of measures and classes', () => {
  const classes: Band = {
    name: 'cover',
    unit: null,
    kind: 'category',
    storedType: 'int16',
    missingCode: -1,
    cells: Int32Array.from({ length: 64 }, (_, i) => (i % 9 === 0 ? MISSING_CLASS : 1 + (i % 3))),
  };
  const stack = measure(
    8,
    8,
    Float32Array.from({ length: 64 }, (_, i) => i / 2),
  );
  stack.bands.push(classes);

  it('is brought to other cells with its classes never averaged, and says so', async () => {
    for (const resampling of ['bilinear', 'cubic', 'mean', 'auto']) {
      const { out, outcome } = await runRaster('raster.resample', { raster: stack }, { cellSize: '15 m', resampling });
      const found = new Set(out.bands[1]!.cells);
      for (const v of found) expect([1, 2, 3, MISSING_CLASS]).withContext(resampling).toContain(v);
      expect(outcome.notes.some((n) => n.code === 'resampling.bands')).toBe(resampling !== 'auto');
      const projected = await runRaster(
        'raster.reproject',
        { raster: stack },
        { crs: 'EPSG:32628', cellSize: '12 m', resampling },
      );
      for (const v of new Set(projected.out.bands[1]!.cells))
        expect([1, 2, 3, MISSING_CLASS]).withContext(resampling).toContain(v);
    }
    const only = { ...stack, bands: [classes] };
    expect(
      (await refusalOf(run('raster.resample', { raster: only }, { cellSize: '15 m', resampling: 'mean' }))).code,
    ).toBe('method.refused');
  });
});

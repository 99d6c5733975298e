import reference from '../../../../../reference/fixtures/grids.json';
import { setupNode } from '../../../../node/src/index';
import { FeaturesBuilder, featureCount, type Features } from '../../data/features';
import { featureArea } from '../../data/measure';
import { MISSING_CLASS, type Band, type Raster } from '../../data/raster';
import { numberColumn, textColumn, type Table } from '../../data/table';
import { refusalOf, run, runRaster, utm27 } from '../../testing';

beforeAll(setupNode);

const { width: W, height: H, cell, x: X, y: Y } = reference;
const grid = { crs: utm27(), x: X, y: Y, dx: cell, dy: cell, columns: W, rows: H };
const measured = (values: readonly (number | null)[], over: Partial<Band> = {}): Raster => ({
  kind: 'raster',
  grid,
  bands: [
    {
      name: 'v',
      unit: 'm',
      kind: 'measure',
      storedType: 'float64',
      missingCode: null,
      cells: Float64Array.from(values, (v) => v ?? NaN),
      ...over,
    },
  ],
});
const classed = (values: readonly number[]): Raster =>
  measured([], { kind: 'category', unit: null, storedType: 'int16', cells: Int32Array.from(values) });
const cellsOf = (r: Raster): number[] => [...r.bands[0]!.cells];
/** Every cell as near as nine digits of the fixture allow; missing where it is missing. */
function same(got: ArrayLike<number>, wanted: readonly (number | null)[]): void {
  expect(got.length).toBe(wanted.length);
  const off = wanted.findIndex((v, i) => (v === null ? !Number.isNaN(got[i]) : !(Math.abs(got[i]! - v) < 1e-6)));
  expect(off).withContext(`cell ${off}: ${got[off]} and not ${wanted[off]}`).toBe(-1);
}

function lines(all: number[][][]): Features {
  const b = new FeaturesBuilder();
  for (const line of all) {
    for (const [x, y] of line) b.coordinate(x!, y!);
    b.endRing();
    b.endPart();
    b.endFeature();
  }
  return b.build('line', utm27(), [numberColumn('n', all.map((_, i) => i + 1))]); // prettier-ignore
}
const polygons = (all: number[][][]): Features => ({ ...lines(all), geometry: 'polygon' });
function points(all: number[][]): Features {
  const b = new FeaturesBuilder();
  for (const [x, y] of all) b.point(x!, y!);
  return b.build('point', utm27(), [numberColumn('n', all.map((_, i) => i + 1))]); // prettier-ignore
}

describe('features burnt into a grid', () => {
  const like = measured(new Array<number>(W * H).fill(0));
  const burnt = (f: Features): Promise<number[]> =>
    runRaster('raster.fromFeatures', { features: f, like }, { value: 'n' }).then(({ out }) =>
      cellsOf(out).map((v) => (Number.isNaN(v) ? 0 : v)),
    );
  it('areas by the centres of cells, as rasterio does', async () =>
    expect(await burnt(polygons(reference.polygons))).toEqual(reference.burnt.polygons));
  it('lines by every cell they pass through', async () =>
    expect(await burnt(lines(reference.lines))).toEqual(reference.burnt.lines));
  it('points by the cell they lie in', async () =>
    expect(await burnt(points(reference.points))).toEqual(reference.burnt.points));
  it('texts become classes with their labels, missing ones are left out', async () => {
    const f = {
      ...points([
        [X + 5, Y - 5],
        [X + 15, Y - 5],
        [X + 25, Y - 5],
      ]),
      columns: [{ ...textColumn('kind', ['reed', 'moor', '']), missing: Uint8Array.of(0, 0, 1) }],
    };
    const { out, outcome } = await runRaster('raster.fromFeatures', { features: f, like }, { value: 'kind' });
    const band = out.bands[0]!;
    expect(band.classes!.map((c) => [c.value, c.label])).toEqual([
      [1, 'moor'],
      [2, 'reed'],
    ]);
    expect([...band.cells.slice(0, 4)]).toEqual([2, 1, MISSING_CLASS, MISSING_CLASS]);
    expect(outcome.figures['cells']).toBe(2);
  });
  it('without a grid to lie on lie over their extent; a grid too large is refused with its size', async () => {
    const f = points([
      [X + 5, Y - 5],
      [X + 995, Y - 495],
    ]);
    const { out } = await runRaster('raster.fromFeatures', { features: f }, { value: 'n', cellSize: '50 m' });
    expect([out.grid.x, out.grid.y, out.grid.columns, out.grid.rows]).toEqual([X, Y, 20, 10]);
    const why = await refusalOf(run('raster.fromFeatures', { features: f }, { value: 'n', cellSize: '1 mm' }));
    expect(why.message).toContain('990000 × 490000 cells');
    expect((await refusalOf(run('raster.fromFeatures', { features: f }, { value: 'nope' }))).message).toContain(
      '"nope"',
    );
  });
});

describe('areas of equal cells', () => {
  for (const connect of ['4', '8'] as const)
    it(`are rasterio’s, over ${connect} neighbours`, async () => {
      const o = await run('raster.toPolygons', { raster: classed(reference.classes) }, { connect });
      const f = o.outputs[0]!.data as Features;
      const value = f.columns.find((c) => c.name === 'value')!.values as Float64Array;
      const got = Array.from({ length: featureCount(f) }, (_, i) => [value[i]!, Math.round(featureArea(f, i))]);
      const wanted = reference[connect === '4' ? 'areas4' : 'areas8'].map(([v, a]) => [v!, Math.round(a!)]);
      const order = (a: number[], b: number[]): number => a[0]! - b[0]! || a[1]! - b[1]!;
      expect(got.sort(order)).toEqual(wanted.sort(order));
    });
  it('and back again are the same grid', async () => {
    const raster = classed(reference.classes);
    const f = (await run('raster.toPolygons', { raster })).outputs[0]!.data as Features;
    const { out } = await runRaster('raster.fromFeatures', { features: f, like: raster }, { value: 'value' });
    expect(cellsOf(out)).toEqual(reference.classes);
  });
});

describe('statistics within a disc', () => {
  const values = measured(reference.values);
  const radius = `${reference.radius} m`;
  for (const statistic of ['mean', 'median', 'min', 'max', 'sd'] as const)
    it(`${statistic}: SciPy’s, missing cells left out and kept`, async () =>
      same(
        cellsOf((await runRaster('raster.smooth', { raster: values }, { statistic, radius })).out),
        reference.smooth[statistic],
      ));
  it('majority: SciPy’s, the smallest of equals', async () =>
    same(
      cellsOf(
        (await runRaster('raster.smooth', { raster: measured(reference.whole) }, { statistic: 'majority', radius }))
          .out,
      ),
      reference.smooth.majority,
    ));
  it('refuses other statistics for classes and says when nothing lies within the radius', async () => {
    const why = await refusalOf(
      run('raster.smooth', { raster: classed(reference.classes) }, { statistic: 'mean', radius }),
    );
    expect(why.message).toContain('most frequent');
    const small = await run('raster.smooth', { raster: values }, { radius: '3 m' });
    expect(small.notes.map((n) => n.code)).toContain('smooth.small');
    same(cellsOf(small.outputs[0]!.data as Raster), reference.values);
  });
});

describe('a hole', () => {
  it('filled by the membrane solves Laplace’s equation, as SciPy’s sparse solver does', async () => {
    const { out, outcome } = await runRaster('raster.fillGaps', { raster: measured(reference.holed) });
    const cells = cellsOf(out);
    expect(outcome.figures['filledCells']).toBe(reference.hole.length);
    same(
      reference.hole.map((i) => cells[i]!),
      reference.solved,
    );
  });
});

describe('coarser cells', () => {
  it('are means and modes of the finer ones, as GDAL makes them', async () => {
    const mean = await runRaster('raster.resample', { raster: measured(reference.ground) }, { cellSize: '30 m', resampling: 'mean' }); // prettier-ignore
    same(cellsOf(mean.out), reference.mean3);
    const mode = await runRaster('raster.resample', { raster: classed(reference.classes) }, { cellSize: '30 m', resampling: 'mode' }); // prettier-ignore
    const finer = (i: number): number[] =>
      Array.from({ length: 9 }, (_, k) => {
        const [r, c] = [3 * Math.floor(i / (W / 3)) + Math.floor(k / 3), 3 * (i % (W / 3)) + (k % 3)];
        return reference.classes[r * W + c]!;
      });
    cellsOf(mode.out).forEach((v, i) => {
      const count = (x: number): number => finer(i).filter((y) => y === x).length;
      // Where two classes are as frequent, the two take another of them.
      if (v !== reference.mode3[i]) expect(count(v)).withContext(`cell ${i}`).toBe(count(reference.mode3[i]!));
    });
  });
});

describe('the description of a grid', () => {
  it('has NumPy’s percentiles, mean and standard deviation', async () => {
    const o = await run('raster.statistics', { raster: measured(reference.values) }, { percentiles: reference.percentiles.join(',') }); // prettier-ignore
    expect(o.figures['mean'] as number).toBeCloseTo(reference.average, 9);
    expect(o.figures['sd'] as number).toBeCloseTo(reference.sd, 9);
    const table = o.outputs[0]!.data as Table;
    const found = table.columns.filter((c) => /^p/.test(c.name)).map((c) => (c.values as Float64Array)[0]!);
    expect(found.length).toBe(reference.percentiles.length);
    found.forEach((v, i) => expect(v).toBeCloseTo(reference.quantiles[i]!, 6));
  });
});

import fc from 'fast-check';
import warpCase from '../../../../../reference/fixtures/warp.json';
import { crsOfCode } from '../../data/crs';
import { cellArea, measureRaster, MISSING_CLASS, type Raster } from '../../data/raster';
import type { Features } from '../../data/features';
import { Random } from '../../numeric/random';
import { gridOf, rasterOf, refusalOf, run, runRaster, warped } from '../../testing';
import { roundNear } from './reproject';

const part = (r: Raster, c0: number, r0: number, columns: number, rows: number): Raster => {
  const cells = new Float32Array(columns * rows);
  for (let y = 0; y < rows; y++)
    for (let x = 0; x < columns; x++) cells[y * columns + x] = r.bands[0]!.cells[(r0 + y) * r.grid.columns + c0 + x]!;
  return measureRaster({ ...r.grid, x: r.grid.x + c0 * 10, y: r.grid.y - r0 * 10, columns, rows }, cells, {
    name: 'tile',
    unit: 'm',
    storedType: 'int16',
  });
};

describe('mosaic', () => {
  it('of the parts of a grid is that grid, under every rule', () => {
    fc.assert(
      fc.asyncProperty(
        fc.integer(),
        fc.integer({ min: 4, max: 20 }),
        fc.integer({ min: 4, max: 20 }),
        fc.integer({ min: 0, max: 3 }),
        async (seed, w, h, lap) => {
          const r = new Random(seed);
          const whole = rasterOf(
            w,
            Array.from({ length: w * h }, () => (r.uniform() < 0.1 ? null : r.below(500))),
          );
          const cx = Math.max(1, Math.min(w - 1, 1 + r.below(w - 1)));
          const cy = Math.max(1, Math.min(h - 1, 1 + r.below(h - 1)));
          const right = Math.min(w, cx + lap);
          const low = Math.min(h, cy + lap);
          const tiles = [
            part(whole, 0, 0, right, low),
            part(whole, cx, 0, w - cx, low),
            part(whole, 0, cy, right, h - cy),
            part(whole, cx, cy, w - cx, h - cy),
          ];
          for (const overlap of ['first', 'last', 'mean', 'min', 'max', 'blend']) {
            const { out } = await runRaster('raster.mosaic', { tiles }, { overlap });
            expect(out.grid).toEqual(whole.grid);
            out.bands[0]!.cells.forEach((v, i) => {
              const e = whole.bands[0]!.cells[i]!;
              if (Number.isNaN(e)) expect(v).toBeNaN();
              else expect(v).toBeCloseTo(e, 3);
            });
          }
        },
      ),
      { numRuns: 15 },
    );
  });

  it('decides overlaps by the rule, counts them, and never lets a missing cell cover a value', async () => {
    const a = rasterOf(3, [1, 1, 1]);
    const b = rasterOf(3, [5, null, 9], { x: 400010 });
    const value = async (overlap: string): Promise<number[]> => [
      ...(await runRaster('raster.mosaic', { tiles: [a, b] }, { overlap })).out.bands[0]!.cells,
    ];
    expect(await value('first')).toEqual([1, 1, 1, 9]);
    expect(await value('last')).toEqual([1, 5, 1, 9]);
    expect(await value('mean')).toEqual([1, 3, 1, 9]);
    expect(await value('max')).toEqual([1, 5, 1, 9]);
    const { outcome } = await runRaster('raster.mosaic', { tiles: [a, b] });
    expect(outcome.figures).toEqual({ tiles: 2, overlapCells: 1, missingCells: 0, enclosedCells: 0 });
  });

  it('reports a tile that lies level above the others', async () => {
    const a = rasterOf(
      10,
      Array.from({ length: 100 }, (_, i) => i % 7),
    );
    const b = measureRaster(
      { ...a.grid, x: a.grid.x + 50 },
      Float32Array.from({ length: 100 }, (_, i) => ((i % 10) + 5 < 10 ? a.bands[0]!.cells[i + 5]! : 3) + 4),
      { name: 'b', unit: 'm' },
    );
    const { outcome } = await runRaster('raster.mosaic', { tiles: [a, b] });
    expect(outcome.notes.find((n) => n.code === 'mosaic.step')?.message).toContain('4.00 m above');
  });

  it('refuses tiles of unlike systems or cell sizes, naming the tile', async () => {
    const a = rasterOf(2, [1, 2, 3, 4]);
    const e = await refusalOf(run('raster.mosaic', { tiles: [a, rasterOf(2, [1, 2, 3, 4], { dx: 20, dy: 20 })] }));
    expect(e.code).toBe('method.refused');
    expect(e.message).toContain('Tile 2');
    const f = await refusalOf(
      run('raster.mosaic', { tiles: [a, rasterOf(2, [1, 2, 3, 4], { crs: crsOfCode(32628) })] }),
    );
    expect(f.message).toContain('UTM zone 28N');
    expect((await refusalOf(run('raster.mosaic', { tiles: [a] }))).code).toBe('method.input');
  });
});

describe('gaps', () => {
  const n = null;
  const holed = rasterOf(7, [
    n,
    1,
    1,
    1,
    1,
    1,
    1,
    1,
    1,
    1,
    1,
    1,
    n,
    1,
    1,
    n,
    n,
    1,
    1,
    1,
    1,
    1,
    n,
    1,
    n,
    1,
    1,
    n,
    1,
    n,
    n,
    n,
    1,
    1,
    n,
    1,
    1,
    1,
    1,
    1,
    1,
    1,
  ]);

  it('counts only holes that do not reach the edge, with cells and area', async () => {
    const o = await run('raster.gaps', { raster: holed });
    expect(o.figures).toEqual({ gaps: 2, gapCells: 8, gapArea: 800 });
    const f = o.outputs[0]!.data as Features;
    expect([...(f.columns[0]!.values as Float64Array)]).toEqual([1, 7]);
  });

  it('outlines them along the cell edges, with the area of the rings equal to the cells', async () => {
    const f = (await run('raster.gaps', { raster: holed })).outputs[0]!.data as Features;
    // Shoelace over all rings: outer counter-clockwise, islands clockwise.
    let area = 0;
    for (let r = 0; r < f.ringOffsets.length - 1; r++) {
      for (let i = f.ringOffsets[r]!; i < f.ringOffsets[r + 1]! - 1; i++)
        area +=
          (f.xy[2 * i]! - 400000) * (f.xy[2 * i + 3]! - 6460000) -
          (f.xy[2 * i + 2]! - 400000) * (f.xy[2 * i + 1]! - 6460000);
    }
    expect(area / 2).toBeCloseTo(800, 6);
  });

  it('on a ring-shaped hole gives an outer ring and the island in it', async () => {
    const ring = rasterOf(5, [1, 1, 1, 1, 1, 1, n, n, n, 1, 1, n, 1, n, 1, 1, n, n, n, 1, 1, 1, 1, 1, 1]);
    const f = (await run('raster.gaps', { raster: ring })).outputs[0]!.data as Features;
    expect(f.partOffsets.length - 1).toBe(1);
    expect(f.ringOffsets.length - 1).toBe(2);
  });
});

describe('filling gaps', () => {
  const plane = (gap: (i: number) => boolean): (number | null)[] =>
    Array.from({ length: 144 }, (_, i) => (gap(i) ? null : 2 * (i % 12) + 3 * Math.floor(i / 12)));
  const inside = (i: number): boolean => i % 12 > 2 && i % 12 < 8 && Math.floor(i / 12) > 3 && Math.floor(i / 12) < 9;

  it('by membrane restores a plane, and leaves missing cells at the edge', async () => {
    const { out, outcome } = await runRaster('raster.fillGaps', {
      raster: rasterOf(
        12,
        plane((i) => inside(i) || i < 3),
      ),
    });
    expect(outcome.figures['filledCells']).toBe(25);
    out.bands[0]!.cells.forEach((v, i) =>
      i < 3 ? expect(v).toBeNaN() : expect(v).toBeCloseTo(2 * (i % 12) + 3 * Math.floor(i / 12), 4),
    );
  });

  it('by nearest and inverse distance stays within the rim, and a greatest distance leaves the middle', async () => {
    const holed = rasterOf(12, plane(inside));
    for (const method of ['nearest', 'idw']) {
      const { out } = await runRaster('raster.fillGaps', { raster: holed }, { method });
      const middle = out.bands[0]!.cells[6 * 12 + 5]!;
      expect(middle).toBeGreaterThan(4);
      expect(middle).toBeLessThan(43);
    }
    const near = await runRaster('raster.fillGaps', { raster: holed }, { maxDistance: 20 });
    expect(near.outcome.figures['filledCells']).toBe(24);
    expect(near.out.bands[0]!.cells[6 * 12 + 5]).toBeNaN();
  });
});

describe('reprojection', () => {
  const s = warpCase.source;
  const t = warpCase.target;
  const source = measureRaster(
    { crs: crsOfCode(4326), x: s.x, y: s.y, dx: s.d, dy: s.d, columns: s.columns, rows: s.rows },
    Float32Array.from(s.cells),
    { name: 'z', unit: 'm', storedType: 'int16' },
  );
  const target = { crs: crsOfCode(32627), x: t.x, y: t.y, dx: t.size, dy: t.size, columns: t.columns, rows: t.rows };

  it('equals pyproj coordinates with SciPy interpolation', async () => {
    const bilinear = (await warped(source, target, 'bilinear')).bands[0]!.cells;
    warpCase.bilinear.forEach((v, i) => expect(Math.abs(bilinear[i]! - v)).toBeLessThan(1e-6 * Math.abs(v)));
    const nearest = (await warped(source, target, 'nearest')).bands[0]!.cells;
    const unlike = warpCase.nearest.filter((v, i) => nearest[i] !== v).length;
    expect(unlike).toBe(0);
  });

  it('suggests the UTM zone and a round cell size, and keeps the value range', async () => {
    const { out, outcome } = await runRaster('raster.reproject', { raster: source });
    expect(outcome.params).toEqual({ crs: 'EPSG:32627', cellSize: '30 m', resampling: 'bilinear' });
    expect(out.grid.x % 30).toBe(0);
    const f = outcome.figures as Record<string, number>;
    expect(f['minAfter']!).toBeGreaterThanOrEqual(f['minBefore']!);
    expect(f['maxAfter']!).toBeLessThanOrEqual(f['maxBefore']!);
    expect(out.bands[0]!.storedType).toBe('float32');
  });

  it('takes nearest for classes, averages by cell centres, and refuses to average classes', async () => {
    const g = gridOf(4, 4);
    const classes: Raster = {
      kind: 'raster',
      grid: g,
      bands: [
        {
          name: 'c',
          unit: null,
          kind: 'category',
          storedType: 'uint8',
          missingCode: 0,
          classes: [],
          cells: Int32Array.from([1, 1, 2, 2, 1, 3, 2, 2, MISSING_CLASS, 4, 5, 5, 4, 4, 5, 6]),
        },
      ],
    };
    const { out } = await runRaster(
      'raster.reproject',
      { raster: classes },
      { crs: 'EPSG:32627', cellSize: 20, resampling: 'mode' },
    );
    expect([...out.bands[0]!.cells]).toEqual([1, 2, 4, 5]);
    expect(
      (await refusalOf(run('raster.reproject', { raster: classes }, { crs: 32627, resampling: 'bilinear' }))).code,
    ).toBe('method.refused');
    const measures = rasterOf(
      4,
      Array.from({ length: 16 }, (_, i) => i),
    );
    const mean = await runRaster(
      'raster.reproject',
      { raster: measures },
      { crs: 'EPSG:32627', cellSize: '20 m', resampling: 'mean' },
    );
    expect([...mean.out.bands[0]!.cells]).toEqual([2.5, 4.5, 10.5, 12.5]);
  });

  it('warns of nearest for elevations and refuses a grid without a system or a size in the wrong unit', async () => {
    const near = await runRaster('raster.reproject', { raster: source }, { resampling: 'nearest' });
    expect(near.outcome.notes.map((n) => n.code)).toContain('resampling.nearest');
    expect(
      (
        await refusalOf(
          run('raster.reproject', { raster: rasterOf(2, [1, 2, 3, 4], { crs: null }) }, { crs: 'EPSG:32627' }),
        )
      ).code,
    ).toBe('method.refused');
    const e = await refusalOf(run('raster.reproject', { raster: source }, { cellSize: '1 arcsec' }));
    expect(e.code).toBe('method.parameter');
    expect(e.message).toContain('UTM zone 27N');
    expect((await refusalOf(run('raster.reproject', { raster: source }, { crs: 'EPSG:999999' }))).path).toBe('crs');
  });

  it('cubic restores a quadratic surface exactly', async () => {
    const q = rasterOf(
      12,
      Array.from({ length: 144 }, (_, i) => (i % 12) ** 2 + 2 * Math.floor(i / 12)),
    );
    const half = { ...q.grid, x: q.grid.x + 43, y: q.grid.y - 38, columns: 4, rows: 4 };
    const out = (await warped(q, half, 'cubic')).bands[0]!.cells;
    for (let i = 0; i < 16; i++) expect(out[i]!).toBeCloseTo(((i % 4) + 4.3) ** 2 + 2 * (Math.floor(i / 4) + 3.8), 4);
  });

  it('rounds cell sizes as a person would', () => {
    expect([30.9, 17, 0.00027, 92, 1.06].map(roundNear)).toEqual([30, 15, 0.00025, 100, 1]);
  });
});

describe('clip', () => {
  const r = rasterOf(
    6,
    Array.from({ length: 36 }, (_, i) => i),
  );
  it('keeps the cells whose centre lies in the bounds', async () => {
    const { out, outcome } = await runRaster('raster.clip', { raster: r }, { bounds: '400014,6459940,400034,6459984' });
    expect(outcome.figures['cells']).toBe(8);
    expect([...out.bands[0]!.cells]).toEqual([13, 14, 19, 20, 25, 26, 31, 32]);
  });
  it('keeps the cells whose centre lies in polygons, also in another system', async () => {
    const gap = (
      await run('raster.gaps', {
        raster: rasterOf(
          6,
          Array.from({ length: 36 }, (_, i) => ([14, 15, 20].includes(i) ? null : 1)),
        ),
      })
    ).outputs[0]!.data as Features;
    const { out, outcome } = await runRaster('raster.clip', { raster: r, area: gap });
    expect(outcome.figures['cells']).toBe(3);
    expect([...out.bands[0]!.cells]).toEqual([14, 15, 20, NaN]);
  });
  it('refuses bounds beside the raster, saying where it lies, and no part at all', async () => {
    expect((await refusalOf(run('raster.clip', { raster: r }, { bounds: '0,0,1,1' }))).message).toContain('400000');
    expect((await refusalOf(run('raster.clip', { raster: r }, { bounds: '5,5,1,1' }))).code).toBe('method.parameter');
    expect((await refusalOf(run('raster.clip', { raster: r }))).code).toBe('method.refused');
  });
});

describe('difference, rescale and statistics', () => {
  it('subtracts where both have values and reports bias, errors and correlation', async () => {
    const a = rasterOf(2, [1, 2, 3, null]);
    const b = rasterOf(2, [2, 2, 1, 5]);
    const { out, outcome } = await runRaster('raster.difference', { a, b });
    expect([...out.bands[0]!.cells]).toEqual([-1, 0, 2, NaN]);
    const f = outcome.figures as Record<string, number>;
    expect(f['n']).toBe(3);
    expect(f['bias']).toBeCloseTo(1 / 3, 12);
    expect(f['mae']).toBe(1);
    expect(f['rmse']).toBeCloseTo(Math.sqrt(5 / 3), 12);
    // R: cor(c(1,2,3), c(2,2,1)) = -0.8660254
    expect(f['correlation']).toBeCloseTo(-0.8660254, 7);
    expect([f['min'], f['max']]).toEqual([-1, 2]);
  });
  it('compares the shared part, refuses grids that do not lie on one another', async () => {
    const a = rasterOf(3, [1, 2, 3, 4, 5, 6, 7, 8, 9]);
    const { out } = await runRaster('raster.difference', {
      a,
      b: rasterOf(2, [0, 0, 0, 0], { x: 400010, y: 6459990 }),
    });
    expect([...out.bands[0]!.cells]).toEqual([5, 6, 8, 9]);
    expect((await refusalOf(run('raster.difference', { a, b: rasterOf(2, [0, 0, 0, 0], { x: 400005 }) }))).code).toBe(
      'method.refused',
    );
  });
  it('rescales with factor, offset and unit', async () => {
    const { out, outcome } = await runRaster(
      'raster.rescale',
      { raster: rasterOf(2, [0, 100, null, 50], {}, '°C') },
      { factor: '1.8', offset: 32, unit: '°F' },
    );
    expect(Array.from(out.bands[0]!.cells)).toEqual([32, Math.fround(212), NaN, 122]);
    expect(out.bands[0]!.unit).toBe('°F');
    expect(outcome.figures).toEqual({ min: 32, max: 212 });
  });
  it('describes: R’s summary of 1, 2, 4, 8, 16', async () => {
    const o = await run(
      'raster.statistics',
      { raster: rasterOf(3, [1, 2, 4, 8, 16, null]) },
      { percentiles: '25, 90' },
    );
    // R: sd(c(1,2,4,8,16)) = 6.09918; quantile(..., c(.25,.9)) = 2, 12.8
    expect(o.figures['sd']).toBeCloseTo(6.09918, 5);
    expect(o.figures['median']).toBe(4);
    expect(o.figures['missing']).toBe(1);
    const table = o.outputs[0]!.data;
    expect(table.kind === 'table' && table.columns.slice(-2).map((c) => c.values[0])).toEqual([2, 12.8]);
  });
});

describe('areas on the ellipsoid', () => {
  it('of all cells of a world grid add up to the surface of WGS 84', () => {
    const g = { crs: crsOfCode(4326), x: -180, y: 90, dx: 1, dy: 1, columns: 360, rows: 180 };
    let sum = 0;
    for (let y = 0; y < 180; y++) sum += 360 * cellArea(g, y);
    // Surface of the WGS 84 ellipsoid: 510 065 621.724 km² (NIMA TR8350.2, table 3.x; value from memory).
    expect(sum / 1e6).toBeCloseTo(510065621.724, 0);
  });
});

import volcano from '../../../../../reference/fixtures/volcano.json';
import reference from '../../../../../reference/fixtures/surface.json';
import type { Features } from '../../data/features';
import { FeaturesBuilder } from '../../data/features';
import { isolines } from '../../numeric/contour';
import { Random } from '../../numeric/random';
import { gridOf, refusalOf, rasterOf, roughCells, run, runRaster, utm27 } from '../../testing';
import { sees } from './visibility';

const z = rasterOf(volcano.width, volcano.cells);

/** Greatest difference to the NumPy values on every 7th cell; `inner` values begin at cell 1, 1. */
function furthest(cells: ArrayLike<number>, expected: number[][], inner: boolean): number {
  const o = inner ? 1 : 0;
  let worst = 0;
  expected.forEach((row, j) =>
    row.forEach((v, i) => (worst = Math.max(worst, Math.abs(cells[(o + 7 * j) * volcano.width + o + 7 * i]! - v)))),
  );
  return worst;
}

describe('reading the land on R’s volcano grid (reference/terrain/surface.py)', () => {
  it('curvature equals NumPy', async () => {
    for (const kind of ['profile', 'plan', 'mean'] as const) {
      const { out } = await runRaster('terrain.curvature', { elevation: z }, { kind });
      expect(furthest(out.bands[0]!.cells, reference[kind], true))
        .withContext(kind)
        .toBeLessThan(1e-8);
    }
  });
  it('ruggedness and position equal NumPy', async () => {
    expect(
      furthest((await runRaster('terrain.ruggedness', { elevation: z })).out.bands[0]!.cells, reference.tri, true),
    ).toBeLessThan(2e-6);
    expect(
      furthest(
        (await runRaster('terrain.position', { elevation: z }, { radius: '30 m' })).out.bands[0]!.cells,
        reference.tpi,
        false,
      ),
    ).toBeLessThan(5e-6);
  });
  it('neighbourhood median and standard deviation equal SciPy', async () => {
    for (const statistic of ['median', 'sd'] as const) {
      const { out } = await runRaster('raster.smooth', { raster: z }, { radius: 30, statistic });
      expect(furthest(out.bands[0]!.cells, reference[statistic], false))
        .withContext(statistic)
        .toBeLessThan(1e-5);
    }
  });
  it('contours are as long as scikit-image’s', async () => {
    for (const [level, length] of reference.contours as [number, number][]) {
      const o = await run('raster.contours', { raster: z }, { interval: 1000, base: level + 0.5 });
      expect((o.figures['length'] as number) / length).toBeCloseTo(1, 9);
    }
  });
});

describe('contours', () => {
  const cone = rasterOf(
    41,
    Array.from({ length: 41 * 41 }, (_, i) => 100 - 4 * Math.hypot((i % 41) - 20, Math.floor(i / 41) - 20)),
  );
  it('close on themselves inside the grid, carry level and index, and stop at missing cells', async () => {
    const o = await run('raster.contours', { raster: cone }, { interval: 10, from: 30, to: 90, indexEvery: 2 });
    const f = o.outputs[0]!.data as Features;
    expect(o.figures['lines']).toBe(7);
    expect([...(f.columns[0]!.values as Float64Array)]).toEqual([30, 40, 50, 60, 70, 80, 90]);
    expect([...(f.columns[1]!.values as Float64Array)]).toEqual([0, 1, 0, 1, 0, 1, 0]);
    for (let r = 0; r < 7; r++) {
      const s = f.ringOffsets[r]!;
      const e = f.ringOffsets[r + 1]! - 1;
      expect([f.xy[2 * s], f.xy[2 * s + 1]]).toEqual([f.xy[2 * e]!, f.xy[2 * e + 1]!]);
    }
    // A circle of radius 12.5 cells of 10 m.
    const l = (await run('raster.contours', { raster: cone }, { interval: 1000, base: 50 })).figures[
      'length'
    ] as number;
    expect(l / (2 * Math.PI * 125)).toBeCloseTo(1, 2);
    const holed = [...cone.bands[0]!.cells];
    holed[20 * 41 + 8] = NaN;
    expect(
      isolines(Float32Array.from(holed), 41, 41, 50).every((c) => c[0] !== c[c.length - 2] || c[1] !== c[c.length - 1]),
    ).toBeTrue();
  });
  it('stay closed when smoothed, and refuse thousands of levels', async () => {
    const f = (await run('raster.contours', { raster: cone }, { interval: 1000, base: 50, smooth: 'strong' }))
      .outputs[0]!.data as Features;
    const n = f.xy.length;
    expect([f.xy[0], f.xy[1]]).toEqual([f.xy[n - 2]!, f.xy[n - 1]!]);
    expect((await refusalOf(run('raster.contours', { raster: cone }, { interval: 0.001 }))).path).toBe('interval');
  });
});

describe('visibility', () => {
  const observer = (column: number, row: number): Features => {
    const b = new FeaturesBuilder();
    b.coordinate(400000 + (column + 0.5) * 10, 6460000 - (row + 0.5) * 10);
    b.endRing();
    b.endPart();
    b.endFeature();
    return b.build('point', utm27(), []);
  };
  it('sees all of a plain and nothing behind a wall', async () => {
    const wall = Array.from({ length: 21 * 21 }, (_, i) => (i % 21 === 12 ? 50 : 0));
    const { out, outcome } = await runRaster(
      'terrain.visibility',
      { elevation: rasterOf(21, wall), observers: observer(5, 10) },
      { radius: '1 km' },
    );
    for (let y = 0; y < 21; y++)
      for (let x = 0; x < 21; x++)
        expect(out.bands[0]!.cells[y * 21 + x])
          .withContext(`${x}, ${y}`)
          .toBe(x <= 12 ? 1 : 0);
    expect(outcome.figures['visibleShare']).toBeCloseTo(13 / 21, 12);
  });
  it('lets the earth hide a target at 10 km by d² (1 - k) / 2R', () => {
    const flat = new Float32Array(1001);
    const bend = (1 - 0.13) / (2 * 6371008.8);
    // Eye at 1.6 m: the horizon lies at sqrt(1.6 / bend) = 4 840 m; at 10 km a target must rise 1.82 m above what is left.
    const hidden = bend * (10_000 - Math.sqrt(1.6 / bend)) ** 2;
    expect(hidden).toBeCloseTo(1.82, 1);
    expect(sees(flat, 1001, 0, 0, 1.6, 1000, 0, hidden - 0.05, 10, 10, bend)).toBeFalse();
    expect(sees(flat, 1001, 0, 0, 1.6, 1000, 0, hidden + 0.05, 10, 10, bend)).toBeTrue();
  });
  it('counts observers and leaves out those outside', async () => {
    const { out, outcome } = await runRaster(
      'terrain.visibility',
      { elevation: rasterOf(5, new Array<number>(25).fill(0)), observers: observer(50, 50) },
      { radius: 100 },
    ).catch((e: unknown) => ({ out: null, outcome: e as { code: string } }));
    expect(out).toBeNull();
    expect((outcome as { code: string }).code).toBe('method.input');
  });
});

describe('profile', () => {
  const line = (xy: number[]): Features => {
    const b = new FeaturesBuilder();
    for (let i = 0; i < xy.length; i += 2) b.coordinate(xy[i]!, xy[i + 1]!);
    b.endRing();
    b.endPart();
    b.endFeature();
    return b.build('line', utm27(), []);
  };
  it('follows the line round its corners, by equal steps and to its end', async () => {
    const plane = rasterOf(
      20,
      Array.from({ length: 400 }, (_, i) => (i % 20) * 2),
    );
    const o = await run(
      'raster.profile',
      { rasters: [plane, plane], line: line([400015, 6459905, 400115, 6459905, 400115, 6459862]) },
      { step: '10 m' },
    );
    expect(o.figures['length']).toBeCloseTo(143, 9);
    expect(o.figures['climb']).toBeCloseTo(20, 4);
    expect(o.figures['descent']).toBeCloseTo(0, 4);
    // 2 m on 10 m.
    expect(o.figures['steepest']).toBeCloseTo((Math.atan(0.2) * 180) / Math.PI, 3);
    const t = o.outputs[0]!.data;
    if (t.kind !== 'table') throw new Error('not a table');
    expect(t.columns.map((c) => c.name)).toEqual(['distance', 'x', 'y', 'z', 'z 2']);
    const d = [...(t.columns[0]!.values as Float64Array)];
    expect(d.length).toBe(16);
    expect(d[15]).toBeCloseTo(143, 9);
    expect((t.columns[3]!.values as Float64Array)[5]).toBeCloseTo(2 + 10, 5);
  });
});

describe('resample', () => {
  it('averages whole cells when asked, and says so when it does not', async () => {
    const r = rasterOf(
      4,
      Array.from({ length: 16 }, (_, i) => i),
    );
    const mean = await runRaster('raster.resample', { raster: r }, { cellSize: '20 m', resampling: 'mean' });
    expect([...mean.out.bands[0]!.cells]).toEqual([2.5, 4.5, 10.5, 12.5]);
    const plain = await runRaster('raster.resample', { raster: r });
    expect(plain.outcome.params['cellSize']).toBe('20 m');
    expect(plain.outcome.notes.map((n) => n.code)).toContain('resampling.coarser');
  });
});

describe('position on rough ground', () => {
  it('is the plain definition, missing cells left out', async () => {
    const r = new Random(4);
    const cells = [...roughCells(15, 12, () => r.uniform())] as (number | null)[];
    cells[40] = null;
    const { out } = await runRaster('terrain.position', { elevation: rasterOf(15, cells) }, { radius: 25 });
    for (const i of [0, 41, 90, 179]) {
      const others: number[] = [];
      for (let j = 0; j < cells.length; j++) {
        const d = Math.hypot((j % 15) - (i % 15), Math.floor(j / 15) - Math.floor(i / 15));
        if (j !== i && d <= 2.5 && cells[j] !== null) others.push(cells[j]!);
      }
      expect(out.bands[0]!.cells[i]).toBeCloseTo(cells[i]! - others.reduce((s, v) => s + v, 0) / others.length, 4);
    }
    expect(gridOf(1, 1).rows).toBe(1);
  });
});

import volcano from '../../../../../reference/fixtures/volcano.json';
import reference from '../../../../../reference/fixtures/volcano-gradients.json';
import { rasterOf, runRaster, gridOf } from '../../testing';
import { crsOfCode } from '../../data/crs';

const z = rasterOf(volcano.width, volcano.cells);

/** Greatest distance to the NumPy values on every 7th interior cell (reference/terrain/gradients.py). */
function furthest(cells: ArrayLike<number>, expected: (number | null)[][], turn = false): number {
  let worst = 0;
  expected.forEach((row, j) =>
    row.forEach((v, i) => {
      const got = cells[(1 + 7 * j) * volcano.width + 1 + 7 * i]!;
      if (v === null) return expect(got).toBeNaN();
      let d = Math.abs(got - v);
      if (turn) d = Math.min(d, 360 - d);
      worst = Math.max(worst, d);
    }),
  );
  return worst;
}

describe('slope and aspect on R’s volcano grid', () => {
  for (const algorithm of ['horn', 'zevenbergen-thorne'] as const) {
    it(`equal NumPy with ${algorithm}`, async () => {
      const slope = await runRaster('terrain.slope', { elevation: z }, { algorithm });
      // Float32 results: half a unit in the last place of 50 degrees is 2e-6.
      expect(furthest(slope.out.bands[0]!.cells, reference[algorithm].slope)).toBeLessThan(4e-6);
      const aspect = await runRaster('terrain.aspect', { elevation: z }, { algorithm });
      expect(furthest(aspect.out.bands[0]!.cells, reference[algorithm].aspect, true)).toBeLessThan(2e-5);
    });
  }
});

describe('hillshade on R’s volcano grid', () => {
  it('equals NumPy for one light', async () => {
    const a = await runRaster('terrain.hillshade', { elevation: z });
    expect(furthest(a.out.bands[0]!.cells, reference.hillshade_315_45)).toBeLessThan(2e-5);
    const b = await runRaster('terrain.hillshade', { elevation: z }, { azimuth: 40, altitude: 20 });
    expect(furthest(b.out.bands[0]!.cells, reference.hillshade_40_20)).toBeLessThan(2e-5);
  });
  it('equals NumPy for four lights', async () => {
    const a = await runRaster('terrain.hillshade', { elevation: z }, { lights: 'multiple' });
    expect(furthest(a.out.bands[0]!.cells, reference.hillshade_multiple_45)).toBeLessThan(2e-5);
  });
});

describe('gradients of a plane', () => {
  const plane = Array.from({ length: 80 }, (_, i) => 3 * (i % 10) - 4 * Math.floor(i / 10));
  it('are the same up to the edge and beside missing cells', async () => {
    const values: (number | null)[] = [...plane];
    values[34] = null;
    const { out, outcome } = await runRaster('terrain.slope', { elevation: rasterOf(10, values) }, { unit: 'percent' });
    // 3 m and 4 m over 10 m: a rise of 5 m over 10 m.
    out.bands[0]!.cells.forEach((v, i) => (i === 34 ? expect(v).toBeNaN() : expect(v).toBeCloseTo(50, 4)));
    expect(outcome.figures['mean']).toBeCloseTo(50, 4);
  });
  it('give the aspect of descent, clockwise from north', async () => {
    const facing = async (fx: number, fy: number): Promise<number> => {
      const values = Array.from({ length: 25 }, (_, i) => fx * (i % 5) + fy * Math.floor(i / 5));
      return (await runRaster('terrain.aspect', { elevation: rasterOf(5, values) })).out.bands[0]!.cells[12]!;
    };
    expect(await facing(0, 1)).toBeCloseTo(0, 5);
    expect(await facing(-1, 0)).toBeCloseTo(90, 5);
    expect(await facing(0, -1)).toBeCloseTo(180, 5);
    expect(await facing(1, 0)).toBeCloseTo(270, 5);
  });
  it('leave flat cells without aspect and count them', async () => {
    const { out, outcome } = await runRaster('terrain.aspect', {
      elevation: rasterOf(4, new Array<number>(16).fill(7)),
    });
    expect(outcome.figures['flatCells']).toBe(16);
    expect(out.bands[0]!.cells[5]).toBeNaN();
  });
  it('scale with the vertical factor and the unit of the elevations', async () => {
    const feet = rasterOf(10, plane, {}, 'ft');
    const metres = await runRaster(
      'terrain.slope',
      { elevation: rasterOf(10, plane) },
      { unit: 'percent', zFactor: '0.3048' },
    );
    const fromFeet = await runRaster('terrain.slope', { elevation: feet }, { unit: 'percent' });
    expect(fromFeet.out.bands[0]!.cells[12]!).toBeCloseTo(metres.out.bands[0]!.cells[12]!, 5);
    expect(fromFeet.outcome.notes.map((n) => n.code)).toContain('unit.other');
  });
  it('use the metres of each row on a grid in degrees and say so', async () => {
    const d = 1 / 3600;
    const grid = { crs: crsOfCode(4326), x: -20, y: 58, dx: d, dy: d };
    const values = Array.from({ length: 25 }, (_, i) => 10 * Math.floor(i / 5));
    const { out, outcome } = await runRaster(
      'terrain.slope',
      { elevation: rasterOf(5, values, grid) },
      { unit: 'percent' },
    );
    // One second of latitude at 58 N is 30.94 m (length of a degree: 111 375 m, WGS 84 series, from memory).
    expect(out.bands[0]!.cells[12]!).toBeCloseTo((100 * 10) / 30.94, 1);
    expect(outcome.notes.map((n) => n.code)).toContain('crs.degrees');
  });
  it('work on a grid of one cell and of one column', async () => {
    const one = await runRaster('terrain.slope', { elevation: rasterOf(1, [5]) });
    expect(one.out.bands[0]!.cells[0]).toBe(0);
    const column = await runRaster(
      'terrain.slope',
      { elevation: rasterOf(1, [0, 10, 20]) },
      { algorithm: 'zevenbergen-thorne' },
    );
    expect(column.out.bands[0]!.cells[1]).toBeCloseTo(45, 5);
    expect(gridOf(1, 1).columns).toBe(1);
  });
});

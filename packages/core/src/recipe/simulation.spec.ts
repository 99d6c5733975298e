import { setupNode } from '@helk/node';
import { FeaturesBuilder, type Features } from '../data/features';
import { crsOfCode } from '../data/crs';
import { dataOf, infoOf, type Dataset } from '../data/kinds';
import { measureRaster, type Raster } from '../data/raster';
import { runMethod, type Outcome } from '../method/run';
import { gridOf, refusalOf } from '../testing';
import { readErrors } from './errors';
import { recipeMethod } from './method';
import { valley, WATERSHED } from './recipe-fixture';
import { simulationMethod } from './simulation';
import type { Recipe } from './shape';

beforeAll(setupNode);

const one = (
  method: string,
  inputs: Recipe['steps'][0]['inputs'],
  params: Recipe['steps'][0]['params'],
  over: Partial<Recipe> = {},
): Recipe => ({
  helkRecipe: 1,
  title: 'One step',
  about: '',
  inputs: [{ name: 'ground', kind: 'raster', label: 'Ground' }],
  steps: [{ id: 'step', method, inputs, params }],
  keep: [],
  ...over,
});
const simulated = (r: Recipe, data: Record<string, Dataset[]>, params: object, seed = 1): Promise<Outcome> =>
  runMethod(simulationMethod(r), data, { recipe: 'r', ...params }, { seed });
const cellsOf = (o: Outcome, role: string): Float32Array =>
  (o.outputs.find((x) => x.role === role)!.data as Raster).bands[0]!.cells as Float32Array;

/** A plane that rises to the east. */
const plane = (columns: number, rows: number, rise: number, cell = 10): Raster =>
  measureRaster(
    gridOf(columns, rows, cell),
    Float32Array.from({ length: columns * rows }, (_, i) => 100 + rise * cell * ((i % columns) - columns / 2)),
    { name: 'height', unit: 'm' },
  );
const point = (): Features => {
  const b = new FeaturesBuilder();
  b.point(400_000, 6_460_000);
  return b.build('point', crsOfCode(32627), []);
};
/** Distribution function of the standard normal (Abramowitz and Stegun 1964, 7.1.26; error below 1.5e-7). */
function phi(x: number): number {
  const t = 1 / (1 + (0.3275911 * Math.abs(x)) / Math.SQRT2);
  const poly = t * (0.254829592 + t * (-0.284496736 + t * (1.421413741 + t * (-1.453152027 + t * 1.061405429))));
  const erf = 1 - poly * Math.exp((-x * x) / 2);
  return x < 0 ? (1 - erf) / 2 : (1 + erf) / 2;
}

describe('draws from the errors', () => {
  it('spread the slope of a plane as its error is carried through (Heuvelink 1998: linear error propagation)', async () => {
    const [rise, sd, cell] = [0.5, 0.4, 10];
    const r = one('terrain.slope', { elevation: 'ground' }, { unit: 'percent' });
    const o = await simulated(r, { ground: [plane(30, 30, rise, cell)] }, { errors: `ground: ${sd} m`, draws: 300 });
    // Horn's difference weighs twelve errors: the gradient's deviation is sd·√12 / (8·cell) in each direction.
    const gradient = (sd * Math.sqrt(12)) / (8 * cell);
    const inner = (a: Float32Array): number => {
      let [sum, n] = [0, 0];
      for (let y = 2; y < 28; y++) for (let x = 2; x < 28; x++, n++) sum += a[y * 30 + x]!;
      return sum / n;
    };
    expect(inner(cellsOf(o, 'sd'))).toBeCloseTo(100 * gradient, 1);
    // To second order the mean is above the true slope by the variance across it.
    expect(inner(cellsOf(o, 'mean'))).toBeCloseTo(100 * (rise + gradient ** 2 / (2 * rise)), 1);
    expect(o.figures['draws']).toBe(300);
    expect(o.figures['failed']).toBe(0);
  });

  it('cross a limit as often as the normal distribution says, whatever the length of the errors', async () => {
    const [draws, sd] = [400, 2];
    const r = one('raster.formula', { rasters: 'ground' }, { formula: 'height * 1' });
    for (const over of ['', ' over 60 m']) {
      const ground = plane(21, 12, 0.05);
      const o = await simulated(r, { ground: [ground] }, { errors: `ground: ${sd}${over}`, draws, above: 101 });
      const share = cellsOf(o, 'probability');
      let worst = 0;
      for (let x = 0; x < 21; x++) {
        let mean = 0;
        for (let y = 0; y < 12; y++) mean += share[y * 21 + x]! / 12;
        const z = ground.bands[0]!.cells[x]!;
        worst = Math.max(worst, Math.abs(mean - (1 - phi((101 - z) / sd))));
        for (let y = 0; y < 12; y++) expect(Math.abs(share[y * 21 + x]! - mean)).toBeLessThan(0.14);
      }
      expect(worst).toBeLessThan(over ? 0.075 : 0.04);
    }
  });

  it('leave a place inside a circle as often as the position allows (Rayleigh distribution)', async () => {
    const [radius, sd] = [100, 60];
    const r = one(
      'features.buffer',
      { features: 'places' },
      { distance: `${radius} m` },
      {
        inputs: [{ name: 'places', kind: 'features', label: 'Places' }],
      },
    );
    const o = await simulated(r, { places: [point()] }, { errors: `places: ${sd} m`, draws: 500, cellSize: '10 m' });
    const p = o.outputs.find((x) => x.role === 'probability')!.data as Raster;
    const { grid } = p;
    const at = Math.floor((grid.y - 6_460_000) / grid.dy) * grid.columns + Math.floor((400_000 - grid.x) / grid.dx);
    expect(p.bands[0]!.cells[at]!).toBeCloseTo(1 - Math.exp(-(radius ** 2) / (2 * sd * sd)), 1);
    // What it covers is as large in every draw.
    expect(o.figures['expected'] as number).toBeGreaterThan(0.8 * Math.PI * radius ** 2);
    expect(o.figures['expected'] as number).toBeLessThan(1.01 * Math.PI * radius ** 2);
  });

  it('take a setting anywhere between two values', async () => {
    const r = one(
      'features.buffer',
      { features: 'places' },
      { distance: '100 m' },
      {
        inputs: [{ name: 'places', kind: 'features', label: 'Places' }],
      },
    );
    const asked = { errors: 'step.distance: 50 m to 150 m', draws: 400, cellSize: '10 m' };
    const o = await simulated(r, { places: [point()] }, asked);
    const p = o.outputs.find((x) => x.role === 'probability')!.data as Raster;
    const { grid } = p;
    const share = (d: number): number => {
      const row = Math.floor((grid.y - 6_460_000) / grid.dy);
      return p.bands[0]!.cells[row * grid.columns + Math.floor((400_000 + d - grid.x) / grid.dx)]!;
    };
    expect(share(20)).toBe(1);
    // The centre of the cell lies 5 m further out and as much aside.
    for (const d of [70, 100, 130]) expect(Math.abs(share(d) - (150 - (d + 5)) / 100)).toBeLessThan(0.07);
    expect(share(160)).toBeNaN();
  });

  it('come out alike for one seed, otherwise for another, and tell every draw', async () => {
    const { tiles, outlet } = valley();
    const asked = { errors: 'tiles: 2 m over 50 m; outlets: 5 m; watersheds.snap: 10 m to 40 m', draws: 8 };
    const data = { tiles, outlets: [outlet] };
    const [a, b, c] = [
      await simulated(WATERSHED, data, asked, 5),
      await simulated(WATERSHED, data, asked, 5),
      await simulated(WATERSHED, data, asked, 6),
    ];
    expect(cellsOf(a, 'probability')).toEqual(cellsOf(b, 'probability'));
    expect(cellsOf(a, 'probability')).not.toEqual(cellsOf(c, 'probability'));
    const table = dataOf('table', a.outputs.find((o) => o.role === 'draws')!.data)!;
    expect(table.columns[0]!.values.length).toBe(8);
    const areas = table.columns.find((x) => x.name === 'watersheds.area')!.values as Float64Array;
    expect(new Set(areas).size).toBeGreaterThan(1);
    const mean = areas.reduce((s, v) => s + v, 0) / 8;
    expect(a.figures['expected'] as number).toBeCloseTo(mean, -3);
    expect(a.figures['sure'] as number).toBeLessThanOrEqual(a.figures['possible'] as number);
  });

  it('leave out draws that fail and say how many, and why', async () => {
    const { tiles, outlet } = valley();
    const o = await simulated(WATERSHED, { tiles, outlets: [outlet] }, { errors: 'outlets: 500 m', draws: 12 });
    const failed = o.figures['failed'] as number;
    expect(failed).toBeGreaterThan(0);
    expect(failed).toBeLessThan(12);
    expect(o.notes[0]!.message).toContain(`${failed} of 12 draws failed and are left out: Step 3, Watersheds: `);
    const table = dataOf('table', o.outputs.find((x) => x.role === 'draws')!.data)!;
    const reasons = table.columns.find((c) => c.name === 'failed')!.values as string[];
    expect(reasons.filter(Boolean).length).toBe(failed);
    // Shares are of the draws that came out.
    expect(Math.max(...cellsOf(o, 'probability').filter((v) => v === v))).toBeLessThanOrEqual(1);
  });

  it('are refused where they make no sense, before anything runs', async () => {
    const { tiles, outlet } = valley();
    const data = { tiles, outlets: [outlet] };
    const cases: [object, RegExp][] = [
      [{ errors: 'nothing: 2 m' }, /no input and no setting “nothing”/],
      [{ errors: 'tiles 2 m' }, /is not NAME: VALUE/],
      [{ errors: 'tiles: 2 kg' }, /kg/],
      [{ errors: 'tiles: -2 m' }, /not less than 0/],
      [{ errors: 'tiles: 2 m; tiles: 3 m' }, /told twice/],
      [{ errors: 'watersheds.snap: 10 m' }, /is not VALUE to VALUE/],
      [{ errors: 'watersheds.snap: 40 m to 10 m' }, /is more than/],
      [{ errors: ' ; ' }, /say how wrong/],
      [{ errors: 'tiles: 2 m', draws: 1 }, /below the least allowed/],
      [{ errors: 'tiles: 2 m', result: 'fill.lid' }, /makes no “fill.lid”/],
      [{}, /errors/],
    ];
    for (const [params, words] of cases)
      expect((await refusalOf(simulated(WATERSHED, data, params))).message).toMatch(words);
  });

  it('reads errors in the unit of the values', () => {
    const r = one('terrain.slope', { elevation: 'ground' }, {});
    const m = recipeMethod(r, 'r');
    const feet = plane(4, 4, 0);
    feet.bands[0]!.unit = 'ft';
    const infos = { ground: [infoOf(feet)] };
    expect(readErrors('ground: 3.048 m over 0.2 km', m, infos)).toEqual([
      { kind: 'values', name: 'ground', sd: jasmine.any(Number) as never, length: 200 },
    ]);
    expect((readErrors('ground: 3.048 m', m, infos)[0] as { sd: number }).sd).toBeCloseTo(10, 9);
    expect((readErrors('ground: 2,5', m, infos)[0] as { sd: number }).sd).toBe(2.5);
  });
});

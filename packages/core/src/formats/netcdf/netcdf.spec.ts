import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import expected from '../../../../../reference/fixtures/netcdf/netcdf.json';
import { setupNode } from '../../../../node/src/index';
import type { Raster } from '../../data/raster';
import { HelkError } from '../../errors';
import { ALL_STEPS } from '../reader';
import { stepLabels } from './axis';
import { applyChoices, memorySource, openFile, readFile, reviewOf, type Layer, type OpenLayer } from '../index';

type Kept = { values: (number | null)[]; shape: number[]; west?: number; north?: number };
const kept = expected as unknown as Record<string, Kept>;
const file = (name: string): Uint8Array => new Uint8Array(readFileSync(`reference/fixtures/netcdf/${name}`));
const read = async (name: string, options = {}): Promise<Layer[]> => (await readFile(name, file(name), options)).layers;
const opened = async (name: string): Promise<OpenLayer[]> => (await openFile(name, memorySource(file(name)))).layers;
const rasterOf = (l: Layer | undefined): Raster => l!.data as Raster;

beforeAll(setupNode);

/** Cells as SciPy, netCDF4 or h5py had them, to single precision; a class that is missing is checked elsewhere. */
function expectCells(r: Raster, want: Kept): void {
  expect([r.grid.rows, r.grid.columns]).toEqual(want.shape);
  want.values.forEach((v, i) => {
    const c = r.bands[0]!.cells[i]!;
    if (v === null) expect(c).toBeNaN();
    else expect(Math.abs(c - v)).toBeLessThanOrEqual(1e-6 * Math.max(1, Math.abs(v)));
  });
}

// Fixtures by reference/formats/netcdf.py with SciPy, netCDF4 and h5py.
describe('NetCDF', () => {
  it('reads a classic grid, north up, its fill value missing', async () => {
    const [l] = await read('classic.nc');
    expectCells(rasterOf(l), kept['classic.nc']!);
    const { grid, bands } = rasterOf(l);
    expect(grid.x).toBeCloseTo(kept['classic.nc']!.west!, 9);
    expect(grid.y).toBeCloseTo(kept['classic.nc']!.north!, 9);
    expect(bands[0]!.unit).toBe('km');
    expect(l!.notes.map((n) => n.code)).toContain('netcdf.down');
  });

  it('reads any step of record variables whose slices are padded, packed values unpacked', async () => {
    for (const step of [0, 1, 2]) {
      const layers = await read('records.nc', { steps: { temp: step, wet: step } });
      expectCells(rasterOf(layers[0]), kept[`records.nc#temp:${step}`]!);
      expectCells(rasterOf(layers[1]), kept[`records.nc#wet:${step}`]!);
      expect(layers[0]!.steps).toEqual(expected['records.nc#steps']);
    }
  });

  it('takes all steps of a time axis as bands, each with its moment, where nobody says which', async () => {
    const labels = expected['records.nc#steps'];
    for (const options of [{}, { steps: { temp: ALL_STEPS } }]) {
      const [temp] = await read('records.nc', options);
      const { bands, grid } = rasterOf(temp);
      expect(bands.map((b) => b.time)).toEqual(labels.map((t) => t.replace(' ', 'T')));
      bands.forEach((b, k) => {
        expect(b.name).toContain(labels[k]!);
        expectCells({ kind: 'raster', grid, bands: [b] }, kept[`records.nc#temp:${k}`]!);
      });
      expect(temp!.notes.find((n) => n.code === 'netcdf.step')?.message).toContain('All 3 steps');
    }
    // What would take too much is not taken unasked.
    const [temp] = await read('records.nc', { maxCells: 2 * kept['records.nc#temp:0']!.values.length });
    expect(rasterOf(temp).bands.length).toBe(1);
  });

  it('tells dates of calendars without leap days, and of months', () => {
    const labels = (units: string, calendar: string, values: number[]): string[] =>
      stepLabels(
        {
          name: 'time',
          type: 'float64',
          shape: [values.length],
          attributes: { units, calendar },
          read: () => values,
        } as never,
        values.length,
      );
    expect(labels('days since 2023-12-31', 'noleap', [60, 61, 366])).toEqual([
      '2024-03-01',
      '2024-03-02',
      '2025-01-01',
    ]);
    expect(labels('days since 2023-12-31', 'standard', [60, 61])).toEqual(['2024-02-29', '2024-03-01']);
    expect(labels('months since 2023-11-15', 'standard', [0, 2, 14])).toEqual([
      '2023-11-15',
      '2024-01-15',
      '2025-01-15',
    ]);
    expect(labels('days since 2000-01-01', '360_day', [30])).toEqual(['time 30 days since 2000-01-01']);
  });

  it('reads NetCDF-4 with compression, a grid mapping and flags as classes', async () => {
    const layers = await read('four.nc');
    const [height, cover] = layers.map(rasterOf);
    expectCells(height!, kept['four.nc#height']!);
    expectCells(cover!, kept['four.nc#cover']!);
    expect(height!.grid.crs!.code).toBe('EPSG:32627');
    expect([height!.grid.x, height!.grid.y]).toEqual([499950, 6450050]);
    expect(height!.bands[0]!.role).toBe('elevation');
    expect(cover!.bands[0]!.classes!.map((c) => c.label)).toEqual(['bare ground', 'meadow', 'moor']);
  });

  it('turns a whole round of longitudes from 0–360 to begin in the west, and swaps sides stored the other way', async () => {
    const [l] = await read('round.nc');
    expectCells(rasterOf(l), kept['round.nc']!);
    expect([rasterOf(l).grid.x, rasterOf(l).grid.y]).toEqual([-180, 90]);
  });

  it('knows the sides of an HDF5 file without scales by their names', async () => {
    expectCells(rasterOf((await read('plain.h5'))[0]), kept['plain.h5']!);
  });

  it('refuses uneven rows, a wrong step and a file without grids in words', async () => {
    await expectAsync(read('uneven.nc')).toBeRejectedWithError(HelkError, /lat are not evenly spaced/);
    await expectAsync(read('records.nc', { steps: { temp: 3 } })).toBeRejectedWithError(
      HelkError,
      /3 steps, none at 4/,
    );
  });

  for (const name of ['classic.nc', 'records.nc', 'four.nc']) {
    it(`says so, and nothing else, when ${name} is cut off or has flipped bits`, async () => {
      const whole = file(name);
      await fc.assert(
        fc.asyncProperty(fc.nat(whole.length - 1), fc.nat(7), fc.boolean(), async (at, bit, cut) => {
          const bytes = cut ? whole.slice(0, at) : whole.slice();
          if (!cut) bytes[at]! ^= 1 << bit;
          try {
            await readFile(name, bytes, { maxCells: 1e6 });
          } catch (e) {
            expect(e).toBeInstanceOf(HelkError);
          }
        }),
        { numRuns: 60, seed: 5 },
      );
    });
  }
});

describe('a review', () => {
  it('tells extent, range, unit and steps of each layer', async () => {
    const rows = await reviewOf(await opened('records.nc'));
    expect(rows.map((r) => [r.layer, r.steps.length, r.unit])).toEqual([
      ['temp', 3, 'degC'],
      ['wet', 3, null],
    ]);
    const values = kept['records.nc#temp:0']!.values as number[];
    expect(rows[0]!.min).toBeCloseTo(Math.min(...values), 5);
    expect(rows[0]!.extent).toEqual([50, 1050, 350, 1350]);
  });

  it('takes what was chosen with factor, offset, unit and name', async () => {
    const layers = await opened('classic.nc');
    const [l] = applyChoices(layers, [{ layer: 'classic', name: 'Seabed', factor: -1000, unit: 'm' }]);
    const taken = (await l!.handle.load()) as Raster;
    const want = kept['classic.nc']!.values;
    expect(l!.name).toBe('Seabed');
    const band = taken.bands[0]!;
    expect(band.unit).toBe('m');
    want.forEach((v, i) => v !== null && expect(band.cells[i]).toBeCloseTo(v * -1000, 2));
    expect(l!.notes.map((n) => n.code)).not.toContain('netcdf.down');
    expect(((await layers[0]!.handle.load()) as Raster).bands[0]!.unit)
      .withContext('the file as read stays as it was')
      .toBe('km');
  });

  it('refuses a factor of nothing and a layer that is not there', async () => {
    const layers = await opened('classic.nc');
    expect(() => applyChoices(layers, [{ layer: 'classic', factor: 0 }])).toThrowError(HelkError, /factor of 0/);
    expect(() => applyChoices(layers, [{ layer: 'other' }])).toThrowError(HelkError, /no layer "other"/);
  });
});

import { measureRaster, type BandInfo, type RasterInfo } from '../data/raster';
import { readRole, roleInName, roleOf, roleOfWavelength } from '../data/band-roles';
import { infoOf } from '../data/kinds';
import { gridOf } from '../testing';
import { compositeOf, compositesOf, usualComposite } from './composites';
import { rasterLook } from './look-shapes';
import { gammaTable, mixRow } from './paint';
import { defaultStyle, limitsIn, limitsOf } from './style';

const band = (name: string, over: Partial<BandInfo> = {}): BandInfo => ({
  name,
  unit: '',
  kind: 'measure',
  storedType: 'uint16',
  missingCode: null,
  ...over,
});

describe('roles of bands', () => {
  it('are read from names as people write them', () => {
    const names = {
      scene_RED: 'red',
      'band 3 (green)': 'green',
      'Red-Edge 2': 'rededge',
      NIR: 'nir',
      nearInfraRed: 'nir',
      'SWIR 1': 'swir1',
      swir2_20m: 'swir2',
      shortwaveInfrared2: 'swir2',
      panchromatic: 'pan',
      'coastal aerosol': 'coastal',
      TIR: 'thermal',
      elevation: null,
      'band 4': null,
      reduced: null,
      greenland: null,
    };
    for (const [name, role] of Object.entries(names))
      expect(roleInName(name))
        .withContext(name)
        .toBe(role as never);
  });

  it('are what is said, else what the wavelength says, else the name', () => {
    expect(roleOf(band('red', { role: 'nir' }))).toBe('nir');
    expect(roleOf(band('red', { wavelength: 842 }))).toBe('nir');
    expect(roleOf(band('red', { role: 'elevation' }))).toBe('red');
    expect(roleOfWavelength(1300)).toBeNull();
    expect([readRole('Red edge'), readRole('SWIR-2'), readRole('infra')]).toEqual(['rededge', 'swir2', null]);
  });
});

describe('composites', () => {
  const six = ['blue', 'green', 'red', 'nir', 'swir1', 'swir2'].map((n) => band(n));

  it('are offered where the roles they need are there', () => {
    expect(compositesOf(six).map((c) => c.bands)).toEqual([
      [2, 1, 0],
      [3, 2, 1],
      [4, 3, 2],
      [5, 3, 1],
      [3, 4, 2],
    ]);
    expect(compositesOf(six.slice(1, 4)).map((c) => c.name)).toEqual(['plants stand out']);
    expect(compositesOf([band('a'), band('b'), band('c')])).toEqual([]);
  });

  it('are how a scene is first drawn, and a picture of bytes; nothing else', () => {
    expect(usualComposite(six)!.channels.map((c) => c.band)).toEqual([2, 1, 0]);
    const bytes = ['1', '2', '3'].map((n) => band(n, { storedType: 'uint8' }));
    expect(usualComposite(bytes)).toEqual(compositeOf([0, 1, 2], { kind: 'own', low: 0, high: 255 }));
    expect(usualComposite(['rain', 'wind', 'warmth'].map((n) => band(n)))).toBeNull();
    const info = infoOf(
      measureRaster(gridOf(2, 2), Float32Array.of(1, 2, 3, 4), { name: 'z', unit: 'm', role: 'elevation' }),
    ) as RasterInfo;
    expect(defaultStyle(info).composite).toBeNull();
  });

  it('are kept as they are, and missing in what an older Helk kept', () => {
    const look = {
      ...defaultStyle({ kind: 'raster', grid: gridOf(1, 1), bands: six }),
      composite: compositeOf([2, 1, 0]),
    };
    expect(rasterLook.parse(JSON.parse(JSON.stringify(look)))).toEqual(look);
    const { composite: _, ...old } = look;
    expect(rasterLook.parse(old).composite).toBeNull();
    expect(rasterLook.safeParse({ ...look, composite: { channels: [], gamma: 1 } }).success).toBeFalse();
  });

  it('are painted cell by cell: dark to bright between the limits, missing where a band is', () => {
    const cells = [
      [0, 50, 100, NaN],
      [10, 10, 20, 10],
      [-5, 200, 0, 1],
    ].map((v) => Float32Array.from(v));
    const windows = cells.map((c) => ({ cells: c, width: 4, height: 1, column: 0, row: 0 }));
    const out = new Uint8ClampedArray(5 * 4);
    const u = Float64Array.of(0.5, 1.5, 2.5, 3.5, 4.5);
    const common = { gaps: [], missing: null, columns: 4, rows: 1 };
    const limits: [[number, number], [number, number], [number, number]] = [
      [0, 100],
      [10, 20],
      [0, 100],
    ];
    mixRow(out, 0, 0, 5, u, new Float64Array(5), windows, common, { limits, gamma: 1 }, gammaTable(1));
    const at = (i: number): number[] => [...out.subarray(4 * i, 4 * i + 4)];
    expect(at(0)).toEqual([0, 0, 0, 255]);
    expect(at(1)).toEqual([128, 0, 255, 255]);
    expect(at(2)).toEqual([255, 255, 0, 255]);
    // A cell without a value, and a place beside the grid, are clear.
    expect([at(3)[3], at(4)[3]]).toEqual([0, 0]);
    // Above 1 lifts what is dark: (1/4)^(1/2) = 1/2.
    expect(gammaTable(2)[256]! / 255).toBeCloseTo(0.5, 2);
  });

  it('stretch as one band does', () => {
    const f = {
      summary: { count: 9, missing: 0, min: 0, max: 90, mean: 40, sd: 10, sum: 360 },
      percentiles: { '1': 1, '2': 2, '5': 5, '95': 85, '98': 88, '99': 89 },
    };
    expect(limitsOf({ kind: 'percentile', cut: 2 }, f)).toEqual([2, 88]);
    // The same by some values only.
    const some = Float32Array.from({ length: 101 }, (_, i) => (i === 7 ? NaN : 100 - i));
    expect(limitsIn({ kind: 'percentile', cut: 5 }, some)).toEqual([5, 95]);
    expect(limitsIn({ kind: 'minmax' }, some)).toEqual([0, 100]);
    expect(limitsIn({ kind: 'sd', times: 1 }, Float32Array.of(2, 4, 4, 4, 5, 5, 7, 9))).toEqual([3, 7]);
    expect(limitsIn({ kind: 'minmax' }, Float32Array.of(3, 3, NaN))).toBeNull();
    expect(limitsOf({ kind: 'sd', times: 2 }, f)).toEqual([20, 60]);
    expect(limitsOf({ kind: 'own', low: 3, high: 4 }, f)).toEqual([3, 4]);
  });
});

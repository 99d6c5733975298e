import { measureRaster } from '@helk/core';
import type { ApiDataset } from '@helk/core/api/schemas';
import type { DatasetItem } from '../state/project.store';
import { datasetOf } from '../testing';
import { sharedMends, unitOfNames } from './shared';

const data = measureRaster({ crs: null, x: 0, y: 1, dx: 1, dy: 1, columns: 1, rows: 1 }, Float32Array.of(1), {
  name: 'z',
  unit: null,
});
type Check = ApiDataset['checks'][number];
const set = (id: string, checks: Check[] = []): DatasetItem =>
  datasetOf(id, { data }, { checks }) as unknown as DatasetItem;
const code = (value: number): Check => ({
  level: 'look',
  code: 'band.suspectCode',
  message: `${value} looks like a code.`,
  mend: {
    label: `Make ${value} missing`,
    run: { method: 'raster.formula', role: 'rasters', input: 'raster', params: { formula: `a == ${value}` } },
  },
});

describe('what several datasets share', () => {
  it('are mends with the same settings, those of most of them first', () => {
    const all = [
      set('a', [code(-99), code(-9)]),
      set('b', [code(-99), code(-99)]),
      set('c', [code(-9)]),
      set('d', [code(-99)]),
      set('e', [code(-1)]),
      set('f', [{ level: 'look', code: 'crs.missing', message: 'No system.' }]),
    ];
    expect(sharedMends(all).map((m) => [m.label, m.of.map((d) => d.id)])).toEqual([
      ['Make -99 missing', ['a', 'b', 'd']],
      ['Make -9 missing', ['a', 'c']],
    ]);
    expect(sharedMends(all.slice(4))).toEqual([]);
  });

  it('is a unit in their names, where it is the same in all', () => {
    expect(unitOfNames([set('A_ft'), set('B_feet')])).toBe('ft');
    expect(unitOfNames([set('A_ft'), set('B_m')])).toBeNull();
    expect(unitOfNames([set('A_ft'), set('B')])).toBeNull();
    expect(unitOfNames([])).toBeNull();
  });
});

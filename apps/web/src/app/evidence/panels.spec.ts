import {
  crsOfCode,
  FeaturesBuilder,
  measureRaster,
  numberColumn,
  textColumn,
  wgs84,
  type Column,
  type Crs,
  type Dataset,
  type Shows,
} from '@helk/core';
import type { Timetable } from '@helk/core/data/timetable';
import { datasetOf } from '../testing';
import type { DatasetItem } from '../state/project.store';
import { PANELS, panelsOf } from './panels';

const utm = crsOfCode(32627);
const item = (data: Dataset): DatasetItem => datasetOf('d', { data }) as unknown as DatasetItem;
function points(n: number, crs: Crs, columns: Column[]): Dataset {
  const b = new FeaturesBuilder();
  for (let i = 0; i < n; i++) b.point(i, i);
  return b.build('point', crs, columns);
}
const numbers = (n: number): Column =>
  numberColumn(
    'v',
    Array.from({ length: n }, (_, i) => i),
  );
const raster = (cells: number[], category = false): Dataset => {
  const r = measureRaster({ crs: utm, x: 0, y: 3, dx: 1, dy: 1, columns: 3, rows: 3 }, Float32Array.from(cells), {
    name: 'z',
    unit: 'm',
  });
  if (category) Object.assign(r.bands[0]!, { kind: 'category', cells: Int32Array.from(cells) });
  return r;
};
const ids = (d: Dataset, shows: Shows | null = null): string[] => panelsOf(item(d), shows).map((p) => p.id);

describe('panels of evidence', () => {
  it('fit what they can answer', () => {
    expect(ids(raster([1, 2, 3, 4, 5, 6, 7, 8, 9]))).toEqual(['values']);
    expect(ids(raster([1, 2, 3, 4, NaN, 6, 7, 8, 9]))).toEqual(['values', 'gaps']);
    expect(ids({ kind: 'table', columns: [textColumn('t', ['a'])] })).toEqual(['table']);
    expect(ids(points(12, utm, [numbers(12)]))).toEqual(['table', 'charts', 'alike']);
  });

  it('of nearness want a plane, numbers and more than a few points', () => {
    expect(ids(points(9, utm, [numbers(9)]))).not.toContain('alike');
    expect(ids(points(12, wgs84(), [numbers(12)]))).not.toContain('alike');
    expect(ids(points(12, utm, [textColumn('t', Array<string>(12).fill('x'))]))).toEqual(['table']);
  });

  it('of timetables say what runs on a day, and what is wrong where something is', () => {
    const table = (faults: Timetable['faults']): Timetable => ({ kind: 'timetable', files: {}, others: {}, faults });
    expect(ids(table([]))).toEqual(['service', 'table', 'charts']);
    const fault = { file: 'stops', row: 2, column: null, message: 'no place', level: 'error' as const };
    expect(ids(table([fault]))).toContain('feed-faults');
  });

  it('that a method names stand first', () => {
    const shows: Shows = { panel: { id: 'matrix' } };
    expect(ids({ kind: 'table', columns: [numbers(3)] }, shows)).toEqual(['matrix', 'table', 'charts']);
    const changed: Shows = { panel: { id: 'changed', title: 'What filling changed' } };
    const d = item(raster([1, 2, 3, 4, 5, 6, 7, 8, 9]));
    expect(panelsOf(d, changed).map((p) => p.title(d, changed))).toEqual(['What filling changed', 'Values']);
  });

  it('are called by what they show', () => {
    const values = PANELS.find((p) => p.id === 'values')!;
    expect(values.title(item(raster([1, 1, 2, 2, 3, 3, 1, 1, 1], true)), null)).toBe('Classes');
    expect(new Set(PANELS.map((p) => p.id)).size).toBe(PANELS.length);
  });

  it('are each there to be loaded', async () => {
    for (const p of PANELS)
      expect(typeof (await p.load()))
        .withContext(p.id)
        .toBe('function');
  });
});

import { cellText, crsFromProj4, type RasterInfo } from '@helk/core';
import type { ApiRun } from '@helk/core/api/schemas';
import type { DatasetItem } from './project.store';
import { summaryOf } from './project.store';
import { datasetOf, runOf } from '../testing';
import { beginningsOf, threadsOf, titleOf } from './threads';

const grid = {
  crs: crsFromProj4('+proj=utm +zone=27 +datum=WGS84 +units=m +no_defs', 'UTM', 'EPSG:32627'),
  x: 0,
  y: 0,
  dx: 30,
  dy: 30,
  columns: 2,
  rows: 2,
};
const info: RasterInfo = {
  kind: 'raster',
  grid,
  bands: [{ name: 'z', unit: 'm', kind: 'measure', storedType: 'float32', missingCode: null }],
};

const item = (id: string, over: Partial<DatasetItem> = {}): DatasetItem =>
  datasetOf(id, { info }, over as object) as unknown as DatasetItem;
const source = (id: string, batch: string | null = null): DatasetItem =>
  item(id, { source: { file: `${id}.tif`, format: 'geotiff', bytes: 1, sha256: '' }, batch });
const run = (id: string, inputs: Record<string, string[]>): ApiRun => runOf(id, 'm', { inputs });

describe('threads of the ledger', () => {
  it('stand a set of sources as one row and carry the line on through what has most behind it', () => {
    const data = [
      source('tile-a', 'b'),
      source('tile-b', 'b'),
      item('mosaic', { runId: 'r1' }),
      item('gaps', { runId: 'r2' }),
      item('projected', { runId: 'r3' }),
      item('slope', { runId: 'r4' }),
    ];
    const runs = {
      r1: run('r1', { tiles: ['tile-a', 'tile-b'] }),
      r2: run('r2', { raster: ['mosaic'] }),
      r3: run('r3', { raster: ['mosaic'] }),
      r4: run('r4', { elevation: ['projected'] }),
    };
    const [t] = threadsOf(data, runs);
    expect(t!.title).toBe('tile');
    expect(t!.rows.map((r) => [r.items.length, r.items[0]!.id, r.depth])).toEqual([
      [2, 'tile-a', 0],
      [1, 'mosaic', 0],
      [1, 'gaps', 1],
      [1, 'projected', 0],
      [1, 'slope', 0],
    ]);
  });
  it('start a thread for each source, and for results whose source was removed', () => {
    const threads = threadsOf([source('a'), source('b'), item('orphan', { runId: 'r' })], {
      r: run('r', { x: ['gone'] }),
    });
    expect(threads.map((t) => t.title)).toEqual(['a', 'b', 'orphan']);
  });
  it('of one name stand together under it, each from its own beginning', () => {
    const called = (d: DatasetItem, thread: string): DatasetItem => ({ ...d, thread });
    const threads = threadsOf(
      [
        called(source('then'), 'Change'),
        source('roads'),
        called(source('now'), 'Change'),
        item('matrix', { runId: 'r', thread: 'of a result: not asked' }),
      ],
      { r: run('r', { before: ['then'], after: ['now'] }) },
    );
    expect(threads.map((t) => [t.title, t.named])).toEqual([
      ['Change', true],
      ['roads', false],
    ]);
    expect(threads[0]!.rows.map((r) => [r.items[0]!.id, r.root, r.more])).toEqual([
      ['then', true, true],
      ['matrix', false, false],
      ['now', true, false],
    ]);
    expect(beginningsOf(threads[0]!).map((d) => d.id)).toEqual(['then', 'now']);
  });
  it('keep what is unlike apart, though it came in one drop', () => {
    const features = (geometry: 'point' | 'line', column: string): DatasetItem['info'] => ({
      kind: 'features',
      crs: grid.crs,
      geometry,
      count: 1,
      extent: null,
      columns: [{ name: column, type: 'number', unit: null }],
    });
    const of = (id: string, what: DatasetItem['info']): DatasetItem => ({
      ...source(id, 'b'),
      info: what,
      kind: what.kind,
    });
    const threads = threadsOf(
      [
        of('p', features('point', 'n')),
        of('l', features('line', 'n')),
        of('q', features('point', 'n')),
        of('o', features('point', 'other')),
        source('tile', 'b'),
      ],
      {},
    );
    expect(threads.map((t) => t.rows.map((r) => r.items.map((d) => d.id)))).toEqual([
      [['p', 'q']],
      [['l']],
      [['o']],
      [['tile']],
    ]);
  });
  it('name a set by what its names share', () => {
    expect(titleOf([source('veyra-elevation-nw'), source('veyra-elevation-se')])).toBe('veyra-elevation');
    expect(titleOf([source('x'), source('y')])).toBe('x and 1 more');
  });
});

describe('how a dataset is put in a line', () => {
  it('says kind, unit and cell size', () => {
    expect(summaryOf(item('a'))).toBe('raster · m · 30 m');
    expect(
      cellText({
        ...info,
        grid: {
          ...grid,
          crs: crsFromProj4('+proj=longlat +datum=WGS84 +no_defs', 'WGS 84'),
          dx: 1 / 3600,
          dy: 1 / 3600,
        },
      }),
    ).toBe('1″');
    expect(cellText({ ...info, grid: { ...grid, dx: 10, dy: 25 } })).toBe('10 m × 25 m');
  });
});

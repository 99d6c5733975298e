import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { deflateSync } from 'node:zlib';
import Database from 'better-sqlite3';
import knexFactory from 'knex';
import { crsOfCode, FeaturesBuilder, numberColumn, type Features, type Raster, type RasterInfo } from '@helk/core';
import type { ApiProject } from '@helk/core/api/schemas';
import { packBinary } from '@helk/core/formats/binary';
import { setupNode } from '@helk/node';
import { TestServer } from '../testing';
import { APPLICATION_ID } from './database';
import { MIGRATIONS } from './migrations';
import { openDataset } from './project-store';

setupNode();

const WHEN = '2026-01-02T03:04:05.000Z';
const crs = crsOfCode(32627);
const grid = { crs, x: 500000, y: 6450000, dx: 10, dy: 10, columns: 600, rows: 2 };
const cells = Float32Array.from({ length: 1200 }, (_, i) => (i === 7 ? NaN : i / 4));

function points(): Features {
  const b = new FeaturesBuilder();
  b.point(500010, 6449990);
  b.point(500020, 6449980);
  return b.build('point', crs, [numberColumn('v', [1, 2])]);
}

/** A project as it was stored before the third step: chunks, parts, facts within the description, types by another name. */
async function oldProject(file: string): Promise<void> {
  const db = knexFactory({ client: 'better-sqlite3', connection: { filename: file }, useNullAsDefault: true });
  const migrationSource = {
    getMigrations: () => Promise.resolve(MIGRATIONS.slice(0, 2).map((m) => m.name)),
    getMigrationName: (name: string) => name,
    getMigration: (name: string) => Promise.resolve(MIGRATIONS.find((m) => m.name === name)!),
  };
  await db.migrate.latest({ migrationSource });
  await db.raw(`PRAGMA application_id = ${APPLICATION_ID}`);
  await db('project').insert({ one: 1, id: 'oldproject', name: 'Old', created_at: WHEN });
  const summary = { count: 1199, missing: 1, min: 0, max: 299.75, mean: 149.9, sd: 86.6, sum: 179700 };
  const facts = {
    summary,
    histogram: { min: 0, max: 299.75, counts: [600, 599] },
    percentiles: { 1: 3, 99: 297 },
    enclosedCells: 0,
    enclosedGaps: 0,
    gapBoxes: [],
    suspectCode: null,
    distinct: 256,
  };
  const band = { name: 'z', unit: 'm', kind: 'measure', storedType: 'float32', missingCode: null };
  const common = { state: 'ready', created_at: WHEN, source: null };
  await db('datasets').insert([
    {
      ...common,
      id: 'oldraster',
      position: 1,
      kind: 'raster',
      name: 'z',
      info: JSON.stringify({ kind: 'raster', grid, bands: [{ ...band, cellType: 'float32', facts }] }),
    },
    {
      ...common,
      id: 'oldpoints',
      position: 2,
      kind: 'features',
      name: 'p',
      info: JSON.stringify({
        kind: 'features',
        crs,
        geometry: 'point',
        count: 2,
        extent: [500010, 6449980, 500020, 6449990],
        columns: [{ name: 'v', type: 'number', unit: null }],
      }),
    },
  ]);
  const chunk = (column: number, width: number, rows: number, at: (x: number, y: number) => number) => ({
    dataset_id: 'oldraster',
    band: 0,
    level: rows === 2 ? 0 : 1,
    column,
    row: 0,
    bytes: deflateSync(
      Buffer.from(
        Float32Array.from({ length: width * rows }, (_, i) => at(column * 512 + (i % width), Math.floor(i / width)))
          .buffer,
      ),
    ),
  });
  const value = (x: number, y: number): number => cells[y * 600 + x]!;
  await db('raster_chunks').insert([
    chunk(0, 512, 2, value),
    chunk(1, 88, 2, value),
    chunk(0, 300, 1, (x) => value(2 * x, 0)),
  ]);
  await db('blobs').insert({ dataset_id: 'oldpoints', part: 0, bytes: Buffer.from(packBinary(points())) });
  await db.destroy();
}

describe('a project file of an older layout', () => {
  const test = new TestServer();
  beforeAll(() => test.up());
  afterAll(() => test.remove());

  const expectWhole = async (id: string): Promise<void> => {
    const { db } = await test.context.projects.get(id);
    const z = await openDataset(db, 'oldraster');
    expect(((await z.handle.load()) as Raster).bands[0]!.cells).toEqual(cells);
    const [band] = (z.info as RasterInfo).bands;
    expect([band!.held, band!.facts!.histogram!.counts, band!.facts!.summary.max]).toEqual([
      { type: 'float32', missing: null },
      [600, 599],
      299.75,
    ]);
    expect((await openDataset(db, 'oldpoints')).handle.info).toEqual(jasmine.objectContaining({ count: 2, crs }));
    expect([...((await (await openDataset(db, 'oldpoints')).handle.load()) as Features).xy]).toEqual([...points().xy]);
    // Listings carry what is small only.
    const shown = (await test.detail(id)).datasets[0]!.info as unknown as RasterInfo;
    expect(shown.bands[0]!.facts!.histogram).toBeUndefined();
    const more = await test.call<{ detail: { bands: { histogram: unknown }[] } }>(
      `/api/projects/${id}/datasets/oldraster/detail`,
    );
    expect(more.data.detail.bands[0]!.histogram).toEqual({ min: 0, max: 299.75, counts: [600, 599] });
  };

  it('is brought up to date where it lies', async () => {
    await oldProject(join(test.dir, 'projects', 'oldproject.helk'));
    await test.context.projects.get('oldproject');
    await expectWhole('oldproject');
  });

  it('is opened from elsewhere with everything in it', async () => {
    const file = join(test.dir, 'given.helk');
    await oldProject(file);
    const r = await test.call<ApiProject>(
      '/api/projects/file?name=given.helk',
      'POST',
      new Uint8Array(readFileSync(file)),
    );
    expect(r.status).withContext(JSON.stringify(r.data)).toBe(201);
    await expectWhole(r.data.id);
  });

  it('is refused when a chunk that it should have is not there', async () => {
    const file = join(test.dir, 'lacking.helk');
    await oldProject(file);
    const db = new Database(file);
    db.exec('DELETE FROM raster_chunks WHERE "column" = 1');
    writeFileSync(file, db.serialize());
    db.close();
    const r = await test.call('/api/projects/file?name=lacking.helk', 'POST', new Uint8Array(readFileSync(file)));
    expect(r.status).toBe(422);
  });
});

import { rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import Database from 'better-sqlite3';
import { FeaturesBuilder, numberColumn, wgs84 } from '@helk/core';
import type { ApiBinned, ApiDataset, ApiProblem, ApiProject, ApiRun } from '@helk/core/api/schemas';
import { writeGeoJson } from '@helk/core/formats';
import { setupNode } from '@helk/node';
import { TestServer } from '../testing';

setupNode();

function wells(): Uint8Array {
  const b = new FeaturesBuilder();
  for (let i = 0; i < 4; i++) b.point(-20 + 0.01 * i, 58);
  return new TextEncoder().encode(writeGeoJson(b.build('point', wgs84(), [numberColumn('n', [1, 2, 3, 4])])));
}

describe('what is removed lies in the bin until that is emptied', () => {
  const test = new TestServer();
  const { call, project, detail, ended } = test;
  beforeAll(() => test.up());
  afterAll(() => test.remove());

  const takeIn = async (p: string, name: string): Promise<string> => {
    const run = await call<ApiRun>(`/api/projects/${p}/imports?name=${name}.geojson`, 'POST', wells());
    return (await ended(p, run.data.id)).outputs[0]!;
  };
  const bin = async (p: string): Promise<ApiBinned[]> => (await call<ApiBinned[]>(`/api/projects/${p}/bin`)).data;
  const names = async (p: string): Promise<string[]> => (await detail(p)).datasets.map((d) => d.name);

  it('takes several at once, says what they are, and gives them back as they were', async () => {
    const p = await project();
    const ids = [await takeIn(p, 'north'), await takeIn(p, 'south'), await takeIn(p, 'east')];
    expect((await call(`/api/projects/${p}/bin`, 'POST', { ids: ids.slice(0, 2) })).status).toBe(204);
    expect(await names(p)).toEqual(['east']);
    const lying = await bin(p);
    expect(lying.map((b) => b.name).sort()).toEqual(['north', 'south']);
    for (const b of lying) {
      expect(b.what).toBe('dataset');
      expect(b.words).toContain('4 points');
      expect(b.bytes).toBeGreaterThan(50);
      expect(Date.parse(b.removedAt!)).toBeGreaterThan(Date.now() - 60_000);
    }
    expect((await detail(p)).project.binned).toBe(2);
    expect((await call(`/api/projects/${p}/bin/return`, 'POST', { ids: ids.slice(0, 2) })).status).toBe(204);
    expect(await names(p)).toEqual(['north', 'south', 'east']);
    expect(await bin(p)).toEqual([]);
    const again = await call<ApiProblem>(`/api/projects/${p}/bin/return`, 'POST', { ids: [ids[0]] });
    expect([again.status, again.data.detail]).toEqual([404, 'None of this lies in the bin any more.']);
  });

  it('takes all of them or none', async () => {
    const p = await project();
    const id = await takeIn(p, 'north');
    const gone = await call<ApiProblem>(`/api/projects/${p}/bin`, 'POST', { ids: [id, 'nowhere000'] });
    expect(gone.status).toBe(404);
    expect(await names(p)).toEqual(['north']);
    expect((await call(`/api/projects/${p}/bin`, 'POST', { ids: [] })).status).toBe(400);
  });

  it('outlives the server, and goes for good only when it is emptied, whole or in part', async () => {
    const p = await project();
    const ids = [await takeIn(p, 'north'), await takeIn(p, 'south'), await takeIn(p, 'east')];
    await call(`/api/projects/${p}/bin`, 'POST', { ids });
    await test.down();
    await test.up();
    expect((await bin(p)).length).toBe(3);
    expect((await call(`/api/projects/${p}/bin/empty`, 'POST', { ids: [ids[0]] })).status).toBe(204);
    expect((await bin(p)).map((b) => b.id).sort()).toEqual(ids.slice(1).sort());
    await call(`/api/projects/${p}/bin/return`, 'POST', { ids: [ids[1]] });
    expect((await call(`/api/projects/${p}/bin/empty`, 'POST', {})).status).toBe(204);
    expect(await bin(p)).toEqual([]);
    expect(await names(p)).toEqual(['south']);
    // Nothing of what went is left in the file.
    const db = new Database(join(test.dir, 'projects', `${p}.helk`), { readonly: true });
    const left = db.prepare('SELECT DISTINCT dataset_id FROM pieces').all() as { dataset_id: string }[];
    db.close();
    expect(left.map((r) => r.dataset_id)).toEqual([ids[1]!]);
  });

  it('holds what is written too, each by its name', async () => {
    const p = await project();
    const palette = {
      format: 'helk-palette',
      version: 1,
      name: 'Heather',
      kind: 'classes',
      colours: ['#334455', '#aa8866'],
    };
    const made = await call<{ id: string }>(`/api/projects/${p}/palettes`, 'POST', { palette });
    expect(made.status).toBe(201);
    await call(`/api/projects/${p}/palettes/${made.data.id}`, 'DELETE');
    expect((await bin(p)).map((b) => [b.what, b.name])).toEqual([['palette', 'Heather']]);
    await call(`/api/projects/${p}/bin/return`, 'POST', { ids: [made.data.id] });
    expect((await detail(p)).palettes.length).toBe(1);
    await call(`/api/projects/${p}/palettes/${made.data.id}`, 'DELETE');
    await call(`/api/projects/${p}/bin/empty`, 'POST', {});
    expect((await call(`/api/projects/${p}/palettes/${made.data.id}/restore`, 'POST')).status).toBe(404);
  });

  it('is not carried along in a saved file', async () => {
    const p = await project();
    const id = await takeIn(p, 'secret');
    await takeIn(p, 'known');
    await call(`/api/projects/${p}/bin`, 'POST', { ids: [id] });
    const bytes = Buffer.from(await (await fetch(`${test.base}/api/projects/${p}/file`)).arrayBuffer());
    const file = join(test.dir, 'saved.helk');
    writeFileSync(file, bytes);
    const db = new Database(file, { readonly: true });
    expect(db.prepare('SELECT name FROM datasets').all()).toEqual([{ name: 'known' }]);
    expect(db.prepare('SELECT count(*) AS n FROM pieces WHERE dataset_id = ?').get(id)).toEqual({ n: 0 });
    db.close();
    rmSync(file);
    // The project itself has it still.
    expect((await bin(p)).length).toBe(1);
    const opened = await call<ApiProject>('/api/projects/file?name=saved.helk', 'POST', new Uint8Array(bytes));
    expect(opened.data.binned).toBe(0);
    expect((await detail(opened.data.id)).datasets.map((d: ApiDataset) => d.name)).toEqual(['known']);
  });
});

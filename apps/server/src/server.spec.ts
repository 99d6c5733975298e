import { readdirSync, writeFileSync } from 'node:fs';
import { request } from 'node:http';
import { inflateSync } from 'node:zlib';
import { join } from 'node:path';
import { chunkKey, measureRaster, crsOfCode, type FeaturesInfo, type Raster, type RasterInfo } from '@helk/core';
import { ROUTES } from '@helk/core/api/routes';
import type { ApiDataset, ApiProblem, ApiRun } from '@helk/core/api/schemas';
import { readFile, writeGeoTiff } from '@helk/core/formats';
import { setupNode } from '@helk/node';
import { configFrom } from './config';
import { newId } from './store/ids';
import { TestServer } from './testing';

setupNode();

/** A tilted plane with a bump, large enough for several chunks. */
function hill(columns = 700, rows = 600): Raster {
  const cells = new Float32Array(columns * rows);
  for (let i = 0; i < cells.length; i++)
    cells[i] = (i % columns) * 0.5 + 40 * Math.sin(i / 5000) + (i % 17 === 0 ? -3 : 0);
  return measureRaster({ crs: crsOfCode(32627), x: 400000, y: 6460000, dx: 10, dy: 10, columns, rows }, cells, {
    name: 'hill',
    unit: 'm',
    role: 'elevation',
  });
}

describe('the server', () => {
  const test = new TestServer();
  const { dir, call, project, detail, ended } = test;
  beforeAll(() => test.up());
  afterAll(() => test.remove());

  const takeIn = async (p: string, bytes: Uint8Array, name = 'hill.tif'): Promise<ApiRun> =>
    ended(
      p,
      (await call<ApiRun>(`/api/projects/${p}/imports?name=${encodeURIComponent(name)}`, 'POST', bytes)).data.id,
    );
  const withHill = async (): Promise<{ p: string; hillId: string }> => {
    const p = await project();
    const r = await takeIn(p, await writeGeoTiff(hill()));
    return { p, hillId: r.outputs[0]! };
  };

  it('takes in a file, runs a method on it, serves the cells and exports the result', async () => {
    const { p, hillId } = await withHill();
    const run = await ended(
      p,
      (
        await call<ApiRun>(`/api/projects/${p}/runs`, 'POST', {
          method: 'terrain.slope',
          inputs: { elevation: [hillId] },
          params: { unit: 'percent' },
        })
      ).data.id,
    );
    expect(run.state).toBe('done');
    expect(run.params).toEqual({ unit: 'percent', algorithm: 'horn', zFactor: 1 });
    expect(Object.keys(run.figures)).toEqual(['min', 'max', 'mean']);
    const d = (await detail(p)).datasets.find((x) => x.id === run.outputs[0])!;
    expect(d.name).toBe('Slope');
    expect((d.info as unknown as RasterInfo).bands[0]!.unit).toBe('%');
    const exported = new Uint8Array(
      await (await fetch(`${test.base}/api/projects/${p}/datasets/${d.id}/export`)).arrayBuffer(),
    );
    const r = (await readFile('x.tif', exported)).layers[0]!.data as Raster;
    // The chunk east of the first holds the columns from 512 on.
    const piece = await fetch(`${test.base}/api/projects/${p}/datasets/${d.id}/pieces/band%200/0/${chunkKey(1, 0)}`);
    const raw = inflateSync(new Uint8Array(await piece.arrayBuffer()));
    const chunk = new Float32Array(raw.buffer.slice(raw.byteOffset, raw.byteOffset + raw.length));
    expect(chunk.length).toBe((700 - 512) * 512);
    expect(chunk[5 * 188 + 7]).toBe(r.bands[0]!.cells[5 * 700 + 519]!);
  });

  it('names a variant after what differs and keeps its sibling', async () => {
    const { p, hillId } = await withHill();
    const start = (params: object, variantOf: string | null) =>
      call<ApiRun>(`/api/projects/${p}/runs`, 'POST', {
        method: 'terrain.slope',
        inputs: { elevation: [hillId] },
        params,
        variantOf,
      });
    const a = await ended(p, (await start({}, null)).data.id);
    const b = await ended(p, (await start({ unit: 'percent' }, a.id)).data.id);
    const names = (await detail(p)).datasets.map((d) => d.name);
    expect(names).toEqual(['hill', 'Slope', 'Slope, percent']);
    expect(b.variantOf).toBe(a.id);
  });

  it('tells checks, suggestions and cost before a run, and refuses bad parameters naming them', async () => {
    const { p, hillId } = await withHill();
    const ask = <T>(method: string, inputs: object, params: object) =>
      call<T>(`/api/projects/${p}/forecast`, 'POST', { method, inputs, params });
    const f = await ask<{ plain: Record<string, unknown>; suggestions: Record<string, { reason: string }> }>(
      'raster.reproject',
      { raster: [hillId] },
      { crs: 'EPSG:3035' },
    );
    expect(f.data.plain['cellSize']).toBe('10 m');
    expect(f.data.suggestions['cellSize']!.reason).toContain('native');
    const no = await ask<ApiProblem>('terrain.slope', { elevation: [hillId] }, { zFactor: -1 });
    expect(no.status).toBe(422);
    expect(no.type).toContain('application/problem+json');
    expect(no.data.path).toBe('zFactor');
    // While it is being written that is an answer, so that half a number is no error in anybody's log.
    const draft = await call<{ refused: ApiProblem; checks: unknown[] }>(`/api/projects/${p}/forecast`, 'POST', {
      method: 'terrain.slope',
      inputs: { elevation: [hillId] },
      params: { zFactor: -1 },
      draft: true,
    });
    expect([draft.status, draft.data.refused.path, draft.data.checks]).toEqual([200, 'zFactor', []]);
    expect((await ask<ApiProblem>('terrain.nothing', {}, {})).status).toBe(404);
    expect((await ask<ApiProblem>('terrain.slope', {}, {})).data.code).toBe('method.input');
    expect((await ask<ApiProblem>('terrain.slope', { elevation: [newId()] }, {})).status).toBe(404);
  });

  it('refuses bad files with a sentence and leaves nothing behind', async () => {
    const p = await project();
    const good = await writeGeoTiff(hill(60, 50));
    const bad: [string, Uint8Array, string][] = [
      ['cut.tif', good.slice(0, good.length / 2), 'file.damaged'],
      ['empty.tif', new Uint8Array(0), 'file.empty'],
      ['page.tif', new TextEncoder().encode('<html>'), 'file.unknown'],
      ['../../etc/passwd', new TextEncoder().encode('root'), 'file.unknown'],
    ];
    for (const [name, bytes, code] of bad) {
      const r = await takeIn(p, bytes, name);
      expect(r.state).withContext(name).toBe('failed');
      expect(r.problem?.code).withContext(name).toBe(code);
      expect(r.problem!.message).not.toContain(' at ');
    }
    const d = await detail(p);
    expect(d.datasets).toEqual([]);
    const q = await test.context.projects.get(p);
    expect(await q.db('pieces').count({ n: '*' }).first()).toEqual({ n: 0 });
    expect(readdirSync(join(test.dir, 'uploads'))).toEqual([]);
  });

  it('refuses uploads over the limit without keeping them', async () => {
    const p = await project();
    const r = await call<ApiProblem>(`/api/projects/${p}/imports?name=big.tif`, 'POST', new Uint8Array(61e6));
    expect(r.status).toBe(413);
    expect(readdirSync(join(test.dir, 'uploads'))).toEqual([]);
  });

  it('cancels a run within a second and leaves the project as it was', async () => {
    const p = await project();
    const id = (await takeIn(p, await writeGeoTiff(hill(3000, 2500), 1))).outputs[0]!;
    const run = (
      await call<ApiRun>(`/api/projects/${p}/runs`, 'POST', { method: 'terrain.fill', inputs: { elevation: [id] } })
    ).data;
    for (let k = 0; k < 100; k++) {
      const r = (await call<ApiRun>(`/api/projects/${p}/runs/${run.id}`)).data;
      if (r.state === 'running' && r.progress > 0.15) break;
      await new Promise((x) => setTimeout(x, 10));
    }
    const asked = Date.now();
    await call(`/api/projects/${p}/runs/${run.id}/cancel`, 'POST', {});
    const r = await ended(p, run.id);
    expect(r.state).toBe('cancelled');
    expect(Date.now() - asked).toBeLessThan(5000);
    expect((await detail(p)).datasets.length).toBe(1);
    const q = await test.context.projects.get(p);
    expect(await q.db('datasets').where({ state: 'staged' }).count({ n: '*' }).first()).toEqual({ n: 0 });
  });

  it('marks unfinished runs after a restart and removes what they had staged', async () => {
    const { p, hillId } = await withHill();
    const q = await test.context.projects.get(p);
    const run = newId();
    await q.db('runs').insert({
      id: run,
      method: 'terrain.fill',
      version: 1,
      title: 'Fill',
      inputs: JSON.stringify({ elevation: [hillId] }),
      params: '{}',
      seed: 1,
      state: 'running',
      created_at: new Date().toISOString(),
    });
    await q.db('datasets').insert({
      id: newId(),
      position: 99,
      state: 'staged',
      kind: 'raster',
      name: 'half',
      info: '{}',
      run_id: run,
      created_at: '',
    });
    await test.down();
    await test.up();
    const d = await detail(p);
    expect(d.runs.find((r) => r.id === run)?.state).toBe('interrupted');
    expect(d.datasets.map((x) => x.name)).toEqual(['hill']);
    const again = await test.context.projects.get(p);
    expect(await again.db('datasets').count({ n: '*' }).first()).toEqual({ n: 1 });
  });

  it('renames, annotates, removes and brings back datasets', async () => {
    const { p, hillId } = await withHill();
    const path = `/api/projects/${p}/datasets/${hillId}`;
    const named = await call<ApiDataset>(path, 'PATCH', { name: 'Höhe <b>', note: 'checked' });
    expect([named.data.name, named.data.note]).toEqual(['Höhe <b>', 'checked']);
    expect((await call<ApiDataset>(path, 'PATCH', { thread: ' Hills ' })).data.thread).toBe('Hills');
    expect((await call<ApiDataset>(path, 'PATCH', { thread: '' })).data.thread).toBeNull();
    expect((await call<ApiProblem>(path, 'PATCH', { name: ' ' })).status).toBe(400);
    expect((await call<ApiProblem>(path, 'PATCH', { unit: 'ft' })).status).toBe(400);
    expect((await call(path, 'DELETE')).status).toBe(204);
    expect((await detail(p)).datasets).toEqual([]);
    expect((await call<ApiDataset>(`${path}/restore`, 'POST', {})).data.name).toBe('Höhe <b>');
  });

  it('gives a dataset the system and unit that it lacks', async () => {
    const p = await project();
    const r = await takeIn(
      p,
      new TextEncoder().encode('ncols 2\nnrows 1\nxllcorner 0\nyllcorner 0\ncellsize 1\n1 2\n'),
      'a.asc',
    );
    const path = `/api/projects/${p}/datasets/${r.outputs[0]}`;
    const d = (await call<ApiDataset>(path, 'PATCH', { crs: 'EPSG:32627', unit: 'm' })).data;
    const info = d.info as unknown as RasterInfo;
    expect([info.grid.crs?.code, info.bands[0]!.unit]).toEqual(['EPSG:32627', 'm']);
  });

  it('lets a unit that was given by hand be corrected and taken back, and remembers the last word', async () => {
    const p = await project();
    const r = await takeIn(
      p,
      new TextEncoder().encode('ncols 2\nnrows 1\nxllcorner 0\nyllcorner 0\ncellsize 1\n1 2\n'),
      'a.asc',
    );
    const say = async (unit: string): Promise<[string | null, string[]]> => {
      const d = (await call<ApiDataset>(`/api/projects/${p}/datasets/${r.outputs[0]}`, 'PATCH', { unit })).data;
      const told = d.checks.filter((c) => c.code === 'unit.given').map((c) => c.message);
      return [(d.info as unknown as RasterInfo).bands[0]!.unit, told];
    };
    expect(await say('m')).toEqual(['m', ['The unit was given by hand: m.']]);
    expect(await say('ft')).toEqual(['ft', ['The unit was given by hand: ft.']]);
    expect(await say('')).toEqual([null, []]);
    expect((await say('cm'))[0]).toBe('cm');
  });

  it('lets a system that cannot be the data’s be set right, and remembers that it was', async () => {
    const p = await project();
    const file = (crs: string): Uint8Array =>
      new TextEncoder().encode(
        `{"type":"FeatureCollection",${crs}"features":[{"type":"Feature","properties":{},"geometry":{"type":"Point","coordinates":[530000,6455000]}}]}`,
      );
    const codes = (d: ApiDataset): string[] => d.checks.map((c) => c.code);
    const first = async (bytes: Uint8Array): Promise<ApiDataset> => {
      const r = await takeIn(p, bytes, 'p.geojson');
      return (await detail(p)).datasets.find((d) => d.id === r.outputs[0])!;
    };
    const set = (d: ApiDataset, crs: string) =>
      call<ApiDataset & ApiProblem>(`/api/projects/${p}/datasets/${d.id}`, 'PATCH', { crs });
    const untold = await first(file(''));
    expect(codes(untold)).toEqual(['crs.standard', 'crs.missing']);
    expect(codes((await set(untold, 'EPSG:32627')).data)).toEqual(['crs.given']);
    // A zone that looks possible may still be wrong: it can be set right as often as need be.
    const again = (await set(untold, 'EPSG:32628')).data;
    expect(codes(again)).toEqual(['crs.given']);
    expect(again.checks[0]!.message).toContain('EPSG:32628');
    const wrong = await first(file('"crs":{"type":"name","properties":{"name":"urn:ogc:def:crs:EPSG::4258"}},'));
    expect(codes(wrong)).toEqual(['crs.implausible']);
    const right = (await set(wrong, 'EPSG:32627')).data;
    expect(codes(right)).toEqual(['crs.given']);
    expect((right.info as unknown as FeaturesInfo).crs!.code).toBe('EPSG:32627');
  });

  it('saves a project as one file and opens it elsewhere', async () => {
    const { p } = await withHill();
    const file = new Uint8Array(await (await fetch(`${test.base}/api/projects/${p}/file`)).arrayBuffer());
    const opened = await call<{ id: string; name: string }>('/api/projects/file?name=copy.helk', 'POST', file);
    expect(opened.status).toBe(201);
    expect(opened.data.id).not.toBe(p);
    const d = await detail(opened.data.id);
    expect(d.datasets.map((x) => x.name)).toEqual(['hill']);
    expect(
      (await fetch(`${test.base}/api/projects/${opened.data.id}/datasets/${d.datasets[0]!.id}/pieces/band%200/0/0`))
        .status,
    ).toBe(200);
    expect((await call(`/api/projects/${opened.data.id}`, 'DELETE')).status).toBe(204);
    expect((await call<ApiProblem>(`/api/projects/${opened.data.id}`)).status).toBe(404);
  });

  it('refuses project files that are damaged, foreign or carry triggers', async () => {
    const { p } = await withHill();
    const file = new Uint8Array(await (await fetch(`${test.base}/api/projects/${p}/file`)).arrayBuffer());
    const open = (bytes: Uint8Array) => call<ApiProblem>('/api/projects/file?name=x.helk', 'POST', bytes);
    expect((await open(new TextEncoder().encode('hello'))).data.code).toBe('project.invalid');
    const cut = file.slice(0, Math.floor(file.length / 2 / 4096) * 4096);
    expect((await open(cut)).data.code).toBe('project.invalid');
    const path = join(dir, 'trigger.helk');
    writeFileSync(path, file);
    const { openDatabase } = await import('./store/database');
    const db = openDatabase(path);
    await db.raw('CREATE TRIGGER bad AFTER UPDATE ON project BEGIN DELETE FROM datasets; END');
    await db.raw('PRAGMA wal_checkpoint(TRUNCATE)');
    await db.destroy();
    const { readFileSync } = await import('node:fs');
    expect((await open(new Uint8Array(readFileSync(path)))).data.detail).toContain('not Helk’s');
  });

  it('answers only this machine and its own pages', async () => {
    const raw = (headers: Record<string, string>): Promise<number> =>
      new Promise((done) => {
        const r = request(`${test.base}/api/projects`, { headers }, (res) => {
          res.resume();
          done(res.statusCode!);
        });
        r.end();
      });
    expect(await raw({ Host: 'evil.example:80' })).toBe(403);
    expect(await raw({ Origin: 'http://evil.example' })).toBe(403);
    expect(await raw({ Origin: 'null' })).toBe(403);
    expect(await raw({ 'Sec-Fetch-Site': 'cross-site' })).toBe(403);
    expect(await raw({ Origin: test.base })).toBe(200);
    const r = await fetch(`${test.base}/api/health`);
    expect(r.headers.get('content-security-policy')).toContain("script-src 'self';");
  });

  it('wants a token when it listens beyond this machine', () => {
    expect(() => configFrom({ HELK_HOST: '0.0.0.0' }, dir)).toThrowError(/HELK_TOKEN/);
    expect(configFrom({ HELK_HOST: '0.0.0.0', HELK_TOKEN: 'x'.repeat(20) }, dir).token).toHaveSize(20);
  });

  it('meets hostile requests with problem documents', async () => {
    const p = await project();
    const tries: [string, string, unknown?][] = [
      ['/api/projects/..%2f..%2fetc', 'GET'],
      [`/api/projects/${p}/datasets/x'; drop table datasets/features`, 'GET'],
      [`/api/projects/${p}/datasets/${newId()}/chunks/-1/x/0/0`, 'GET'],
      [`/api/projects/${p}/runs`, 'POST', { method: 7 }],
      [`/api/projects/${p}/runs`, 'POST', { method: '__proto__', inputs: {} }],
      ['/api/projects', 'POST', { name: '' }],
      ['/api/crs?lon=999', 'GET'],
      ['/api/crs/EPSG:1', 'GET'],
      ['/nowhere', 'GET'],
      ['/api/%E0%A4%A', 'GET'],
    ];
    for (const [path, verb, body] of tries) {
      const r = await call<ApiProblem>(path, verb, body);
      expect(r.status).withContext(path).toBeGreaterThanOrEqual(400);
      expect(r.status).withContext(path).toBeLessThan(500);
      expect(r.type).withContext(path).toContain('problem+json');
      expect(r.data.detail)
        .withContext(path)
        .not.toMatch(/\.ts|node_modules|SQLITE/);
    }
    const broken = await fetch(`${test.base}/api/projects`, {
      method: 'POST',
      body: '{"name":',
      headers: { 'Content-Type': 'application/json' },
    });
    expect(broken.status).toBe(400);
  });

  it('describes every route in its OpenAPI document', async () => {
    const doc = (await call<{ paths: Record<string, Record<string, { operationId: string }>> }>('/api/openapi.json'))
      .data;
    const ids = Object.values(doc.paths).flatMap((p) => Object.values(p).map((o) => o.operationId));
    expect(ids.sort()).toEqual(Object.keys(ROUTES).sort());
  });

  it('finds coordinate systems, those of the place first', async () => {
    const hits = (await call<{ code: string; covers: boolean }[]>('/api/crs?q=utm+27N+wgs+84&lon=-20.4&lat=58.2')).data;
    expect(hits[0]).toEqual(jasmine.objectContaining({ code: 'EPSG:32627', covers: true }));
  });

  it('offers sample files that Helk itself reads, and no others', async () => {
    const all = (await call<{ file: string }[]>('/api/samples')).data;
    expect(all.map((x) => x.file)).toEqual([
      'veyra-seabed-west.nc',
      'veyra-seabed-east.nc',
      'veyra-soil-moisture.nc',
      'skarra-elevation-w.tif',
      'skarra-elevation-e.tif',
      'skarra-gauge.geojson',
      'veyra-peat-probes.geojson',
      'veyra-peat-probes.csv',
      'veyra-scene-1994.tif',
      'veyra-scene-2024.tif',
      'veyra-training-areas.geojson',
      'veyra-visited-places.geojson',
      'veyra-riverside.las',
      'veyra-riverside-bare.las',
      'veyra-riverside-trees.geojson',
      'veyra-streets.geojson',
      'veyra-buses.zip',
      'veyra-shelters.geojson',
      'veyra-library-stops.geojson',
    ]);
    for (const { file } of all) {
      const bytes = new Uint8Array(await (await fetch(`${test.base}/api/samples/${file}`)).arrayBuffer());
      const { data } = (await readFile(file, bytes)).layers[0]!;
      if (file.includes('scene')) expect((data as Raster).bands.map((b) => b.wavelength)).toContain(842);
      if (file.includes('peat') && data.kind === 'features') {
        expect(data.featureOffsets.length - 1).toBe(214);
        // The code and the true zeros are there, as in the survey.
        const depth = data.columns.find((c) => c.name.startsWith('depth_cm'))!.values as Float64Array;
        expect(depth.filter((v) => v === -99.99).length).toBeGreaterThan(5);
        expect(depth).toContain(0);
      }
    }
    expect((await call<ApiProblem>('/api/samples/..%2fconfig')).status).toBe(404);
  }, 180_000);
});

import {
  createReadStream,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { createServer, request, type IncomingMessage } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { deflateSync } from 'node:zlib';
import Database from 'better-sqlite3';
import { crsOfCode, HelkError, measureRaster } from '@helk/core';
import type { ApiProblem, ApiProject, ApiRun, ApiServiceOffer } from '@helk/core/api/schemas';
import { writeGeoTiff } from '@helk/core/formats';
import { setupNode } from '@helk/node';
import { receive } from './routes/bytes';
import { TempFile, type TempFolder } from './store/temp';
import { endlessPackage, TestServer, type Reply } from './testing';

setupNode();

/** Cells without any order, so that nothing of them can be left out. */
async function noise(n: number): Promise<Uint8Array> {
  const cells = new Float32Array(n * n);
  for (let i = 0, s = 1; i < cells.length; i++) cells[i] = (s = (s * 16807) % 2147483647) / 2147483647;
  const grid = { crs: crsOfCode(32627), x: 4e5, y: 64e5, dx: 10, dy: 10, columns: n, rows: n };
  return writeGeoTiff(measureRaster(grid, cells, { name: 'z', unit: 'm' }));
}

const until = async (f: () => boolean | Promise<boolean>): Promise<void> => {
  while (!(await f())) await new Promise((r) => setTimeout(r, 20));
};

describe('project files of any kind', () => {
  const test = new TestServer();
  const { call, project, ended } = test;
  const folder = join(test.dir, 'projects');
  const leftovers = (): string[] => [
    ...readdirSync(folder).filter((f) => !f.endsWith('.helk') && !/\.helk-(wal|shm)$/.test(f)),
    ...readdirSync(join(test.dir, 'uploads')),
  ];
  beforeAll(() => test.up());
  afterAll(() => test.remove());

  const takeIn = async (p: string, bytes: Uint8Array, name = 'z.tif'): Promise<ApiRun> =>
    (await call<ApiRun>(`/api/projects/${p}/imports?name=${name}`, 'POST', bytes)).data;
  const saved = async (): Promise<{ bytes: Uint8Array; p: string }> => {
    const p = await project();
    await ended(p, (await takeIn(p, await noise(40))).id);
    await ended(p, (await takeIn(p, new TextEncoder().encode('x,y,v\n1,2,3\n'), 'a.csv')).id);
    const bytes = new Uint8Array(await (await fetch(`${test.base}/api/projects/${p}/file`)).arrayBuffer());
    return { bytes, p };
  };
  /** The saved project with something done to it. */
  const changed = (bytes: Uint8Array, sql: string | ((db: Database.Database) => void)): Uint8Array => {
    const db = new Database(Buffer.from(bytes));
    db.pragma('foreign_keys = OFF');
    if (typeof sql === 'string') db.exec(sql);
    else sql(db);
    const out = new Uint8Array(db.serialize());
    db.close();
    return out;
  };
  const opened = (bytes: Uint8Array): Promise<Reply<ApiProject & ApiProblem>> =>
    call<ApiProject & ApiProblem>('/api/projects/file?name=given.helk', 'POST', bytes);

  it('stop neither the start nor the list, which says what is wrong, and can be deleted', async () => {
    const db = new Database(join(folder, 'norowatall.helk'));
    db.exec('CREATE TABLE project (one INTEGER PRIMARY KEY, id TEXT, name TEXT)');
    db.close();
    writeFileSync(join(folder, 'nosqlitefile.helk'), 'just words');
    writeFileSync(join(folder, 'nothingatall.helk'), '');
    const { bytes } = await saved();
    writeFileSync(join(folder, 'blobfordate1.helk'), changed(bytes, "UPDATE project SET created_at = x'00ff'"));
    writeFileSync(join(folder, 'halfmade12.making'), bytes.subarray(0, 5000));
    await test.down();
    await test.up();
    const { status, data } = await call<ApiProject[]>('/api/projects');
    expect(status).toBe(200);
    const broken = ['blobfordate1', 'norowatall', 'nosqlitefile', 'nothingatall'];
    expect(
      data
        .filter((p) => p.problem)
        .map((p) => p.id)
        .sort(),
    ).toEqual(broken);
    expect(data.filter((p) => !p.problem).length).toBeGreaterThan(0);
    expect(data.findIndex((p) => p.problem)).toBe(data.length - broken.length);
    expect(readdirSync(folder).filter((f) => f.includes('making'))).toEqual([]);
    expect((await call<ApiProblem>('/api/projects/norowatall')).data.code).toBe('project.invalid');
    for (const id of broken) expect((await call(`/api/projects/${id}`, 'DELETE')).status).toBe(204);
    expect((await call<ApiProject[]>('/api/projects')).data.some((p) => p.problem)).toBeFalse();
    expect(leftovers()).toEqual([]);
  });

  it('are not brought back by what was at work on a project that is deleted', async () => {
    const { p } = await saved();
    const d = (await test.detail(p)).datasets[0]!.id;
    const exported = fetch(`${test.base}/api/projects/${p}/datasets/${d}/export`);
    const under = call(`/api/projects/${p}/imports?name=z.tif`, 'POST', await noise(600));
    const review = call(`/api/projects/${p}/reviews?name=z.tif`, 'POST', await noise(50));
    const gone = await call(`/api/projects/${p}`, 'DELETE');
    expect(gone.status).toBe(204);
    for (const r of [(await exported).status, (await under).status, (await review).status])
      expect([200, 201, 202, 404, 409]).toContain(r);
    await until(() => leftovers().length === 0);
    expect(readdirSync(folder).filter((f) => f.startsWith(p))).toEqual([]);
    expect((await call<ApiProject[]>('/api/projects')).status).toBe(200);
  });

  it('from elsewhere open whatever their migrations say, since only their rows are taken', async () => {
    const { bytes } = await saved();
    for (const sql of [
      'DELETE FROM knex_migrations',
      'INSERT INTO knex_migrations (name, batch, migration_time) SELECT name, batch, migration_time FROM knex_migrations',
      'UPDATE knex_migrations_lock SET is_locked = 1',
      'DROP TABLE knex_migrations_lock',
    ]) {
      const r = await opened(changed(bytes, sql));
      expect(r.status).withContext(sql).toBe(201);
      const detail = await test.detail(r.data.id);
      expect(detail.datasets.length).withContext(sql).toBe(2);
      const again = await ended(r.data.id, (await takeIn(r.data.id, await noise(20))).id);
      expect(again.state).withContext(sql).toBe('done');
    }
  });

  it('from elsewhere are refused wholly when a row, a text or a chunk of them cannot be used', async () => {
    const { bytes } = await saved();
    const bomb = deflateSync(Buffer.alloc(60e6));
    const harm: (string | ((db: Database.Database) => void))[] = [
      "UPDATE datasets SET info = 'no json' WHERE kind = 'raster'",
      'UPDATE datasets SET info = \'{"kind":"raster","grid":{},"bands":[]}\' WHERE kind = \'raster\'',
      "UPDATE datasets SET notes = '{}'",
      "UPDATE datasets SET run_id = 'nobody1234'",
      "UPDATE datasets SET name = x'00'",
      "UPDATE runs SET figures = '[1]'",
      "UPDATE runs SET inputs = 'null'",
      "UPDATE runs SET created_at = 'yesterday'",
      "UPDATE project SET workbench = '7'",
      "UPDATE project SET created_at = x'01'",
      'DELETE FROM project',
      "DELETE FROM pieces WHERE array = 'band 0'",
      "UPDATE pieces SET bytes = x'484c4b46' WHERE array = 'whole'",
      "UPDATE details SET detail = '{}'",
      'DROP TABLE details',
      (db) => db.prepare('UPDATE pieces SET bytes = ?').run(bomb),
      'DROP TABLE runs',
      'CREATE VIEW extra AS SELECT 1',
      'ALTER TABLE project ADD COLUMN more TEXT GENERATED ALWAYS AS (hex(name)) VIRTUAL',
    ];
    const before = readdirSync(folder).filter((f) => f.endsWith('.helk')).length;
    for (const h of harm) {
      const r = await opened(changed(bytes, h));
      expect(r.status).withContext(String(h)).toBe(422);
      expect(r.data.code).withContext(String(h)).toBe('project.invalid');
    }
    expect(readdirSync(folder).filter((f) => f.endsWith('.helk')).length).toBe(before);
    expect(leftovers()).toEqual([]);
    expect((await opened(bytes)).status).toBe(201);
  });
});

describe('work that will not end or swells', () => {
  const test = new TestServer({ memoryLimit: 2 ** 28, importSeconds: 8, serviceSeconds: 3 });
  const { call, project, ended } = test;
  beforeAll(() => test.up());
  afterAll(() => test.remove());

  const takeIn = async (p: string, bytes: Uint8Array, name: string): Promise<ApiRun> =>
    (await call<ApiRun>(`/api/projects/${p}/imports?name=${name}`, 'POST', bytes)).data;

  it('is ended by a cancel even inside a library, and after the time its size allows', async () => {
    const p = await project();
    const first = await takeIn(p, endlessPackage(), 'v.gpkg');
    await until(async () => (await call<ApiRun>(`/api/projects/${p}/runs/${first.id}`)).data.state === 'running');
    await call(`/api/projects/${p}/runs/${first.id}/cancel`, 'POST');
    expect((await ended(p, first.id)).state).toBe('cancelled');
    const second = await ended(p, (await takeIn(p, endlessPackage(), 'v.gpkg')).id);
    expect([second.state, second.problem!.code]).toEqual(['failed', 'file.endless']);
    const third = await ended(p, (await takeIn(p, await noise(30), 'z.tif')).id);
    expect(third.state).toBe('done');
    expect(readdirSync(join(test.dir, 'uploads'))).toEqual([]);
  });

  it('is held to the memory of the settings, buffers included, and only the run ends', async () => {
    const p = await project();
    const z = await ended(p, (await takeIn(p, await noise(1500), 'z.tif')).id);
    expect(z.state).toBe('done');
    const run = await call<ApiRun & ApiProblem>(`/api/projects/${p}/runs`, 'POST', {
      method: 'raster.contours',
      inputs: { raster: z.outputs },
      params: { interval: 0.004 },
    });
    const end = run.status === 202 ? await ended(p, run.data.id) : null;
    expect(end?.problem?.code ?? run.data.code).toBe('method.memory');
    expect((await ended(p, (await takeIn(p, await noise(30), 'z.tif')).id)).state).toBe('done');
  });

  it('that cannot fit is refused with the figure before anything is loaded or queued', async () => {
    const p = await project();
    const z = await ended(p, (await takeIn(p, await noise(2600), 'z.tif')).id);
    const run = await call<ApiProblem>(`/api/projects/${p}/runs`, 'POST', {
      method: 'terrain.flowAccumulation',
      inputs: { elevation: z.outputs },
      params: { scheme: 'mfd' },
    });
    expect([run.status, run.data.code]).toEqual([422, 'method.memory']);
    expect(run.data.detail).toContain('GiB');
    expect((await test.detail(p)).runs.length).toBe(1);
  });

  it('of a service that drips for ever holds up no computing, and ends', async () => {
    const drip = createServer((_q, res) => {
      res.writeHead(200, { 'Content-Type': 'application/json' });
      const t = setInterval(() => res.write(' '), 100);
      res.on('close', () => clearInterval(t));
    });
    await new Promise<void>((r) => drip.listen(0, '127.0.0.1', r));
    const address = `http://127.0.0.1:${(drip.address() as AddressInfo).port}`;
    const p = await project();
    const taking = await Promise.all(
      [1, 2, 3].map(() => call<ApiRun>(`/api/projects/${p}/services/take`, 'POST', { address, collection: 'a' })),
    );
    expect((await ended(p, (await takeIn(p, await noise(30), 'z.tif')).id)).state).toBe('done');
    const first = await ended(p, taking[0]!.data.id);
    expect([first.state, first.problem!.code]).toEqual(['failed', 'service.slow']);
    for (const t of taking.slice(1)) await call(`/api/projects/${p}/runs/${t.data.id}/cancel`, 'POST');
    drip.closeAllConnections();
    drip.close();
  });

  it('does not hold up other answers: samples are made elsewhere', async () => {
    const order: string[] = [];
    await Promise.all([
      call('/api/samples/veyra-peat-probes.csv')
        .catch(() => undefined)
        .then(() => order.push('sample')),
      call('/api/health').then(() => order.push('health')),
    ]);
    expect(order).toEqual(['health', 'sample']);
  }, 120_000);

  it('of another project is neither seen nor cancelled', async () => {
    const [a, b] = [await project(), await project()];
    const run = await takeIn(a, endlessPackage(), 'v.gpkg');
    expect((await call(`/api/projects/${b}/runs/${run.id}`)).status).toBe(404);
    expect((await call(`/api/projects/${b}/runs/${run.id}/cancel`, 'POST')).status).toBe(404);
    expect(['queued', 'running']).toContain((await call<ApiRun>(`/api/projects/${a}/runs/${run.id}`)).data.state);
    await call(`/api/projects/${a}/runs/${run.id}/cancel`, 'POST');
    await ended(a, run.id);
  });

  it('is not reached by names that every object answers to', async () => {
    const p = await project();
    const z = await ended(p, (await takeIn(p, await noise(30), 'z.tif')).id);
    for (const name of ['constructor', 'toString', '__proto__', 'hasOwnProperty']) {
      const ask = (inputs: string, params: string): Promise<Reply<ApiProblem>> =>
        call<ApiProblem>(
          `/api/projects/${p}/forecast`,
          'POST',
          JSON.parse(`{"method":"terrain.slope","inputs":{${inputs}},"params":{${params}}}`),
        );
      const role = await ask(`"elevation":["${z.outputs[0]}"],"${name}":[]`, '');
      expect([400, 422]).withContext(name).toContain(role.status);
      const setting = await ask(`"elevation":["${z.outputs[0]}"]`, `"${name}":1`);
      expect([400, 422]).withContext(name).toContain(setting.status);
      const format = await call<ApiProblem>(`/api/projects/${p}/datasets/${z.outputs[0]}/export?format=${name}`);
      expect(format.status).withContext(name).toBe(422);
    }
  });

  it('says that no answer may be kept', async () => {
    const r = await fetch(`${test.base}/api/projects`);
    expect(r.headers.get('cache-control')).toBe('no-store');
  });
});

describe('a server beyond loopback', () => {
  const token = 'schlüssel-für-die-räume';
  const test = new TestServer({ host: '0.0.0.0', token });
  beforeAll(() => test.up());
  afterAll(() => test.remove());
  const bearer = (t: string): Record<string, string> => ({
    Authorization: `Bearer ${Buffer.from(t, 'utf8').toString('latin1')}`,
  });
  const ask = (
    path: string,
    headers: Record<string, string>,
    body?: object,
  ): Promise<{ status: number; headers: IncomingMessage['headers']; text: string }> =>
    new Promise((resolve, reject) => {
      const req = request(
        test.base + path,
        { method: body ? 'POST' : 'GET', headers: { ...headers, 'Content-Type': 'application/json' } },
        (res) => {
          let text = '';
          res.on('data', (d) => (text += String(d)));
          res.on('end', () => resolve({ status: res.statusCode!, headers: res.headers, text }));
        },
      );
      req.on('error', reject);
      // As bytes: Node would write the head in the encoding of a text.
      req.end(body ? Buffer.from(JSON.stringify(body)) : undefined);
    });

  it('takes its token in any letters and refuses others of the same length', async () => {
    expect((await ask('/api/health', {})).status).toBe(403);
    expect((await ask('/api/health', bearer(token))).status).toBe(200);
    expect((await ask('/api/health', bearer(token.replace('ü', 'ö')))).status).toBe(403);
    expect((await ask('/api/health', bearer('x'.repeat(token.length)))).status).toBe(403);
    expect((await ask('/api/health', { Cookie: 'helk-token=%E0%A4%A' })).status).toBe(403);
  });

  it('takes the token out of the address at once', async () => {
    const r = await ask(`/p/abcdef?a=1&token=${encodeURIComponent(token)}`, {});
    expect([r.status, r.headers.location]).toEqual([303, '/p/abcdef?a=1']);
    const cookie = r.headers['set-cookie']![0]!.split(';')[0]!;
    expect((await ask('/api/health', { Cookie: cookie })).status).toBe(200);
    expect((await ask(`//elsewhere.example/?token=${encodeURIComponent(token)}`, {})).headers.location).not.toMatch(
      /^\/\//,
    );
  });

  it('sends the token to nobody but itself, whatever a request calls it', async () => {
    const seen: (string | undefined)[] = [];
    const other = createServer((req, res) => {
      seen.push(req.headers.authorization);
      res.writeHead(404).end();
    });
    await new Promise<void>((r) => other.listen(0, '127.0.0.1', r));
    const host = `127.0.0.1:${(other.address() as AddressInfo).port}`;
    const offer = await ask('/api/services', { ...bearer(token), Host: host });
    expect((JSON.parse(offer.text) as ApiServiceOffer[])[0]!.address).toBe(`${test.base}/portal`);
    await ask('/api/services/search', { ...bearer(token), Host: host }, { address: `http://${host}/portal` });
    expect(seen.length).toBeGreaterThan(0);
    expect(seen.filter(Boolean)).toEqual([]);
    other.close();
  });

  it('has one spelling of its paths, and keeps other sites out of all of them', async () => {
    expect((await ask('/API/health', bearer(token))).status).toBe(404);
    for (const path of ['/api/health', '/API/health', '/portal', '/p/abcdef/x'])
      expect((await ask(path, { ...bearer(token), 'Sec-Fetch-Site': 'cross-site' })).status).toBe(403);
  });
});

describe('an upload', () => {
  it('for which there is no room is answered as such', async () => {
    if (!existsSync('/dev/full')) return;
    const dir = mkdtempSync(join(tmpdir(), 'helk-full-'));
    mkdirSync(join(dir, 'a'));
    writeFileSync(join(dir, 'source'), Buffer.alloc(1e6));
    const full = join(dir, 'full');
    symlinkSync('/dev/full', full);
    const temp = { take: () => new TempFile(full) } as unknown as TempFolder;
    const req = Object.assign(createReadStream(join(dir, 'source')), { headers: {} });
    const e = await receive(req as never, temp, 1e9).then(
      () => null,
      (x: unknown) => x as HelkError,
    );
    expect(e?.code).toBe('store.full');
    expect(e?.status).toBe(507);
    expect(readdirSync(dir).includes('full')).toBeFalse();
    rmSync(dir, { recursive: true });
    expect(readFileSync('/dev/null').length).toBe(0);
  });
});

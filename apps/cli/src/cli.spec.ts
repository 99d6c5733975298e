import { spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setupNode } from '@helk/node';
import { readFile, writeGeoTiff } from '@helk/core/formats';
import { measureRaster, crsOfCode, methods, type Features, type Raster } from '@helk/core';

setupNode();

describe('the command line', () => {
  const dir = mkdtempSync(join(tmpdir(), 'helk-cli-'));
  const tile = async (name: string, x: number): Promise<string> => {
    const cells = Float32Array.from({ length: 120 }, (_, i) => 100 + (i % 12) * 2 + Math.floor(i / 12));
    const path = join(dir, name);
    writeFileSync(
      path,
      await writeGeoTiff(
        measureRaster({ crs: crsOfCode(32627), x, y: 6460000, dx: 10, dy: 10, columns: 12, rows: 10 }, cells, {
          name: 'z',
          unit: 'm',
          storedType: 'int16',
        }),
      ),
    );
    return path;
  };
  let a = '';
  let b = '';
  beforeAll(async () => {
    a = await tile('a.tif', 400000);
    b = await tile('b #2.tif', 400100);
  });
  afterAll(() => rmSync(dir, { recursive: true, force: true }));

  const helk = (...args: string[]): { code: number; out: string; err: string } => {
    const r = spawnSync(process.execPath, ['dist/cli/main.js', ...args], { encoding: 'utf8' });
    return { code: r.status ?? -1, out: r.stdout, err: r.stderr };
  };

  it('lists and describes every method', () => {
    const all = JSON.parse(helk('methods', '--json').out) as { id: string; family: string }[];
    expect(all.map((m) => m.id).sort()).toEqual(
      methods()
        .map((m) => m.id)
        .sort(),
    );
    const d = JSON.parse(helk('describe', 'terrain.slope', '--json').out) as {
      params: Record<string, { default: unknown }>;
    };
    expect(d.params['unit']!.default).toBe('degrees');
    expect(helk('describe', 'terrain.slope').out).toContain('Horn 1981');
  });

  it('inspects a file', () => {
    const r = JSON.parse(helk('inspect', a, '--json').out) as {
      kind: string;
      crs: { code: string };
      bands: { min: number; unit: string }[];
    };
    expect([r.kind, r.crs.code, r.bands[0]!.min, r.bands[0]!.unit]).toEqual(['raster', 'EPSG:32627', 100, 'm']);
  });

  it('runs a method on several files, one with a # in its name, and prints what it did', async () => {
    const out = join(dir, 'm');
    const r = helk(
      'run',
      'raster.mosaic',
      '--in',
      `tiles=${a}`,
      '--in',
      `tiles=${b}`,
      '--set',
      'overlap=last',
      '--out',
      out,
      '--json',
      '--seed',
      '5',
    );
    expect(r.code).withContext(r.err).toBe(0);
    const j = JSON.parse(r.out) as {
      method: string;
      params: unknown;
      seed: number;
      outputs: { role: string; file: string }[];
      figures: unknown;
      notes: unknown[];
      seconds: number;
    };
    expect(j.params).toEqual({ overlap: 'last' });
    expect(j.seed).toBe(5);
    expect(j.figures).toEqual({ tiles: 2, overlapCells: 20, missingCells: 0, enclosedCells: 0 });
    expect(j.outputs.map((o) => [o.role, o.file])).toEqual([['mosaic', join(out, 'mosaic.tif')]]);
    const back = (await readFile('m.tif', new Uint8Array(readFileSync(join(out, 'mosaic.tif'))))).layers[0]!
      .data as Raster;
    expect([back.grid.columns, back.bands[0]!.storedType]).toEqual([22, 'int16']);
  });

  it('makes weights, and takes them from their CSV again', () => {
    const squares = Array.from({ length: 36 }, (_, k) => {
      const [x, y] = [400_000 + 100 * (k % 6), 6_460_000 + 100 * Math.floor(k / 6)];
      const ring = [
        [x, y],
        [x + 100, y],
        [x + 100, y + 100],
        [x, y + 100],
        [x, y],
      ];
      return { type: 'Feature', properties: { v: k % 6 }, geometry: { type: 'Polygon', coordinates: [ring] } };
    });
    const file = join(dir, 'net.geojson');
    const crs = { type: 'name', properties: { name: 'urn:ogc:def:crs:EPSG::32627' } };
    writeFileSync(file, JSON.stringify({ type: 'FeatureCollection', crs, features: squares }));
    const to = join(dir, 'near');
    const w = JSON.parse(
      helk('run', 'stats.weights', '--in', `features=${file}`, '--set', 'neighbours=rook', '--out', to, '--json').out,
    ) as { figures: Record<string, number>; outputs: { kind: string; file: string }[] };
    // Each of 36 has four but those along the edges.
    expect(w.figures['links']).toBe(120);
    expect(w.outputs.map((o) => o.kind)).toEqual(['weights']);
    const csv = join(to, 'weights.csv');
    expect(readFileSync(csv, 'utf8').trim().split(/\r?\n/).length).toBe(121);
    const moran = (...more: string[]): number =>
      (
        JSON.parse(
          helk('run', 'stats.moran', '--in', `features=${file}`, ...more, '--set', 'column=v', '--out', to, '--json')
            .out,
        ) as { figures: { i: number } }
      ).figures.i;
    expect(moran('--in', `weights=${csv}`)).toBeCloseTo(moran('--set', 'neighbours=rook'), 12);
    expect(helk('run', 'stats.globalG', '--in', `features=${file}`, '--set', 'column=v', '--out', to).code).toBe(0);
  });

  it('writes another format when asked', () => {
    const out = join(dir, 'asc');
    expect(helk('run', 'terrain.slope', '--in', `elevation=${a}`, '--out', out, '--as', 'ascii-grid').code).toBe(0);
    expect(readFileSync(join(out, 'slope.asc'), 'utf8')).toContain('ncols 12');
  });

  it('refuses with exit code 2 and a sentence, and writes nothing', () => {
    const out = join(dir, 'no');
    const tries: string[][] = [
      ['run', 'terrain.slop', '--out', out],
      ['run', 'terrain.slope', '--out', out],
      ['run', 'terrain.slope', '--in', `elevation=${a}`],
      ['run', 'terrain.slope', '--in', `elevation=${a}`, '--set', 'unit=radians', '--out', out],
      ['run', 'terrain.slope', '--in', `elevation=${a}`, '--set', 'colour=red', '--out', out],
      ['run', 'terrain.slope', '--in', `height=${a}`, '--out', out],
      ['run', 'terrain.slope', '--in', `elevation=${dir}/none.tif`, '--out', out],
      ['run', 'terrain.slope', '--in', `elevation=${a}#second`, '--out', out],
      ['run', 'raster.reproject', '--in', `raster=${a}`, '--set', 'crs=EPSG:9', '--out', out],
      ['inspect', dir],
      ['dance'],
      ['run', 'terrain.slope', '--sideways'],
    ];
    for (const t of tries) {
      const r = helk(...t);
      expect(r.code).withContext(t.join(' ')).toBe(2);
      expect(r.err.length).withContext(t.join(' ')).toBeGreaterThan(10);
      expect(r.err).not.toMatch(/\n\s+at /);
    }
    expect(existsSync(out) ? readdirSync(out) : []).toEqual([]);
  });

  it('lists what a service has and takes a collection of it, in a process of its own', async () => {
    const point = (id: number): object => ({
      type: 'Feature',
      id,
      geometry: { type: 'Point', coordinates: [-20 + id / 100, 58] },
      properties: { depth: id, note: 'x' },
    });
    const link = (rel: string, href: string): object => ({ rel, href, type: 'application/json' });
    const docs: Record<string, object> = {
      '/': { title: 'Wells', links: [link('conformance', '/c'), link('data', '/collections')] },
      '/c': { conformsTo: ['http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/core'] },
      '/collections': { collections: [{ id: '../wells', title: 'All wells', links: [link('items', '/items')] }] },
      '/items': { type: 'FeatureCollection', features: [1, 2, 3].map(point) },
    };
    const server = createServer((q, r) => {
      const d = docs[q.url!.split('?')[0]!];
      r.writeHead(d ? 200 : 404, { 'Content-Type': 'application/json' }).end(JSON.stringify(d ?? {}));
    });
    await new Promise<void>((r) => server.listen(0, '127.0.0.1', r));
    const address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    // The server answers from this very process, so it must not be waited for in one piece.
    const later = (...args: string[]): Promise<{ code: number; out: string; err: string }> =>
      new Promise((done) => {
        const p = spawn(process.execPath, ['dist/cli/main.js', ...args]);
        let [out, err] = ['', ''];
        p.stdout.on('data', (d: Buffer) => (out += d.toString()));
        p.stderr.on('data', (d: Buffer) => (err += d.toString()));
        p.on('close', (code) => done({ code: code ?? -1, out, err }));
      });
    try {
      expect((await later('gather', address)).out).toContain('All wells');
      const folder = join(dir, 'wells');
      const take = await later(
        'gather',
        address,
        '../wells',
        '--columns',
        'depth',
        '--crs',
        'EPSG:32627',
        '--out',
        folder,
        '--as',
        'geopackage',
        '--json',
      );
      expect(take.err).toBe('');
      const { outputs } = JSON.parse(take.out) as { outputs: { file: string }[] };
      // The id of a collection is no path.
      expect(readdirSync(folder)).toEqual(['wells.gpkg']);
      const f = (await readFile('wells.gpkg', readFileSync(outputs[0]!.file))).layers[0]!.data as Features;
      expect(f.crs!.code).toBe('EPSG:32627');
      expect(f.columns.map((c) => c.name)).toEqual(['depth']);
      expect(await later('gather', address, 'lakes', '--out', folder)).toEqual(
        jasmine.objectContaining({ code: 2, err: jasmine.stringContaining('it has ../wells') }),
      );
      expect((await later('gather', `${address}/nothing`)).err).toContain('answered 404');
      expect((await later('gather')).err).toContain('address of a service');
      expect((await later('gather', address, '../wells', '--bbox', '1,2', '--out', folder)).err).toContain(
        'four numbers',
      );
      expect((await later('gather', address, '../wells')).err).toContain('--out DIR');
    } finally {
      server.close();
    }
  }, 60_000);
});

import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import Database from 'better-sqlite3';
import { strFromU8, unzipSync } from 'fflate';
import { crsOfCode, FeaturesBuilder, measureRaster, type Raster } from '@helk/core';
import type { ApiFinding, ApiPalette, ApiProblem, ApiProject, ApiReport, ApiRun } from '@helk/core/api/schemas';
import { readFile, writeGeoTiff } from '@helk/core/formats';
import { writeGeoPackage } from '@helk/core/formats/write';
import { parseRecipe } from '@helk/core/recipe/shape';
import { setupNode } from '@helk/node';
import { TestServer } from '../testing';

setupNode();

const grid = { crs: crsOfCode(32627), x: 400_000, y: 6_460_000, dx: 10, dy: 10, columns: 40, rows: 30 };
const hill = (): Raster =>
  measureRaster(
    grid,
    Float32Array.from({ length: 1200 }, (_, i) => 0.5 * (i % 40)),
    { name: 'hill', unit: 'm', role: 'elevation' },
  );
const gauges = () => {
  const b = new FeaturesBuilder();
  b.point(400_055, 6_459_955);
  return b.build('point', crsOfCode(32627), []);
};
const DRAWING = {
  width: 200,
  height: 100,
  items: [
    { kind: 'box', x: 0, y: 0, width: 200, height: 100, fill: '#ffffff' },
    { kind: 'text', x: 8, y: 20, text: 'steep <here>', size: 12, fill: '#1d282c' },
  ],
};
const PALETTE = {
  format: 'helk-palette',
  version: 1,
  name: 'Moor',
  kind: 'sequential',
  colours: ['#102030', '#f0e0d0'],
};

describe('reports and packages', () => {
  const test = new TestServer();
  const { call, project, detail, ended } = test;
  let p = '';
  let slope: string;
  let finding: string;
  let kept: string;
  const at = (path: string): string => `/api/projects/${p}/${path}`;
  const bytes = async (path: string): Promise<{ bytes: Uint8Array; type: string; as: string }> => {
    const r = await fetch(test.base + at(path));
    return {
      bytes: new Uint8Array(await r.arrayBuffer()),
      type: r.headers.get('content-type') ?? '',
      as: r.headers.get('content-disposition') ?? '',
    };
  };
  const takeIn = async (name: string, data: Uint8Array | string): Promise<string> => {
    const body = typeof data === 'string' ? new TextEncoder().encode(data) : data;
    return (await ended(p, (await call<ApiRun>(at(`imports?name=${name}`), 'POST', body)).data.id)).outputs[0]!;
  };
  const report = (over: object = {}) => ({
    report: {
      format: 'helk-report',
      version: 1,
      title: 'Steep ground',
      results: [slope],
      findings: [finding],
      ...over,
    },
  });
  beforeAll(async () => {
    await test.up();
    p = await project();
    const source = await takeIn('hill.tif', await writeGeoTiff(hill()));
    await takeIn('gauges.gpkg', writeGeoPackage([{ name: 'gauges', data: gauges() }]));
    const run = { method: 'terrain.slope', inputs: { elevation: [source] }, params: {} };
    [slope] = (await ended(p, (await call<ApiRun>(at('runs'), 'POST', run)).data.id)).outputs as [string];
    const picture = await call<{ id: string }>(
      at('pictures'),
      'POST',
      new TextEncoder().encode(JSON.stringify(DRAWING)),
    );
    const seen = { title: 'Where', kind: 'panes', seen: {}, rests: [], drawing: picture.data.id };
    finding = (await call<ApiFinding>(at('findings'), 'POST', seen)).data.id;
    kept = (await call<ApiReport>(at('reports'), 'POST', report({ title: 'Kept' }))).data.id;
    await call(at('palettes'), 'POST', { palette: { ...PALETTE, name: 'Kept' } });
  });
  afterAll(() => test.remove());

  it('keeps a report, and serves it as a page that needs nothing else', async () => {
    const made = await call<ApiReport>(at('reports'), 'POST', report());
    expect(made.status).toBe(201);
    const page = await bytes(`reports/${made.data.id}/page`);
    expect(page.type).toContain('text/html');
    expect(page.as).toContain('attachment; filename="Steep ground.html"');
    const html = strFromU8(page.bytes);
    expect(html).toContain('How steep is the ground?');
    expect(html).toContain('>steep &lt;here&gt;</text>');
    expect(html).toContain('EPSG:32627');
    expect(html).toMatch(/<th scope="row">SHA-256<\/th><td>[0-9a-f]{64}</);
    const saved = await call<ApiReport>(at(`reports/${made.data.id}`), 'PUT', report({ title: 'Steep' }));
    expect(saved.data.report.title).toBe('Steep');
    await call(at(`reports/${made.data.id}`), 'DELETE');
    expect((await detail(p)).reports.map((r) => r.id)).toEqual([kept]);
    expect((await bytes(`reports/${made.data.id}/page`)).type).toContain('problem+json');
    await call(at(`reports/${made.data.id}/restore`), 'POST');
    expect((await detail(p)).reports.map((r) => r.id)).toEqual([kept, made.data.id]);
    const bad = await call<ApiProblem>(at('reports'), 'POST', report({ title: '' }));
    expect([bad.status, bad.data.code, bad.data.detail]).toEqual([
      422,
      'report.invalid',
      'The report cannot be used: title: A title is needed.',
    ]);
    expect((await call<ApiProblem>(at('reports/nowhere00'), 'PUT', report())).data.code).toBe('report.unknown');
  });

  it('keeps palettes', async () => {
    const made = await call<ApiPalette>(at('palettes'), 'POST', { palette: PALETTE });
    expect(made.status).toBe(201);
    const bad = await call<ApiProblem>(at('palettes'), 'POST', { palette: { ...PALETTE, colours: ['#102030'] } });
    expect(bad.status).toBe(400);
    await call(at(`palettes/${made.data.id}`), 'DELETE');
    expect((await call<ApiProblem>(at(`palettes/${made.data.id}`), 'DELETE')).data.code).toBe('palette.unknown');
    await call(at(`palettes/${made.data.id}/restore`), 'POST');
    expect((await detail(p)).palettes.map((x) => x.palette.name)).toEqual(['Kept', 'Moor']);
  });

  it('packs results in open formats with how they were made, what was seen, and a readme', async () => {
    const recipe = {
      recipe: { helkRecipe: 1, title: 'Steepness', about: '', inputs: [], steps: [], keep: [] },
      draft: true,
    };
    await call(at('recipes'), 'POST', recipe);
    const zip = unzipSync((await bytes('package')).bytes);
    const names = Object.keys(zip).sort();
    expect(names).toContain('data/Slope.tif');
    expect(names).not.toContain('data/hill.tif');
    expect(names).toContain('recipes/Steepness.json');
    expect(names).toContain('findings/1 Where.svg');
    expect(names.some((n) => n.startsWith('reports/'))).toBeTrue();
    const layer = (await readFile('x.tif', zip['data/Slope.tif']!)).layers[0]!.data as Raster;
    expect([layer.grid.columns, layer.grid.rows]).toEqual([40, 30]);
    const readme = strFromU8(zip['readme.md']!);
    expect(readme).toContain('data/Slope.tif');
    expect(readme).toContain('Slope (terrain.slope)');
    expect(readme).toContain('2 other datasets of the project: hill, gauges');
    const lineage = JSON.parse(strFromU8(zip['lineage.json']!)) as {
      datasets: { name: string; files: { path: string }[]; unit: string | null; system: string }[];
      runs: { method: string; made: object }[];
    };
    const told = lineage.datasets.find((d) => d.name === 'Slope')!;
    expect([told.unit, told.system, told.files]).toEqual([
      '°',
      'EPSG:32627',
      [{ path: 'data/Slope.tif', format: 'geotiff' } as never],
    ]);
    expect(lineage.runs.map((r) => r.method)).toEqual(['terrain.slope']);
    expect(parseRecipe(strFromU8(zip['recipes/Steepness.json']!)).title).toBe('Steepness');
  });

  it('packs sources and the project itself where that is wished, and says what a format does to coordinates', async () => {
    const zip = unzipSync((await bytes('package?of=all&project=yes')).bytes);
    const readme = strFromU8(zip['readme.md']!);
    expect(Object.keys(zip)).toContain('data/gauges.geojson');
    expect(readme).toContain('longitude and latitude, WGS 84 (in the project EPSG:32627');
    const copy = await call<ApiProject>('/api/projects/file?name=x.helk', 'POST', zip['project.helk']);
    expect(copy.status).toBe(201);
    const [a, b] = [await detail(p), await detail(copy.data.id)];
    expect(b.reports).toEqual(a.reports);
    expect(b.palettes).toEqual(a.palettes);
    for (const sql of [`UPDATE reports SET body = '{"title":""}'`, `UPDATE palettes SET body = '{}'`]) {
      const db = new Database(Buffer.from(zip['project.helk']!));
      db.exec(sql);
      const r = await call<ApiProblem>('/api/projects/file?name=x.helk', 'POST', new Uint8Array(db.serialize()));
      db.close();
      expect([r.status, r.data.code]).withContext(sql).toEqual([422, 'project.invalid']);
    }
  });

  it('refuses what is not there, and leaves nothing behind', async () => {
    expect((await call<ApiProblem>(at('package?of=named&datasets=nowhere00'))).status).toBe(404);
    expect((await call<ApiProblem>(at('package?of=everything'))).status).toBe(400);
    expect(readdirSync(join(test.dir, 'uploads'))).toEqual([]);
  });
});

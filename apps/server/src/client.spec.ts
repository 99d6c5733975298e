import { spawn } from 'node:child_process';
import { connect, HelkRefusal, type OpenProject } from '@helk/client';
import { setupNode } from '@helk/node';
import { writeGeoJson, writeGeoTiff } from '@helk/core/formats';
import { valley, WATERSHED } from '@helk/core/recipe/recipe-fixture';
import { TestServer } from './testing';

describe('the client package', () => {
  setupNode();
  const server = new TestServer({ threads: 2 });
  const { tiles, outlet } = valley();
  let project: OpenProject;
  beforeAll(async () => {
    await server.up();
    const helk = await connect(server.base);
    project = await helk.createProject('A valley');
    await project.takeIn('west.tif', await writeGeoTiff(tiles[0]!));
    await project.takeIn('east.tif', await writeGeoTiff(tiles[1]!));
    await project.takeIn('gauge.geojson', new TextEncoder().encode(writeGeoJson(outlet)));
  });
  afterAll(() => server.remove());

  it('finds projects and datasets by name, and says what it does not find', async () => {
    const helk = await connect({ address: `${server.base}/` });
    expect((await helk.project('A valley')).id).toBe(project.id);
    expect((await project.datasets({ find: 'WEST' })).map((d) => d.name)).toEqual(['west']);
    expect((await project.datasets({ kind: 'features', find: 'gauge' })).map((d) => d.name)).toEqual(['gauge']);
    expect((await project.dataset('east')).kind).toBe('raster');
    await expectAsync(project.dataset('north')).toBeRejectedWithError(HelkRefusal, /no dataset “north”/);
    await expectAsync(helk.project('Nowhere')).toBeRejectedWithError(HelkRefusal, /no project “Nowhere”/);
    expect((await helk.methods()).some((m) => m.id === 'terrain.slope')).toBeTrue();
  });

  it('runs a method with progress, waits for it and fetches what it made', async () => {
    const shares: number[] = [];
    const done = await project.run('terrain.slope', {
      inputs: { elevation: 'west' },
      params: { unit: 'percent' },
      onProgress: (s) => shares.push(s),
    });
    expect(shares.at(-1)).toBe(1);
    expect(done.results[0]!.name).toBe('Slope');
    const bytes = await project.fetch(done.results[0]!, 'geotiff');
    expect(new TextDecoder().decode(bytes.slice(0, 2))).toBe('II');
  });

  it('tells the sentence of what is refused', async () => {
    const e = await project.run('terrain.slope', { inputs: { elevation: 'gauge' } }).catch((x: unknown) => x);
    expect(e).toBeInstanceOf(HelkRefusal);
    expect((e as HelkRefusal).code).toBe('method.input');
    expect((e as HelkRefusal).message).toContain('a raster is wanted');
    await expectAsync(connect('http://127.0.0.1:9')).toBeRejected();
  });

  it('runs a recipe and a run table', async () => {
    await project.helk.call('createRecipe', {
      params: { project: project.id },
      body: { recipe: WATERSHED, draft: false },
    });
    const done = await project.runRecipe('Watershed of a gauge', {
      inputs: { tiles: ['west', 'east'], outlets: 'gauge' },
    });
    expect(done.results.map((d) => d.step)).toEqual(['watersheds']);
    expect(done.figures['watersheds.watersheds']).toBe(1);
    await project.helk.call('createTable', {
      params: { project: project.id },
      body: {
        title: 'Units',
        method: 'terrain.slope',
        names: 'Slope in {unit}',
        columns: ['in:elevation', 'unit'],
        rows: [
          { id: 'a', cells: ['west', 'degrees'] },
          { id: 'b', cells: ['west', 'furlongs'] },
          { id: 'c', cells: ['west', 'percent'] },
        ],
      },
    });
    const rows = await project.runTable('Units');
    expect(rows.map((r) => r.state)).toEqual(['done', 'failed', 'done']);
    expect((await project.dataset('Slope in percent')).role).toBe('slope');
  });

  it('cancels a run', async () => {
    const stop = new AbortController();
    stop.abort();
    const e = await project
      .run('terrain.fill', { inputs: { elevation: 'west' }, signal: stop.signal })
      .catch((x: unknown) => x);
    // A run this short may be over before it hears of it.
    if (e instanceof HelkRefusal) expect(e.code).toBe('run.cancelled');
    else expect((e as { results: unknown[] }).results.length).toBe(2);
  });

  it('has an example that runs', async () => {
    const own = await project.helk.createProject('An example');
    await own.takeIn('west.tif', await writeGeoTiff(tiles[0]!));
    await own.takeIn('east.tif', await writeGeoTiff(tiles[1]!));
    await own.takeIn('gauge.geojson', new TextEncoder().encode(writeGeoJson(outlet)));
    const mosaic = await own.run('raster.mosaic', { inputs: { tiles: ['west', 'east'] } });
    await own.run('terrain.fill', { inputs: { elevation: mosaic.results[0]! } });
    const child = spawn(process.execPath, [
      '--import',
      'tsx',
      'packages/client/examples/watershed.ts',
      server.base,
      'An example',
    ]);
    let out = '';
    child.stdout.on('data', (d: Buffer) => (out += String(d)));
    let err = '';
    child.stderr.on('data', (d: Buffer) => (err += String(d)));
    expect(await new Promise((r) => child.once('close', r)))
      .withContext(err)
      .toBe(0);
    const told = JSON.parse(out) as { figures: { area: number }; results: string[] };
    expect(told.results).toEqual(['Watersheds']);
    expect(told.figures.area).toBeGreaterThan(10_000);
  }, 60_000);
});

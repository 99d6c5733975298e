import { spawn } from 'node:child_process';
import { openAsBlob, closeSync, mkdtempSync, openSync, readdirSync, readFileSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { crsOfCode, type RasterInfo } from '@helk/core';
import type { ApiProject, ApiProjectDetail, ApiRun } from '@helk/core/api/schemas';
import { TiffSink } from '@helk/core/formats/geotiff-write';
import { fileSink, setupNode } from '@helk/node';

/**
 * A scene of six 16-bit bands, taken in, clipped, computed with, resampled, clustered and classified by the server, each within the memory
 * that one run may have. Usage: npm run bench:scene [side, 10000] [GiB, 3] [steps, all: clip,formula,resample,cluster,likelihood,forest]
 */
setupNode();
const side = Number(process.argv[2] ?? 10_000);
const gib = Number(process.argv[3] ?? 3);
const only = process.argv[4]?.split(',') ?? null;
const wanted = (name: string): boolean => !only || only.includes(name);
const print = (s: string): void => void process.stdout.write(`${s}\n`);
const dir = mkdtempSync(join(tmpdir(), 'helk-scene-'));
const BANDS = ['blue', 'green', 'red', 'nir', 'swir1', 'swir2'];

// Written as it is made: the file is larger than what is held of it.
const file = join(dir, 'scene.tif');
const handle = openSync(file, 'w+');
const held = { type: 'uint16' as const, missing: 0 };
const band = { unit: '', kind: 'measure' as const, storedType: 'uint16' as const, missingCode: 0, held };
const head: RasterInfo = {
  kind: 'raster',
  grid: { crs: crsOfCode(32627), x: 5e5, y: 65e5, dx: 10, dy: 10, columns: side, rows: side },
  bands: BANDS.map((name) => ({ ...band, name })),
};
const sink = new TiffSink(head, fileSink(handle), 1);
for (let from = 0; from < side; from += 500) {
  const n = Math.min(500, side - from);
  for (let k = 0; k < BANDS.length; k++) {
    const rows = new Float32Array(n * side);
    for (let i = 0; i < rows.length; i++) {
      const [x, y] = [i % side, from + Math.floor(i / side)];
      rows[i] = Math.round(3000 + 1000 * Math.sin(x / 90 + k) * Math.cos(y / 70) + ((x * 7919 + y * 104729 + k) % 97));
    }
    await sink.write(k, rows);
  }
}
await sink.end();
closeSync(handle);
print(
  `${BANDS.length} bands of ${((side * side) / 1e6).toFixed(0)} million cells, ${(statSync(file).size / 2 ** 30).toFixed(2)} GiB as a file; ${gib} GiB for a run`,
);

const port = 8700 + Math.floor(Math.random() * 200);
const base = `http://127.0.0.1:${port}`;
const server = spawn(process.execPath, ['dist/server/main.js'], {
  env: {
    ...process.env,
    HELK_ROOT: process.cwd(),
    HELK_PORT: String(port),
    HELK_DATA: join(dir, 'data'),
    HELK_DEMO: 'none',
    HELK_WEB: 'none',
    HELK_MEMORY_GIB: String(gib),
  },
  stdio: ['ignore', 'pipe', 'inherit'],
});
process.on('exit', () => server.kill('SIGKILL'));
await new Promise<void>((r) => server.stdout.on('data', (d: Buffer) => d.toString().includes('Helk is at') && r()));

const json = async <T>(path: string, init?: RequestInit): Promise<T> => {
  const r = await fetch(base + path, init);
  if (!r.ok) throw new Error(await r.text());
  return (await r.json()) as T;
};
/** The most that any process the server started has held, GiB. */
const most = (): number => {
  let high = 0;
  for (const pid of readdirSync('/proc').filter((x) => /^\d+$/.test(x)))
    try {
      const status = readFileSync(`/proc/${pid}/status`, 'utf8');
      if (Number(/PPid:\s+(\d+)/.exec(status)?.[1]) !== server.pid) continue;
      high = Math.max(high, Number(/VmHWM:\s+(\d+)/.exec(status)?.[1] ?? 0) / 2 ** 20);
    } catch {
      // It has ended meanwhile.
    }
  return high;
};
const post = (body: unknown): RequestInit => ({
  method: 'POST',
  body: JSON.stringify(body),
  headers: { 'Content-Type': 'application/json' },
});
const p = (await json<ApiProject>('/api/projects', post({ name: 'scene' }))).id;
const step = async (name: string, start: Promise<ApiRun>): Promise<string[]> => {
  const t = Date.now();
  const { id } = await start;
  let high = 0;
  for (;;) {
    const r = await json<ApiRun>(`/api/projects/${p}/runs/${id}`);
    high = Math.max(high, most());
    if (r.state === 'done') {
      print(
        `${name.padEnd(10)} ${((Date.now() - t) / 1000).toFixed(1).padStart(6)} s   ${high.toFixed(2)} GiB at most`,
      );
      return r.outputs;
    }
    if (r.state !== 'running' && r.state !== 'queued') throw new Error(`${name}: ${r.problem?.message}`);
    await new Promise((x) => setTimeout(x, 200));
  }
};
const run = (method: string, inputs: object, params: object = {}): Promise<ApiRun> =>
  json(`/api/projects/${p}/runs`, post({ method, inputs, params }));
const scene = await step(
  'import',
  json(`/api/projects/${p}/imports?name=scene.tif`, { method: 'POST', body: await openAsBlob(file) }),
);
const inner = 0.05 * side * 10;
const bounds = [5e5 + inner, 65e5 - side * 10 + inner, 5e5 + side * 10 - inner, 65e5 - inner].join(',');
if (wanted('clip')) await step('clip', run('raster.clip', { raster: scene }, { bounds }));
if (wanted('formula'))
  await step('formula', run('raster.formula', { rasters: scene }, { formula: '(nir - red) / (nir + red)' }));
if (wanted('resample'))
  await step('resample', run('raster.resample', { raster: scene }, { cellSize: '20 m', resampling: 'mean' }));
if (wanted('cluster')) await step('cluster', run('imagery.cluster', { scene }, { k: 10, maxIterations: 10 }));
// Squares of three kinds of place: where the waves are high, low and between.
const square = (c: number, r: number): number[][][] => {
  const [x, y] = [5e5 + 10 * c, 65e5 - 10 * r];
  return [[0, 0, 1, 1, 0].map((dx, i) => [x + 80 * dx, y - 80 * [0, 1, 1, 0, 0][i]!])];
};
const places = [141, 424, 283].flatMap((c, k) => [0, 1, 2, 3].map((j) => ({ k, c: c + 565 * j, r: 440 * j + 4 })));
const training = {
  type: 'FeatureCollection',
  features: places.map(({ k, c, r }) => ({
    type: 'Feature',
    properties: { class: ['high', 'low', 'between'][k] },
    geometry: { type: 'Polygon', coordinates: square(c, r) },
  })),
};
const examples = await step(
  'examples',
  json(`/api/projects/${p}/imports?name=training.geojson&crs=EPSG:32627`, {
    method: 'POST',
    body: JSON.stringify(training),
    headers: { 'Content-Type': 'application/octet-stream' },
  }),
);
const classify = (method: string, more: object = {}): Promise<ApiRun> =>
  run('imagery.classify', { scene, training: examples }, { classColumn: 'class', method, ...more });
if (wanted('likelihood')) await step('likelihood', classify('maximumLikelihood'));
if (wanted('forest')) await step('forest', classify('randomForest', { trees: 50 }));
const { datasets } = await json<ApiProjectDetail>(`/api/projects/${p}`);
for (const d of datasets) {
  if (d.kind !== 'raster') continue;
  const { grid, bands } = d.info as unknown as RasterInfo;
  print(`${d.name}: ${bands.length} × ${grid.columns} × ${grid.rows}, ${bands[0]!.held!.type}`);
}
server.kill('SIGTERM');
rmSync(dir, { recursive: true, force: true });

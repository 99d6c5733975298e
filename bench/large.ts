// npm run bench:large [size]: the whole thread on size x size cells (10 000 by default: 100 million) through the real server:
// two tiles taken in, mosaic, reproject, fill, slope. Tells the time of each, the greatest memory of the server's process, and how
// long it took to answer other requests meanwhile. Needs the build: node scripts/build.mjs node
import { spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { measureRaster, wgs84, type Raster } from '@helk/core';
import type { ApiProject, ApiRun } from '@helk/core/api/schemas';
import { writeGeoTiff } from '@helk/core/formats';
import { setupNode } from '@helk/node';
import { ground } from './ground';

setupNode();
const size = Number(process.argv[2] ?? 10_000);
const port = 4796;
const base = `http://127.0.0.1:${port}`;
const print = (s: string): void => void process.stdout.write(`${s}\n`);
const dir = mkdtempSync(join(tmpdir(), 'helk-large-'));

const half = (size >> 1) + 8;
const cells = ground(size);
for (let i = 0; i < cells.length; i++) cells[i] = Math.round(cells[i]!);
const second = 1 / 3600;
const tile = (west: number): Promise<Uint8Array> => {
  const part = new Float32Array(half * size);
  for (let y = 0; y < size; y++) part.set(cells.subarray(y * size + west, y * size + west + half), y * half);
  const r: Raster = measureRaster(
    { crs: wgs84(), x: -21.3 + west * second, y: 59.5, dx: second, dy: second, columns: half, rows: size },
    part,
    { name: 'z', unit: 'm', role: 'elevation', storedType: 'int16', missingCode: -32768 },
  );
  return writeGeoTiff(r, 1);
};

// Made before the clock and the heartbeat start: this process must be idle while the server works.
const tiles = [await tile(0), await tile(size - half)];

const server = spawn(process.execPath, ['dist/server/main.js'], {
  env: {
    ...process.env,
    HELK_ROOT: process.cwd(),
    HELK_PORT: String(port),
    HELK_DATA: dir,
    HELK_DEMO: 'none',
    HELK_WEB: 'none',
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
let slowest = 0;
const beat = setInterval(() => {
  const t = performance.now();
  void fetch(`${base}/api/projects`)
    .then((r) => r.text())
    .then(() => (slowest = Math.max(slowest, performance.now() - t)));
}, 100);

const post = (body: unknown): RequestInit => ({
  method: 'POST',
  body: JSON.stringify(body),
  headers: { 'Content-Type': 'application/json' },
});
const p = (await json<ApiProject>('/api/projects', post({ name: 'large' }))).id;
const step = async (name: string, start: Promise<ApiRun>): Promise<string[]> => {
  const t = Date.now();
  const { id } = await start;
  for (;;) {
    const r = await json<ApiRun>(`/api/projects/${p}/runs/${id}`);
    if (r.state === 'done') {
      const memory = /VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${server.pid}/status`, 'utf8'))?.[1];
      print(
        `${name.padEnd(10)} ${((Date.now() - t) / 1000).toFixed(1).padStart(6)} s   ${(Number(memory) / 2 ** 20).toFixed(1)} GiB at most so far   slowest other answer ${slowest.toFixed(0)} ms`,
      );
      return r.outputs;
    }
    if (r.state !== 'running' && r.state !== 'queued') throw new Error(`${name}: ${r.problem?.message}`);
    await new Promise((x) => setTimeout(x, 100));
  }
};
const run = (method: string, inputs: object, params: object = {}): Promise<ApiRun> =>
  json(`/api/projects/${p}/runs`, post({ method, inputs, params }));
const take = (name: string, k: number): Promise<ApiRun> =>
  json(`/api/projects/${p}/imports?name=${name}`, { method: 'POST', body: tiles[k] as never });

print(`${((size * size) / 1e6).toFixed(0)} million cells`);
const a = await step('import', take('a.tif', 0));
const b = await step('import', take('b.tif', 1));
const mosaic = await step('mosaic', run('raster.mosaic', { tiles: [...a, ...b] }));
const projected = await step(
  'reproject',
  run('raster.reproject', { raster: mosaic }, { crs: 'EPSG:32627', cellSize: '22 m' }),
);
const filled = await step('fill', run('terrain.fill', { elevation: projected }));
await step('slope', run('terrain.slope', { elevation: [filled[0]] }));
clearInterval(beat);
server.kill('SIGTERM');
rmSync(dir, { recursive: true, force: true });

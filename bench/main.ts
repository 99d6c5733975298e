// npm run bench [size]: kernels on size x size cells (4096 by default: 16.8 million), as ratios in one run against the memory
// limit (a typed-array loop that reads and writes every cell) and, where installed, NumPy, SciPy and scikit-image.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { crsOfCode, LocalJob, measureRaster, suggestUtm, transformExtent, wgs84, type Grid } from '@helk/core';
import { arctan } from '@helk/core/numeric/arctan';
import { targetGrid, warp } from '@helk/core/methods/raster/reproject';
import { scanGradients } from '@helk/core/methods/terrain/gradient';
import { priorityFlood } from '@helk/core/methods/terrain/fill';
import { layTile } from '@helk/core/methods/raster/mosaic';
import { shadeRow, shader } from '@helk/core/methods/terrain/light';
import { setupNode } from '@helk/node';
import { ground } from './ground';
import { tileServing } from './tiles';
import { waterKernels } from './water';

setupNode();
const size = Number(process.argv[2] ?? 4096);
const n = size * size;
const print = (s: string): void => void process.stdout.write(`${s}\n`);
const seconds = (f: () => void, times = 3): number => {
  let best = Infinity;
  for (let k = 0; k < times; k++) {
    const t = process.hrtime.bigint();
    f();
    best = Math.min(best, Number(process.hrtime.bigint() - t) / 1e9);
  }
  return best;
};

const cells = ground(size);
const out = new Float32Array(n);
const limit = seconds(() => {
  for (let i = 0; i < n; i++) out[i] = cells[i]! + 1;
});
print(`${(n / 1e6).toFixed(1)} million cells; memory limit ${limit.toFixed(3)} s (read and write each cell once)\n`);

const ten = (): [number, number] => [10, 10];
const level = [0, 0, 0, 0, 0, 0, 0, 0];
const half = (size >> 1) + 8;
const left = new Float32Array(half * size);
for (let y = 0; y < size; y++) left.set(cells.subarray(y * size, y * size + half), y * half);
const degrees: Grid = { crs: wgs84(), x: -21, y: 58.5, dx: 1 / 7200, dy: 1 / 7200, columns: size, rows: size };
const source = measureRaster(degrees, cells, { name: 'z', unit: 'm' });
const place = transformExtent([-21, 58, -20.5, 58.5], wgs84(), suggestUtm(-20.7, 58));
const target: Grid = {
  ...targetGrid(degrees, crsOfCode(32627), 10),
  x: place[0],
  y: place[3],
  dx: 8,
  dy: 15,
  columns: size,
  rows: size,
};
const light = shader(315, 45, 'single');

const ours: Record<string, number> = {
  mosaic: seconds(() => {
    const plot = { out: out.fill(NaN), width: size, covered: new Uint8Array(n), weight: null, missing: NaN };
    layTile(plot, left, half, size, 0, 0, 'first', NaN);
    layTile(plot, left, half, size, size - half, 0, 'first', NaN);
  }),
  reproject: seconds(() => warp(source, target, 'bilinear', new LocalJob()), 2),
  fill: seconds(() => priorityFlood(cells, size, size, out, level), 2),
  slope: seconds(() =>
    scanGradients(cells, size, size, ten, 'horn', (row, gx, gy) => {
      const o = row * size;
      for (let x = 0; x < size; x++)
        out[o + x] = (arctan(Math.sqrt(gx[x]! * gx[x]! + gy[x]! * gy[x]!)) * 180) / Math.PI;
    }),
  ),
  hillshade: seconds(() =>
    scanGradients(cells, size, size, ten, 'horn', (row, gx, gy) => shadeRow(light, gx, gy, out, row * size)),
  ),
};

priorityFlood(cells, size, size, out, level);
Object.assign(ours, waterKernels(out.slice(), size));

const dir = mkdtempSync(join(tmpdir(), 'helk-bench-'));
const file = join(dir, 'z.f32');
writeFileSync(file, cells);
const env = { ...process.env };
delete env['OPENBLAS_CORETYPE'];
delete env['OPENBLAS_L2_SIZE'];
const r = spawnSync('/usr/bin/python3', [join(import.meta.dirname, 'reference.py'), String(size), file], {
  encoding: 'utf8',
  env,
});
const theirs = (r.status === 0 ? JSON.parse(r.stdout) : {}) as Record<string, number>;
rmSync(dir, { recursive: true, force: true });
print('kernel             Helk, s   x memory limit   reference, s   Helk / reference');
for (const [name, s] of Object.entries(ours)) {
  const t = theirs[name];
  print(
    `${name.padEnd(18)} ${s.toFixed(3).padStart(7)}   ${(s / limit).toFixed(1).padStart(14)}   ${(t?.toFixed(3) ?? 'not installed').padStart(12)}   ${(t ? (s / t).toFixed(2) : '–').padStart(16)}`,
  );
}

const t = await tileServing(cells, size);
print(
  `\ntile serving ${t.chunks} chunks, ${t.megabytes.toFixed(0)} MB of cells in ${t.seconds.toFixed(2)} s: ${(t.seconds / t.inflate).toFixed(1)} x inflating the same bytes in memory (${t.inflate.toFixed(2)} s)`,
);

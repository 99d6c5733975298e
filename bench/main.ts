// npm run bench [size]: kernels on size x size cells (4096 by default: 16.8 million), as ratios in one run against the memory
// limit (a typed-array loop that reads and writes every cell) and, where installed, NumPy, SciPy and scikit-image.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { availableParallelism, tmpdir } from 'node:os';
import { join } from 'node:path';
import { crsOfCode, measureRaster, room, wgs84, type Grid } from '@helk/core';
import { priorityFlood } from '@helk/core/methods/terrain/fill';
import { layTile } from '@helk/core/methods/raster/mosaic';
import { setupNode } from '@helk/node';
import { ground } from './ground';
import { METHODS, methodSeconds } from './methods';
import { tileServing } from './tiles';
import { waterKernels } from './water';

setupNode();
const size = Number(process.argv[2] ?? 4096);
/** Names of methods to time, apart by commas; all where none is given. */
const only = process.argv[3]?.split(',');
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

const cells = room(Float32Array, n);
cells.set(ground(size));
const out = new Float32Array(n);
const limit = seconds(() => {
  for (let i = 0; i < n; i++) out[i] = cells[i]! + 1;
});
print(`${(n / 1e6).toFixed(1)} million cells; memory limit ${limit.toFixed(3)} s (read and write each cell once)\n`);

const level = [0, 0, 0, 0, 0, 0, 0, 0];
const half = (size >> 1) + 8;
const left = new Float32Array(half * size);
for (let y = 0; y < size; y++) left.set(cells.subarray(y * size, y * size + half), y * half);
const degrees: Grid = { crs: wgs84(), x: -21, y: 58.5, dx: 1 / 7200, dy: 1 / 7200, columns: size, rows: size };
const source = measureRaster(degrees, cells, { name: 'z', unit: 'm' });

const ours: Record<string, number> = {
  mosaic: seconds(() => {
    const plot = { out: out.fill(NaN), width: size, covered: new Uint8Array(n), weight: null, missing: NaN };
    layTile(plot, left, half, size, 0, 0, 'first', NaN);
    layTile(plot, left, half, size, size - half, 0, 'first', NaN);
  }),
  fill: seconds(() => priorityFlood(cells, size, size, out, level), 2),
};

priorityFlood(cells, size, size, out, level);
Object.assign(ours, waterKernels(out.slice(), size));

const dir = mkdtempSync(join(tmpdir(), 'helk-bench-'));
const file = join(dir, 'z.f32');
writeFileSync(file, cells);
const env = { ...process.env };
delete env['OPENBLAS_CORETYPE'];
delete env['OPENBLAS_L2_SIZE'];
const r = spawnSync('/usr/bin/python3', [join(process.cwd(), 'bench', 'reference.py'), String(size), file], {
  encoding: 'utf8',
  env,
});
const theirs = (r.status === 0 ? JSON.parse(r.stdout) : {}) as Record<string, number>;
rmSync(dir, { recursive: true, force: true });
const utm = measureRaster(
  { crs: crsOfCode(32627), x: 5e5, y: 65e5, dx: 10, dy: 10, columns: size, rows: size },
  cells,
  { name: 'z', unit: 'm' },
);
print('method             one thread, s   all threads, s   gain   x memory limit   reference, s   Helk / reference');
for (const { name, id, data, params } of METHODS(utm, source)) {
  if (only && !only.includes(name)) continue;
  const one = await methodSeconds(id, data, params, 1);
  const all = await methodSeconds(id, data, params, availableParallelism());
  const t = theirs[name];
  print(
    `${name.padEnd(18)} ${one.toFixed(3).padStart(13)}   ${all.toFixed(3).padStart(14)}   ${(one / all).toFixed(2).padStart(4)}   ${(all / limit).toFixed(1).padStart(14)}   ${(t?.toFixed(3) ?? '').padStart(12)}   ${(t ? (all / t).toFixed(2) : '').padStart(16)}`,
  );
}
print('\nkernel             Helk, s   x memory limit   reference, s   Helk / reference');
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

// npm run bench:surfaces: kriging, inverse distance, spline and variogram, as ratios to gstat (R) and SciPy where installed.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  crsOfCode,
  FeaturesBuilder,
  methodOf,
  numberColumn,
  Random,
  runMethod,
  type Features,
  type Raster,
} from '@helk/core';

const print = (s: string): void => void process.stdout.write(`${s}\n`);
const SIZE = 10_000;

/** Samples of a smooth field with some noise. */
function samples(n: number, seed: number): { x: Float64Array; y: Float64Array; z: Float64Array } {
  const r = new Random(seed);
  const x = Float64Array.from({ length: n }, () => SIZE * r.uniform());
  const y = Float64Array.from({ length: n }, () => SIZE * r.uniform());
  const z = Float64Array.from(x, (v, i) => Math.sin(v / 1500) + Math.cos(y[i]! / 1100) + 0.1 * r.normal());
  return { x, y, z };
}
function points(s: ReturnType<typeof samples>): Features {
  const b = new FeaturesBuilder();
  s.x.forEach((x, i) => b.point(x, s.y[i]!));
  return b.build('point', crsOfCode(32627), [numberColumn('z', s.z)]);
}
const ours: Record<string, number> = {};
async function clock<T>(name: string, f: () => Promise<T>): Promise<T> {
  const t = process.hrtime.bigint();
  const r = await f();
  ours[name] = Number(process.hrtime.bigint() - t) / 1e9;
  return r;
}
const run = (id: string, s: Features, params: object) =>
  runMethod(methodOf(id), { points: [s] }, { value: 'z', bounds: `0,0,${SIZE},${SIZE}`, ...params });
const MODEL = { model: 'spherical', nugget: 0.02, sill: 1, range: '2000 m', lag: '200 m', maxDistance: '3000 m' };

const dir = mkdtempSync(join(tmpdir(), 'helk-bench-'));
const sets = { a: samples(500, 1), b: samples(1000, 2), c: samples(100_000, 3) };
for (const [name, s] of Object.entries(sets))
  writeFileSync(
    join(dir, `${name}.csv`),
    `x,y,z\n${Array.from(s.x, (x, i) => `${x},${s.y[i]},${s.z[i]}`).join('\n')}\n`,
  );
const [a, b, c] = [points(sets.a), points(sets.b), points(sets.c)];

await run('surface.kriging', points(samples(50, 9)), { ...MODEL, cellSize: '500 m' });
const k = await clock('kriging, 500 points, 250 000 cells, with error', () =>
  run('surface.kriging', a, { ...MODEL, cellSize: '20 m' }),
);
await clock('inverse distance, 1 000 points, 1 000 000 cells', () =>
  run('surface.idw', b, { power: 2, neighbours: 0, cellSize: '10 m' }),
);
await clock('kriging, 16 nearest of 100 000, 40 000 cells', () =>
  run('surface.kriging', c, { ...MODEL, neighbours: 16, cellSize: '50 m' }),
);
await clock('inverse distance, 12 nearest of 100 000, 1 000 000 cells', () =>
  run('surface.idw', c, { power: 2, neighbours: 12, cellSize: '10 m' }),
);
await clock('spline, 500 points, 250 000 cells', () => run('surface.spline', a, { cellSize: '20 m' }));
await clock('variogram of 1 000 points', () =>
  runMethod(methodOf('surface.variogram'), { points: [b] }, { value: 'z', ...MODEL, model: 'spherical' }),
);

const theirs: Record<string, number> = {};
for (const [program, script] of [
  ['Rscript', 'surfaces.R'],
  ['/usr/bin/python3', 'surfaces.py'],
] as const) {
  const r = spawnSync(program, [join(import.meta.dirname, script), dir], { encoding: 'utf8', timeout: 900_000 });
  if (r.status === 0) Object.assign(theirs, JSON.parse(r.stdout));
  else print(`${program} did not run: ${(r.stderr || String(r.error)).slice(0, 200)}`);
}
// The same numbers came out, or the comparison means nothing.
const cells = (k.outputs[0]!.data as Raster).bands[0]!.cells;
try {
  const reference = readFileSync(join(dir, 'kriging.txt'), 'utf8').trim().split(/\s+/).map(Number);
  let worst = 0;
  for (let i = 0; i < reference.length; i++) worst = Math.max(worst, Math.abs(reference[i]! - cells[i * 1000]!));
  print(
    `largest difference of kriging at ${reference.length} cells: ${worst.toExponential(1)} (cells are kept as float32)\n`,
  );
} catch {
  print('no reference to compare the numbers with\n');
}
rmSync(dir, { recursive: true, force: true });
print('                                                           Helk, s   reference, s   Helk / reference');
for (const [name, s] of Object.entries(ours)) {
  const t = theirs[name];
  print(
    `${name.padEnd(57)} ${s.toFixed(2).padStart(8)}   ${(t?.toFixed(2) ?? 'none').padStart(12)}   ${(t ? (s / t).toFixed(2) : '–').padStart(16)}`,
  );
}

// npm run bench:features: overlay, dissolve, counting and reading of features, as ratios to Shapely and Fiona where installed.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  crsOfCode,
  featureCount,
  FeaturesBuilder,
  methodOf,
  numberColumn,
  Random,
  runMethod,
  textColumn,
  type Dataset,
  type Features,
} from '@helk/core';
import { readFile, writeGeoJson } from '@helk/core/formats';
import { writeGeoPackage } from '@helk/core/formats/write';
import { setupNode } from '@helk/node';

setupNode();
const print = (s: string): void => void process.stdout.write(`${s}\n`);
const crs = crsOfCode(32627);

/** A net of n x n areas whose corners are shaken, so that no two nets share a border. */
function net(n: number, seed: number, shake: number, x0 = 0): Features {
  const r = new Random(seed);
  const at = Array.from({ length: (n + 1) * (n + 1) }, (_, k): [number, number] => [
    x0 + 100 * ((k % (n + 1)) + shake * (r.uniform() - 0.5)),
    100 * (Math.floor(k / (n + 1)) + shake * (r.uniform() - 0.5)),
  ]);
  const b = new FeaturesBuilder();
  const kind: string[] = [];
  for (let y = 0; y < n; y++) {
    for (let x = 0; x < n; x++) {
      const k = y * (n + 1) + x;
      for (const c of [k, k + 1, k + n + 2, k + n + 1, k]) {
        const [a, d] = [at[c]!, at[c]!];
        b.coordinate(a[0], d[1]);
      }
      b.endRing();
      b.endPart();
      b.endFeature();
      kind.push('abcdefgh'[Math.floor(r.uniform() * 8)]!);
    }
  }
  return b.build('polygon', crs, [textColumn('kind', kind)]);
}
function points(n: number, size: number): Features {
  const r = new Random(5);
  const b = new FeaturesBuilder();
  for (let i = 0; i < n; i++) {
    b.point(size * r.uniform(), size * r.uniform());
  }
  return b.build('point', crs, [
    numberColumn(
      'v',
      Float64Array.from({ length: n }, (_, i) => i % 97),
    ),
  ]);
}

const ours: Record<string, number> = {};
async function clock<T>(name: string, f: () => Promise<T>): Promise<T> {
  const t = process.hrtime.bigint();
  const r = await f();
  ours[name] = Number(process.hrtime.bigint() - t) / 1e9;
  return r;
}
const run = (id: string, data: Record<string, Dataset>, params = {}) =>
  runMethod(methodOf(id), Object.fromEntries(Object.entries(data).map(([k, v]) => [k, [v]])), params);

const dir = mkdtempSync(join(tmpdir(), 'helk-bench-'));
const small = [net(45, 1, 0.6), net(45, 2, 0.6, 37)] as const;
const large = [net(141, 3, 0), net(141, 4, 0, 50)] as const;
const many = points(1_000_000, 10_000);
const cells = net(100, 6, 0);
const gpkg = writeGeoPackage([{ name: 'points', data: many }]);
writeFileSync(join(dir, 'points.gpkg'), gpkg);
[small, large].forEach((s, k) =>
  s.forEach((f, i) => writeFileSync(join(dir, `${k}${i}.geojson`), writeGeoJson(f, true))),
);
writeFileSync(join(dir, 'cells.geojson'), writeGeoJson(cells, true));

// The library is loaded once before anything is measured.
await run('features.buffer', { features: points(1, 1) }, { distance: 1 });
const a = await clock('overlay 2 025 x 2 025', () => run('features.overlay', { a: small[0], b: small[1] }));
const b = await clock('overlay 19 881 x 19 881 squares', () => run('features.overlay', { a: large[0], b: large[1] }));
await clock('dissolve 19 881 by 8 kinds', () => run('features.dissolve', { polygons: large[0] }, { by: 'kind' }));
await clock('count 1 000 000 in 10 000', () => run('features.count', { zones: cells, points: many }));
const back = await clock('read GeoPackage, 1 000 000 points', () => readFile('points.gpkg', gpkg));
print(
  `${featureCount(a.outputs[0]!.data as Features)} and ${featureCount(b.outputs[0]!.data as Features)} pieces; ${featureCount(back.layers[0]!.data as Features)} points read\n`,
);

const r = spawnSync('/usr/bin/python3', [join(import.meta.dirname, 'features.py'), dir], {
  encoding: 'utf8',
  timeout: 600_000,
});
const theirs = (r.status === 0 ? JSON.parse(r.stdout) : {}) as Record<string, number>;
rmSync(dir, { recursive: true, force: true });
print('                                      Helk, s   reference, s   Helk / reference');
for (const [name, s] of Object.entries(ours)) {
  const t = theirs[name];
  print(
    `${name.padEnd(36)} ${s.toFixed(2).padStart(8)}   ${(t?.toFixed(2) ?? 'none').padStart(12)}   ${(t ? (s / t).toFixed(2) : '–').padStart(16)}`,
  );
}

// npm run bench:stats: weights, local Moran and a lag model, held against spdep and spatialreg on the same polygons where R is installed.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  crsOfCode,
  dataOf,
  FeaturesBuilder,
  methodOf,
  numberColumn,
  Random,
  runMethod,
  type Features,
} from '@helk/core';
import { writeGeoPackage } from '@helk/core/formats/write';
import type { Weights } from '@helk/core/data/weights';
import { setupNode } from '@helk/node';

setupNode();
const print = (s: string): void => void process.stdout.write(`${s}\n`);

/** A net of four-sided areas whose corners have been shaken, with a value that is alike among neighbours, another, and noise. */
function net(side: number): Features {
  const r = new Random(7);
  const corner = Array.from({ length: (side + 1) ** 2 }, (_, k) => [
    400_000 + 1000 * ((k % (side + 1)) + 0.3 * (r.uniform() - 0.5)),
    5_000_000 + 1000 * (Math.floor(k / (side + 1)) + 0.3 * (r.uniform() - 0.5)),
  ]);
  const b = new FeaturesBuilder();
  const [value, other]: [number[], number[]] = [[], []];
  for (let j = 0; j < side; j++)
    for (let i = 0; i < side; i++) {
      const at = (u: number, v: number): number[] => corner[(j + v) * (side + 1) + i + u]!;
      for (const [x, y] of [at(0, 0), at(1, 0), at(1, 1), at(0, 1), at(0, 0)] as [number, number][]) b.coordinate(x, y);
      b.endRing();
      b.endPart();
      b.endFeature();
      other.push(r.normal());
      value.push(Math.sin(i / 9) + Math.cos(j / 7) + 0.5 * other.at(-1)! + r.normal());
    }
  return b.build('polygon', crsOfCode(32631), [numberColumn('value', value), numberColumn('other', other)]);
}

async function clock<T>(name: string, f: () => Promise<T>): Promise<{ made: T; seconds: number }> {
  const t = process.hrtime.bigint();
  const made = await f();
  const seconds = Number(process.hrtime.bigint() - t) / 1e9;
  print(`${name}: ${seconds.toFixed(2)} s`);
  return { made, seconds };
}

const ours: Record<string, number> = {};
const run = async (key: string, id: string, data: object, params: object) => {
  const { made, seconds } = await clock(key, () => runMethod(methodOf(id), data as never, params as never));
  ours[key] = seconds;
  return made;
};

const [small, large] = [net(55), net(316)];
const of = async (key: string, features: Features): Promise<Weights> =>
  dataOf('weights', (await run(key, 'stats.weights', { features: [features] }, {})).outputs[0]!.data)!;
const near = await of('weights of 3 025 polygons', small);
const far = await of('weights of 99 856 polygons', large);
await run('8 nearest of 99 856', 'stats.weights', { features: [large] }, { neighbours: 'nearest' });
for (const once of ['local Moran, 3 025, 999 shuffles', 'local Moran, 3 025, 999 shuffles (again)'])
  await run(once, 'stats.localMoran', { features: [small], weights: [near] }, { column: 'value' });
await run(
  'local Moran, 99 856, 999 shuffles',
  'stats.localMoran',
  { features: [large], weights: [far] },
  { column: 'value' },
);
const model = { dependent: 'value', predictors: 'other', model: 'lag' };
const lag = await run('lag model, 3 025', 'stats.regression', { features: [small], weights: [near] }, model);
await run('lag model, 99 856', 'stats.regression', { features: [large], weights: [far] }, model);

const folder = mkdtempSync(join(tmpdir(), 'helk-stats-'));
try {
  for (const [name, data] of [
    ['small', small],
    ['large', large],
  ] as const)
    writeFileSync(join(folder, `${name}.gpkg`), await writeGeoPackage([{ name, data }]));
  const r = spawnSync('Rscript', ['bench/stats.R', folder], { encoding: 'utf8', timeout: 1_800_000 });
  if (r.error || r.status !== 0) print('R with spdep and spatialreg is not installed: no ratios.');
  else {
    const theirs = JSON.parse(r.stdout.slice(r.stdout.indexOf('{'))) as Record<string, number>;
    for (const [key, seconds] of Object.entries(theirs))
      if (ours[key] !== undefined)
        print(`${key}: R ${seconds.toFixed(2)} s, ${(seconds / ours[key]).toFixed(1)} times ours`);
    print(`rho: ours ${String(lag.figures['rho'])}, spatialreg ${theirs['rho']}`);
  }
} finally {
  rmSync(folder, { recursive: true });
}
process.exit(0);

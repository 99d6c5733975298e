// npm run bench:imagery [size]: clusters and classes of a scene of six bands of size x size cells (4096 by default), with all threads, as
// ratios against scikit-learn on the same vectors, where it is installed.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  crsOfCode,
  FeaturesBuilder,
  handleOn,
  methodOf,
  Random,
  room,
  runOn,
  studied,
  textColumn,
  type AnyHandle,
  type Dataset,
  type Features,
  type Raster,
} from '@helk/core';
import { setupNode } from '@helk/node';

setupNode();
const size = Number(process.argv[2] ?? 4096);
const n = size * size;
const BANDS = 6;
const KINDS = 12;
/** Cells along the side of a field, all of one kind. */
const FIELD = 32;
const TREES = 100;
const print = (s: string): void => void process.stdout.write(`${s}\n`);

const random = new Random(5);
const means = Array.from({ length: KINDS }, () => Array.from({ length: BANDS }, () => 200 + 4000 * random.uniform()));
const kindAt = (c: number, r: number): number =>
  (Math.floor(c / FIELD) * 7919 + Math.floor(r / FIELD) * 104_729) % KINDS;

function scene(): Raster {
  const cells = Array.from({ length: BANDS }, () => room(Float32Array, n));
  for (let i = 0; i < n; i++) {
    const mean = means[kindAt(i % size, Math.floor(i / size))]!;
    for (let j = 0; j < BANDS; j++) cells[j]![i] = Math.round(mean[j]! * (1 + 0.12 * random.normal()));
  }
  return {
    kind: 'raster',
    grid: { crs: crsOfCode(32627), x: 500_000, y: 6_500_000, dx: 10, dy: 10, columns: size, rows: size },
    bands: cells.map((c, j) => ({
      name: `band ${j + 1}`,
      unit: '',
      kind: 'measure',
      storedType: 'uint16',
      missingCode: null,
      cells: c,
    })),
  };
}

/** Squares within fields, six of each kind. */
function training(s: Raster): { features: Features; cells: [column: number, row: number, kind: number][] } {
  const b = new FeaturesBuilder();
  const names: string[] = [];
  const cells: [number, number, number][] = [];
  const left = new Array<number>(KINDS).fill(6);
  for (let f = 0; left.some((v) => v > 0); f++) {
    const [c0, r0] = [
      FIELD * ((f * 3) % Math.floor(size / FIELD)),
      FIELD * (Math.floor(f / 5) % Math.floor(size / FIELD)),
    ];
    const kind = kindAt(c0, r0);
    if (left[kind]! <= 0 || f > 100_000) {
      if (f > 100_000) break;
      continue;
    }
    left[kind]!--;
    const [x, y] = [s.grid.x + 10 * (c0 + 8), s.grid.y - 10 * (r0 + 8)];
    for (const [dx, dy] of [
      [0, 0],
      [120, 0],
      [120, -120],
      [0, -120],
      [0, 0],
    ] as const)
      b.coordinate(x + dx, y + dy);
    b.endRing();
    b.endPart();
    b.endFeature();
    names.push(`kind ${kind}`);
    for (let r = 0; r < 12; r++) for (let c = 0; c < 12; c++) cells.push([c0 + 8 + c, r0 + 8 + r, kind]);
  }
  return { features: b.build('polygon', s.grid.crs, [textColumn('class', names)]), cells };
}

async function timed(
  id: string,
  data: Record<string, Dataset[]>,
  params: Record<string, unknown>,
): Promise<{ seconds: number; figures: Record<string, unknown> }> {
  const handles: Record<string, AnyHandle[]> = {};
  for (const [role, list] of Object.entries(data)) handles[role] = list.map(handleOn);
  const infos = await studied(handles);
  const t = process.hrtime.bigint();
  const made = await runOn(methodOf(id), handles, params, { infos });
  return { seconds: Number(process.hrtime.bigint() - t) / 1e9, figures: made.figures };
}

const s = scene();
const { features, cells } = training(s);
print(`${(n / 1e6).toFixed(1)} million cells of ${BANDS} bands, ${cells.length} training cells of ${KINDS} kinds`);
const clusters = await timed('imagery.cluster', { scene: [s] }, { k: KINDS, maxIterations: 20 });
const ours: Record<string, { seconds: number; figures: Record<string, unknown> }> = { clusters };
for (const method of ['maximumLikelihood', 'randomForest'])
  ours[method] = await timed(
    'imagery.classify',
    { scene: [s], training: [features] },
    { classColumn: 'class', method, trees: TREES, holdOut: 0 },
  );

const dir = mkdtempSync(join(tmpdir(), 'helk-bench-'));
const x = new Float32Array(n * BANDS);
for (let i = 0; i < n; i++) for (let j = 0; j < BANDS; j++) x[i * BANDS + j] = s.bands[j]!.cells[i]!;
writeFileSync(join(dir, 'x.f32'), new Uint8Array(x.buffer));
writeFileSync(
  join(dir, 'training.json'),
  JSON.stringify({ bands: BANDS, kinds: KINDS, trees: TREES, cells: cells.map(([c, r, k]) => [r * size + c, k]) }),
);
const asked = spawnSync('/usr/bin/python3', [join(import.meta.dirname, '../../bench/imagery.py'), dir], {
  encoding: 'utf8',
  stdio: ['ignore', 'pipe', 'inherit'],
});
rmSync(dir, { recursive: true, force: true });
const theirs = (asked.status === 0 ? JSON.parse(asked.stdout) : {}) as Record<
  string,
  { seconds: number; within?: number }
>;
print('\nwork                  Helk, s   scikit-learn, s   Helk / scikit-learn');
for (const [name, { seconds }] of Object.entries(ours)) {
  const t = theirs[name]?.seconds;
  print(
    `${name.padEnd(20)} ${seconds.toFixed(1).padStart(8)}   ${(t?.toFixed(1) ?? 'not installed').padStart(15)}   ${(t ? (seconds / t).toFixed(2) : '–').padStart(19)}`,
  );
}
const within = theirs['clusters']?.within;
if (within)
  print(
    `\nvariance within the clusters: ${(clusters.figures['withinVariance'] as number).toFixed(0)}, scikit-learn's ${within.toFixed(0)} (ratio ${((clusters.figures['withinVariance'] as number) / within).toFixed(4)})`,
  );

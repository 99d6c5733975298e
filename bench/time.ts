// npm run bench:time: trends, groups and stacks of events, held against SciPy, scikit-learn and NumPy on the same data where Python has them.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  crsOfCode,
  dataOf,
  FeaturesBuilder,
  handleOn,
  KINDS,
  methodOf,
  Random,
  runMethod,
  textColumn,
  type Features,
} from '@helk/core';
import { DAY, isoText } from '@helk/core/data/dates';
import type { TimeStack } from '@helk/core/data/stack';
import { setupNode } from '@helk/node';

setupNode();
const print = (s: string): void => void process.stdout.write(`${s}\n`);

const ours: Record<string, number> = {};
async function clock<T>(key: string, f: () => Promise<T>): Promise<T> {
  const t = process.hrtime.bigint();
  const made = await f();
  ours[key] = Number(process.hrtime.bigint() - t) / 1e9;
  print(`${key}: ${ours[key].toFixed(2)} s`);
  return made;
}
const run = (id: string, data: object, params: object = {}) => runMethod(methodOf(id), data as never, params as never);

/** So many points. */
function points(n: number, at: (i: number) => [number, number], column?: string[]): Features {
  const b = new FeaturesBuilder();
  for (let i = 0; i < n; i++) b.point(...at(i));
  return b.build('point', crsOfCode(32631), column ? [textColumn('date', column)] : []);
}

/** Series of three kinds with noise, rounded so that there are ties. */
function history(n: number, count: number): TimeStack {
  const r = new Random(3);
  const values = new Float64Array(n * count);
  for (let k = 0; k < values.length; k++) {
    const [i, t] = [Math.floor(k / count), k % count];
    values[k] = Math.round(10 * ([0.02 * t, -0.03 * t, 2 * Math.sin(t / 6)][i % 3]! + r.normal())) / 10;
  }
  return {
    kind: 'stack',
    places: points(n, (i) => [i % 1000, Math.floor(i / 1000)]),
    key: null,
    steps: { unit: 'month', every: 1, start: 0, count },
    variables: [{ name: 'v', unit: null, values }],
    grid: null,
    made: 'by hand',
  };
}

const [STEPS, MANY, GROUPED, EVENTS, SIDE] = [120, 100_000, 10_000, 5_000_000, 50];
const many = history(MANY, STEPS);
const grouped = history(GROUPED, STEPS);
await clock('trend of 100 000 × 120', () => run('time.trend', { stack: [many] }));
await clock('trend by season of 100 000 × 120', () => run('time.trend', { stack: [many] }, { season: 12 }));
await clock('5 groups of 10 000 × 120', () => run('time.groupSeries', { stack: [grouped] }, { k: 5 }));
await clock('number of groups advised, 10 000 × 120', () => run('time.groupSeries', { stack: [grouped] }));

/** A net of cells, and dated events in it. */
const b = new FeaturesBuilder();
for (let k = 0; k < SIDE * SIDE; k++) {
  const [x, y] = [k % SIDE, Math.floor(k / SIDE)];
  for (const [u, v] of [
    [0, 0],
    [1, 0],
    [1, 1],
    [0, 1],
    [0, 0],
  ])
    b.coordinate(x + u!, y + v!);
  b.endRing();
  b.endPart();
  b.endFeature();
}
const net = b.build('polygon', crsOfCode(32631), []);
const r = new Random(9);
const xy = new Float64Array(2 * EVENTS).map(() => SIDE * r.uniform());
const days = Array.from({ length: 3653 }, (_, d) => isoText((14_610 + d) * DAY, 'day'));
const date = Array.from({ length: EVENTS }, () => days[r.below(days.length)]!);
const events = points(EVENTS, (i) => [xy[2 * i]!, xy[2 * i + 1]!], date);
const made = await clock('5 million events into 2 500 cells × 120 months', () =>
  run('time.stack', { locations: [net], events: [events] }, { step: 'month' }),
);
const counts = dataOf('stack', made.outputs[0]!.data)!;

/** The store: written once, then a step and a series of what is largest. */
const large = history(100_000, 500);
const held = new Map<string, Uint8Array>();
const store = {
  get: (a: string, l: number, k: number) => Promise.resolve(held.get(`${a} ${l} ${k}`)),
  put: (a: string, l: number, k: number, bytes: Uint8Array) => Promise.resolve(void held.set(`${a} ${l} ${k}`, bytes)),
};
const info = await clock('storing 100 000 × 500', () =>
  KINDS.stack.pack(handleOn(large) as never, store, () => undefined),
);
const stored = KINDS.stack.open(info, store);
await clock('one step of it', () => stored.step(0, 250));
await clock('one series of it', () => stored.series(0, 55_555, 1));
print(`stored in ${([...held.values()].reduce((s, x) => s + x.length, 0) / 1e6).toFixed(0)} MB`);

const folder = mkdtempSync(join(tmpdir(), 'helk-time-'));
try {
  writeFileSync(join(folder, 'many.f64'), Buffer.from(many.variables[0]!.values.buffer as ArrayBuffer));
  writeFileSync(join(folder, 'grouped.f64'), Buffer.from(grouped.variables[0]!.values.buffer as ArrayBuffer));
  writeFileSync(join(folder, 'xy.f64'), Buffer.from(xy.buffer));
  writeFileSync(join(folder, 'date.txt'), date.join('\n'));
  const env = { ...process.env };
  // These make NumPy of Debian stall on some machines.
  delete env['OPENBLAS_CORETYPE'];
  delete env['OPENBLAS_L2_SIZE'];
  const p = spawnSync('/usr/bin/python3', [join(import.meta.dirname, '../../bench/time.py'), folder], {
    encoding: 'utf8',
    env,
  });
  if (p.status !== 0) print(`No reference: ${p.error?.message ?? p.stderr.slice(-400)}`);
  else {
    const theirs = JSON.parse(p.stdout) as Record<string, number>;
    for (const [key, seconds] of Object.entries(ours)) {
      const other = theirs[key];
      if (other)
        print(
          `${key}: ${seconds.toFixed(2)} s, reference ${other.toFixed(2)} s, ratio ${(seconds / other).toFixed(2)}`,
        );
    }
    const total = counts.variables[0]!.values.reduce((s, v) => s + v, 0);
    print(`events counted: ${total}, reference ${theirs['counted']}`);
  }
} finally {
  rmSync(folder, { recursive: true });
}

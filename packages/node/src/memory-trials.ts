import type { TimeStack } from '@helk/core/data/stack';
import { readFileSync, writeFileSync } from 'node:fs';
import {
  crsOfCode,
  dataOf,
  FeaturesBuilder,
  foresee,
  handleOn,
  infoOf,
  measureRaster,
  methodOf,
  methods,
  numberColumn,
  paramSpecs,
  runMethod,
  runOn,
  textColumn,
  type Dataset,
  type Features,
  type GeometryType,
  type InputSpec,
  type Method,
  type Raster,
  type Table,
} from '@helk/core';
import type { Timetable } from '@helk/core/data/timetable';
import { smallScene } from '@helk/core/methods/cloud/scene-fixture';
import { anySetting } from '@helk/core/testing';
import { setupNode } from './index';

/**
 * What every method really takes of memory, in a process of its own, on one thread, with results that go nowhere: for the check of what
 * methods say beforehand. Prints one line of JSON a method. Linux only: the high-water mark of the process is set back between two.
 *
 * Usage: node --expose-gc --import tsx memory-trials.ts [part of an id]
 */
setupNode();

const SIDE = 1200;
const CELL = 10;
const crs = crsOfCode(32627);
const [W, N] = [400_000, 6_460_000];
const WIDTH = SIDE * CELL;

const ground = measureRaster(
  { crs, x: W, y: N, dx: CELL, dy: CELL, columns: SIDE, rows: SIDE },
  Float32Array.from({ length: SIDE * SIDE }, (_, i) => {
    const [x, y] = [i % SIDE, Math.floor(i / SIDE)];
    return 300 + 80 * Math.sin(x / 90) * Math.cos(y / 70) + ((x * 7919 + y * 104729) % 13) - 0.05 * y;
  }),
  { name: 'ground', unit: 'm', role: 'elevation' },
);

/** The same in steps of 40 m. */
const classes = measureRaster(
  ground.grid,
  Float32Array.from(ground.bands[0]!.cells, (v) => Math.floor(v / 40)),
  { name: 'steps', unit: '', storedType: 'uint8' },
);

/** Three bands, told by their names. */
const scene: Raster = {
  kind: 'raster',
  grid: ground.grid,
  bands: ['red', 'nir', 'swir1'].map((name, j) => ({
    ...ground.bands[0]!,
    name,
    cells: Float32Array.from(ground.bands[0]!.cells, (v, i) => ((v * (j + 1)) % 97) + ((i * 31 * (j + 1)) % 17)),
  })),
};

const columns = (n: number) => [
  numberColumn(
    'v',
    Array.from({ length: n }, (_, i) => 10 + (i % 7)),
    'm',
  ),
  textColumn(
    'name',
    Array.from({ length: n }, (_, i) => `n${i % 5}`),
  ),
];

/** A square net of so many shapes over the ground. */
function net(geometry: GeometryType, side: number): Features {
  const b = new FeaturesBuilder();
  const step = WIDTH / side;
  for (let r = 0; r < side; r++)
    for (let c = 0; c < side; c++) {
      const [x, y] = [W + c * step + ((c * 37 + r * 11) % 5), N - r * step - ((c * 17 + r * 29) % 7)];
      if (geometry === 'point') {
        b.point(x, y);
        continue;
      }
      const s = geometry === 'polygon' ? 1.05 * step : step;
      b.coordinate(x, y);
      b.coordinate(x, y - s);
      if (geometry === 'polygon') {
        b.coordinate(x + s, y - s);
        b.coordinate(x + s, y);
        b.coordinate(x, y);
      }
      b.endRing();
      b.endPart();
      b.endFeature();
    }
  return b.build(geometry, crs, columns(side * side));
}

/** Streets from corner to corner of a square net. */
function lattice(side: number): Features {
  const b = new FeaturesBuilder();
  const step = WIDTH / side;
  for (let r = 0; r < side; r++)
    for (let c = 0; c < side; c++)
      for (const [u, v] of [
        [1, 0],
        [0, 1],
      ] as const) {
        b.coordinate(W + c * step, N - r * step);
        b.coordinate(W + (c + u) * step, N - (r + v) * step);
        b.endRing();
        b.endPart();
        b.endFeature();
      }
  return b.build('line', crs, columns(2 * side * side));
}

const table: Table = {
  kind: 'table',
  columns: [
    ...columns(100_000),
    numberColumn(
      'x',
      Array.from({ length: 100_000 }, (_, i) => W + i),
    ),
    numberColumn(
      'y',
      Array.from({ length: 100_000 }, () => N),
    ),
  ],
};

const { cloud } = smallScene(600_000);
const network = dataOf(
  'network',
  (await runMethod(methodOf('network.build'), { streets: [lattice(170)] }, {})).outputs[0]!.data,
)!;

/** Areas with columns of years, and a history of areas. */
const places = net('polygon', 90);
const years: Features = {
  ...places,
  columns: Array.from({ length: 40 }, (_, k) => ({ ...places.columns[0]!, name: `v_${1980 + k}` })),
};
const stack: TimeStack = {
  kind: 'stack',
  places: net('polygon', 60),
  key: null,
  steps: { unit: 'month', every: 1, start: 0, count: 120 },
  variables: [
    {
      name: 'v',
      unit: 'm',
      values: Float64Array.from({ length: 3600 * 120 }, (_, k) => (k % 120) + ((k * 7919) % 31)),
    },
  ],
  grid: null,
  made: 'by hand',
};

const timetable: Timetable = { kind: 'timetable', files: {}, others: {}, faults: [] };

/** Estimates of surfaces and their kin look at every pair of points. */
const few = (m: Method): boolean =>
  m.id.startsWith('surface.') || m.id.startsWith('network.') || m.id === 'terrain.visibility';

function inputFor(m: Method, spec: InputSpec): Dataset {
  if (spec.kind === 'raster') {
    if (m.id === 'time.stackRasters')
      return { ...ground, bands: [ground.bands[0]!, { ...ground.bands[0]!, name: 'again' }] };
    if (m.id.startsWith('imagery.') && spec.bands === 'all') return scene;
    return m.id === 'raster.toPolygons' || m.id === 'raster.changeMatrix' || m.id.startsWith('imagery.')
      ? classes
      : ground;
  }
  if (spec.kind === 'table') return table;
  if (spec.kind === 'cloud') return cloud;
  if (spec.kind === 'network') return network;
  if (spec.kind === 'timetable') return timetable;
  if (spec.kind === 'stack') return stack;
  if (spec.kind === 'weights') throw new Error('Weights may be left out everywhere.');
  if (m.id === 'time.stack') return years;
  const geometry = spec.geometry ?? 'polygon';
  return net(geometry, few(m) ? 18 : geometry === 'point' ? 200 : 90);
}

/** Settings that leave nothing to chance or to a form. */
const SETTINGS: Record<string, Record<string, unknown>> = {
  'features.edit': { edits: 'v @ 1 = 3' },
  'features.fromTable': { x: 'x', y: 'y' },
  'features.cells': { size: '100 m' },
  'features.buffer': { distance: '20 m' },
  'raster.clip': { bounds: `${W},${N - WIDTH / 2},${W + WIDTH},${N}` },
  'terrain.visibility': { radius: '3 km' },
  'terrain.watersheds': { outlets: 'links', threshold: '20000 m2' },
  'surface.kriging': { lag: '1500 m', maxDistance: '8 km', cellSize: '100 m' },
  'surface.validate': { lag: '1500 m', maxDistance: '8 km', folds: '5' },
  'surface.idw': { cellSize: '100 m' },
  'surface.spline': { cellSize: '100 m' },
  'surface.nearest': { cellSize: '20 m' },
  'imagery.classify': { classColumn: 'name', trees: 40 },
  'imagery.separability': { classColumn: 'name' },
  'imagery.accuracy': { classColumn: 'name' },
  'imagery.sieve': { minArea: '500 m2' },
  'cloud.thin': { spacing: '2 m' },
  'stats.compareClusters': { aColumn: 'name', bColumn: 'name' },
  'stats.regression': { predictors: 'x(), y()', model: 'lag' },
  'stats.compareModels': { predictors: 'x(), y()' },
  'stats.stability': { predictors: 'x(), y()', groups: 'name' },
  'time.stack': { columns: 'v_{year}' },
  'time.stackRasters': { dates: '2001, 2002' },
  'time.change': { before: '1970-01', after: '1979-12' },
  'time.slice': { step: '1975-01' },
  'network.build': { split: 'atCrossings' },
  'network.reach': { limits: '10 min', merge: 'yes', maxSnap: '1 km' },
  'network.matrix': { maxSnap: '1 km' },
  'network.nearest': { maxSnap: '1 km' },
  'network.route': { maxSnap: '1 km' },
  'cloud.mark': { marks: '6 @ 400000 6459900, 400060 6459900 wide 20: 0 0, 60 0, 60 99, 0 99' },
  'surface.variogram': { lag: '1500 m', maxDistance: '8 km' },
};

const USUAL = {
  crs: 'EPSG:32628',
  bounds: `${W},${N - WIDTH / 2},${W + WIDTH / 2},${N}`,
  length: '100 m',
  area: '50000 m2',
  cell: '10 m',
  formula: 'v * 2',
  rules: '0 to 300 -> 1; others -> 2',
  number: 20,
};

const status = (name: string): number =>
  1024 * Number(new RegExp(`^${name}:\\s+(\\d+) kB`, 'm').exec(readFileSync('/proc/self/status', 'utf8'))![1]);
const collect = (globalThis as { gc?: () => void }).gc!;

/** What compiling and the collector take of themselves, when they do. */
const SPARE = 14 * 2 ** 20;
/** A compiler at work only adds, and not every time; what a method holds, it holds each time. So what took too much is tried again. */
const TRIES = 3;

const held = handleOn(ground);
const nowhere = { openSink: () => ({ sink: { write: () => Promise.resolve() }, end: () => Promise.resolve(held) }) };
/** What has been let go of is given back some time later, by another thread. */
const rest = async (): Promise<void> => {
  for (let k = 0; k < 3; k++) {
    collect();
    await new Promise((done) => setTimeout(done, 40));
  }
};

for (const m of methods()) {
  // What runs a recipe needs what its steps need, one after the other.
  if (!Object.keys(m.inputs).length) continue;
  if (process.argv[2] && !m.id.includes(process.argv[2])) continue;
  const data = Object.fromEntries(
    Object.entries(m.inputs).flatMap(([role, s]) =>
      s.least === 0 ? [] : [[role, Array.from({ length: Math.max(1, s.least) }, () => inputFor(m, s))]],
    ),
  );
  const infos = Object.fromEntries(Object.entries(data).map(([r, l]) => [r, l.map(infoOf)]));
  const given: Record<string, unknown> = {};
  for (const [name, spec] of Object.entries(paramSpecs(m.params)))
    if (!spec.optional && spec.default === undefined) given[name] = anySetting(name, spec, infos, USUAL);
  if (m.id === 'raster.formula') given['formula'] = 'ground * 2';
  Object.assign(given, SETTINGS[m.id]);
  try {
    const said = foresee(m, infos, given).estimate?.bytes ?? 0;
    const handles = Object.fromEntries(Object.entries(data).map(([r, l]) => [r, l.map(handleOn)]));
    const allowed = 1.3 * said + SPARE;
    let taken = Infinity;
    for (let k = 0; k < TRIES && taken > allowed; k++) {
      await rest();
      writeFileSync('/proc/self/clear_refs', '5');
      const before = status('VmRSS');
      await runOn(m, handles, given, { ...nowhere, infos, threads: 1 });
      taken = Math.min(taken, status('VmHWM') - before);
    }
    console.log(JSON.stringify({ id: m.id, said, allowed, taken }));
  } catch (e) {
    console.log(JSON.stringify({ id: m.id, failed: e instanceof Error ? e.message : String(e) }));
  }
}

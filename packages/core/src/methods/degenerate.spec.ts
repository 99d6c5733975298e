import { setupNode } from '@helk/node';
import { crsOfCode, transformer, wgs84 } from '../data/crs';
import { withClasses, type Cloud } from '../data/cloud';
import { FeaturesBuilder, type Features, type GeometryType } from '../data/features';
import type { Dataset } from '../data/kinds';
import type { Network } from '../data/network';
import type { Timetable } from '../data/timetable';
import type { TimeStack } from '../data/stack';
import { weightsFromRows, type Weights } from '../data/weights';
import { infoOf, kindOf } from '../data/kinds';
import { MISSING_CLASS, type Band, type Raster } from '../data/raster';
import { numberColumn, textColumn, type Table } from '../data/table';
import { HelkError } from '../errors';
import { findUnit } from '../data/quantity';
import type { Holds, InputSpec, Method } from '../method/define';
import { paramSpecs } from '../method/params';
import { methods } from '../method/registry';
import { runMethod } from '../method/run';
import { anySetting, gridOf } from '../testing';
import { smallScene } from './cloud/scene-fixture';
import { ferry } from './network/network-fixture';

beforeAll(setupNode);

const UTM = crsOfCode(32627);

// Rasters nobody draws on a slide, but everybody has.
function raster(columns: number, rows: number, value: (i: number) => number, more: Band[] = []): Raster {
  const cells = Float32Array.from({ length: columns * rows }, (_, i) => value(i));
  const band: Band = { name: 'z', unit: 'm', kind: 'measure', storedType: 'float32', missingCode: null, cells };
  return { kind: 'raster', grid: gridOf(columns, rows), bands: [band, ...more] };
}
const category = (n: number): Band => ({
  name: 'cover',
  unit: null,
  kind: 'category',
  storedType: 'uint8',
  missingCode: null,
  classes: [{ value: 1, label: 'water', colour: null }],
  cells: Int32Array.from({ length: n }, (_, i) => (i % 3 ? 1 : MISSING_CLASS)),
});
const RASTERS: Record<string, Raster> = {
  usual: raster(12, 10, (i) => 50 + 10 * Math.sin(i) + (i % 12)),
  'one cell': raster(1, 1, () => 7),
  'one row': raster(9, 1, (i) => i),
  'all missing': raster(6, 5, () => NaN),
  'one value': raster(6, 5, () => 3),
  'a lone value': raster(5, 5, (i) => (i === 12 ? 4 : NaN)),
  'huge values': raster(5, 4, (i) => (i % 2 ? 3e38 : -3e38)),
  'mixed bands': raster(4, 4, (i) => i, [category(16)]),
  classes: { kind: 'raster', grid: gridOf(4, 4), bands: [category(16)] },
};

const W = 400_000;
const N = 6_460_000;
function points(places: [number, number][], values: number[]): Features {
  const b = new FeaturesBuilder();
  for (const [x, y] of places) b.point(x, y);
  return b.build('point', UTM, columns(values));
}
const columns = (v: number[]) => [
  numberColumn('v', v, 'm'),
  textColumn(
    'name',
    v.map((_, i) => `n${i % 2}`),
  ),
];
function shapes(geometry: 'line' | 'polygon', rings: [number, number][][]): Features {
  const b = new FeaturesBuilder();
  for (const ring of rings) {
    for (const [x, y] of ring) b.coordinate(x, y);
    b.endRing();
    b.endPart();
    b.endFeature();
  }
  return b.build(geometry, UTM, columns(rings.map((_, i) => i + 1)));
}
const square = (x: number, y: number, s: number): [number, number][] => [
  [x, y],
  [x, y - s],
  [x + s, y - s],
  [x + s, y],
  [x, y],
];
const bare = (geometry: GeometryType): Features => {
  const b = new FeaturesBuilder();
  b.endFeature();
  return b.build(geometry, UTM, columns([1]));
};
const FEATURES: Record<GeometryType, Record<string, Features>> = {
  point: {
    usual: points(
      Array.from({ length: 14 }, (_, i) => [W + ((i * 37) % 110), N - ((i * 53) % 90)]),
      Array.from({ length: 14 }, (_, i) => i % 5),
    ),
    none: new FeaturesBuilder().build('point', UTM, columns([])),
    one: points([[W + 15, N - 15]], [3]),
    'at one place': points(
      [...Array(4)].map(() => [W + 15, N - 15]),
      [1, 2, 3, 4],
    ),
    'without values': points(
      [
        [W + 5, N - 5],
        [W + 25, N - 5],
        [W + 5, N - 35],
        [W + 55, N - 45],
      ],
      [NaN, NaN, NaN, NaN],
    ),
    'huge values': points(
      [
        [W + 5, N - 5],
        [W + 25, N - 5],
        [W + 5, N - 35],
        [W + 55, N - 45],
      ],
      [1e300, -1e300, 1e300, 5],
    ),
    'without a place': bare('point'),
  },
  line: {
    usual: shapes('line', [
      [
        [W + 3, N - 4],
        [W + 70, N - 60],
      ],
      [
        [W + 70, N - 60],
        [W + 100, N - 20],
      ],
    ]),
    none: new FeaturesBuilder().build('line', UTM, columns([])),
    'of no length': shapes('line', [
      [
        [W + 15, N - 15],
        [W + 15, N - 15],
      ],
    ]),
    'without a place': bare('line'),
  },
  polygon: {
    'a net': shapes(
      'polygon',
      Array.from({ length: 25 }, (_, i) => square(W + 10 * (i % 5), N - 10 * Math.floor(i / 5), 10)),
    ),
    usual: shapes('polygon', [square(W + 2, N - 2, 40), square(W + 42, N - 2, 40)]),
    none: new FeaturesBuilder().build('polygon', UTM, columns([])),
    one: shapes('polygon', [square(W + 5, N - 5, 30)]),
    overlapping: shapes('polygon', [square(W, N, 50), square(W + 20, N - 20, 50), square(W, N, 50)]),
    'of no area': shapes('polygon', [
      [
        [W, N],
        [W + 10, N],
        [W + 20, N],
        [W, N],
      ],
    ]),
    'crossing itself': shapes('polygon', [
      [
        [W, N],
        [W + 40, N - 40],
        [W + 40, N],
        [W, N - 40],
        [W, N],
      ],
    ]),
    'far away': shapes('polygon', [square(W + 1e7, N + 1e7, 10)]),
    'without a place': bare('polygon'),
  },
};
const TABLES: Record<string, Table> = {
  usual: {
    kind: 'table',
    columns: [...columns([1, 2, 3]), numberColumn('x', [W, W + 5, W + 9]), numberColumn('y', [N, N, N])],
  },
  none: { kind: 'table', columns: columns([]) },
  'without columns': { kind: 'table', columns: [] },
};

/** Points at the places that a function gives, ground and trees by turns. */
function cloudOf(n: number, place: (i: number) => [number, number, number], over: Partial<Cloud> = {}): Cloud {
  const at = Array.from({ length: n }, (_, i) => place(i));
  return {
    kind: 'cloud',
    crs: UTM,
    heightUnit: 'm',
    scale: [0.01, 0.01, 0.01],
    offset: [W, N - 100, 0],
    x: Int32Array.from(at, (p) => p[0]),
    y: Int32Array.from(at, (p) => p[1]),
    z: Int32Array.from(at, (p) => p[2]),
    attributes: [
      {
        name: 'classification',
        type: 'uint8',
        unit: null,
        values: Uint8Array.from(at, (_, i) => [2, 2, 5, 6][i % 4]!),
      },
      { name: 'intensity', type: 'uint16', unit: null, values: Uint16Array.from(at, (_, i) => i) },
      { name: 'returnNumber', type: 'uint8', unit: null, values: new Uint8Array(n).fill(1) },
    ],
    ...over,
  };
}
const small = smallScene(1600).cloud;
const CLOUDS: Record<string, Cloud> = {
  usual: small,
  none: cloudOf(0, () => [0, 0, 0]),
  'one point': cloudOf(1, () => [5, 5, 5]),
  'at one place': cloudOf(50, () => [5, 5, 5]),
  'on one line': cloudOf(50, (i) => [10 * i, 0, i]),
  'one above the other': cloudOf(40, (i) => [5, 5, 100 * i]),
  'from end to end of what there is': cloudOf(12, (i) => [
    (i % 2 ? 1 : -1) * 2147483647,
    7 * i,
    i % 3 ? 2147483647 : -2147483648,
  ]),
  'all noise': withClasses(small, new Uint8Array(small.x.length).fill(7)),
  'all ground': withClasses(small, new Uint8Array(small.x.length).fill(2)),
  'without attributes': { ...small, attributes: [] },
  'in degrees': { ...small, crs: wgs84(), scale: [1e-6, 1e-6, 0.01], offset: [-21, 58, 0] },
  'without a system': { ...small, crs: null },
};

/** Streets between nodes in a square, some shut to some; pieces by their ends. */
function streets(ends: [number, number][], seconds = 20, length = 10, crs: Network['pieces']['crs'] = UTM): Network {
  const at = (k: number): [number, number] => [W + 10 * (k % 4), N - 10 * Math.floor(k / 4)];
  const lines = shapes(
    'line',
    ends.map(([a, b]) => (a === b ? [at(a), [at(a)[0] + 3, at(a)[1] + 3], at(a)] : [at(a), at(b)])),
  );
  const both = {
    there: new Float64Array(ends.length).fill(seconds),
    back: new Float64Array(ends.length).fill(seconds),
  };
  return {
    kind: 'network',
    pieces: { ...lines, crs },
    nodes: Float64Array.from(Array.from({ length: 16 }, (_, k) => at(k)).flat()),
    from: Uint32Array.from(ends, (e) => e[0]),
    to: Uint32Array.from(ends, (e) => e[1]),
    length: new Float64Array(ends.length).fill(length),
    seconds: { walk: both, bicycle: both, car: { ...both, back: new Float64Array(ends.length).fill(Infinity) } },
  };
}
const SQUARE: [number, number][] = Array.from({ length: 16 }, (_, k) => k).flatMap((k): [number, number][] => [
  ...(k % 4 < 3 ? [[k, k + 1] as [number, number]] : []),
  ...(k < 12 ? [[k, k + 4] as [number, number]] : []),
]);
const NETWORKS: Record<string, Network> = {
  usual: streets(SQUARE),
  none: streets([]),
  'one piece': streets([[0, 1]]),
  'a loop': streets([[0, 0]]),
  'two parts': streets([
    [0, 1],
    [14, 15],
  ]),
  'no time at all': streets(SQUARE, 0, 0),
  closed: streets(SQUARE, Infinity),
  'without a system': streets(SQUARE, 20, 10, null),
};
/** The square's corner in degrees. */
const CORNER = ((): [number, number] => {
  const at = [0, 0];
  transformer(UTM, wgs84())(W, N - 10, at);
  return [at[0]!, at[1]!];
})();
/** A ferry over the square, one that lies elsewhere, one that never runs, one without anything. */
const TIMETABLES: Record<string, Timetable> = {
  usual: ferry(...CORNER, 0.0001),
  elsewhere: ferry(9, 47, 0.01),
  'at the pole': ferry(9, 89.99, 0.001),
  never: neverRuns(ferry(...CORNER, 0.0001)),
  none: { kind: 'timetable', files: {}, others: {}, faults: [] },
};

function neverRuns(t: Timetable): Timetable {
  const { calendar: _, ...files } = t.files;
  return { ...t, files };
}

/** Some that came as numbers (they go with whatever features there are), none at all, nobody near anybody, of others, only one way, none that weigh. */
const near = (from: number[], to: number[], weight: number[]): Weights => weightsFromRows(from, to, weight);
const WEIGHTS: Record<string, Weights> = {
  usual: near([1, 2, 2, 3], [2, 1, 3, 2], [1, 0.5, 0.5, 1]),
  none: near([], [], []),
  'of others': { ...near([1, 2], [2, 1], [1, 1]), open: false, places: Float64Array.of(0, 0, 1, 1) },
  'one way': near([1], [2], [1]),
  'a place itself': near([1, 2], [1, 2], [1, 1]),
  'no weight': near([1, 2], [2, 1], [0, 0]),
  'huge weights': near([1, 2, 3], [2, 3, 1], [1e300, 1e300, 1e-300]),
};

/** Series that rise, that are missing, zero, infinite, one place, one step, none. */
function history(places: Features, count: number, value: (i: number, t: number) => number): TimeStack {
  const n = places.featureOffsets.length - 1;
  return {
    kind: 'stack',
    places,
    key: null,
    steps: { unit: 'month', every: 12, start: 240, count },
    variables: [
      {
        name: 'h',
        unit: 'm',
        values: Float64Array.from({ length: n * count }, (_, k) => value(Math.floor(k / count), k % count)),
      },
    ],
    grid: null,
    made: 'by hand',
  };
}
const STACKS: Record<string, TimeStack> = Object.fromEntries(
  Object.entries(FEATURES.polygon).map(([name, f]) => [name, history(f, 12, (i, t) => i + t + ((t * 7) % 3))]),
);
const usualPlaces = FEATURES.polygon['usual']!;
Object.assign(STACKS, {
  missing: history(usualPlaces, 12, () => NaN),
  zeros: history(usualPlaces, 12, () => 0),
  'nearly missing': history(usualPlaces, 12, (i, t) => (i === 0 && t < 2 ? t : NaN)),
  'two steps': history(usualPlaces, 2, (i, t) => i * t),
  'one step': history(usualPlaces, 1, (i) => i),
  huge: history(usualPlaces, 12, (i, t) => (i + t) * 1e300),
});

/** What can stand in a role, by name. */
function choices(spec: InputSpec): Record<string, Dataset> {
  if (spec.kind === 'raster') return RASTERS;
  if (spec.kind === 'table') return TABLES;
  if (spec.kind === 'cloud') return CLOUDS;
  if (spec.kind === 'network') return NETWORKS;
  if (spec.kind === 'timetable') return TIMETABLES;
  if (spec.kind === 'weights') return WEIGHTS;
  if (spec.kind === 'stack') return STACKS;
  return FEATURES[spec.geometry ?? 'polygon'];
}

const SETTINGS = {
  crs: 'EPSG:32628',
  bounds: `${W},${N - 50},${W + 50},${N}`,
  length: '20 m',
  area: '500 m2',
  cell: '10 m',
  formula: '1 + 1',
  rules: '0 to 5 -> 1; others -> keep',
  number: 1,
};

const TEXTS = { marks: '6 @ 400000 6459900, 400060 6459900 wide 20: 0 0, 60 0, 60 99, 0 99' };

/** What a result holds in place of what its definition says; null where it is as said. */
function contradicted(holds: Holds | undefined, d: Dataset, data: Record<string, Dataset[]>): string | null {
  if (!holds) return null;
  const seen = (x: Dataset | undefined) => ({
    geometry: x?.kind === 'features' ? x.geometry : undefined,
    band: x?.kind === 'raster' ? x.bands[0]?.kind : undefined,
    length: x?.kind === 'raster' && findUnit(x.bands[0]?.unit)?.dimension === 'length',
  });
  const [is, like] = [seen(d), holds.as ? seen(data[holds.as]?.[0]) : undefined];
  const geometry = holds.geometry ?? like?.geometry;
  const band = holds.band ?? like?.band;
  if (geometry && is.geometry !== geometry) return `${is.geometry}, not ${geometry}`;
  if (band && is.band !== band) return `${is.band}, not ${band}`;
  if (holds.unit && is.length) return `lengths, not ${holds.unit}`;
  if (like && !holds.unit && like.length !== is.length) return 'another unit than what it is like';
  return null;
}

async function attempt(m: Method, data: Record<string, Dataset[]>, more: object = {}): Promise<string | null> {
  const infos = Object.fromEntries(Object.entries(data).map(([r, l]) => [r, l.map(infoOf)]));
  const given: Record<string, unknown> = { ...more };
  for (const [name, spec] of Object.entries(paramSpecs(m.params)))
    if (!spec.optional && spec.default === undefined && !(name in given))
      given[name] = anySetting(name, spec, infos, SETTINGS, TEXTS);
  try {
    const o = await runMethod(m, data, given);
    for (const { data: d, role } of o.outputs) {
      const flaw = kindOf(d).flaw(d);
      if (flaw) return `made what cannot be used: ${flaw}`;
      const untrue = contradicted(m.outputs[role]?.holds, d, data);
      if (untrue) return `${role} is not what its definition says it holds: ${untrue}`;
    }
    for (const [k, v] of Object.entries(o.figures))
      if (typeof v === 'number' && v !== v) return `figure ${k} is no number`;
    return null;
  } catch (e) {
    if (!(e instanceof HelkError)) return `threw ${e instanceof Error ? `${e.name}: ${e.message}` : String(e)}`;
    return /\b(undefined|NaN|Infinity|\[object)\b/.test(e.message) || !/[.?]$/.test(e.message)
      ? `said "${e.message}"`
      : null;
  }
}

describe('every method, given what nobody expects,', () => {
  for (const m of methods())
    it(`makes a result or says a sentence: ${m.id}`, async () => {
      const roles = Object.entries(m.inputs);
      const usual = (spec: InputSpec): Dataset[] => {
        const d = choices(spec)['usual']!;
        return spec.many ? Array.from({ length: Math.max(2, spec.least) }, () => d) : [d];
      };
      const found: string[] = [];
      for (const [role, spec] of roles)
        for (const [name, odd] of Object.entries(choices(spec))) {
          const data = Object.fromEntries(roles.map(([r, s]) => [r, usual(s)]));
          data[role] = spec.many ? Array.from({ length: Math.max(1, spec.least) }, () => odd) : [odd];
          const why = await attempt(m, data);
          if (why) found.push(`${role} = ${name}: ${why}`);
        }
      expect(found).toEqual([]);
    });

  for (const m of methods().filter((o) => o.inputs['weights']?.least === 0))
    it(`makes a result or says a sentence, whoever the neighbours are: ${m.id}`, async () => {
      const found: string[] = [];
      for (const geometry of ['polygon', 'point', 'line'] as const)
        for (const [name, features] of Object.entries(FEATURES[geometry]))
          for (const more of [
            {},
            { neighbours: 'nearest', k: 1 },
            { neighbours: 'distance' },
            { neighbours: 'distance', distance: '1 mm', standardise: false },
          ]) {
            const why = await attempt(m, { features: [features] }, more);
            if (why) found.push(`${geometry} ${name}, ${JSON.stringify(more)}: ${why}`);
          }
      expect(found).toEqual([]);
    });

  for (const m of methods().filter((o) => 'departure' in o.params.shape))
    it(`makes a result or says a sentence, by public transport: ${m.id}`, async () => {
      const found: string[] = [];
      for (const [net, network] of Object.entries(NETWORKS))
        for (const [name, timetable] of Object.entries(TIMETABLES)) {
          const data = Object.fromEntries(
            Object.entries(m.inputs).map(([r, s]) => [
              r,
              [s.kind === 'network' ? { ...network, timetable } : choices(s)['usual']!],
            ]),
          );
          const why = await attempt(m, data, { mode: 'transit', departure: '2026-09-08T08:10' });
          if (why) found.push(`${net}, ${name}: ${why}`);
        }
      expect(found).toEqual([]);
    });
});

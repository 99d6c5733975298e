import { DAY, isoText } from '@helk/core/data/dates';
import type { TimeStack } from '@helk/core/data/stack';
import { createHash } from 'node:crypto';
import {
  crsOfCode,
  FeaturesBuilder,
  handleOn,
  kernelIds,
  LocalJob,
  measureRaster,
  methodOf,
  numberColumn,
  textColumn,
  Random,
  runOn,
  wgs84,
  type Dataset,
  type Features,
  type Grid,
  type Raster,
} from '@helk/core';
import { glanceAt } from '@helk/core/glance/glance';
import { GLANCES } from '@helk/core/glance/registry';
import { smallScene } from '@helk/core/methods/cloud/scene-fixture';
import { setupNode } from './index';

setupNode();

const grid: Grid = { crs: crsOfCode(32627), x: 5e5, y: 645e4, dx: 10, dy: 10, columns: 1100, rows: 900 };

/** Rough ground with holes. */
function ground(g: Grid): Raster {
  const r = new Random(3);
  const cells = new Float32Array(g.columns * g.rows);
  for (let i = 0; i < cells.length; i++) {
    const [x, y] = [i % g.columns, Math.floor(i / g.columns)];
    cells[i] = r.uniform() < 0.001 ? NaN : 300 * Math.sin(x / 90) * Math.cos(y / 70) + 5 * r.uniform();
  }
  return measureRaster(g, cells, { name: 'z', unit: 'm' });
}

/** Octagons that overlap, over a grid; `n` of them along a side. */
function areas(n: number): Features {
  const b = new FeaturesBuilder();
  const v: number[] = [];
  const s = (grid.columns * grid.dx) / n;
  for (let k = 0; k < n * n; k++) {
    for (let c = 0; c < 9; c++) {
      const turn = (((c % 8) + 0.3) * Math.PI) / 4;
      b.coordinate(
        grid.x + ((k % n) + 0.5) * s + 0.6 * s * Math.cos(turn),
        grid.y - (Math.floor(k / n) + 0.5) * 0.8 * s + 0.6 * s * Math.sin(turn),
      );
    }
    b.endRing();
    b.endPart();
    b.endFeature();
    v.push(k + 1);
  }
  return b.build('polygon', grid.crs, [numberColumn('v', v)]);
}

function points(n: number): Features {
  const r = new Random(5);
  const b = new FeaturesBuilder();
  const v: number[] = [];
  for (let k = 0; k < n; k++) {
    b.point(grid.x + 11_000 * r.uniform(), grid.y - 9000 * r.uniform());
    v.push(r.uniform() * 10 + k / n);
  }
  return b.build('point', grid.crs, [numberColumn('v', v)]);
}

/** The same, each with a day of two years. */
function dated(n: number): Features {
  const p = points(n);
  const day = Array.from({ length: n }, (_, i) => isoText(((i * 7919) % 730) * DAY, 'day'));
  return { ...p, columns: [...p.columns, textColumn('date', day)] };
}

/** Series that rise, fall and swing. */
function history(n: number, count: number): TimeStack {
  const r = new Random(8);
  const values = Float64Array.from({ length: n * count }, (_, k) => {
    const [i, t] = [Math.floor(k / count), k % count];
    return [t, -t, 9 * Math.sin(t / 3)][i % 3]! * (1 + (i % 5)) + 4 * r.normal();
  });
  return {
    kind: 'stack',
    places: points(n),
    key: null,
    steps: { unit: 'month', every: 1, start: 0, count },
    variables: [{ name: 'h', unit: 'm', values }],
    grid: null,
    made: 'by hand',
  };
}

const z = ground(grid);
const small = ground({ ...grid, columns: 150, rows: 120 });
const degrees = ground({ crs: wgs84(), x: -21, y: 58.5, dx: 1 / 3600, dy: 1 / 3600, columns: 700, rows: 700 });
const few = points(160);
const elevation = { elevation: [z] };

/** Three bands of ground of four kinds, each with noise, some cells missing. */
function scene(): Raster {
  const r = new Random(9);
  const g = { ...grid, columns: 700, rows: 600 };
  const kinds = [
    [20, 40, 60],
    [30, 70, 50],
    [80, 60, 20],
    [90, 90, 95],
  ];
  const cells = [0, 1, 2].map(() => new Float32Array(g.columns * g.rows));
  for (let i = 0; i < g.columns * g.rows; i++) {
    const k = (Math.floor((i % g.columns) / 100) + Math.floor(i / g.columns / 100)) % 4;
    for (let j = 0; j < 3; j++) cells[j]![i] = r.uniform() < 0.001 ? NaN : kinds[k]![j]! + 9 * r.normal();
  }
  const bands = cells.map((c, j) => measureRaster(g, c, { name: ['red', 'nir', 'swir1'][j]!, unit: '' }).bands[0]!);
  return { kind: 'raster', grid: g, bands };
}
const seen = scene();
/** Steps of a band, as classes. */
const steps = (k: number): Raster => ({
  kind: 'raster',
  grid: seen.grid,
  bands: [
    {
      ...seen.bands[k]!,
      kind: 'category',
      cells: Int32Array.from(seen.bands[k]!.cells, (v) =>
        v === v ? 1 + Math.max(0, Math.floor(v / 30)) : -2147483648,
      ),
    },
  ],
});

const hills = smallScene(60_000).cloud;

type Case = [id: string, kernel: string, data: Record<string, Dataset[]>, params?: Record<string, unknown>];
const CASES: Case[] = [
  ['terrain.slope', 'terrain.slope', elevation],
  ['terrain.aspect', 'terrain.aspect', elevation],
  ['terrain.hillshade', 'terrain.hillshade', elevation, { lights: 'multiple' }],
  ['terrain.curvature', 'terrain.curvature', elevation, { kind: 'plan' }],
  ['terrain.ruggedness', 'terrain.ruggedness', elevation],
  ['terrain.position', 'terrain.position', elevation, { radius: '70 m' }],
  ['terrain.flowAccumulation', 'terrain.divide', elevation, { scheme: 'mfd' }],
  ['terrain.visibility', 'terrain.visibility', { elevation: [small], observers: [points(300)] }, { radius: '400 m' }],
  ['raster.smooth', 'raster.smooth.sums', { raster: [z] }, { statistic: 'sd', radius: '50 m' }],
  ['raster.smooth', 'raster.smooth.windows', { raster: [z] }, { statistic: 'median', radius: '20 m' }],
  ['raster.reproject', 'raster.warp', { raster: [degrees] }, { crs: 'EPSG:32627', cellSize: '25 m' }],
  ['raster.resample', 'raster.warp', { raster: [z] }, { cellSize: '13 m', resampling: 'mean' }],
  ['raster.formula', 'raster.formula', { rasters: [z] }, { formula: 'sqrt(abs(a)) + (a > 3 ? 1 : 2)' }],
  ['raster.rescale', 'raster.rescale', { raster: [z] }, { factor: 3.28, unit: 'ft' }],
  ['raster.recode', 'raster.recode', { raster: [z] }, { rules: '-400 to 0 -> 1 low; 0 to 100 -> 2 high' }],
  ['raster.difference', 'raster.difference', { a: [z], b: [z] }],
  [
    'raster.zonal',
    'raster.zonal.figures',
    { raster: [z], zones: [areas(40)] },
    { statistics: 'median,majority,variety' },
  ],
  ['raster.zonal', 'raster.zonal', { raster: [z], zones: [areas(9)] }, { statistics: 'count,mean,sd,median' }],
  ['raster.contours', 'raster.contours', { raster: [z] }, { interval: 50 }],
  ['raster.fromFeatures', 'raster.fromFeatures', { features: [areas(9)], like: [z] }, { value: 'v' }],
  ['surface.idw', 'surface', { points: [few] }, { value: 'v', cellSize: '100 m' }],
  ['surface.kriging', 'surface', { points: [few] }, { value: 'v', cellSize: '150 m' }],
  ['surface.validate', 'surface.validate', { points: [few] }, { value: 'v' }],
  ['imagery.components', 'imagery.moments', { scene: [seen] }, { count: 2 }],
  ['imagery.components', 'imagery.components', { scene: [seen] }, { standardise: true }],
  ['imagery.index', 'imagery.index', { scene: [seen] }],
  ['imagery.cluster', 'imagery.cluster.nearest', { scene: [seen] }, { k: 5, method: 'both', maxIterations: 4 }],
  ['imagery.cluster', 'imagery.cluster', { scene: [seen] }, { k: 4, sample: 5000 }],
  [
    'imagery.classify',
    'imagery.classify',
    { scene: [seen], training: [areas(5)] },
    { classColumn: 'v', method: 'maximumLikelihood' },
  ],
  [
    'imagery.classify',
    'imagery.classify.tree',
    { scene: [seen], training: [areas(3)] },
    { classColumn: 'v', trees: 7 },
  ],
  ['imagery.classAreas', 'raster.classCounts', { classes: [steps(0)] }],
  ['imagery.classAreas', 'imagery.classAreas', { classes: [steps(0)], zones: [areas(6)] }],
  ['raster.changeMatrix', 'raster.changeMatrix.count', { before: [steps(0)], after: [steps(1)] }],
  ['raster.changeMatrix', 'raster.changeMatrix', { before: [steps(1)], after: [steps(2)] }],
  ['imagery.spectra', 'glance.spectra', { scene: [seen], classes: [steps(0)] }],
  ['cloud.noise', 'cloud.meanDistances', { cloud: [hills] }],
  ['cloud.classifyAbove', 'cloud.roughness', { cloud: [hills] }],
  ['stats.weights', 'stats.meet', { features: [areas(20)] }],
  ['stats.weights', 'stats.near', { features: [points(9000)] }, { neighbours: 'nearest', k: 5 }],
  ['stats.moran', 'stats.shuffle', { features: [points(400)] }, { column: 'v', neighbours: 'nearest' }],
  ['stats.localMoran', 'stats.conditional', { features: [points(4000)] }, { column: 'v', neighbours: 'nearest' }],
  ['time.stack', 'time.placing', { locations: [areas(20)], events: [dated(200_000)] }, { step: 'month' }],
  ['time.trend', 'time.trend', { stack: [history(3000, 60)] }, { season: 6 }],
  ['time.groupSeries', 'time.grouping', { stack: [history(1500, 40)] }, { by: 'profile', k: 4 }],
  ['time.groupSeries', 'time.silhouettes', { stack: [history(2500, 20)] }, { k: 3, method: 'medoids' }],
  ['features.overlay', 'features.overlay', { a: [areas(12)], b: [areas(11)] }, { kind: 'union' }],
];

/** Everything that came out, bit for bit. */
function digest(v: unknown, hash = createHash('sha256')): string {
  const walk = (x: unknown): void => {
    if (ArrayBuffer.isView(x)) hash.update(Buffer.from(x.buffer as ArrayBuffer, x.byteOffset, x.byteLength));
    else if (typeof x === 'object' && x)
      for (const [k, y] of Object.entries(x)) {
        hash.update(k);
        walk(y);
      }
    else hash.update(String(x));
  };
  walk(v);
  return hash.digest('hex');
}

describe('work on several threads', () => {
  const run = async ([id, , data, params]: Case, threads: number): Promise<string> => {
    const handles = Object.fromEntries(Object.entries(data).map(([role, list]) => [role, list.map(handleOn)]));
    const glance = GLANCES.find((g) => g.id === id);
    if (glance) {
      const one = Object.fromEntries(Object.entries(handles).map(([role, [h]]) => [role, h!]));
      return digest(await glanceAt(glance, one, params ?? {}, new LocalJob({ threads })));
    }
    const made = await runOn(methodOf(id), handles, params ?? {}, { threads });
    const outputs = await Promise.all(made.outputs.map((o) => o.handle.load()));
    return digest({ outputs, figures: made.figures, notes: made.notes });
  };

  for (const c of CASES)
    it(`gives the same bytes with one, two and five: ${c[0]} (${c[1]})`, async () => {
      const one = await run(c, 1);
      expect(await run(c, 2)).toBe(one);
      expect(await run(c, 5)).toBe(one);
    }, 120_000);

  it('is checked for every kernel there is', () => {
    expect(kernelIds().filter((k) => !CASES.some((c) => c[1] === k))).toEqual([]);
  });

  it('ends with the kernel’s own refusal, and between two blocks when it is cancelled', async () => {
    const handles = { rasters: [handleOn(z)] };
    let told = 0;
    const cancelled = runOn(
      methodOf('raster.formula'),
      handles,
      { formula: 'a + 1' },
      {
        threads: 2,
        isCancelled: () => told > 1,
        onProgress: () => told++,
      },
    );
    await expectAsync(cancelled).toBeRejectedWith(jasmine.objectContaining({ code: 'run.cancelled' }));
    // The threads go on serving.
    expect(await run(CASES[0]!, 2)).toBe(await run(CASES[0]!, 1));
  });
});

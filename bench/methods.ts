import {
  FeaturesBuilder,
  handleOn,
  measureRaster,
  methodOf,
  numberColumn,
  Random,
  room,
  runOn,
  studied,
  type AnyHandle,
  type Dataset,
  type Features,
  type Grid,
  type Raster,
} from '@helk/core';

/** Best wall time of a method on data in memory, with so many threads. */
export async function methodSeconds(
  id: string,
  data: Record<string, Dataset[]>,
  params: Record<string, unknown>,
  threads: number,
  times = 2,
): Promise<number> {
  const handles: Record<string, AnyHandle[]> = {};
  for (const [role, list] of Object.entries(data)) handles[role] = list.map(handleOn);
  const infos = await studied(handles);
  let best = Infinity;
  for (let k = 0; k < times; k++) {
    const t = process.hrtime.bigint();
    await runOn(methodOf(id), handles, params, { infos, threads });
    best = Math.min(best, Number(process.hrtime.bigint() - t) / 1e9);
  }
  return best;
}

interface Timed {
  name: string;
  id: string;
  data: Record<string, Dataset[]>;
  params: Record<string, unknown>;
}

/** What is timed with one thread and with all, on a grid in metres and the same in degrees. */
export function METHODS(z: Raster, degrees: Raster): Timed[] {
  const { grid } = z;
  const side = Math.min(grid.columns, grid.rows) * grid.dx;
  const elevation = { elevation: [z] };
  const areas = squares(grid, 40);
  const few = points(z, 1500);
  const cell = `${side / 600} m`;
  const coarse = part(z, 900);
  const of = (name: string, id: string, data: Timed['data'], params: Timed['params'] = {}): Timed => ({
    name,
    id,
    data,
    params,
  });
  return [
    of('slope', 'terrain.slope', elevation),
    of('hillshade', 'terrain.hillshade', elevation),
    of('aspect', 'terrain.aspect', elevation),
    of('curvature', 'terrain.curvature', elevation),
    of('ruggedness', 'terrain.ruggedness', elevation),
    of('position', 'terrain.position', elevation, { radius: '100 m' }),
    of('smooth', 'raster.smooth', { raster: [z] }, { statistic: 'median', radius: '20 m' }),
    of('reproject', 'raster.reproject', { raster: [degrees] }, { crs: 'EPSG:32627', cellSize: '12 m' }),
    of('resample', 'raster.resample', { raster: [z] }, { cellSize: '15 m', resampling: 'cubic' }),
    of('formula', 'raster.formula', { rasters: [z, z] }, { formula: 'sqrt(abs(a - 500)) * 2 + log(b + 2000)' }),
    of('recode', 'raster.recode', { raster: [z] }, { rules: '-1000 to 200 -> 1; 200 to 500 -> 2; others -> 3' }),
    of('zonal', 'raster.zonal', { raster: [z], zones: [areas] }, { statistics: 'mean,sd,median' }),
    of('difference', 'raster.difference', { a: [z], b: [z] }),
    of('contours', 'raster.contours', { raster: [z] }, { interval: 10 }),
    of('rasterising', 'raster.fromFeatures', { features: [areas], like: [z] }, { value: 'v' }),
    of('idw', 'surface.idw', { points: [few] }, { value: 'v', cellSize: cell }),
    of('kriging', 'surface.kriging', { points: [few] }, { value: 'v', cellSize: cell, neighbours: 24 }),
    of('spline', 'surface.spline', { points: [few] }, { value: 'v', cellSize: cell }),
    of('validation', 'surface.validate', { points: [points(z, 500)] }, { value: 'v' }),
    of('multiple flow', 'terrain.flowAccumulation', { elevation: [part(z, 2000)] }, { scheme: 'mfd' }),
    of('visibility', 'terrain.visibility', { elevation: [coarse], observers: [points(coarse, 8)] }, {}),
    of('overlay', 'features.overlay', { a: [areas], b: [squares(grid, 37)] }, {}),
  ];
}

/** The north-west corner of a grid. */
function part(z: Raster, n: number): Raster {
  const { columns } = z.grid;
  const m = Math.min(n, columns, z.grid.rows);
  const cells = room(Float32Array, m * m);
  for (let y = 0; y < m; y++) cells.set(z.bands[0]!.cells.subarray(y * columns, y * columns + m), y * m);
  return measureRaster({ ...z.grid, columns: m, rows: m }, cells, { name: 'z', unit: 'm' });
}

/** Squares, a little turned, that cover a grid. */
function squares(grid: Grid, n: number): Features {
  const b = new FeaturesBuilder();
  const v: number[] = [];
  const s = (grid.columns * grid.dx) / n;
  for (let j = 0; j < n; j++)
    for (let i = 0; i < n; i++) {
      const [x, y] = [grid.x + (i + 0.5) * s, grid.y - (j + 0.5) * s];
      for (let k = 0; k < 9; k++) {
        const turn = (((k % 8) + 0.3) * Math.PI) / 4;
        b.coordinate(x + 0.6 * s * Math.cos(turn), y + 0.6 * s * Math.sin(turn));
      }
      b.endRing();
      b.endPart();
      b.endFeature();
      v.push(i + j);
    }
  return b.build('polygon', grid.crs, [numberColumn('v', v)]);
}

/** Values of a grid at scattered places. */
function points(z: Raster, n: number): Features {
  const r = new Random(7);
  const b = new FeaturesBuilder();
  const v: number[] = [];
  for (let k = 0; k < n; k++) {
    const c = Math.floor(r.uniform() * z.grid.columns);
    const w = Math.floor(r.uniform() * z.grid.rows);
    b.point(z.grid.x + (c + 0.5) * z.grid.dx, z.grid.y - (w + 0.5) * z.grid.dy);
    v.push(z.bands[0]!.cells[w * z.grid.columns + c]!);
  }
  return b.build('point', z.grid.crs, [numberColumn('v', v)]);
}

import * as z from 'zod';
import { sameCrs, transformer } from '../../data/crs';
import { besideColumns, featureCount, type Column, type Features } from '../../data/features';
import { firstBand, missingOf, type Band, type BandInfo, type Grid } from '../../data/raster';
import { numberColumn, textColumn } from '../../data/table';
import { defineMethod, input, output } from '../../method/define';
import { choice, columns as columnsParam } from '../../method/params';
import { resampleRow } from '../../numeric/resample';
import { plural } from '../../data/check';

/** Values of a band at places of a system; NaN where it is missing or outside. */
export function valuesAt(
  band: Band,
  grid: Grid,
  places: { crs: Features['crs']; x: ArrayLike<number>; y: ArrayLike<number> },
  how: 'nearest' | 'bilinear',
): { values: Float64Array; outside: Uint8Array } {
  const n = places.x.length;
  const t = places.crs && grid.crs && !sameCrs(places.crs, grid.crs) ? transformer(places.crs, grid.crs) : null;
  const [u, v, values] = [new Float64Array(n), new Float64Array(n), new Float64Array(n)];
  const outside = new Uint8Array(n);
  const out = [0, 0];
  for (let i = 0; i < n; i++) {
    if (t) t(places.x[i]!, places.y[i]!, out);
    else [out[0], out[1]] = [places.x[i]!, places.y[i]!];
    u[i] = (out[0]! - grid.x) / grid.dx;
    v[i] = (grid.y - out[1]!) / grid.dy;
    outside[i] = u[i]! >= 0 && v[i]! >= 0 && u[i]! < grid.columns && v[i]! < grid.rows ? 0 : 1;
  }
  const missing = missingOf(band);
  const source = { cells: band.cells, width: grid.columns, height: grid.rows, missing };
  resampleRow(source, band.kind === 'category' ? 'nearest' : how, u, v, values, 0, n, 0.5, 0.5);
  for (let i = 0; i < n; i++) if (values[i] === missing) values[i] = NaN;
  return { values, outside };
}

/** First places of point features; not numbers where there is none. */
export function pointPlaces(f: Features): { x: Float64Array; y: Float64Array } {
  const n = featureCount(f);
  const [x, y] = [new Float64Array(n).fill(NaN), new Float64Array(n).fill(NaN)];
  for (let i = 0; i < n; i++) {
    if (f.featureOffsets[i] === f.featureOffsets[i + 1]) continue;
    const c = f.ringOffsets[f.partOffsets[f.featureOffsets[i]!]!]!;
    x[i] = f.xy[2 * c]!;
    y[i] = f.xy[2 * c + 1]!;
  }
  return { x, y };
}

/** Values as a column; of classes their labels, where there are any. */
export function bandColumn(band: BandInfo, name: string, values: Float64Array): Column {
  if (band.kind !== 'category' || !band.classes?.length) return numberColumn(name, values, band.unit);
  const labels = new Map(band.classes.map((c) => [c.value, c.label]));
  const missing = Uint8Array.from(values, (v) => (v === v ? 0 : 1));
  return {
    ...textColumn(
      name,
      Array.from(values, (v) => (v === v ? (labels.get(v) ?? String(v)) : '')),
    ),
    ...(missing.includes(1) ? { missing } : {}),
  };
}

export const sample = defineMethod({
  id: 'raster.sample',
  version: 1,
  title: 'Sample at points',
  question: 'Which values do the grids have at these points?',
  about:
    'The value of each grid at each point as a new column, of the cell the point lies in or bilinear between centres; of classes their labels. Points outside a grid, or on missing cells, are missing there.',
  keywords: ['extract', 'point values', 'sampling', 'read off', 'raster to points'],
  sources: ['common practice, no source'],
  inputs: {
    rasters: input.rasters({ label: 'Grids' }),
    points: input.features({ label: 'Points', geometry: 'point' }),
  },
  params: z.object({
    interpolation: choice({ nearest: 'the cell', bilinear: 'bilinear' }, { label: 'Value of' }).default('nearest'),
    keep: columnsParam({ label: 'Columns to keep', of: 'points', help: 'Empty for all.' }).default([]),
  }),
  outputs: { points: output.features('Sampled points', 'sampled') },
  figures: { sampled: { label: 'Points with a value' }, outside: { label: 'Points outside' } },
  estimate: ({ points, rasters }) => ({
    cells: points.count,
    bytes: points.count * 40 * rasters.length,
    seconds: points.count / 1e6,
  }),
  run: ({ rasters, points }, p, job) => {
    const n = featureCount(points);
    const places = { crs: points.crs, ...pointPlaces(points) };
    const any = new Uint8Array(n);
    const beyond = new Uint8Array(n).fill(1);
    const made = rasters.map((r, k) => {
      job.progress(k / rasters.length, 'sampling');
      const band = firstBand(r);
      const { values, outside } = valuesAt(band, r.grid, places, p.interpolation);
      for (let i = 0; i < n; i++) {
        if (values[i] === values[i]) any[i] = 1;
        beyond[i]! &= outside[i]!;
      }
      return bandColumn(band, band.name, values);
    });
    const kept = p.keep.length ? points.columns.filter((c) => p.keep.includes(c.name)) : points.columns;
    const sum = (a: Uint8Array): number => a.reduce((s, v) => s + v, 0);
    if (sum(any) === 0)
      job.note('look', 'sample.none', 'No point lies on a cell with a value: do they lie in the same place?');
    else if (sum(beyond))
      job.note(
        'info',
        'sample.outside',
        `${plural(sum(beyond), 'point')} ${sum(beyond) === 1 ? 'lies' : 'lie'} outside every grid.`,
      );
    return {
      points: { ...points, columns: besideColumns(besideColumns([], kept), made) },
      figures: { sampled: sum(any), outside: sum(beyond) },
    };
  },
});

import { z } from 'zod';
import { HelkError } from '../../errors';
import { besideColumns, featureBoxes, featureCount, featuresIn, takeFeatures, type Column } from '../../data/features';
import { firstBand, missingOf } from '../../data/raster';
import { numberColumn } from '../../data/table';
import { defineMethod, input, output } from '../../method/define';
import { text } from '../../method/params';
import { insideRows } from '../../numeric/scanline';
import { quantileSorted, summarise } from '../../numeric/statistics';
import { bandColumn } from './sample';

const STATISTICS = ['count', 'sum', 'mean', 'median', 'min', 'max', 'range', 'sd', 'majority', 'variety'] as const;
type Statistic = (typeof STATISTICS)[number];

function statistic(name: Statistic, v: Float64Array): number {
  if (name === 'count') return v.length;
  if (!v.length) return NaN;
  if (name === 'median') return quantileSorted(v, 0.5);
  if (name === 'majority' || name === 'variety') {
    // Sorted, so equal values stand together; of several that are as frequent the lowest.
    let [best, most, different] = [v[0]!, 0, 0];
    for (let i = 0; i < v.length;) {
      let j = i;
      while (j < v.length && v[j] === v[i]) j++;
      if (j - i > most) [best, most] = [v[i]!, j - i];
      different++;
      i = j;
    }
    return name === 'majority' ? best : different;
  }
  const s = summarise(v);
  return { sum: s.sum, mean: s.mean, min: s.min, max: s.max, range: s.max - s.min, sd: v.length > 1 ? s.sd : NaN }[
    name
  ];
}

export const zonal = defineMethod({
  id: 'raster.zonal',
  version: 1,
  title: 'Zonal statistics',
  question: 'What are the values inside these areas?',
  about:
    'Statistics of the cells whose centre lies in an area, joined to the area. Missing cells do not count; an area that holds no centre has a count of 0 and is counted in the figures. The standard deviation is that of a sample (n - 1). Overlapping areas are each measured whole.',
  keywords: ['zone', 'statistics in polygons', 'mean per area', 'summarise', 'aggregate'],
  sources: ['common practice, no source'],
  inputs: { raster: input.raster(), zones: input.features({ label: 'Areas', geometry: 'polygon' }) },
  params: z.object({
    statistics: text({ label: 'Statistics', help: `Apart by commas: ${STATISTICS.join(', ')}.` }).default(
      'count, mean, min, max',
    ),
    prefix: text({ label: 'Prefix of the columns' }).default(''),
  }),
  outputs: { zones: output.features('Zonal statistics', 'statistics') },
  figures: { zones: { label: 'Areas' }, emptyZones: { label: 'Areas without a cell' } },
  estimate: ({ raster, zones }) => ({
    cells: raster.grid.columns * raster.grid.rows,
    bytes: zones.count * 200,
    seconds: (raster.grid.columns * raster.grid.rows) / 2e7 + zones.count / 2e4,
  }),
  run: ({ raster, zones }, p, job) => {
    const names = p.statistics
      .split(',')
      .map((s) => s.trim())
      .filter(Boolean);
    for (const s of names)
      if (!STATISTICS.includes(s as Statistic))
        throw new HelkError(
          'method.parameter',
          `statistics: there is no "${s}"; there are ${STATISTICS.join(', ')}.`,
          'statistics',
        );
    const band = firstBand(raster);
    const { grid } = raster;
    const missing = missingOf(band);
    const places = featuresIn(zones, grid.crs);
    const boxes = featureBoxes(places);
    const n = featureCount(zones);
    const out = names.map(() => new Float64Array(n).fill(NaN));
    let empty = 0;
    for (let i = 0; i < n; i++) {
      if ((i & 31) === 0) job.progress(i / n, 'areas');
      const values: number[] = [];
      const c0 = Math.max(0, Math.floor((boxes[4 * i]! - grid.x) / grid.dx));
      const c1 = Math.min(grid.columns - 1, Math.floor((boxes[4 * i + 2]! - grid.x) / grid.dx));
      const r0 = Math.max(0, Math.floor((grid.y - boxes[4 * i + 3]!) / grid.dy));
      const r1 = Math.min(grid.rows - 1, Math.floor((grid.y - boxes[4 * i + 1]!) / grid.dy));
      if (c1 >= c0 && r1 >= r0) {
        // A window of the grid's own lattice round the area.
        const window = {
          ...grid,
          x: grid.x + c0 * grid.dx,
          y: grid.y - r0 * grid.dy,
          columns: c1 - c0 + 1,
          rows: r1 - r0 + 1,
        };
        const inside = insideRows(takeFeatures(places, [i]), window);
        const mask = new Uint8Array(window.columns);
        for (let r = 0; r < window.rows; r++) {
          inside(r, mask);
          for (let c = 0; c < window.columns; c++) {
            if (!mask[c]) continue;
            const v = band.cells[(r0 + r) * grid.columns + c0 + c]!;
            if (v === v && v !== missing) values.push(v);
          }
        }
      }
      if (!values.length) empty++;
      const sorted = Float64Array.from(values).sort();
      names.forEach((s, k) => (out[k]![i] = statistic(s as Statistic, sorted)));
    }
    if (empty === n)
      job.note('look', 'zonal.none', 'No area holds the centre of a cell: do they lie in the same place?');
    else if (empty)
      job.note(
        'look',
        'zonal.empty',
        `${empty} of ${n} areas hold no cell centre with a value; smaller cells reach them.`,
      );
    const made = names.map((s, k): Column => {
      const name = `${p.prefix}${s}`;
      if (s === 'majority') return bandColumn(band, name, out[k]!);
      return numberColumn(name, out[k]!, s === 'count' || s === 'variety' ? '' : band.unit);
    });
    return {
      zones: { ...zones, columns: besideColumns(zones.columns, made) },
      figures: { zones: n, emptyZones: empty },
    };
  },
});

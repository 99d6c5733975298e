import { z } from 'zod';
import { HelkError } from '../../errors';
import { besideColumns, featureCount, featuresIn, type Column } from '../../data/features';
import { firstBand, missingOf } from '../../data/raster';
import { numberColumn } from '../../data/table';
import { defineMethod, input, output } from '../../method/define';
import { text } from '../../method/params';
import { growingFloats } from '../../numeric/growing';
import { insideRuns } from '../../numeric/scanline';
import { quantileSorted, Summariser, type Summary } from '../../numeric/statistics';
import { bandColumn } from './sample';

const STATISTICS = ['count', 'sum', 'mean', 'median', 'min', 'max', 'range', 'sd', 'majority', 'variety'] as const;
type Statistic = (typeof STATISTICS)[number];

/** Statistics for which the values of an area must stand together; the others are taken as the cells pass. */
const SORTED: readonly Statistic[] = ['median', 'majority', 'variety'];

function statistic(name: Statistic, s: Summary, sorted: Float64Array): number {
  if (name === 'count') return s.count;
  if (!s.count) return NaN;
  switch (name) {
    case 'median':
      return quantileSorted(sorted, 0.5);
    case 'majority':
    case 'variety': {
      // Sorted, so equal values stand together; of several that are as frequent the lowest.
      let [best, most, different] = [sorted[0]!, 0, 0];
      for (let i = 0; i < sorted.length;) {
        let j = i;
        while (j < sorted.length && sorted[j] === sorted[i]) j++;
        if (j - i > most) [best, most] = [sorted[i]!, j - i];
        different++;
        i = j;
      }
      return name === 'majority' ? best : different;
    }
    case 'range':
      return s.max - s.min;
    case 'sd':
      return s.count > 1 ? s.sd : NaN;
    default:
      return s[name];
  }
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
  inputs: { raster: input.raster({}), zones: input.features({ label: 'Areas', geometry: 'polygon' }) },
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
    const n = featureCount(zones);
    const out = names.map(() => new Float64Array(n).fill(NaN));
    const keeps = names.some((s) => SORTED.includes(s as Statistic));
    let empty = 0;
    for (let i = 0; i < n; i++) {
      if ((i & 31) === 0) job.progress(i / n, 'areas');
      const sum = new Summariser();
      const values = growingFloats();
      insideRuns(places, i, grid, (row, from, to) => {
        const start = row * grid.columns;
        sum.add(band.cells, start + from, start + to, missing);
        if (!keeps) return;
        for (let k = start + from; k < start + to; k++) {
          const v = band.cells[k]!;
          if (v === v && v !== missing) values.push(v);
        }
      });
      const s = sum.done();
      if (!s.count) empty++;
      const sorted = values.done().sort();
      names.forEach((name, k) => (out[k]![i] = statistic(name as Statistic, s, sorted)));
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

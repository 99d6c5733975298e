import * as z from 'zod';
import { cellCount, missingOf } from '../../data/raster';
import { numberColumn, textColumn } from '../../data/table';
import { defineMethod, input, output } from '../../method/define';
import { numbers } from '../../method/params';
import { quantileSorted, sortedPresent, summarise } from '../../numeric/statistics';

export const statistics = defineMethod({
  id: 'raster.statistics',
  version: 1,
  title: 'Statistics',
  question: 'What values are in this grid?',
  about:
    'Count, missing, lowest, highest, mean, sample standard deviation (n − 1), median and percentiles of every band, over all cells that have a value. Quantiles interpolate between ordered values (type 7).',
  keywords: ['describe', 'summary', 'mean', 'percentile', 'median', 'histogram'],
  sources: ['Hyndman and Fan 1996, doi:10.2307/2684934 (quantile type 7)'],
  inputs: { raster: input.raster({ bands: 'all' }) },
  params: z.object({
    percentiles: numbers({ label: 'Percentiles', min: 0, max: 100, help: 'Numbers from 0 to 100.' }).default([
      5, 25, 75, 95,
    ]),
  }),
  outputs: { table: output.table('Statistics') },
  figures: {
    count: { label: 'Cells with a value' },
    missing: { label: 'Missing cells' },
    min: { label: 'Lowest', unit: 'band' },
    max: { label: 'Highest', unit: 'band' },
    mean: { label: 'Mean', unit: 'band' },
    sd: { label: 'Standard deviation', unit: 'band' },
    median: { label: 'Median', unit: 'band' },
  },
  estimate: ({ raster }) => ({
    cells: cellCount(raster.grid),
    bytes: cellCount(raster.grid) * 8,
    seconds: cellCount(raster.grid) / 8e6,
  }),
  run: ({ raster }, p, job) => {
    const asked = p.percentiles;
    const rows = raster.bands.map((b, k) => {
      job.progress(k / raster.bands.length, b.name);
      const s = summarise(b.cells, missingOf(b));
      const sorted = sortedPresent(b.cells, missingOf(b));
      return {
        name: b.name,
        s,
        median: quantileSorted(sorted, 0.5),
        q: asked.map((a) => quantileSorted(sorted, a / 100)),
      };
    });
    const unit = raster.bands[0]!.unit;
    const table = {
      kind: 'table' as const,
      columns: [
        textColumn(
          'band',
          rows.map((r) => r.name),
        ),
        numberColumn(
          'count',
          rows.map((r) => r.s.count),
        ),
        numberColumn(
          'missing',
          rows.map((r) => r.s.missing),
        ),
        ...(['min', 'max', 'mean', 'sd'] as const).map((f) =>
          numberColumn(
            f,
            rows.map((r) => r.s[f]),
            unit,
          ),
        ),
        numberColumn(
          'median',
          rows.map((r) => r.median),
          unit,
        ),
        ...asked.map((a, i) =>
          numberColumn(
            `p${a}`,
            rows.map((r) => r.q[i]!),
            unit,
          ),
        ),
      ],
    };
    const { s, median } = rows[0]!;
    const or = (v: number): number | null => (Number.isNaN(v) ? null : v);
    return {
      table,
      figures: {
        count: s.count,
        missing: s.missing,
        min: or(s.min),
        max: or(s.max),
        mean: or(s.mean),
        sd: or(s.sd),
        median: or(median),
      },
    };
  },
});

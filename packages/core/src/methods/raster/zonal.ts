import * as z from 'zod';
import { besideColumns, featureCount, featuresIn, type Column } from '../../data/features';
import type { RasterHandle } from '../../data/handle';
import { cellCount, missingOf, type Cells, type Grid } from '../../data/raster';
import { numberColumn } from '../../data/table';
import { defineMethod, input, output } from '../../method/define';
import { several, text } from '../../method/params';
import { defineKernel } from '../../method/parallel';
import { blockBytes, blockRows } from '../../method/rows';
import { growingFloats, type Growing } from '../../numeric/growing';
import { eachRun, edgeRows, type EdgeRows } from '../../numeric/scanline';
import { quantileSorted, Summariser, type Summary } from '../../numeric/statistics';
import { bandColumn } from './sample';

const STATISTICS = {
  count: 'count',
  sum: 'sum',
  mean: 'mean',
  median: 'median',
  min: 'lowest',
  max: 'highest',
  range: 'range',
  sd: 'standard deviation',
  majority: 'most frequent',
  variety: 'how many differ',
};
type Statistic = keyof typeof STATISTICS;

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
  inputs: { raster: input.raster({ parts: true }), zones: input.features({ label: 'Areas', geometry: 'polygon' }) },
  params: z.object({
    statistics: several(STATISTICS, { label: 'Statistics' }).default(['count', 'mean', 'min', 'max']),
    prefix: text({ label: 'Prefix of the columns' }).default(''),
  }),
  outputs: { zones: output.features('Zonal statistics', 'statistics') },
  figures: { zones: { label: 'Areas' }, emptyZones: { label: 'Areas without a cell' } },
  estimate: ({ raster, zones }, p) => ({
    cells: raster.grid.columns * raster.grid.rows,
    // Where the values of an area must stand together, all cells may be among them.
    bytes:
      blockBytes(raster.grid) +
      zones.count * 400 +
      (SORTED.some((s) => p.statistics.includes(s)) ? 16 * cellCount(raster.grid) : 0),
    seconds: (raster.grid.columns * raster.grid.rows) / 2e7 + zones.count / 2e4,
  }),
  run: async ({ raster, zones }, p, job) => {
    const names = p.statistics;
    const { grid, bands } = raster.head;
    const band = bands[0]!;
    const places = featuresIn(zones, grid.crs);
    const n = featureCount(zones);
    const keeps = names.some((s) => SORTED.includes(s));
    const sums = Array.from({ length: n }, () => new Summariser());
    const values = keeps ? Array.from({ length: n }, () => [] as Float64Array[]) : null;
    const edges = edgeRows(places, grid);
    const shared = { xy: places.xy, edges, grid, missing: missingOf(band), keeps };
    await job.parallel(zoneRows, shared, rowsOf(raster, edges), (parts, i) => {
      job.progress((0.9 * i * blockRows(grid.columns)) / Math.max(1, edges.rows), 'areas');
      for (const part of parts) {
        sums[part.zone]!.merge(part.moments);
        values?.[part.zone]!.push(part.values);
      }
    });
    const out = names.map(() => new Float64Array(n).fill(NaN));
    let empty = 0;
    await job.parallel(zoneFigures, { names }, zonesOf(sums, values), (figures, i) => {
      job.progress(0.9 + (0.1 * i) / n, 'statistics');
      if (!sums[i]!.done().count) empty++;
      figures.forEach((v, k) => (out[k]![i] = v));
    });
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

/** The rows that any zone reaches, some at a time. */
async function* rowsOf(raster: RasterHandle, edges: EdgeRows): AsyncGenerator<{ from: number; cells: Cells }> {
  const step = blockRows(raster.head.grid.columns);
  const end = edges.row + edges.rows;
  for (let from = edges.row; from < end; from += step)
    yield { from, cells: await raster.rows(0, from, Math.min(step, end - from)) };
}

interface Zone {
  summary: Summary;
  parts: Float64Array[];
}

/** Zone by zone what was gathered of it; its values are let go of as they are taken. */
function* zonesOf(sums: readonly Summariser[], values: Float64Array[][] | null): Generator<Zone> {
  for (const [i, s] of sums.entries()) {
    const parts = values?.[i] ?? [];
    if (values) values[i] = [];
    yield { summary: s.done(), parts };
  }
}

/** The statistics of one zone. O(n log n) where its values must stand in order */
const zoneFigures = defineKernel('raster.zonal.figures', ({ names }: { names: Statistic[] }, z: Zone): number[] => {
  const sorted = joinFloats(z.parts).sort();
  return names.map((name) => statistic(name, z.summary, sorted));
});

interface Zones {
  xy: Float64Array;
  edges: EdgeRows;
  grid: Grid;
  missing: number;
  keeps: boolean;
}

/** What lies in the zones of some rows: moments and, where they are wanted, the values themselves, zone by zone. */
const zoneRows = defineKernel(
  'raster.zonal',
  ({ xy, edges, grid, missing, keeps }: Zones, { from, cells }: { from: number; cells: Cells }) => {
    const found = new Map<number, { sum: Summariser; values: Growing<Float64Array> }>();
    const { columns } = grid;
    for (let y = 0; y * columns < cells.length; y++)
      eachRun({ xy }, edges, grid, from + y, (c0, c1, zone) => {
        let z = found.get(zone);
        if (!z) found.set(zone, (z = { sum: new Summariser(), values: growingFloats() }));
        z.sum.add(cells, y * columns + c0, y * columns + c1, missing);
        if (!keeps) return;
        for (let i = y * columns + c0; i < y * columns + c1; i++) {
          const v = cells[i]!;
          if (v === v && v !== missing) z.values.push(v);
        }
      });
    return [...found].map(([zone, { sum, values }]) => ({ zone, moments: sum.moments(), values: values.done() }));
  },
);

function joinFloats(parts: readonly Float64Array[]): Float64Array {
  const out = new Float64Array(parts.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const p of parts) {
    out.set(p, at);
    at += p.length;
  }
  return out;
}

import * as z from 'zod';
import { HelkError } from '../../errors';
import type { Check } from '../../data/check';
import { plural } from '../../data/check';
import { dateInName, isoText, PRECISIONS, readDate, type Precision, type ReadDate } from '../../data/dates';
import { featureCount, FeaturesBuilder, featuresIn, type Features } from '../../data/features';
import type { RasterHandle } from '../../data/handle';
import { commonName } from '../../data/names';
import { formatNumber } from '../../data/number-words';
import { cellCount, missingOf, sameGrid, type Cells, type Grid, type RasterInfo } from '../../data/raster';
import { CELL, type TimeStack } from '../../data/stack';
import { numberColumn } from '../../data/table';
import { commonStep, stepAt, stepLabel, stepOfText, stepsOver, stepText, type TimeSteps } from '../../data/time-steps';
import { defineMethod, input, output, shown } from '../../method/define';
import { text } from '../../method/params';
import { step } from '../../method/time-params';
import { blockRows } from '../../method/rows';
import { growingFloats } from '../../numeric/growing';
import { eachRun, edgeRows } from '../../numeric/scanline';
import type { Job } from '../../method/job';
import { stepsTold } from './gather';

/** Cells that can be places of a stack: each is an area of its own. */
const MOST_CELLS = 4e6;

interface Moment {
  raster: number;
  band: number;
  seconds: number;
}

export const stackRasters = defineMethod({
  id: 'time.stackRasters',
  version: 1,
  title: 'Time stack of grids',
  question: 'How do these grids become one history?',
  about:
    'Brings a series of grids together: each band of each grid is a moment. Moments are those of a time axis, else dates within the names of bands or grids, else those that are given. Places are the cells that have a value at any moment, drawn as areas, or, with areas, those areas with the mean of the cells whose centres lie in them. Steps are equal; a step without a grid is missing.',
  keywords: [
    'time series',
    'netcdf',
    'grids',
    'over the years',
    'over time',
    'bring months together',
    'monthly',
    'raster series',
    'per cell',
    'history',
    'time axis',
  ],
  sources: ['ISO 8601 (dates)', 'CF conventions 1.11 (time axes)'],
  inputs: {
    rasters: input.rasters({ label: 'Grids', bands: 'all', parts: true }),
    zones: input.features({ label: 'Areas', geometry: 'polygon', least: 0 }),
  },
  params: z.object({
    dates: text({ label: 'Dates', most: 2 ** 18, help: 'In the order of grids and bands, apart by commas.' }).default(
      'auto',
    ),
    step: step({ label: 'Step', help: 'day, week, month, quarter, year' }).default('auto'),
    variable: text({ label: 'Called', most: 100, help: 'What the values are.' }).optional(),
  }),
  outputs: {
    stack: shown(output.stack('Time stack', 'through time'), {
      panel: { id: 'series', title: 'How it went' },
      rows: 'zones',
    }),
  },
  named: ({ rasters: names = ['Grids'] }, p) => {
    const name = commonName(names) ?? names[0]!;
    return `${p.variable?.trim() || bare(name) || name} through time`;
  },
  figures: {
    locations: { label: 'Places' },
    steps: { label: 'Steps' },
    from: { label: 'First step' },
    to: { label: 'Last step' },
    emptyShare: { label: 'Without a value', unit: 'share' },
  },
  checks: ({ rasters, zones }, p): Check[] => {
    const bands = rasters.flatMap((r) => r.bands);
    const no = (code: string, message: string, about = 'rasters'): Check[] => [
      { level: 'refused', code, about, message },
    ];
    if (bands.length < 2)
      return no('stack.one', 'One step only; a history has two at least. Choose more grids, or one with a time axis.');
    const other = rasters.filter((r) => !sameGrid(r.grid, rasters[0]!.grid));
    if (other.length)
      return [
        {
          level: 'refused',
          code: 'stack.grids',
          about: 'rasters',
          message: `${plural(other.length, 'grid')} of ${rasters.length} ${other.length === 1 ? 'lies' : 'lie'} otherwise than the first: other cells, size or system. Bring them to one grid first.`,
          mend: {
            label: 'Bring them together as bands',
            run: { method: 'imagery.stack', role: 'bands', input: 'rasters' },
          },
        },
      ];
    if (bands.some((b) => b.kind === 'category'))
      return no('stack.classes', 'Some are classes; a history of grids is of measures.');
    if (!zones && cellCount(rasters[0]!.grid) > MOST_CELLS)
      return no(
        'stack.cells',
        `The grids have ${formatNumber(cellCount(rasters[0]!.grid))} cells; at most ${formatNumber(MOST_CELLS)} can be places. Take larger cells first, or areas to average over.`,
      );
    if (p.dates !== 'auto') {
      try {
        readDates(p.dates, bands.length);
      } catch (e) {
        if (!(e instanceof HelkError)) throw e;
        return no(e.code, e.message, 'dates');
      }
    }
    const units = new Set(bands.map((b) => b.unit));
    return [
      ...(units.size > 1
        ? [
            {
              level: 'look' as const,
              code: 'stack.units',
              about: 'rasters',
              message: `They have unlike units (${[...units].map((u) => u ?? 'not known').join(', ')}); values are taken as they are.`,
            },
          ]
        : []),
      ...(rasters.length * bands.length && bands.length < 3
        ? [
            {
              level: 'look' as const,
              code: 'stack.two',
              about: 'rasters',
              message: 'Two moments: their difference can be told, a trend cannot.',
            },
          ]
        : []),
    ];
  },
  estimate: ({ rasters, zones }) => {
    const bands = rasters.reduce((s, r) => s + r.bands.length, 0);
    const cells = cellCount(rasters[0]!.grid);
    return {
      cells: cells * bands,
      bytes: zones ? zones.count * bands * 8 + 1e8 : cells * (bands * 24 + 260),
      seconds: 0.2 + (cells * bands) / 2e7,
    };
  },
  run: async ({ rasters, zones }, p, job) => {
    const heads = rasters.map((r) => r.head);
    const names = job.names['rasters'] ?? [];
    const { moments, precision } = momentsOf(heads, names, p.dates);
    const all = moments.map((m) => m.seconds);
    const first = Math.min(...all);
    const length = p.step === 'auto' ? commonStep(all, precision) : stepOfText(p.step);
    const steps = stepsOver(first, Math.max(...all), length, first);
    const at = moments.map((m) => stepAt(steps, m.seconds));
    const twice = at.findIndex((k, i) => at.indexOf(k) !== i);
    if (twice >= 0)
      throw new HelkError(
        'method.parameter',
        `step: two grids lie in the ${stepText(length)} of ${stepLabel(steps, at[twice]!)}; take a shorter step.`,
        'step',
      );
    if (at.length < steps.count)
      job.note(
        'look',
        'stack.between',
        `Of ${steps.count} steps of a ${stepText(length)} ${at.length} have a grid; the others are missing, so that all steps are equal.`,
      );
    const { unit } = heads[0]!.bands[0]!;
    const name = p.variable?.trim() || nameOf(heads, names, moments);
    const made = zones
      ? await ofZones(rasters, zones, moments, at, steps, job)
      : await ofCells(rasters, moments, at, steps, job);
    if (!featureCount(made.places))
      throw new HelkError('method.input', 'No cell has a value at any moment.', 'rasters');
    const empty = made.values.reduce((s, v) => s + (v === v ? 0 : 1), 0);
    const stack: TimeStack = {
      kind: 'stack',
      places: made.places,
      key: null,
      steps,
      variables: [{ name, unit, values: made.values }],
      grid: zones ? null : heads[0]!.grid,
      made: zones ? 'means of the cells in areas' : `cells of ${plural(moments.length, 'grid')}`,
    };
    return {
      stack,
      figures: {
        locations: featureCount(made.places),
        steps: steps.count,
        ...stepsTold(steps),
        emptyShare: empty / Math.max(1, made.values.length),
      },
    };
  },
});

function readDates(written: string, count: number): ReadDate[] {
  const all = written
    .split(/[,;\n]/)
    .map((s) => s.trim())
    .filter(Boolean);
  if (all.length !== count)
    throw new HelkError(
      'method.parameter',
      `dates: ${plural(all.length, 'date')} for ${plural(count, 'band')}; give one for each, in their order.`,
      'dates',
    );
  return all.map((s) => {
    const d = readDate(s);
    if (!d)
      throw new HelkError(
        'method.parameter',
        `dates: "${s.slice(0, 40)}" is no date; write it like 2024-03-31.`,
        'dates',
      );
    return d;
  });
}

/** When each band was. @throws HelkError `method.parameter` where that is not known */
function momentsOf(
  heads: RasterInfo[],
  names: readonly string[],
  written: string,
): { moments: Moment[]; precision: Precision } {
  const bands = heads.flatMap((h, raster) => h.bands.map((b, band) => ({ raster, band, info: b })));
  const given = written === 'auto' ? null : readDates(written, bands.length);
  let coarsest = PRECISIONS.length - 1;
  const moments = bands.map(({ raster, band, info }, i): Moment => {
    const own = info.time === undefined ? null : readDate(info.time);
    const single = heads[raster]!.bands.length === 1;
    const d = given?.[i] ?? own ?? dateInName(info.name) ?? (single ? dateInName(names[raster] ?? '') : null);
    if (!d)
      throw new HelkError(
        'method.parameter',
        `dates: when was ${single ? (names[raster] ?? `grid ${raster + 1}`) : `band ${band + 1} (${info.name}) of ${names[raster] ?? `grid ${raster + 1}`}`}? There is no date in its name; give dates in the order of the grids.`,
        'dates',
      );
    coarsest = Math.min(coarsest, PRECISIONS.indexOf(d.precision));
    return { raster, band, seconds: d.seconds };
  });
  const seen = new Map<number, number>();
  moments.forEach((m, i) => {
    if (seen.has(m.seconds))
      throw new HelkError(
        'method.parameter',
        `dates: two are of ${isoText(m.seconds, PRECISIONS[coarsest]!)}; each moment stands once.`,
        'dates',
      );
    seen.set(m.seconds, i);
  });
  return { moments, precision: PRECISIONS[coarsest]! };
}

/** A name without the date at its end. */
const bare = (s: string): string =>
  s
    .replace(/[\s_.-]*\d{4}[\d_.T: -]*$/, '')
    .replace(/[\s_.-]+$/, '')
    .trim();

/** What the values are called: the name of band or grid without its date. */
function nameOf(heads: RasterInfo[], names: readonly string[], moments: Moment[]): string {
  const band = heads[0]!.bands[moments[0]!.band]!;
  const all = [bare(band.name), bare(names[0] ?? ''), band.name].filter((s) => s && !/^(band ?\d*|\d+)$/i.test(s));
  return all[0] ?? 'value';
}

interface Gathered {
  places: Features;
  values: Float64Array;
}

const number = (v: number, missing: number): number => (v === missing ? NaN : v);

/** Cells that have a value at any moment, each an area. */
async function ofCells(
  rasters: RasterHandle[],
  moments: Moment[],
  at: number[],
  steps: TimeSteps,
  job: Job,
): Promise<Gathered> {
  const { grid } = rasters[0]!.head;
  const t = steps.count;
  const rows = Math.max(1, Math.floor(blockRows(grid.columns) / Math.max(1, moments.length / 8)));
  const values = growingFloats();
  const cells: number[] = [];
  const b = new FeaturesBuilder();
  const series = new Float64Array(t);
  for (let from = 0; from < grid.rows; from += rows) {
    job.progress(from / grid.rows, 'gathering cells');
    const n = Math.min(rows, grid.rows - from);
    const parts: { cells: Cells; missing: number; step: number }[] = [];
    for (const [i, m] of moments.entries()) {
      const r = rasters[m.raster]!;
      parts.push({
        cells: (await r.rows(m.band, from, n)).slice() as Cells,
        missing: missingOf(r.head.bands[m.band]!),
        step: at[i]!,
      });
    }
    for (let k = 0; k < n * grid.columns; k++) {
      series.fill(NaN);
      let there = false;
      for (const p of parts) {
        const v = number(p.cells[k]!, p.missing);
        if (v !== v) continue;
        series[p.step] = v;
        there = true;
      }
      if (!there) continue;
      for (const v of series) values.push(v);
      const cell = from * grid.columns + k;
      cells.push(cell + 1);
      square(b, grid, cell);
    }
  }
  return { places: b.build('polygon', grid.crs, [numberColumn(CELL, cells, '')]), values: values.done() };
}

/** A cell as an area, corners counter-clockwise. */
function square(b: FeaturesBuilder, g: Grid, cell: number): void {
  const row = Math.floor(cell / g.columns);
  const [w, n] = [g.x + (cell - row * g.columns) * g.dx, g.y - row * g.dy];
  const [e, s] = [w + g.dx, n - g.dy];
  b.coordinate(w, s);
  b.coordinate(e, s);
  b.coordinate(e, n);
  b.coordinate(w, n);
  b.coordinate(w, s);
  b.endRing();
  b.endPart();
  b.endFeature();
}

/** Areas with the mean of their cells at each moment. */
async function ofZones(
  rasters: RasterHandle[],
  zones: Features,
  moments: Moment[],
  at: number[],
  steps: TimeSteps,
  job: Job,
): Promise<Gathered> {
  const { grid } = rasters[0]!.head;
  const n = featureCount(zones);
  const places = featuresIn(zones, grid.crs);
  const edges = edgeRows(places, grid);
  const values = new Float64Array(n * steps.count).fill(NaN);
  const rows = blockRows(grid.columns);
  const touched = new Uint8Array(n);
  for (const [i, m] of moments.entries()) {
    job.progress(i / moments.length, 'averaging areas');
    const r = rasters[m.raster]!;
    const missing = missingOf(r.head.bands[m.band]!);
    const [sum, count] = [new Float64Array(n), new Uint32Array(n)];
    const end = edges.row + edges.rows;
    for (let from = edges.row; from < end; from += rows) {
      const cells = await r.rows(m.band, from, Math.min(rows, end - from));
      for (let y = 0; y * grid.columns < cells.length; y++)
        eachRun(places, edges, grid, from + y, (c0, c1, zone) => {
          for (let k = y * grid.columns + c0; k < y * grid.columns + c1; k++) {
            const v = number(cells[k]!, missing);
            touched[zone] = 1;
            if (v !== v) continue;
            sum[zone]! += v;
            count[zone]!++;
          }
        });
    }
    for (let z = 0; z < n; z++) if (count[z]) values[z * steps.count + at[i]!] = sum[z]! / count[z]!;
  }
  const idle = touched.reduce((s, v) => s + (v ? 0 : 1), 0);
  if (idle)
    job.note(
      'look',
      'stack.zones',
      `${plural(idle, 'area')} of ${formatNumber(n)} ${idle === 1 ? 'holds' : 'hold'} no cell centre.`,
    );
  return { places: zones, values };
}

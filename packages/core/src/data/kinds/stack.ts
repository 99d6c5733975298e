import * as z from 'zod';
import { HelkError } from '../../errors';
import { stackLook } from '../../render/look-shapes';
import { plural, type Check } from '../check';
import { parseCrs, systemBrief } from '../crs';
import { featureCount, type ColumnInfo, type FeaturesInfo } from '../features';
import { columnsFlaw, featuresFlaw } from '../flaws';
import { eachInfinite, infiniteInColumns } from '../infinite';
import { columns, count, crs, grid } from '../info-shapes';
import { formatNumber, percentOf } from '../number-words';
import { withUnit } from '../quantity';
import type { TimeStack } from '../stack';
import { stackInfo, type StackInfo } from '../stack-facts';
import { MemoryStack, packStack, StoredStack, verifyStack, type StackHandle } from '../stack-store';
import { MOST_STEPS, stepLabel, stepText } from '../time-steps';
import { onlyPlace, sameColumns, type KindRecord } from './kind';

const value = z.number().nullable();

/** Steps in words: `96 months, 2017-01 to 2024-12`. */
export const stepWords = ({ steps }: Pick<StackInfo, 'steps'>): string =>
  `${plural(steps.count, 'step')} of a ${stepText(steps)}, ${stepLabel(steps, 0)} to ${stepLabel(steps, steps.count - 1)}`.replace(
    / of a (\d)/,
    ' of $1',
  );

const variables = (info: StackInfo): ColumnInfo[] =>
  info.variables.map(({ name, unit }): ColumnInfo => ({ name, type: 'number', unit }));
/** What can be read of a place at a step, and what is known of it whatever the step. */
const allColumns = (info: StackInfo): ColumnInfo[] => [...variables(info), ...info.columns];

/** The description of the places as they are drawn at a step. */
const asPlaces = (info: StackInfo): FeaturesInfo => ({
  kind: 'features',
  crs: info.crs,
  geometry: info.geometry,
  count: info.count,
  extent: info.extent,
  columns: allColumns(info),
});

const shareWords = (v: { count: number; missing: number }): string =>
  v.missing ? `, ${percentOf(v.missing / (v.count + v.missing), 2)} % missing` : '';

/** Places through time. */
export const stack: KindRecord<'stack', TimeStack, StackInfo, StackHandle> = {
  kind: 'stack',
  words: { one: 'time stack', many: 'time stacks' },
  placed: true,
  shape: z.object({
    kind: z.literal('stack'),
    crs: crs.nullable(),
    extent: z.tuple([z.number(), z.number(), z.number(), z.number()]).nullable(),
    geometry: z.enum(['point', 'line', 'polygon']),
    count,
    columns,
    key: z.string().max(10_000).nullable(),
    steps: z.object({
      unit: z.enum(['month', 'day', 'second']),
      every: z.number().int().min(1).max(1e12),
      start: z.number().int().min(-1e13).max(1e13),
      count: z.number().int().min(1).max(MOST_STEPS),
    }),
    variables: z
      .array(
        z.object({
          name: z.string().max(10_000),
          unit: z.string().max(100).nullable(),
          count,
          missing: count,
          zeros: count,
          min: value,
          max: value,
          mean: value,
          spread: z.array(z.number()).max(101),
          type: z.enum(['float32', 'float64']),
        }),
      )
      .min(1)
      .max(1000),
    grid: grid.nullable(),
    made: z.string().max(1000),
    empty: count,
    emptySteps: count,
  }),
  lookShape: stackLook,

  info: stackInfo,
  study: (handle) => Promise.resolve(handle.info),
  part: (info) => ({ info, detail: null }),
  join: (info) => info,

  system: (info) => info.crs,
  extent: (info) => info.extent,
  unit: () => null,
  lacksUnit: () => false,
  summary: (info) => `time stack · ${plural(info.count, noun(info))} × ${info.steps.count}`,
  make: (info) => ['stack', info.geometry, info.steps.unit, info.steps.every, info.variables.map((v) => v.name)],
  arrival: (info) => [
    `${plural(info.count, noun(info))}, ${stepWords(info)}`,
    `variables: ${info.variables.map((v) => withUnit(v.name, v.unit)).join('; ')}`,
  ],
  details: (info) => [
    { name: 'Places', value: `${formatNumber(info.count)} ${noun(info)}s${info.key ? `, told by ${info.key}` : ''}` },
    { name: 'Steps', value: stepWords(info) },
    ...info.variables.map((v) => ({
      name: withUnit(v.name, v.unit),
      value: v.count
        ? `${formatNumber(v.min, v.max! - v.min!)} to ${formatNumber(v.max, v.max! - v.min!)}, mean ${formatNumber(v.mean, v.max! - v.min!)}${shareWords(v)}`
        : 'no value',
    })),
    { name: 'Columns', value: info.columns.map((c) => withUnit(c.name, c.unit)).join('; ') || 'none' },
    { name: 'Put together', value: info.made },
  ],
  checks: (info) => {
    const out: Check[] = [];
    if (info.count === 0) out.push({ level: 'look', code: 'stack.none', message: 'There is no place in it.' });
    if (info.empty)
      out.push({
        level: 'look',
        code: 'stack.empty',
        message: `${plural(info.empty, 'place')} of ${formatNumber(info.count)} ${info.empty === 1 ? 'has' : 'have'} no value at any step.`,
      });
    if (info.emptySteps)
      out.push({
        level: 'look',
        code: 'stack.gaps',
        message: `${plural(info.emptySteps, 'step')} of ${info.steps.count} ${info.emptySteps === 1 ? 'has' : 'have'} no value anywhere.`,
      });
    return out;
  },
  give: (info, by) => {
    onlyPlace(by);
    if (by.crs === undefined) return info;
    const crs = parseCrs(by.crs);
    return { ...info, crs, grid: info.grid && { ...info.grid, crs } };
  },
  rows: (info) => ({ count: info.count, columns: info.columns, noun: `${noun(info)}s` }),
  variables,
  asFeatures: asPlaces,
  misfit: () => null,
  inspect: ({ kind: _, crs: system, steps, variables: own, grid: cells, columns: all, ...info }) => ({
    ...info,
    crs: systemBrief(system),
    step: stepText(steps),
    steps: steps.count,
    from: stepLabel(steps, 0),
    to: stepLabel(steps, steps.count - 1),
    cells: cells && { columns: cells.columns, rows: cells.rows },
    variables: own.map(({ spread: _s, type: _t, ...v }) => v),
    columns: all,
  }),

  heldBytes: (info) => info.count * (info.steps.count * 8 * info.variables.length + 100 + 10 * info.columns.length),
  flaw: (d) => {
    const places = featuresFlaw(d.places);
    if (places) return places;
    const n = featureCount(d.places) * d.steps.count;
    const odd = d.variables.find((v) => v.values.length !== n);
    if (odd) return `its variable "${odd.name}" has ${odd.values.length} values, not ${n}`;
    if (!d.variables.length) return 'it has no variable';
    if (!(d.steps.count >= 1)) return 'it has no step';
    return columnsFlaw(
      d.variables.map((v) => ({ ...v, type: 'number' as const })),
      n,
    );
  },
  tame: (d) =>
    infiniteInColumns(d.places.columns) + d.variables.reduce((s, v) => s + eachInfinite(v.values, () => undefined), 0),

  review: (handle) => {
    const { info } = handle;
    return Promise.resolve({
      extent: info.extent,
      crs: systemBrief(info.crs),
      columns: info.variables.length,
      rows: info.count,
      min: info.variables[0]?.min ?? null,
      max: info.variables[0]?.max ?? null,
      missing: info.variables[0]?.missing ?? 0,
      unit: info.variables[0]?.unit ?? null,
      scalable: false,
    });
  },

  wrap: (d) => new MemoryStack(d),
  open: (info, store) => new StoredStack(info, store),
  pack: async (handle, store, progress) => {
    await packStack(await handle.load(), handle.info, store, progress);
    return handle.info;
  },
  verify: async (info, store, progress) => {
    const s = await verifyStack(info, store, progress);
    sameColumns(info, s.places.columns, featureCount(s.places), info.count);
    const now = stackInfo(s);
    if (now.variables.some((v, j) => v.missing !== info.variables[j]!.missing || v.min !== info.variables[j]!.min))
      throw new HelkError('file.damaged', 'Its values are others.');
  },

  formats: ['csv', 'csv-wide', 'stack-zip', 'geojson', 'geopackage', 'xlsx', 'tsv'],
  losses: (_info, format) =>
    format === 'stack-zip'
      ? []
      : format === 'geojson' || format === 'geopackage'
        ? [
            'A column for each step: read back they are features with columns, and a time stack can be made of them again.',
          ]
        : [
            'Where the places lie is not in this file: the command line writes it beside, and “CSV with its places (zip)” holds both.',
          ],
};

const noun = (info: StackInfo): string => (info.grid ? 'cell' : info.geometry);

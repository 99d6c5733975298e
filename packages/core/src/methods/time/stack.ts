import * as z from 'zod';
import { HelkError } from '../../errors';
import { datesOf } from '../../data/date-columns';
import type { DateOrder } from '../../data/dates';
import { featureCount, featuresIn, type Column, type Features, type FeaturesInfo } from '../../data/features';
import { columnsOf, kindOf, type DatasetInfo } from '../../data/kinds';
import { FreeNames } from '../../data/names';
import { formatNumber } from '../../data/number-words';
import { isKey, type StackVariable, type TimeStack } from '../../data/stack';
import type { Table } from '../../data/table';
import {
  commonStep,
  stepAt,
  stepForEvents,
  stepsOver,
  stepOfText as stepOf,
  stepText,
  type StepLength,
} from '../../data/time-steps';
import { plural, type Check } from '../../data/check';
import { defineMethod, input, output, shown } from '../../method/define';
import { choice, column, columns, date, step, text } from '../../method/params';
import { columnChecks, columnOf, placeChecks } from '../features/common';
import type { Job } from '../../method/job';
import { columnSeries, guessPattern } from './column-series';
import { checking } from './common';
import { placesOfPoints } from './placing';
import { doubledRows, gathered, noteDates, stepsFor, stepsTold, type Aggregate, type Dated } from './gather';

const EVENTS_OR_TABLE = 'events,table';
const ROWS = { from: 'events|table' };

export const stack = defineMethod({
  id: 'time.stack',
  version: 1,
  title: 'Time stack',
  question: 'How do these become one history?',
  about:
    'Brings a history together: places by equal steps of time by variables. From columns of the places (a pattern such as `solar_{year}`; `{name}_{date}` for several variables), from dated events that are counted, summed or averaged into the places they lie in (or that their key names) and the steps they fall into, or from a long table of rows with key and date. Steps follow the calendar (day, week, month, quarter, year, several of them) or are a length of time. Where nothing fell, counts and sums are 0 and means are missing; events outside all places, without a date, or told twice are counted and said, and so are first and last steps that the data tell only in part.',
  keywords: [
    'time series',
    'panel data',
    'history',
    'events',
    'aggregate by month',
    'temporal',
    'long to wide',
    'dates',
  ],
  sources: ['ISO 8601 (dates)', 'common practice, no source'],
  inputs: {
    locations: input.features({ label: 'Places' }),
    events: input.features({ label: 'Events', least: 0, help: 'Dated points, or features with a key.' }),
    table: input.table({ label: 'Table', or: 'features', least: 0, help: 'Rows with key and date.' }),
  },
  params: z.object({
    from: choice(
      { columns: 'columns of the places', events: 'dated events', table: 'a table, a row each moment' },
      { label: 'Made of' },
    ).default('columns'),
    columns: text({
      label: 'Columns like',
      when: { from: 'columns' },
      help: 'With {year}, {month}, {day}, {quarter} or {date} where the time stands; {name} for several variables.',
    }).optional(),
    dateColumn: column({ label: 'Date', of: EVENTS_OR_TABLE, when: ROWS }).optional(),
    keyColumn: column({ label: 'Key of the places', of: 'locations' }).optional(),
    tableKey: column({ label: 'The same in the rows', of: EVENTS_OR_TABLE, when: ROWS }).optional(),
    step: step({ label: 'Step', help: 'day, week, 4 weeks, month, quarter, year, 10 years, 6 h' }).default('auto'),
    start: date({
      label: 'From',
      when: ROWS,
      help: 'Where the first step begins; with the data when not given.',
    }).optional(),
    end: date({ label: 'To', when: ROWS }).optional(),
    variable: columns({ label: 'Values', of: EVENTS_OR_TABLE, numeric: true, when: ROWS }).optional(),
    aggregate: choice(
      { count: 'counted', sum: 'summed', mean: 'averaged' },
      { label: 'Rows of a step are', when: ROWS },
    ).default('count'),
    partial: choice({ keep: 'kept, and said', drop: 'dropped' }, { label: 'Steps told in part', when: ROWS }).default(
      'keep',
    ),
    dateOrder: choice(
      { auto: 'as the column tells', dayFirst: 'day first', monthFirst: 'month first' },
      { label: 'In 03/04/2020', when: ROWS },
    ).default('auto'),
  }),
  outputs: {
    stack: shown(output.stack('Time stack', 'through time'), {
      panel: { id: 'series', title: 'How it went' },
      rows: 'locations',
    }),
  },
  named: (names, p) =>
    p.from === 'columns'
      ? `${(p.columns ?? '').replace(/[\s_.-]*\{(year|month|day|quarter|date)\}/g, '') || names['locations']?.[0] || 'Places'} through time`
      : `${names[p.from]?.[0] ?? 'Rows'} ${p.step === 'auto' ? 'through time' : `by ${p.step}`}`,
  figures: {
    locations: { label: 'Places' },
    steps: { label: 'Steps' },
    from: { label: 'First step' },
    to: { label: 'Last step' },
    emptyShare: { label: 'Without anything', unit: 'share' },
  },
  checks: ({ locations, events, table }, p) =>
    p.from === 'columns' ? wideChecks(locations, p) : rowChecks(locations, p.from === 'events' ? events : table, p),
  suggest: ({ locations, events, table }, p) => suggestions(locations, events, table, p as Partial<Params>),
  estimate: ({ locations, events, table }, p) => {
    const rows = p.from === 'columns' ? locations.count : (countOf(events) ?? 0) + (countOf(table) ?? 0);
    return {
      cells: rows,
      of: 'rows',
      bytes: rows * 120 + locations.count * 4000,
      seconds: 0.2 + rows / 8e5,
    };
  },
  run: async ({ locations, events, table }, p, job) => {
    const made =
      p.from === 'columns'
        ? ofColumns(locations, p, job)
        : await ofRows(locations, (p.from === 'events' ? events : table)!, p, job);
    const total = made.stack.variables.reduce((s, v) => s + v.values.length, 0);
    return {
      stack: made.stack,
      figures: {
        locations: featureCount(made.stack.places),
        steps: made.stack.steps.count,
        ...stepsTold(made.stack.steps),
        emptyShare: total ? made.empty / total : null,
      },
    };
  },
});

interface Params {
  from: 'columns' | 'events' | 'table';
  columns?: string | undefined;
  dateColumn?: string | undefined;
  keyColumn?: string | undefined;
  tableKey?: string | undefined;
  step: string;
  start?: string | undefined;
  end?: string | undefined;
  variable?: string[] | undefined;
  aggregate: Aggregate;
  partial: 'keep' | 'drop';
  dateOrder: DateOrder;
}

const countOf = (info: DatasetInfo | undefined): number | undefined => info && kindOf(info).rows?.(info).count;

function wideChecks(locations: FeaturesInfo, p: Params): Check[] {
  if (!p.columns)
    return [
      {
        level: 'refused',
        code: 'stack.pattern',
        about: 'columns',
        message: 'Which columns make the history? Write a pattern, like solar_{year}.',
      },
    ];
  const out = checking(() => columnSeries(locations.columns, p.columns!));
  if (out.length) return out;
  const found = columnSeries(locations.columns, p.columns);
  return [
    ...(p.keyColumn ? columnChecks(locations, [p.keyColumn], 'keyColumn') : []),
    {
      level: 'fine',
      code: 'stack.columns',
      message: found
        .map(
          (s) =>
            `${s.variable}: ${s.columns[0]!.name} to ${s.columns.at(-1)!.name}, ${plural(s.columns.length, 'column')}`,
        )
        .join('; '),
    },
  ];
}

function rowChecks(locations: FeaturesInfo, rows: DatasetInfo | undefined, p: Params): Check[] {
  const role = p.from === 'events' ? 'events' : 'table';
  const no = (code: string, about: string, message: string): Check[] => [{ level: 'refused', code, about, message }];
  if (!rows)
    return no('stack.rows', role, p.from === 'events' ? 'Which events? Choose them.' : 'Which table? Choose it.');
  if (!p.dateColumn) return no('stack.date', 'dateColumn', 'Which column says when?');
  const keyed = joinsByKey(columnsOf(rows), p);
  const columns = [
    ...columnChecks(rows, [p.dateColumn], 'dateColumn'),
    ...(p.keyColumn ? columnChecks(locations, [p.keyColumn], 'keyColumn') : []),
    ...(keyed ? columnChecks(rows, [p.tableKey ?? p.keyColumn!], p.tableKey ? 'tableKey' : 'keyColumn') : []),
    ...columnChecks(rows, p.variable ?? [], 'variable', true),
  ];
  if (columns.length) return columns;
  const points = rows.kind === 'features' && rows.geometry === 'point';
  if (!keyed) {
    if (p.from === 'table') return no('stack.key', 'keyColumn', 'Which column names the place in both?');
    if (!points)
      return no('stack.points', 'events', 'Events without a key are points: how else would they lie in a place?');
    if (locations.geometry !== 'polygon')
      return no(
        'stack.areas',
        'locations',
        'Events are counted in areas; these places have none. Name a key, or make areas around them (Thiessen polygons).',
      );
  }
  if (p.aggregate !== 'count' && p.from === 'events' && !p.variable?.length)
    return no(
      'stack.values',
      'variable',
      `Which values of the events are ${p.aggregate === 'sum' ? 'summed' : 'averaged'}?`,
    );
  return rows.kind === 'features' && !keyed ? placeChecks(locations, rows) : [];
}

/** Whether rows name their place; else they lie in it, and the key only says what places are called. */
const joinsByKey = (rows: readonly { name: string }[], p: Params): boolean =>
  p.keyColumn !== undefined &&
  (p.from === 'table' || p.tableKey !== undefined || rows.some((c) => c.name === p.keyColumn));

/** Columns that are named like a date. */
const DATES =
  /^(date|time|day|datum|datetime|timestamp|when|observed|seen|recorded|month|year|period|step)([_ ]?(on|at|of|time|date|utc))?$/i;

function suggestions(
  locations: FeaturesInfo,
  events: FeaturesInfo | undefined,
  table: DatasetInfo | undefined,
  p: Partial<Params>,
) {
  const from = p.from ?? (events ? 'events' : table ? 'table' : 'columns');
  const rows = from === 'events' ? events : from === 'table' ? table : undefined;
  const own = columnsOf(rows);
  const pattern = guessPattern(locations.columns);
  const dated = own.find((c) => DATES.test(c.name)) ?? own.find((c) => /date|time/i.test(c.name));
  const shared = own.find((c) => locations.columns.some((l) => l.name.toLowerCase() === c.name.toLowerCase()));
  const here = shared && locations.columns.find((l) => l.name.toLowerCase() === shared.name.toLowerCase());
  const numbers = own.filter((c) => c.type === 'number' && c.name !== dated?.name && c.name !== shared?.name);
  return {
    from:
      p.from || !rows
        ? undefined
        : { value: from, reason: from === 'events' ? 'events are given' : 'a table is given' },
    columns: from === 'columns' && pattern ? { value: pattern, reason: 'several columns are named so' } : undefined,
    dateColumn: dated && { value: dated.name, reason: 'named like a date' },
    // Events that are points lie somewhere; a key is only needed where they do not.
    keyColumn: here && from === 'table' ? { value: here.name, reason: 'both have a column of this name' } : undefined,
    tableKey:
      here && shared && from === 'table' && (p.keyColumn ?? here.name) === here.name && shared.name !== here.name
        ? { value: shared.name, reason: 'named alike' }
        : undefined,
    variable:
      from === 'table' && numbers.length && p.aggregate !== 'count'
        ? {
            value: numbers.map((c) => c.name).join(','),
            reason: numbers.length === 1 ? 'the only numbers' : 'all numbers',
          }
        : undefined,
    aggregate: p.aggregate
      ? undefined
      : from === 'table'
        ? numbers.length
          ? { value: 'mean', reason: 'rows of one place and step are averaged' }
          : undefined
        : from === 'events' && p.variable?.length
          ? { value: 'sum', reason: 'values are added up' }
          : undefined,
  };
}

interface Made {
  stack: TimeStack;
  /** Values that nothing fell to. */
  empty: number;
}

const stepGiven = (text: string): StepLength | null => (text === 'auto' ? null : stepOf(text));

function ofColumns(locations: Features, p: Params, job: Job): Made {
  const series = columnSeries(locations.columns, p.columns ?? '');
  const moments = series.flatMap((s) => s.columns.map((c) => c.seconds));
  const precision = series[0]!.precision;
  const length = stepGiven(p.step) ?? commonStep(moments, precision);
  const first = moments.reduce((a, b) => Math.min(a, b));
  const last = moments.reduce((a, b) => Math.max(a, b));
  const steps = stepsOver(first, last, length, first);
  const n = featureCount(locations);
  const used = new Set(series.flatMap((s) => s.columns.map((c) => c.name)));
  const places = { ...locations, columns: locations.columns.filter((c) => !used.has(c.name)) };
  const names = new FreeNames(
    places.columns.map((c) => c.name),
    '_',
  );
  const told = new Set<number>();
  const variables = series.map((s): StackVariable => {
    const values = new Float64Array(n * steps.count).fill(NaN);
    const units = new Set<string | null>();
    const mine = new Set<number>();
    for (const { name, seconds } of s.columns) {
      const c = locations.columns.find((o) => o.name === name)!;
      const k = stepAt(steps, seconds);
      if (mine.has(k))
        throw new HelkError(
          'method.parameter',
          `step: two columns of ${s.variable} lie in one ${stepText(length)}; take a shorter step.`,
          'step',
        );
      mine.add(k);
      told.add(k);
      units.add(c.unit);
      for (let i = 0; i < n; i++) if (!c.missing?.[i]) values[i * steps.count + k] = (c.values as Float64Array)[i]!;
    }
    if (units.size > 1)
      job.note(
        'look',
        'stack.units',
        `The columns of ${s.variable} have unlike units (${[...units].map((u) => u ?? 'none').join(', ')}); they are taken as they are.`,
      );
    return { name: names.take(s.variable), unit: units.size === 1 ? [...units][0]! : null, values };
  });
  if (told.size < steps.count)
    job.note(
      'look',
      'stack.between',
      `Of ${steps.count} steps of a ${stepText(length)} ${told.size} have a column; the others are missing, so that all steps are equal.`,
    );
  return {
    stack: {
      kind: 'stack',
      places,
      key: keyOf(places.columns, p.keyColumn, job),
      steps,
      variables,
      grid: null,
      made: `columns ${p.columns!}`,
    },
    empty: variables.reduce((s, v) => s + v.values.reduce((m, x) => m + (x === x ? 0 : 1), 0), 0),
  };
}

/** The column that names a place, where one is given and does. */
function keyOf(columns: readonly Column[], given: string | undefined, job: Job): string | null {
  if (given === undefined || isKey(columnOf(columns, given, 'keyColumn'))) return given ?? null;
  job.note(
    'look',
    'stack.key',
    `"${given}" names several places alike, or lacks some; places are told by their row, from 1.`,
  );
  return null;
}

async function ofRows(locations: Features, rows: Features | Table, p: Params, job: Job): Promise<Made> {
  job.progress(0.02, 'reading dates');
  const when = columnOf(rows.columns, p.dateColumn!, 'dateColumn');
  const dates = datesOf(when, p.dateOrder, 'dateColumn');
  const n = featureCount(locations);
  const values = (p.aggregate === 'count' ? [] : (p.variable ?? [])).map((name) =>
    columnOf(rows.columns, name, 'variable'),
  );
  if (p.aggregate !== 'count' && !values.length)
    throw new HelkError('method.parameter', 'variable: name the values.', 'variable');
  const events = p.from === 'events';
  const keyed = joinsByKey(rows.columns, p);
  const place = keyed
    ? placesOfKeys(locations, rows, p.keyColumn!, p.tableKey ?? p.keyColumn!, job)
    : await placesOfPoints(locations, featuresIn(rows as Features, locations.crs), job);
  let length = stepGiven(p.step);
  if (!length) {
    const [first, last] = spanOf(dates.at);
    length = events
      ? stepForEvents(first, last, dates.precision)
      : commonStep(
          dates.at.filter((v) => v === v),
          dates.precision,
        );
    job.note('info', 'stack.step', `The step is a ${stepText(length)}, as the dates suggest.`);
  }
  noteDates(dates, when.name, length, job);
  const within = (i: number): boolean => {
    const v = dates.at[i]!;
    return v === v;
  };
  const outside = place.reduce((s, k, i) => s + (k < 0 && within(i) ? 1 : 0), 0);
  if (outside)
    job.note(
      'look',
      'stack.outside',
      keyed
        ? `${plural(outside, 'row')} name no place that there is, and do not count.`
        : `${plural(outside, 'event')} of ${formatNumber(place.length)} ${outside === 1 ? 'lies' : 'lie'} outside all places and ${outside === 1 ? 'does' : 'do'} not count.`,
    );
  const numbers = values.map((c) => (c.values as Float64Array).map((v, i) => (c.missing?.[i] ? NaN : v)));
  const doubled = doubledRows([...whereOf(rows, place, !keyed), dates.at, ...numbers], place.length);
  if (doubled)
    job.note(
      'look',
      'stack.doubled',
      `${plural(doubled, events ? 'event' : 'row')} ${doubled === 1 ? 'is' : 'are'} told twice: same place, same moment${numbers.length ? ', same value' : ''}. ${events ? 'They all count; keep one of each first if they are the same event.' : 'They are taken together.'}`,
    );
  const steps = stepsFor(dates.at, { step: length, start: p.start, end: p.end, partial: p.partial }, job);
  job.progress(0.8, 'adding up');
  const d: Dated = { place, at: dates.at, values: numbers };
  const names = new FreeNames(
    locations.columns.map((c) => c.name),
    '_',
  );
  const made = gathered(d, n, steps, p.aggregate);
  const some = gathered({ ...d, values: [] }, n, steps, 'count')[0]!;
  const empty = some.reduce((s, v) => s + (v === 0 ? 1 : 0), 0);
  const count = some.reduce((s, v) => s + v, 0);
  if (!count)
    throw new HelkError(
      'method.input',
      'Nothing falls into any place and step: are the places and dates the right ones?',
      events ? 'events' : 'table',
    );
  return {
    stack: {
      kind: 'stack',
      places: locations,
      key: keyOf(locations.columns, p.keyColumn, job),
      steps,
      variables: made.map((v, k) => ({
        name: names.take(p.aggregate === 'count' ? 'count' : values[k]!.name),
        unit: p.aggregate === 'count' ? '' : values[k]!.unit,
        values: v,
      })),
      grid: null,
      made: `${p.from === 'events' ? 'events' : 'rows'} ${{ count: 'counted', sum: 'summed', mean: 'averaged' }[p.aggregate]} by ${stepText(length)}`,
    },
    empty: empty * made.length,
  };
}

function spanOf(at: Float64Array): [number, number] {
  let [first, last] = [Infinity, -Infinity];
  for (const v of at) {
    if (v < first) first = v;
    if (v > last) last = v;
  }
  if (first > last) throw new HelkError('method.input', 'No row has a date that can be read.', 'dateColumn');
  return [first, last];
}

/** Where rows lie: their coordinates, else their place. */
function whereOf(rows: Features | Table, place: Int32Array, points: boolean): Float64Array[] {
  if (!points || rows.kind !== 'features') return [Float64Array.from(place)];
  const n = featureCount(rows);
  const [x, y] = [new Float64Array(n).fill(NaN), new Float64Array(n).fill(NaN)];
  for (let i = 0; i < n; i++) {
    const p = rows.featureOffsets[i]!;
    if (p === rows.featureOffsets[i + 1]) continue;
    const c = rows.ringOffsets[rows.partOffsets[p]!]!;
    x[i] = rows.xy[2 * c]!;
    y[i] = rows.xy[2 * c + 1]!;
  }
  return [x, y];
}

const keyText = (v: string | number): string => String(v).trim();

function placesOfKeys(locations: Features, rows: Features | Table, key: string, rowKey: string, job: Job): Int32Array {
  const own = columnOf(locations.columns, key, 'keyColumn');
  const other = columnOf(rows.columns, rowKey, 'tableKey');
  const at = new Map<string, number>();
  let doubled = 0;
  for (let i = 0; i < own.values.length; i++) {
    if (own.missing?.[i]) continue;
    const k = keyText(own.values[i]!);
    if (at.has(k)) doubled++;
    else at.set(k, i);
  }
  if (doubled)
    throw new HelkError(
      'method.parameter',
      `keyColumn: "${key}" names ${plural(doubled, 'place')} that another has the same key as; a key is a place's own.`,
      'keyColumn',
    );
  const out = new Int32Array(other.values.length).fill(-1);
  for (let r = 0; r < out.length; r++) if (!other.missing?.[r]) out[r] = at.get(keyText(other.values[r]!)) ?? -1;
  const met = new Set(out);
  met.delete(-1);
  if (!met.size)
    throw new HelkError(
      'method.input',
      `No key of "${rowKey}" is one of "${key}": are these the right columns, and written alike?`,
      'tableKey',
    );
  if (met.size < at.size)
    job.note(
      'look',
      'stack.idle',
      `${plural(at.size - met.size, 'place')} of ${formatNumber(at.size)} ${at.size - met.size === 1 ? 'is' : 'are'} named in no row.`,
    );
  return out;
}

import { HelkError } from '../../errors';
import { datesOf } from '../../data/date-columns';
import { featureCount, featuresIn, type Column, type Features } from '../../data/features';
import { FreeNames } from '../../data/names';
import { formatNumber } from '../../data/number-words';
import { isKey, type StackVariable, type TimeStack } from '../../data/stack';
import type { Table } from '../../data/table';
import {
  commonStep,
  stepAt,
  stepForEvents,
  stepOfText,
  stepsOver,
  stepText,
  type StepLength,
} from '../../data/time-steps';
import { plural } from '../../data/check';
import { columnOf } from '../features/common';
import type { Job } from '../../method/job';
import { columnSeries } from './column-series';
import { doubledRows, gathered, noteDates, stepsFor, type Dated } from './gather';
import { placesOfKeys, placesOfPoints, whereOf } from './placing';
import { joinsByKey, type Params } from './stack-form';

/** A stack, and how much of it nothing fell to. */
export interface Made {
  stack: TimeStack;
  /** Values that nothing fell to. */
  empty: number;
}

const stepGiven = (text: string): StepLength | null => (text === 'auto' ? null : stepOfText(text));

/** A stack out of columns of the places. @throws HelkError `method.parameter` */
export function ofColumns(locations: Features, p: Params, job: Job): Made {
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

/** A stack out of events, or of the rows of a table. @throws HelkError `method.parameter`, `method.input` where nothing falls anywhere */
export async function ofRows(locations: Features, rows: Features | Table, p: Params, job: Job): Promise<Made> {
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

import * as z from 'zod';
import { featureCount } from '../../data/features';
import { defineMethod, input, output, shown } from '../../method/define';
import { choice, column, columns, text } from '../../method/params';
import { date, step } from '../../method/time-params';
import { stepsTold } from './gather';
import { countOf, rowChecks, suggestions, wideChecks, type Params } from './stack-form';
import { ofColumns, ofRows } from './stack-rows';

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
    'over the years',
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

import * as z from 'zod';
import { numberColumn, textColumn } from '../../data/table';
import { formatNumber } from '../../data/number-words';
import { plural, type Check } from '../../data/check';
import type { StackInfo } from '../../data/stack-facts';
import { stepLabel, stepsAYear } from '../../data/time-steps';
import { defineMethod, input, output, shown } from '../../method/define';
import { choice, number } from '../../method/params';
import { defineKernel } from '../../method/parallel';
import { normalTwoSided } from '../../numeric/distributions';
import { adjusted } from '../../numeric/local-association';
import { medianInPlace } from '../../numeric/select';
import { alikeBeyond, pairsOf, TREND_FIELDS, trendsOf, type Whitening } from '../../numeric/trend';
import { meantColours } from '../../render/meanings';
import {
  checking,
  onGrid,
  variableAt,
  firstVariable,
  variableParam,
  windowAt,
  windowParams,
  withColumns,
} from './common';

interface Shared {
  steps: number;
  from: number;
  count: number;
  season: number;
  whitening: Whitening;
}
/** A part of what is in memory would take the whole with it to another thread. */
const own = (part: Float64Array): Float64Array => (part.byteLength === part.buffer.byteLength ? part : part.slice());

const kernel = defineKernel('time.trend', (s: Shared, series: Float64Array) =>
  trendsOf(series, s.steps, s.from, s.count, s.season, s.whitening),
);
/** Pairs that a thread goes through in one go. */
const PAIRS = 4e6;

export const TREND_WORDS = {
  risingMuch: 'rising strongly',
  rising: 'rising',
  none: 'no trend',
  falling: 'falling',
  fallingMuch: 'falling strongly',
  few: 'too few values',
} as const;

export const trend = defineMethod({
  id: 'time.trend',
  version: 1,
  title: 'Trend',
  question: 'Is it rising or falling?',
  about:
    'For each place whether its series rises or falls, whatever its shape: the test of Mann and Kendall with ties, its p by the normal distribution with the correction for continuity, and Sen’s slope a step with its interval of 95 %. Missing steps are passed over. With a season of so many steps only values of the same season are held against each other. Neighbouring steps that are alike make p too small: it is said, and can be taken out before the test. The column `strength` tells strong from weak: tau beyond, or below, the middle of those that rise or fall.',
  keywords: [
    'mann-kendall',
    'mann kendall',
    'kendall',
    'sen slope',
    'theil-sen',
    'increase',
    'over the years',
    'change over time',
    'warming',
    'decrease',
    'monotonic',
    'time series',
    'seasonal kendall',
  ],
  sources: [
    'Mann 1945, doi:10.2307/1907187',
    'Kendall 1975 (Rank Correlation Methods)',
    'Sen 1968, doi:10.1080/01621459.1968.10480934',
    'Hirsch, Slack and Smith 1982, doi:10.1029/WR018i001p00107',
    'Yue, Pilon, Phinney and Cavadias 2002, doi:10.1002/hyp.1095',
    'Benjamini and Hochberg 1995, doi:10.1111/j.2517-6161.1995.tb02031.x',
  ],
  serves: 'test a trend',
  inputs: { stack: input.stack({ label: 'Time stack', parts: true }) },
  params: z.object({
    variable: variableParam(),
    ...windowParams,
    significance: number({ label: 'Significance', above: 0, max: 0.5 }).default(0.05),
    season: number({
      label: 'Steps of a round',
      min: 0,
      max: 10_000,
      help: '12 for months of a year: like months are held against each other. 0 for none.',
    }).default(0),
    correction: choice(
      { none: 'none', fdr: 'share of false ones (Benjamini and Hochberg)' },
      { label: 'Correction for many tests' },
    ).default('none'),
    neighbours: choice(
      {
        none: 'left as they are',
        trendFree: 'taken out, the trend kept (Yue et al. 2002)',
        plain: 'taken out of the series itself (von Storch 1995)',
      },
      { label: 'What neighbouring steps share', help: 'Steps that are like the ones before make p too small.' },
    ).default('none'),
  }),
  outputs: {
    trends: shown(output.features('Trends'), {
      features: {
        by: {
          kind: 'category',
          column: '*strength',
          colours: meantColours(...Object.values(TREND_WORDS)),
        },
        fill: 1,
        width: 0.5,
        outline: '#fbf8f2',
      },
      panel: { id: 'series', title: 'How it went' },
      rows: 'stack',
      tells: ['p', 'p_corrected', 'slope'],
      first: true,
    }),
    grid: output.maybeRaster('Trend by cell'),
  },
  named: ({ stack: [name] = ['it'] }, p, role) =>
    `${role === 'grid' ? 'Slope' : 'Trend'} of ${p.variable ?? name}${p.from || p.to ? `, ${p.from ?? 'start'} to ${p.to ?? 'end'}` : ''}${p.season > 1 ? ', by season' : ''}`,
  figures: {
    rising: { label: 'Rising' },
    falling: { label: 'Falling' },
    noTrend: { label: 'No trend' },
  },
  checks: ({ stack }, p) => {
    const out = checking(
      () => variableAt(stack, p.variable),
      () => windowAt(stack.steps, p),
    );
    if (out.length) return out;
    const { count } = windowAt(stack.steps, p);
    return [...lengthChecks(count, p), ...seasonChecks(stack, count, p), ...manyChecks(stack.count, p)];
  },
  suggest: ({ stack }) => ({
    variable: firstVariable(stack),
  }),
  estimate: ({ stack }, p) => {
    const each = pairsOf(stack.steps.count, p.season);
    const pairs = 2 * stack.count * each;
    return {
      cells: stack.count,
      of: 'series',
      bytes: stack.count * 300 + 5e7 + 32 * each,
      seconds: 0.2 + pairs / 1.2e8,
    };
  },
  run: async ({ stack }, p, job) => {
    const info = stack.head;
    const variable = variableAt(info, p.variable);
    const window = windowAt(info.steps, p);
    const n = info.count;
    const steps = info.steps.count;
    const f = TREND_FIELDS.length;
    const found = new Float64Array(n * f);
    const each = Math.max(1, Math.floor(PAIRS / Math.max(1, window.count ** 2)));
    const blocks = async function* (): AsyncGenerator<Float64Array> {
      for (let i = 0; i < n; i += each) yield own(await stack.series(variable, i, Math.min(each, n - i)));
    };
    await job.parallel(
      kernel,
      { steps, from: window.from, count: window.count, season: p.season, whitening: p.neighbours },
      blocks(),
      (r, i) => {
        found.set(r, i * each * f);
        job.progress(Math.min(1, ((i + 1) * each) / Math.max(1, n)), 'testing series');
      },
    );
    const field = (name: (typeof TREND_FIELDS)[number]): Float64Array =>
      Float64Array.from({ length: n }, (_, i) => found[i * f + TREND_FIELDS.indexOf(name)]!);
    const pValues = field('p');
    const decisive = adjusted(pValues, p.correction);
    const [s, slope] = [field('s'), field('slope')];
    const sign = Array.from(s, (v, i) =>
      pValues[i] !== pValues[i] ? null : decisive[i]! <= p.significance ? Math.sign(v) : 0,
    );
    const tau = field('tau');
    const strong = Float64Array.from(tau.filter((_, i) => sign[i]).map(Math.abs));
    const middle = medianInPlace(strong);
    const words = sign.map((v, i) =>
      v === null
        ? TREND_WORDS.few
        : v === 0
          ? TREND_WORDS.none
          : Math.abs(tau[i]!) > middle
            ? v > 0
              ? TREND_WORDS.risingMuch
              : TREND_WORDS.fallingMuch
            : v > 0
              ? TREND_WORDS.rising
              : TREND_WORDS.falling,
    );
    const v = info.variables[variable]!;
    const { unit } = v;
    const few = sign.filter((x) => x === null).length;
    const flat = Array.from(field('variance')).filter((x) => x === 0).length;
    if (few)
      job.note(
        'look',
        'trend.few',
        `${plural(few, 'place')} of ${formatNumber(n)} ${few === 1 ? 'has' : 'have'} fewer than three values in the window; nothing is said of ${few === 1 ? 'it' : 'them'}.`,
      );
    if (flat)
      job.note(
        'look',
        'trend.flat',
        `The series of ${plural(flat, 'place')} ${flat === 1 ? 'has' : 'have'} the same value at every step, as one of zeros only: no trend, and no tau.`,
      );
    alikeNote(field('alike'), field('n'), p.neighbours, job.note.bind(job));
    if (strong.length)
      job.note(
        'info',
        'trend.strong',
        `Strong is a tau of more than ${formatNumber(middle, 1)} either way: the middle of those that rise or fall.`,
      );
    job.note(
      'info',
      'trend.window',
      `Tested from ${stepLabel(info.steps, window.from)} to ${stepLabel(info.steps, window.from + window.count - 1)}, ${plural(window.count, 'step')}.`,
    );
    const places = await stack.places();
    const trends = withColumns(places, [
      numberColumn('tau', tau, ''),
      numberColumn('s', s, ''),
      numberColumn('z', field('z'), ''),
      numberColumn('p', pValues, ''),
      ...(p.correction === 'none' ? [] : [numberColumn('p_corrected', decisive, '')]),
      numberColumn('slope', slope, unit),
      numberColumn('slopeLow', field('low'), unit),
      numberColumn('slopeHigh', field('high'), unit),
      numberColumn('values', field('n'), ''),
      numberColumn('alike', field('alike'), ''),
      textColumn(
        'trend',
        sign.map((x) => (x === null ? TREND_WORDS.few : x > 0 ? 'rising' : x < 0 ? 'falling' : TREND_WORDS.none)),
      ),
      textColumn('strength', words),
    ]);
    const grid = onGrid(info.grid, places, [
      { name: 'slope', unit, values: slope },
      { name: 'tau', unit: '', values: tau },
      { name: 'p', unit: '', values: decisive },
      { name: 'rising or falling', unit: '', values: sign.map((x) => x ?? NaN) },
    ]);
    return {
      trends,
      grid,
      figures: {
        rising: sign.filter((x) => x === 1).length,
        falling: sign.filter((x) => x === -1).length,
        noTrend: sign.filter((x) => x === 0).length,
      },
    };
  },
});

type Note = (level: 'info' | 'look', code: string, message: string) => void;

function alikeNote(alike: Float64Array, n: Float64Array, how: Whitening, note: Note): void {
  const told = alike.filter((v) => v === v).length;
  const many = alike.filter((v, i) => v > alikeBeyond(n[i]!)).length;
  // One of twenty is so by chance.
  if (!told || many <= 0.1 * told) return;
  note(
    how === 'none' ? 'look' : 'info',
    'trend.alike',
    how === 'none'
      ? `In ${formatNumber(many)} of ${plural(told, 'place')} a step is like the one before more than chance allows: p is too small there. What neighbouring steps share can be taken out before the test.`
      : `In ${formatNumber(many)} of ${plural(told, 'place')} steps are like the ones before; that was taken out before the test.`,
  );
}

interface Params {
  season: number;
  significance: number;
  correction: string;
  neighbours: Whitening;
}

/** Slopes of one series that are held at once. */
const MOST_PAIRS = 2e7;

function lengthChecks(count: number, p: Params): Check[] {
  if (pairsOf(count, p.season) > MOST_PAIRS)
    return [
      {
        level: 'refused',
        code: 'trend.long',
        message: `The window has ${plural(count, 'step')}: more pairs of them than can be held against each other. Take longer steps, a part of the time, or seasons.`,
      },
    ];
  if (count < 3)
    return [
      {
        level: 'refused',
        code: 'trend.short',
        message: `The window has ${plural(count, 'step')}; a trend needs three at least.`,
      },
    ];
  if (p.season > 1) return [];
  const least = leastP(count);
  if (least > p.significance)
    return [
      {
        level: 'look',
        code: 'trend.never',
        message: `With ${plural(count, 'step')} p cannot be below ${formatNumber(least, 0.1)}, even where every step rises: nothing can be called a trend at ${p.significance}. The slopes can still be compared.`,
      },
    ];
  return count < 10
    ? [
        {
          level: 'look',
          code: 'trend.rough',
          message: `With ${plural(count, 'step')} p is rough: the normal distribution fits from about ten (Gilbert 1987).`,
        },
      ]
    : [];
}

/** p of a series that rises at every one of n steps. */
function leastP(n: number): number {
  const s = (n * (n - 1)) / 2;
  const z = (s - 1) / Math.sqrt((n * (n - 1) * (2 * n + 5)) / 18);
  return normalTwoSided(z);
}

function seasonChecks(stack: StackInfo, count: number, p: Params): Check[] {
  if (!Number.isInteger(p.season))
    return [
      { level: 'refused', code: 'trend.rounds', about: 'season', message: 'A round has a whole number of steps.' },
    ];
  if (p.season > 1) {
    if (p.neighbours !== 'none')
      return [
        {
          level: 'refused',
          code: 'trend.both',
          about: 'neighbours',
          message: 'By season and with neighbouring steps taken out: choose one of the two.',
        },
      ];
    if (count < 2 * p.season)
      return [
        {
          level: 'refused',
          code: 'trend.rounds',
          about: 'season',
          message: `The window has ${plural(count, 'step')}: not two rounds of ${p.season}, so that nothing could be held against its like.`,
        },
      ];
    return [];
  }
  const year = stepsAYear(stack.steps);
  return year > 1 && count >= 2 * year
    ? [
        {
          level: 'look',
          code: 'trend.season',
          about: 'season',
          message: `There are ${year} steps a year: what comes and goes with the seasons may hide a trend.`,
          mend: { label: 'Hold like seasons against each other', set: { season: year } },
        },
      ]
    : [];
}

const manyChecks = (n: number, p: Params): Check[] =>
  p.correction === 'none' && n >= 20
    ? [
        {
          level: 'look',
          code: 'stats.many',
          about: 'correction',
          message: `At ${p.significance} about ${formatNumber(Math.round(n * p.significance))} of ${formatNumber(n)} would rise or fall by chance alone.`,
          mend: { label: 'Correct for many tests', set: { correction: 'fdr' } },
        },
      ]
    : [];

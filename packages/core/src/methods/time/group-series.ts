import * as z from 'zod';
import { HelkError } from '../../errors';
import { numberColumn, textColumn } from '../../data/table';
import { formatNumber } from '../../data/number-words';
import { plural } from '../../data/check';
import { stepLabel, stepLabels } from '../../data/time-steps';
import { defineMethod, input, output, shown } from '../../method/define';
import { choice, number } from '../../method/params';
import { defineKernel } from '../../method/parallel';
import { room } from '../../data/room';
import {
  bandOf,
  groupIndex,
  groupSamples,
  meansOf,
  medoidsOf,
  MOST_AGAINST,
  polished,
  seriesVectors,
  silhouettesOf,
  squaresOf,
  type Grouping,
} from '../../numeric/series-groups';
import type { Job } from '../../method/job';
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

/** Numbers of groups that are tried when none is given, and how often each. */
const [FEWEST, MOST, TRIES] = [2, 10, 4];

interface Shared {
  x: Float32Array;
  b: number;
  medoids: boolean;
}
interface Try {
  k: number;
  seed: number;
}
const grouping = defineKernel('time.grouping', (v: Shared, t: Try): Grouping | null =>
  v.medoids ? medoidsOf(v, t.k, t.seed) : meansOf(v, t.k, t.seed),
);

interface Against {
  x: Float32Array;
  b: number;
  labels: Int32Array;
  against: Uint32Array[];
}
const silhouettes = defineKernel('time.silhouettes', (s: Against, block: { from: number; to: number }) =>
  silhouettesOf(s, s.labels, s.against, block.from, block.to),
);
/** Distances that a thread works out in one go. */
const DISTANCES = 200_000;

export const groupSeries = defineMethod({
  id: 'time.groupSeries',
  version: 1,
  title: 'Groups of series',
  question: 'Which places move alike?',
  about:
    'Groups of places whose series are alike: by value (near each other at the same time) or by profile (rising and falling together, whatever the level and the size). About means (k-means) or about series that stand for others (medoids), of several starts the best. Where no number is given the one with the highest index of Caliński and Harabasz from 2 to 10 is taken, and the index is told for each. Groups are numbered by size. Gaps are filled on the straight line between the steps around them; series with less than half of the steps belong to no group, nor by profile those that never change. The silhouette tells how well a place lies in its group: about 0 between two, below 0 nearer to another.',
  keywords: [
    'time series clustering',
    'cluster',
    'k-means',
    'medoids',
    'similar series',
    'profile',
    'typology',
    'silhouette',
    'calinski-harabasz',
  ],
  sources: [
    'Lloyd 1982, doi:10.1109/TIT.1982.1056489',
    'Arthur and Vassilvitskii 2007 (k-means++)',
    'Park and Jun 2009, doi:10.1016/j.eswa.2008.01.039',
    'Caliński and Harabasz 1974, doi:10.1080/03610927408827101',
    'Rousseeuw 1987, doi:10.1016/0377-0427(87)90125-7',
  ],
  inputs: { stack: input.stack({ label: 'Time stack' }) },
  params: z.object({
    variable: variableParam(),
    by: choice(
      { value: 'value: near at the same time', profile: 'profile: rise and fall together' },
      { label: 'Alike by' },
    ).default('value'),
    k: number({ label: 'Groups', min: 0, max: 200, help: '0 for the number that is advised.' }).default(0),
    method: choice(
      { kmeans: 'their mean (k-means)', medoids: 'a series of their own (medoids)' },
      { label: 'About' },
    ).default('kmeans'),
    ...windowParams,
  }),
  outputs: {
    groups: shown(output.features('Groups'), {
      features: {
        by: { kind: 'category', column: '*group', colours: {} },
        fill: 1,
        width: 0.5,
        outline: '#fbf8f2',
      },
      panel: { id: 'groups', of: 'means', title: 'What the groups are like' },
      rows: 'stack',
      tells: ['silhouette'],
      first: true,
    }),
    means: shown(output.table('Means of the groups', 'means'), { panel: { id: 'table' } }),
    choice: output.table('How many groups', 'number of groups'),
    grid: output.maybeRaster('Groups by cell'),
  },
  named: ({ stack: [name] = ['it'] }, p, role) =>
    `${{ groups: 'Groups', means: 'Means of groups', choice: 'Number of groups', grid: 'Groups, cells' }[role] ?? 'Groups'} of ${p.variable ?? name} by ${p.by}${p.from || p.to ? `, ${p.from ?? 'start'} to ${p.to ?? 'end'}` : ''}`,
  random: 'the starts of the groups',
  figures: {
    k: { label: 'Groups' },
    index: { label: 'Index (Caliński–Harabasz)' },
    silhouette: { label: 'Mean silhouette' },
    sizes: { label: 'Sizes' },
  },
  checks: ({ stack }, p) => {
    const out = checking(
      () => variableAt(stack, p.variable),
      () => windowAt(stack.steps, p),
      () => {
        if (!Number.isInteger(p.k) || p.k === 1)
          throw new HelkError(
            'method.parameter',
            'k: give 2 groups or more, or 0 for the number that is advised.',
            'k',
          );
        if (p.k >= stack.count)
          throw new HelkError(
            'method.parameter',
            `k: ${p.k} groups of ${plural(stack.count, 'place')}; there must be more places than groups.`,
            'k',
          );
        if (windowAt(stack.steps, p).count < 2)
          throw new HelkError('method.parameter', 'to: the window has one step; a series has two at least.', 'to');
      },
    );
    if (out.length) return out;
    const units = stack.variables[variableAt(stack, p.variable)]!;
    return p.by === 'value' &&
      units.max !== null &&
      units.spread.length &&
      units.max > 20 * Math.max(1e-9, units.spread[90]!)
      ? [
          {
            level: 'look',
            code: 'groups.few',
            about: 'by',
            message: `A few values are far above all others (${formatNumber(units.max)} against ${formatNumber(units.spread[90])} below which nine of ten lie): by value the groups will tell large from small. By profile size does not matter.`,
            mend: { label: 'Group by profile', set: { by: 'profile' } },
          },
        ]
      : [];
  },
  suggest: ({ stack }) => ({
    variable: firstVariable(stack),
  }),
  estimate: ({ stack }, p) => {
    const values = stack.count * stack.steps.count;
    const tries = TRIES * (p.k || (MOST - FEWEST + 1) * 6);
    return {
      cells: stack.count,
      of: 'series',
      bytes: values * 12 + stack.count * 200,
      seconds: 0.3 + (values * tries * 60) / 5e8 + (values * Math.min(stack.count, (p.k || 6) * MOST_AGAINST)) / 8e8,
    };
  },
  run: async ({ stack }, p, job) => {
    const variable = variableAt(stack, p.variable);
    const window = windowAt(stack.steps, p);
    const v = stack.variables[variable]!;
    const steps = stack.steps.count;
    const {
      x: own,
      b,
      rows,
      few,
      flat,
      filled,
    } = seriesVectors(v.values, steps, window.from, window.count, p.by === 'profile');
    const n = rows.length;
    const total = v.values.length / steps;
    if (few)
      job.note(
        'look',
        'groups.short',
        `${plural(few, 'place')} with less than half of the steps ${few === 1 ? 'belongs' : 'belong'} to no group.`,
      );
    if (flat)
      job.note(
        'look',
        'groups.flat',
        `${plural(flat, 'place')} whose value never changes, as zero throughout, ${flat === 1 ? 'has' : 'have'} no profile and ${flat === 1 ? 'belongs' : 'belong'} to no group.`,
      );
    if (filled)
      job.note(
        'info',
        'groups.filled',
        `${plural(filled, 'missing value')} of ${formatNumber(n * window.count)} ${filled === 1 ? 'was' : 'were'} filled on the line between the steps around.`,
      );
    if (n <= Math.max(2, p.k))
      throw new HelkError(
        'method.input',
        `Of ${plural(total, 'place')} ${n} can be grouped; there must be more than ${Math.max(2, p.k)}.`,
        'stack',
      );
    const x = room(Float32Array, own.length);
    x.set(own);
    const vectors = { x, b };
    const tried = await groupings({ ...vectors, medoids: p.method === 'medoids' }, n, p.k, job);
    const best = p.k
      ? tried[0]
      : tried.reduce<Tried | undefined>((a, c) => (a && a.index >= c.index ? a : c), undefined);
    if (!best)
      throw new HelkError(
        'method.input',
        `There are not ${p.k || FEWEST} different series among ${n}.`,
        p.k ? 'k' : 'stack',
      );
    const { k } = best;
    const labels = bySize(best.labels, k);
    const sample = groupSamples(labels, k);
    const sizes = Array.from({ length: k }, (_, g) => labels.reduce((s, l) => s + (l === g ? 1 : 0), 0));
    const shape = new Float64Array(2 * n);
    const each = Math.max(16, Math.floor(DISTANCES / sample.reduce((s, a) => s + a.length, 0)));
    const blocks = function* (): Generator<{ from: number; to: number }> {
      for (let from = 0; from < n; from += each) yield { from, to: Math.min(n, from + each) };
    };
    await job.parallel(silhouettes, { ...vectors, labels, against: sample }, blocks(), (r, i) => {
      shape.set(r, 2 * i * each);
      job.progress(0.7 + (0.3 * Math.min(n, (i + 1) * each)) / n, 'how well they lie');
    });
    if (sizes.some((s) => s > MOST_AGAINST))
      job.note(
        'info',
        'groups.sample',
        `Silhouettes are against ${MOST_AGAINST} members of each larger group, evenly taken.`,
      );
    const [group, silhouette, next] = [new Float64Array(total), new Float64Array(total), new Float64Array(total)].map(
      (a) => a.fill(NaN),
    ) as [Float64Array, Float64Array, Float64Array];
    rows.forEach((row, i) => {
      group[row] = labels[i]! + 1;
      silhouette[row] = shape[2 * i]!;
      next[row] = shape[2 * i + 1]! + 1;
    });
    const doubtful = Array.from(rows).filter((r) => silhouette[r]! < 0).length;
    if (doubtful)
      job.note(
        'look',
        'groups.doubtful',
        `${plural(doubtful, 'place')} of ${formatNumber(n)} ${doubtful === 1 ? 'lies' : 'lie'} nearer to another group than to ${doubtful === 1 ? 'its' : 'their'} own (silhouette below 0).`,
      );
    job.note(
      'info',
      'groups.window',
      `Grouped by ${p.by} from ${stepLabel(stack.steps, window.from)} to ${stepLabel(stack.steps, window.from + window.count - 1)}, ${plural(window.count, 'step')}.`,
    );
    const bands = sizes.map((_, g) =>
      bandOf(
        v.values,
        steps,
        rows.filter((_r, i) => labels[i] === g),
      ),
    );
    const labelsOfSteps = stepLabels(stack.steps).slice(window.from, window.from + window.count);
    return {
      groups: withColumns(stack.places, [
        numberColumn('group', group, ''),
        numberColumn('silhouette', silhouette, ''),
        numberColumn('nearest', next, ''),
      ]),
      means: {
        kind: 'table',
        columns: [
          textColumn('step', labelsOfSteps),
          ...bands.map((band, g) =>
            numberColumn(`group ${g + 1}`, band.mean.subarray(window.from, window.from + window.count), v.unit),
          ),
        ],
      },
      choice: {
        kind: 'table',
        columns: [
          numberColumn(
            'k',
            tried.map((t) => t.k),
            '',
          ),
          numberColumn(
            'index',
            tried.map((t) => t.index),
            '',
          ),
          numberColumn(
            'within',
            tried.map((t) => t.within),
          ),
        ],
      },
      grid: onGrid(stack.grid, stack.places, [{ name: 'group', unit: '', values: group }]),
      figures: {
        k,
        index: best.index,
        silhouette: rows.reduce((s, r) => s + silhouette[r]!, 0) / n,
        sizes: sizes.join(', '),
      },
    };
  },
});

interface Tried {
  k: number;
  index: number;
  within: number;
  labels: Int32Array;
}

/** The best of several tries for each number of groups, spread over the threads. */
async function groupings(v: Shared, n: number, wanted: number, job: Job): Promise<Tried[]> {
  const ks = wanted ? [wanted] : Array.from({ length: MOST - FEWEST + 1 }, (_, i) => FEWEST + i).filter((k) => k < n);
  const tries: Try[] = ks.flatMap((k) => Array.from({ length: TRIES }, () => ({ k, seed: job.random.uint32() })));
  const best = new Map<number, Grouping>();
  await job.parallel(grouping, v, tries, (g, i) => {
    job.progress((0.7 * (i + 1)) / tries.length, 'grouping');
    const { k } = tries[i]!;
    const was = best.get(k);
    if (g && (!was || g.cost < was.cost)) best.set(k, g);
  });
  return [...best].map(([k, found]) => {
    const g = v.medoids ? found : polished(v, found);
    const squares = squaresOf(v, g.labels, k);
    return { k, labels: g.labels, within: squares.within, index: groupIndex(n, k, squares) };
  });
}

/** Groups numbered by size, the largest first; of one size by their first member. */
function bySize(labels: Int32Array, k: number): Int32Array {
  const own = Array.from({ length: k }, (_, g) => ({ g, size: 0, first: labels.indexOf(g) }));
  for (const l of labels) own[l]!.size++;
  own.sort((a, b) => b.size - a.size || a.first - b.first);
  const to = new Int32Array(k);
  own.forEach((o, i) => (to[o.g] = i));
  return labels.map((l) => to[l]!);
}

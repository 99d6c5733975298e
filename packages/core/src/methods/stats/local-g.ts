import * as z from 'zod';
import { HelkError } from '../../errors';
import { plural } from '../../data/check';
import { columnsOf } from '../../data/kinds';
import { besideColumns, type Column } from '../../data/features';
import { formatLength } from '../../data/number-words';
import { numberColumn } from '../../data/table';
import { defineMethod, output, shown } from '../../method/define';
import { choice, flag, quantities } from '../../method/params';
import { adjusted, localG as localGOf } from '../../numeric/local-association';
import { withoutSelf, withSelf, type Rows } from '../../numeric/sparse-rows';
import {
  ALONE,
  chanceChecks,
  conditionalOf,
  falseAlarms,
  GATHERING_COLOURS,
  NOT_SIGNIFICANT,
  significanceParams,
  spread,
  tally,
  wordsColumn,
} from './clusters';
import { measured, permutationsParam } from './global';
import { neighbourChecks, neighbourParams, neighboursOf, sampleOf, weightsFor } from './neighbours';
import { valueChecks, valueParam, valuesOf } from './values';

const MOST = 24;

export const localG = defineMethod({
  id: 'stats.localG',
  version: 1,
  title: 'Local G and G*',
  question: 'Where do high or low values gather?',
  about:
    'For each feature whether values around it are higher or lower than chance would have them: G without the place itself, G* with it, where the place weighs like any neighbour. The figure is the z-value. p by the normal distribution (both sides), or by conditional shuffles (folded). With several distances each has its own columns, named by it. Features without a value are left out, as neighbours too.',
  keywords: ['getis', 'ord', 'gi*', 'hot spot', 'cold spot', 'hotspots', 'gathering', 'local g'],
  sources: [
    'Getis and Ord 1992, doi:10.1111/j.1538-4632.1992.tb00261.x',
    'Ord and Getis 1995, doi:10.1111/j.1538-4632.1995.tb00912.x',
  ],
  inputs: measured,
  params: z.object({
    column: valueParam({ label: 'Column or formula', of: 'features' }),
    self: flag({ label: 'With the place itself (G*)' }).default(true),
    distances: quantities('length', {
      label: 'Distances',
      unit: 'm',
      above: 0,
      help: 'Like 1, 2, 4 km: one set of columns each. Empty: by the weights or neighbours.',
    }).optional(),
    inference: choice({ normal: 'the normal distribution', permutation: 'shuffles' }, { label: 'p by' }).default(
      'normal',
    ),
    permutations: permutationsParam(),
    ...significanceParams,
    ...neighbourParams(),
  }),
  outputs: {
    gathered: shown(output.features('Gatherings', 'gatherings'), {
      features: {
        by: { kind: 'category', column: '*cluster*', colours: GATHERING_COLOURS },
        fill: 1,
        width: 0.5,
        outline: '#fbf8f2',
      },
      panel: { id: 'several', title: 'Distance by distance' },
      first: true,
    }),
  },
  named: (_, p) => `Gatherings of ${p.column}`,
  random: 'the shuffles',
  figures: {
    high: { label: 'High' },
    low: { label: 'Low' },
    notSignificant: { label: 'Not significant' },
  },
  checks: ({ features, weights }, p) => [
    ...valueChecks(columnsOf(features), [p.column], 'column'),
    ...neighbourChecks(features, weights, p.distances?.length ? { ...p, neighbours: 'distance' } : p),
    ...(p.distances && p.distances.length > MOST
      ? [
          {
            level: 'refused' as const,
            code: 'stats.distances',
            about: 'distances',
            message: `${p.distances.length} distances are more than the ${MOST} that are done in one run.`,
          },
        ]
      : []),
    ...(p.distances?.length && weights
      ? [
          {
            level: 'look' as const,
            code: 'stats.both',
            about: 'weights',
            message: 'Distances are given: the weights do not count.',
          },
        ]
      : []),
    ...chanceChecks(features.count, p),
  ],
  estimate: ({ features, weights }, p) => ({
    cells: features.count * (p.distances?.length || 1),
    of: 'places',
    bytes: features.count * 2000 * (p.distances?.length || 1) + (weights?.links ?? 0) * 40,
    seconds:
      0.2 +
      (p.distances?.length || 1) *
        (features.count / 5e4 + (p.inference === 'permutation' ? (features.count * p.permutations) / 1e7 : 0)),
  }),
  run: async ({ features, weights }, p, job) => {
    const x = valuesOf(features, p.column, 'column');
    const sets: { name: string; rows: Rows }[] = [];
    if (p.distances?.length)
      for (const distance of p.distances)
        sets.push({
          name: `_${distanceName(distance)}`,
          rows: (await neighboursOf(features, { neighbours: 'distance', k: 1, distance }, job)).rows,
        });
    else sets.push({ name: '', rows: (await weightsFor(features, weights, p, job)).rows });

    const made: Column[] = [];
    let first: Map<string, number> | null = null;
    const lonely: string[] = [];
    for (const { name, rows } of sets) {
      const s = sampleOf(rows, [x], null, true);
      const own = withoutSelf(s.rows);
      const w = p.self ? withSelf(own, (i) => usual(own, i)) : own;
      const g = localGOf(w, s.values[0]!, p.self);
      const alone = new Set(s.alone);
      for (const [k, i] of s.kept.entries()) if (alone.has(i)) g.z[k] = g.p[k] = NaN;
      const chance = p.inference === 'normal' ? g.p : await conditionalOf(w, s.values[0]!, p.permutations, job);
      const decisive = adjusted(chance, p.correction);
      const words = Array.from(g.z, (v, k) =>
        v !== v ? ALONE : decisive[k]! <= p.significance ? (v > 0 ? 'high' : 'low') : NOT_SIGNIFICANT,
      );
      const counts = tally(words);
      first ??= counts;
      if (s.alone.length) lonely.push(`${s.alone.length}${name ? ` within ${spaced(name)}` : ''}`);
      const tests = words.length - (counts.get(ALONE) ?? 0);
      if (sets.length === 1) falseAlarms(tests - (counts.get(NOT_SIGNIFICANT) ?? 0), tests, p, job);
      else
        job.note(
          'info',
          'stats.found',
          `Within ${spaced(name)}: ${counts.get('high') ?? 0} high, ${counts.get('low') ?? 0} low of ${tests}.`,
        );
      made.push(
        numberColumn(`${p.prefix}g${name}`, spread(s, g.z)),
        numberColumn(`${p.prefix}p${name}`, spread(s, chance)),
        ...(p.correction === 'none' ? [] : [numberColumn(`${p.prefix}p_corrected${name}`, spread(s, decisive))]),
        wordsColumn(`${p.prefix}cluster${name}`, s, (k) => words[k]!),
      );
    }
    const missing = x.values.reduce((n, v) => n + (v === v ? 0 : 1), 0);
    if (missing)
      job.note(
        'look',
        'stats.missing',
        `${plural(missing, 'feature')} without a value ${missing === 1 ? 'is' : 'are'} left out, as a neighbour too.`,
      );
    if (lonely.length)
      job.note(
        'look',
        'stats.alone',
        `Features without a neighbour: ${lonely.join(', ')}; of those nothing can be said.`,
      );
    return {
      gathered: {
        ...features,
        columns: besideColumns(features.columns, [
          ...(features.columns.some((c) => c.name === p.column)
            ? []
            : [numberColumn(`${p.prefix}value`, x.values, x.unit)]),
          ...made,
        ]),
      },
      figures: {
        high: first!.get('high') ?? 0,
        low: first!.get('low') ?? 0,
        notSignificant: first!.get(NOT_SIGNIFICANT) ?? 0,
      },
    };
  },
});

/** The weight of any neighbour of a place: what the place itself takes. */
function usual(w: Rows, i: number): number {
  const [a, b] = [w.offsets[i]!, w.offsets[i + 1]!];
  if (a === b) return 1;
  let s = 0;
  for (let k = a; k < b; k++) s += w.values[k]!;
  return s / (b - a);
}

/** `1km`, `500m`, `1.5km`: how columns name a distance in metres. */
export function distanceName(m: number): string {
  const short = (v: number): string => String(Number(v.toPrecision(6)));
  if (!(m > 0)) throw new HelkError('method.parameter', `distances: ${formatLength(m)} is no distance.`, 'distances');
  return m >= 1000 ? `${short(m / 1000)}km` : `${short(m)}m`;
}

/** The same in a sentence. */
const spaced = (name: string): string => name.slice(1).replace(/(\d)(k?m)$/, '$1 $2');

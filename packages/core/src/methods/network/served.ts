import * as z from 'zod';
import { HelkError } from '../../errors';
import { plural } from '../../data/check';
import { featureCount, featuresIn } from '../../data/features';
import { numberColumn } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import { column } from '../../method/params';
import { withGeos } from '../../numeric/geos';
import { limitsOf, whole, within } from './compare-reach';

export const served = defineMethod({
  id: 'network.served',
  version: 1,
  title: 'People served',
  question: 'How many people are reached?',
  about:
    'Counts what lies within each limit of a reach: points with a count that lie in it, or areas with a count, of which the share of their area that is reached counts, as if their people were spread evenly. Limits are cumulative, and nobody is counted twice where facilities share them.',
  keywords: ['population', 'coverage', 'within reach', 'catchment population', 'access'],
  sources: ['Areal weighting, common practice'],
  inputs: {
    reach: input.features({ label: 'Reach', geometry: 'polygon' }),
    people: input.features({ label: 'People' }),
  },
  params: z.object({
    column: column({ of: 'people', label: 'Column with their number', numeric: true }),
  }),
  outputs: {
    served: shown(output.table('Served', 'served'), { first: true, panel: { id: 'served', title: 'Who is served' } }),
  },
  figures: { total: { label: 'All' }, served: { label: 'Within the largest limit' } },
  checks: ({ people }) => [
    ...(people.geometry === 'line'
      ? [
          {
            level: 'refused' as const,
            code: 'served.lines',
            about: 'people',
            message: 'Lines hold no people; points or areas with a number are wanted.',
          },
        ]
      : people.geometry === 'polygon'
        ? [
            {
              level: 'look' as const,
              code: 'served.areas',
              about: 'people',
              message: 'Of each area the share that is reached counts, as if its people were spread evenly.',
            },
          ]
        : []),
  ],
  suggest: ({ people }) => {
    const c = people.columns.find(
      (o) => o.type === 'number' && /^(people|population|pop|inhabitants|residents|households)/i.test(o.name),
    );
    return { column: c ? { value: c.name, reason: 'its name says so' } : undefined };
  },
  estimate: ({ reach, people }) => ({
    cells: people.count,
    of: 'features',
    bytes: (reach.count + people.count) * 20_000,
    seconds: 0.2 + people.count / 2000,
  }),
  run: async ({ reach, people: given }, p, job) => {
    const people = featuresIn(given, reach.crs);
    const c = people.columns.find((o) => o.name === p.column);
    if (!c) throw new HelkError('method.parameter', `column: there is no column "${p.column}".`, 'column');
    const count = (c.values as Float64Array).map((v, i) => (c.missing?.[i] || v !== v ? 0 : v));
    const lacking = [...count.keys()].filter((i) => c.missing?.[i]).length;
    if (lacking)
      job.note(
        'look',
        'served.missing',
        `${plural(lacking, 'feature')} without a number ${lacking === 1 ? 'counts' : 'count'} as nobody.`,
      );
    const negative = count.filter((v) => v < 0).length;
    if (negative)
      throw new HelkError(
        'method.input',
        `${plural(negative, 'feature')} of "${p.column}" ${negative === 1 ? 'is' : 'are'} below 0; a number of people is wanted.`,
        'column',
      );
    const total = count.reduce((s, v) => s + v, 0);
    const limits = limitsOf(reach);
    const steps = limits ? [...new Set(limits)].sort((a, b) => a - b) : [null];
    const sums = await withGeos((g) =>
      steps.map((limit, k) => {
        job.progress(k / steps.length, 'counting');
        const area = whole(g, within(reach, limit, 'reach'));
        const ready = g.prepare(area);
        let sum = 0;
        for (let i = 0; i < featureCount(people); i++) {
          if (!count[i] || people.featureOffsets[i] === people.featureOffsets[i + 1]) continue;
          const s = g.shape(people, i);
          if (ready.covers(s)) sum += count[i]!;
          else if (people.geometry === 'polygon' && ready.intersects(s)) sum += count[i]! * shareOf(g, s, area);
          g.free(s);
        }
        ready.done();
        g.free(area);
        return sum;
      }),
    );
    return {
      served: {
        kind: 'table' as const,
        columns: [
          ...(limits ? [numberColumn('limit', steps as number[], 's')] : []),
          numberColumn('count', sums),
          numberColumn(
            'share',
            sums.map((v) => (total > 0 ? v / total : NaN)),
          ),
        ],
      },
      figures: { total, served: sums.at(-1) ?? 0 },
    };
  },
});

/** The share of an area that lies within another; of one that is invalid, of what is left when it is repaired. */
function shareOf(g: Parameters<Parameters<typeof withGeos>[0]>[0], s: number, area: number): number {
  const own = g.isValid(s) ? s : g.makeValid(s);
  const part = g.intersection(own, area);
  const share = g.area(own) > 0 ? g.area(part) / g.area(own) : 0;
  g.free(part);
  if (own !== s) g.free(own);
  return share;
}

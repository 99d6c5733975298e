import * as z from 'zod';
import { HelkError } from '../../errors';
import { featureCount, FeaturesBuilder, featuresIn, takeFeatures, type Features } from '../../data/features';
import { featureArea } from '../../data/measure';
import { numberColumn, textColumn } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import { choice, quantity } from '../../method/params';
import { withGeos, type Geos, type Shape } from '../../numeric/geos';

const UNITS = { m2: 1, ha: 1e4, km2: 1e6 };

export const compareReach = defineMethod({
  id: 'network.compareReach',
  version: 1,
  title: 'Compare reach',
  question: 'What does one reach and not the other?',
  about:
    'Lays two reaches over each other: what only the first has, what only the second, and what both, as areas. Where they hold several limits, the largest that both have is compared, or the one that is given; several facilities count together. The share that both have is that of all that either has.',
  keywords: ['difference', 'accessibility', 'overlap', 'gain', 'loss', 'mode', 'bus', 'coverage'],
  sources: ['GEOS 3.13'],
  inputs: {
    a: input.features({ label: 'One', geometry: 'polygon' }),
    b: input.features({ label: 'The other', geometry: 'polygon' }),
  },
  params: z.object({
    limit: quantity('time', {
      label: 'Limit',
      unit: 'min',
      above: 0,
      help: 'Empty: the largest that both have.',
    }).optional(),
    unit: choice({ km2: 'km²', ha: 'ha', m2: 'm²' }, { label: 'Areas in' }).default('km2'),
  }),
  outputs: {
    result: shown(output.features('Compared', 'compared'), {
      features: {
        by: {
          kind: 'category',
          column: 'reached',
          colours: { 'only A': '#2f6f5e', 'only B': '#6d2f5c', both: '#b5a98c' },
        },
        fill: 0.7,
        width: 0.6,
      },
      first: true,
    }),
  },
  figures: {
    onlyA: { label: 'Only the first', unit: 'param:unit' },
    onlyB: { label: 'Only the second', unit: 'param:unit' },
    both: { label: 'Both', unit: 'param:unit' },
    shareBoth: { label: 'Both, of all', unit: 'share' },
  },
  estimate: ({ a, b }) => ({
    cells: a.count + b.count,
    of: 'areas',
    bytes: (a.count + b.count) * 50_000,
    seconds: 0.1 + (a.count + b.count) / 500,
  }),
  run: async ({ a, b: given }, p, job) => {
    const b = featuresIn(given, a.crs);
    const limit = p.limit ?? commonLimit(a, b);
    const out = new FeaturesBuilder();
    const kinds: string[] = [];
    await withGeos((g) => {
      const [one, other] = [whole(g, within(a, limit, 'a')), whole(g, within(b, limit, 'b'))];
      job.progress(0.5, 'comparing');
      for (const [kind, shape] of [
        ['only A', g.difference(one, other)],
        ['only B', g.difference(other, one)],
        ['both', g.intersection(one, other)],
      ] as const)
        if (g.append(shape, 'polygon', out)) {
          out.endFeature();
          kinds.push(kind);
        }
    });
    const shapes = out.build('polygon', a.crs, []);
    const areas = kinds.map((_, i) => featureArea(shapes, i));
    const of = (kind: string): number => areas[kinds.indexOf(kind)] ?? 0;
    const [onlyA, onlyB, both] = [of('only A'), of('only B'), of('both')];
    const all = onlyA + onlyB + both;
    const k = UNITS[p.unit];
    return {
      result: {
        ...shapes,
        columns: [
          textColumn('reached', kinds),
          ...(limit === null
            ? []
            : [
                numberColumn(
                  'limit',
                  kinds.map(() => limit),
                  's',
                ),
              ]),
          numberColumn(
            'area',
            areas.map((v) => v / k),
            p.unit,
          ),
        ],
      },
      figures: { onlyA: onlyA / k, onlyB: onlyB / k, both: both / k, shareBoth: all > 0 ? both / all : null },
    };
  },
});

/** The limits that areas are of; none where they do not say. */
export function limitsOf(f: Features): Float64Array | null {
  const c = f.columns.find((o) => o.name === 'limit' && o.type === 'number');
  return c ? (c.values as Float64Array) : null;
}

function commonLimit(a: Features, b: Features): number | null {
  const [x, y] = [limitsOf(a), limitsOf(b)];
  if (!x || !y) return null;
  const both = [...new Set(x)].filter((v) => y.includes(v));
  if (!both.length)
    throw new HelkError(
      'method.input',
      `The two have no limit in common: ${said(x)} and ${said(y)}. Run one again with a limit of the other.`,
      'b',
    );
  return Math.max(...both);
}

const said = (v: Float64Array): string =>
  [...new Set(v)]
    .sort((p, q) => p - q)
    .map((s) => `${s / 60} min`)
    .join(', ');

/** Areas up to a limit: as discs the one of it, as bands all before it too. */
export function within(f: Features, limit: number | null, role: string): Features {
  const limits = limitsOf(f);
  if (limit === null || !limits) return f;
  if (![...limits].some((v) => Math.abs(v - limit) < 1e-6))
    throw new HelkError(
      'method.parameter',
      `limit: ${role} has no area of ${limit / 60} min; there are ${said(limits)}.`,
      'limit',
    );
  return takeFeatures(
    f,
    [...limits.keys()].filter((i) => limits[i]! <= limit + 1e-6),
  );
}

/** All areas as one shape. */
export function whole(g: Geos, f: Features): Shape {
  const shapes: Shape[] = [];
  for (let i = 0; i < featureCount(f); i++)
    if (f.featureOffsets[i] !== f.featureOffsets[i + 1]) {
      const s = g.shape(f, i);
      if (g.isValid(s)) shapes.push(s);
      else {
        shapes.push(g.makeValid(s));
        g.free(s);
      }
    }
  return g.unionAll(shapes);
}

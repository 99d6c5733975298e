import * as z from 'zod';
import { metresPerUnit } from '../../data/crs';
import { featureCount, FeaturesBuilder } from '../../data/features';
import { defineMethod, input, output } from '../../method/define';
import { choice, quantity } from '../../method/params';
import { withGeos } from '../../numeric/geos';
import { noteHeights, planeChecks, shapesOf } from './common';
import type { Check } from '../../data/check';

export const simplify = defineMethod({
  id: 'features.simplify',
  version: 1,
  title: 'Simplify',
  question: 'Which corners can be spared?',
  about:
    'Fewer corners within a tolerance. Each feature by itself (Douglas–Peucker, no feature crosses itself afterwards), or areas that touch together, so that their common borders stay common (Visvalingam–Whyatt: corners whose triangle is smaller than the tolerance squared go).',
  keywords: ['generalise', 'thin out', 'corners', 'vertices', 'smaller file'],
  sources: [
    'Douglas and Peucker 1973, doi:10.3138/FM57-6770-U75U-7727',
    'Visvalingam and Whyatt 1993, doi:10.1179/000870493786962263',
    'GEOS 3.13',
  ],
  inputs: { features: input.features({ label: 'Features' }) },
  params: z.object({
    tolerance: quantity('length', { label: 'Tolerance', unit: 'm', above: 0 }),
    borders: choice({ each: 'each by itself', shared: 'common borders stay common' }, { label: 'Areas' }).default(
      'each',
    ),
  }),
  outputs: { simplified: output.features('Simplified', undefined, { as: 'features' }) },
  figures: { cornersBefore: { label: 'Corners before' }, cornersAfter: { label: 'Corners after' } },
  checks: ({ features }, p): Check[] => [
    ...planeChecks(features, 'Simplifying', 'features'),
    ...(p.borders === 'shared' && features.geometry !== 'polygon'
      ? [
          {
            level: 'refused' as const,
            code: 'simplify.borders',
            about: 'borders',
            message: 'Only areas have common borders.',
          },
        ]
      : []),
  ],
  estimate: ({ features }) => ({ cells: features.count, bytes: features.count * 3000, seconds: features.count / 2e4 }),
  run: async ({ features }, p, job) => {
    const tolerance = p.tolerance / (features.crs ? metresPerUnit(features.crs) : 1);
    noteHeights(job, features);
    const b = new FeaturesBuilder();
    await withGeos((g) => {
      const shapes = shapesOf(g, features, job, 'the features');
      if (p.borders === 'shared') {
        const held = shapes.map((s, i) => ({ s, i })).filter((x) => x.s !== 0);
        const all = g.simplifyCoverage(
          held.map((x) => x.s),
          tolerance,
        );
        const at = new Map(held.map((x, k) => [x.i, k]));
        shapes.forEach((_, i) => {
          const k = at.get(i);
          if (k !== undefined) g.append(g.member(all, k), 'polygon', b);
          b.endFeature();
        });
        g.free(all);
        return;
      }
      shapes.forEach((s, i) => {
        if ((i & 255) === 0) job.progress(0.1 + 0.85 * (i / shapes.length), 'simplifying');
        if (s) {
          const t = g.simplify(s, tolerance);
          g.append(t, features.geometry, b);
          g.free(t);
        }
        b.endFeature();
      });
    });
    const simplified = b.build(features.geometry, features.crs, features.columns);
    if (featureCount(simplified) !== featureCount(features)) throw new Error('A feature was lost.');
    return { simplified, figures: { cornersBefore: features.xy.length / 2, cornersAfter: simplified.xy.length / 2 } };
  },
});

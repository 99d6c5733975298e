import * as z from 'zod';
import { featureCount, FeaturesBuilder, takeColumn } from '../../data/features';
import { metresPerUnit } from '../../data/crs';
import { defineMethod, input, output } from '../../method/define';
import { choice, quantity } from '../../method/params';
import { withGeos, type Shape } from '../../numeric/geos';
import { planeChecks, shapesOf, totalArea } from './common';
import type { Check } from '../../data/check';

/** Segments a quarter of a circle is drawn with; areas of circles come out 0.04 % small. */
const QUADRANT = 32;

export const buffer = defineMethod({
  id: 'features.buffer',
  version: 1,
  title: 'Buffer',
  question: 'What lies within a distance of these features?',
  about:
    'The area within a distance of each feature, corners rounded by 32 segments a quarter; negative distances shrink areas, and what vanishes is left out. Merged, all become one area without overlaps.',
  keywords: ['distance', 'proximity', 'zone', 'setback', 'within'],
  sources: ['GEOS 3.13'],
  inputs: { features: input.features({ label: 'Features' }) },
  params: z.object({
    distance: quantity('length', { label: 'Distance', unit: 'm', help: 'Negative to shrink areas.' }),
    merge: choice({ no: 'one each', yes: 'merged' }, { label: 'Areas' }).default('no'),
  }),
  outputs: { buffers: output.features('Buffers', undefined, { geometry: 'polygon' }) },
  figures: { area: { label: 'Area', unit: 'm2' } },
  checks: ({ features }, p): Check[] => [
    ...planeChecks(features, 'A buffer', 'features'),
    ...(p.distance <= 0 && features.geometry !== 'polygon'
      ? [
          {
            level: 'refused' as const,
            code: 'buffer.distance',
            about: 'distance',
            message: 'Points and lines have nothing within them; give a distance above 0.',
          },
        ]
      : []),
  ],
  estimate: ({ features }) => ({ cells: features.count, bytes: features.count * 7000, seconds: features.count / 5000 }),
  run: async ({ features }, p, job) => {
    const n = featureCount(features);
    const distance = p.distance / (features.crs ? metresPerUnit(features.crs) : 1);
    const b = new FeaturesBuilder();
    const rows: number[] = [];
    await withGeos((g) => {
      const shapes = shapesOf(g, features, job, 'the features');
      const all: Shape[] = [];
      for (let i = 0; i < n; i++) {
        if ((i & 63) === 0) job.progress(0.1 + 0.7 * (i / n), 'buffers');
        if (!shapes[i]) continue;
        const s = g.buffer(shapes[i]!, distance, QUADRANT);
        if (p.merge === 'yes') all.push(s);
        else {
          if (g.append(s, 'polygon', b)) {
            b.endFeature();
            rows.push(i);
          }
          g.free(s);
        }
      }
      if (all.length) {
        job.progress(0.85, 'merging');
        const one = g.unionAll(all);
        if (g.append(one, 'polygon', b)) b.endFeature();
      }
    });
    const columns = p.merge === 'yes' ? [] : features.columns.map((c) => takeColumn(c, rows));
    const buffers = b.build('polygon', features.crs, columns);
    if (p.merge === 'no' && rows.length < n)
      job.note(
        'look',
        'buffer.vanished',
        `${n - rows.length} of ${n} features have no area within that distance and are left out.`,
      );
    return { buffers, figures: { area: totalArea(buffers) } };
  },
});

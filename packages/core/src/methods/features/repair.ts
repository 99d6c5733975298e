import * as z from 'zod';
import { copyParts, featureCount, FeaturesBuilder } from '../../data/features';
import { featureArea } from '../../data/measure';
import { defineMethod, input, output } from '../../method/define';
import { withGeos } from '../../numeric/geos';
import { noteHeights } from './common';

export const repair = defineMethod({
  id: 'features.repair',
  version: 1,
  title: 'Repair geometries',
  question: 'Which geometries are broken, and what do they become?',
  about:
    'Areas whose outlines cross themselves or whose holes lie outside become valid ones that cover the same land by the even-odd rule; valid ones are not touched. What loses its area altogether keeps its row without a geometry.',
  keywords: ['make valid', 'invalid', 'self-intersection', 'bow tie', 'topology', 'fix'],
  sources: ['OGC 06-103r4 (validity of polygons)', 'GEOS 3.13'],
  inputs: { features: input.features({ label: 'Features' }) },
  params: z.object({}),
  outputs: { repaired: output.features('Repaired', undefined, { as: 'features' }) },
  figures: {
    repaired: { label: 'Repaired' },
    lost: { label: 'Without geometry afterwards' },
    areaChange: { label: 'Change of area', unit: 'm2' },
  },
  estimate: ({ features }) => ({ cells: features.count, bytes: features.count * 2000, seconds: features.count / 2e4 }),
  run: async ({ features }, _p, job) => {
    const n = featureCount(features);
    const b = new FeaturesBuilder();
    const reasons: string[] = [];
    let repaired = 0;
    let lost = 0;
    await withGeos((g) => {
      for (let i = 0; i < n; i++) {
        if ((i & 255) === 0) job.progress(i / n, 'checking');
        if (features.featureOffsets[i] !== features.featureOffsets[i + 1]) {
          const s = g.shape(features, i);
          if (g.isValid(s)) copyParts(features, i, b);
          else {
            repaired++;
            if (reasons.length < 5) reasons.push(`feature ${i + 1} (${g.whyInvalid(s)})`);
            const r = g.makeValid(s);
            if (!g.append(r, features.geometry, b)) lost++;
            g.free(r);
          }
          g.free(s);
        }
        b.endFeature();
      }
    });
    const out = b.build(features.geometry, features.crs, features.columns);
    let change = 0;
    for (let i = 0; i < n; i++) change += featureArea(out, i) - featureArea(features, i);
    if (repaired) {
      noteHeights(job, features);
      job.note('info', 'repair.which', `Repaired: ${reasons.join('; ')}${repaired > reasons.length ? ' …' : ''}.`);
    }
    return { repaired: out, figures: { repaired, lost, areaChange: change } };
  },
});

import * as z from 'zod';
import { FeaturesBuilder } from '../../data/features';
import { defineMethod, input, output } from '../../method/define';
import { choice } from '../../method/params';
import { withGeos } from '../../numeric/geos';
import { shapesOf } from './common';

export const centroids = defineMethod({
  id: 'features.centroids',
  version: 1,
  title: 'Centroids',
  question: 'Where is the middle of each feature?',
  about:
    'One point for each feature with all its columns: the centre of mass, or a point that is sure to lie inside (the centre of a crescent lies outside it). Computed in the plane of the coordinates.',
  keywords: ['centre', 'middle', 'point', 'representative point', 'label point'],
  sources: ['GEOS 3.13'],
  inputs: { features: input.features({ label: 'Features' }) },
  params: z.object({
    place: choice({ mass: 'centre of mass', inside: 'a point inside' }, { label: 'Point' }).default('mass'),
  }),
  outputs: { centroids: output.features('Centroids', undefined, { geometry: 'point' }) },
  figures: { points: { label: 'Points' } },
  estimate: ({ features }) => ({ cells: features.count, bytes: features.count * 1000, seconds: features.count / 1e5 }),
  run: async ({ features }, p, job) => {
    const b = new FeaturesBuilder();
    let points = 0;
    await withGeos((g) => {
      for (const s of shapesOf(g, features, job, 'the features')) {
        if (s) {
          const c = p.place === 'mass' ? g.centroid(s) : g.pointInside(s);
          if (g.append(c, 'point', b)) points++;
          g.free(c);
        }
        b.endFeature();
      }
    });
    return { centroids: b.build('point', features.crs, features.columns), figures: { points } };
  },
});

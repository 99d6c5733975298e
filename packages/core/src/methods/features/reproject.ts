import * as z from 'zod';
import { HelkError } from '../../errors';
import { placeOf } from '../../data/arrival';
import { sameCrs, suggestUtm } from '../../data/crs';
import { featuresIn } from '../../data/features';
import { defineMethod, input, output } from '../../method/define';
import { crs } from '../../method/params';
import type { Check } from '../../data/check';

export const reprojectFeatures = defineMethod({
  id: 'features.reproject',
  version: 1,
  title: 'Project features',
  question: 'How do these features lie in another coordinate system?',
  about:
    'Every corner is brought to another coordinate reference system; columns stay as they are. Straight edges stay straight between their corners. Heights are kept.',
  keywords: ['reproject', 'transform', 'projection', 'coordinate system', 'crs', 'metres'],
  sources: ['Snyder 1987, USGS Professional Paper 1395', 'proj4js'],
  inputs: { features: input.features({ label: 'Features' }) },
  params: z.object({ crs: crs({ label: 'Coordinate system' }) }),
  outputs: { projected: output.features('Projected', undefined, { as: 'features' }) },
  figures: {},
  checks: ({ features }, p): Check[] => {
    if (!features.crs)
      return [
        {
          level: 'refused',
          code: 'crs.missing',
          about: 'features',
          message: 'These features have no coordinate system; say first which one they are in.',
        },
      ];
    if (sameCrs(features.crs, p.crs))
      return [{ level: 'look', code: 'crs.same', about: 'crs', message: 'The features lie in this system already.' }];
    return p.crs.caution
      ? [{ level: 'look', code: 'crs.caution', about: 'crs', message: `${p.crs.name}: ${p.crs.caution}.` }]
      : [];
  },
  suggest: ({ features }) => {
    const place = placeOf(features);
    if (!place || !features.crs?.geographic) return {};
    const utm = suggestUtm(place[0], place[1]);
    return { crs: { value: utm.code, reason: `${utm.name} fits this place` } };
  },
  estimate: ({ features }) => ({ cells: features.count, bytes: features.count * 400, seconds: features.count / 5e4 }),
  run: ({ features }, p, job) => {
    job.progress(0.1, 'projecting');
    const projected = featuresIn(features, p.crs);
    if (projected.xy.some((v) => !Number.isFinite(v)))
      throw new HelkError(
        'crs.outside',
        `Some corners cannot be expressed in ${p.crs.code ?? p.crs.name}; they lie outside what it is made for.`,
        'crs',
      );
    return { projected, figures: {} };
  },
});

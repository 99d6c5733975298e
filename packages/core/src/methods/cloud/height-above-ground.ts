import * as z from 'zod';
import { classesOf, metresOfHeight, withAttribute } from '../../data/cloud';
import { defineMethod, input, output } from '../../method/define';
import { summarise } from '../../numeric/statistics';
import { aboveGround, groundChecks, inMetres, placeChecks, pointsEstimate } from './common';

export const heightAboveGround = defineMethod({
  id: 'cloud.heightAboveGround',
  version: 1,
  title: 'Height above ground',
  question: 'How high above the ground is each point?',
  about:
    'Every point gets the attribute heightAboveGround: its height less that of the surface of triangles through the ground points (class 2) below it; beyond that surface, less that of the nearest ground point. Nothing else changes.',
  keywords: ['normalise', 'height above ground', 'normalized height', 'canopy height', 'hag'],
  sources: ['Delaunay 1934 (triangles)', 'common practice, no source'],
  inputs: { cloud: input.cloud({}) },
  params: z.object({}),
  outputs: { lifted: output.cloud('Heights above ground', 'heights above ground') },
  figures: { min: { label: 'Lowest', unit: 'result' }, max: { label: 'Highest', unit: 'result' } },
  checks: ({ cloud }) => [...placeChecks(cloud), ...groundChecks(cloud)],
  estimate: ({ cloud }) => pointsEstimate(cloud, 140, 1e6),
  run: ({ cloud }, _, job) => {
    const above = aboveGround(inMetres(cloud), classesOf(cloud), job);
    const unit = metresOfHeight(cloud.heightUnit);
    if (unit !== 1) for (let i = 0; i < above.length; i++) above[i]! /= unit;
    const { min, max } = summarise(above);
    return {
      lifted: withAttribute(cloud, {
        name: 'heightAboveGround',
        type: 'float32',
        unit: cloud.heightUnit,
        values: above,
      }),
      figures: { min, max },
    };
  },
});

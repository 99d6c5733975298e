import * as z from 'zod';
import { pointCount, takePoints } from '../../data/cloud';
import { defineMethod, input, output, shown } from '../../method/define';
import { quantity } from '../../method/params';
import { roundNear } from '../raster/reproject';
import { inMetres, placeChecks, pointsEstimate, spacingMetres } from './common';

export const thin = defineMethod({
  id: 'cloud.thin',
  version: 1,
  title: 'Fewer points, evenly',
  question: 'How can there be fewer points, evenly spread?',
  about:
    'Goes through the points in their order and keeps each that is no nearer than the spacing to one kept before, in space. None is moved or made up.',
  keywords: ['thin', 'decimate', 'subsample', 'reduce points', 'poisson disk'],
  sources: ['Cook 1986, doi:10.1145/7529.8927 (Poisson-disk sampling, by throwing darts in the order of the points)'],
  inputs: { cloud: input.cloud({}) },
  params: z.object({ spacing: quantity('length', { label: 'Spacing', unit: 'm', above: 0 }) }),
  outputs: { thinned: shown(output.cloud('Fewer points', 'thinned'), { like: 'cloud' }) },
  figures: { kept: { label: 'Points kept' } },
  checks: ({ cloud }, p) => [
    ...placeChecks(cloud),
    ...(cloud.spacing !== null && p.spacing < 0.7 * spacingMetres(cloud)
      ? [
          {
            level: 'look' as const,
            code: 'thin.little',
            about: 'spacing',
            message: `The points are ${Number(spacingMetres(cloud).toPrecision(2))} m apart; this spacing takes hardly any away.`,
          },
        ]
      : []),
  ],
  suggest: ({ cloud }) =>
    cloud.spacing === null || cloud.crs?.geographic
      ? {}
      : {
          spacing: {
            value: `${roundNear(2 * spacingMetres(cloud))} m`,
            reason: `twice the spacing there is, ${Number(spacingMetres(cloud).toPrecision(2))} m: a quarter of the points`,
          },
        },
  estimate: ({ cloud }) => pointsEstimate(cloud, 70, 3e6),
  run: ({ cloud }, p, job) => {
    const { x, y, z } = inMetres(cloud);
    const n = pointCount(cloud);
    const d = p.spacing;
    // At most a few kept points lie in a cube whose diagonal is the spacing: one.
    const side = d / Math.sqrt(3);
    const limit = d * d;
    const table = new Map<number, number>();
    const [x0, y0, z0] = [x, y, z].map((v) => v.reduce((a, b) => Math.min(a, b), Infinity)) as [number, number, number];
    const wide = Math.ceil((x.reduce((a, b) => Math.max(a, b), -Infinity) - x0) / side) + 5;
    const deep = Math.ceil((y.reduce((a, b) => Math.max(a, b), -Infinity) - y0) / side) + 5;
    const kept: number[] = [];
    for (let i = 0; i < n; i++) {
      if ((i & 65_535) === 0) job.progress(i / n, 'keeping points');
      const u = Math.floor((x[i]! - x0) / side) + 2;
      const v = Math.floor((y[i]! - y0) / side) + 2;
      const w = Math.floor((z[i]! - z0) / side) + 2;
      const own = (w * deep + v) * wide + u;
      if (table.has(own)) continue;
      let free = true;
      for (let c = -2; c <= 2 && free; c++)
        for (let b = -2; b <= 2 && free; b++)
          for (let a = -2; a <= 2; a++) {
            const j = table.get(own + (c * deep + b) * wide + a);
            if (j === undefined) continue;
            if ((x[j]! - x[i]!) ** 2 + (y[j]! - y[i]!) ** 2 + (z[j]! - z[i]!) ** 2 < limit) {
              free = false;
              break;
            }
          }
      if (!free) continue;
      table.set(own, i);
      kept.push(i);
    }
    return { thinned: takePoints(cloud, Uint32Array.from(kept)), figures: { kept: kept.length } };
  },
});

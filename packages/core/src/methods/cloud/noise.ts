import * as z from 'zod';
import { HIGH_NOISE, LOW_NOISE, isNoise, pointCount, withClasses } from '../../data/cloud';
import { cloudInfo } from '../../data/cloud-facts';
import { defineMethod, input, output, shown } from '../../method/define';
import { number } from '../../method/params';
import type { Metric } from '../../numeric/ground';
import { nearestInSpace, pointNet } from '../../numeric/point-net';
import { inMetres, ownClasses, placeChecks, pointsEstimate, spacingMetres } from './common';
import { meanDistances, overPoints } from './neighbourhood';

/** Spacings beyond which neighbours are not looked for: points that lonely are noise however far the next one is. */
const REACH = 15;

export const noise = defineMethod({
  id: 'cloud.noise',
  version: 1,
  title: 'Points that cannot be',
  question: 'Which points cannot be?',
  about:
    'Points that are far from their neighbours become noise: those whose mean distance to the nearest ones is more than so many standard deviations above the mean over all points, and three times that of those neighbours, so that the inside of a crown stays. Below their surroundings they get class 7, above them class 18. No point is taken away.',
  keywords: ['noise', 'outliers', 'birds', 'denoise', 'clean', 'statistical outlier'],
  sources: ['Rusu et al. 2008, doi:10.1016/j.robot.2008.08.005 (mean distance to neighbours, in standard deviations)'],
  inputs: { cloud: input.cloud({}) },
  params: z.object({
    neighbours: number({ label: 'Neighbours', min: 2, max: 100 }).default(8),
    deviations: number({ label: 'Standard deviations', above: 0, max: 100 }).default(4),
  }),
  outputs: { cleaned: shown(output.cloud('Noise marked', 'noise marked'), { like: 'cloud' }) },
  figures: { noise: { label: 'Points of noise' }, low: { label: 'Below' }, high: { label: 'Above' } },
  preview: { kind: 'window', input: 'cloud' },
  checks: ({ cloud }) => placeChecks(cloud),
  estimate: ({ cloud }) => pointsEstimate(cloud, 70, 3e5),
  run: async ({ cloud }, p, job) => {
    const at = inMetres(cloud);
    const n = pointCount(cloud);
    const spacing = spacingMetres(cloudInfo(cloud)) || 1;
    const neighbours = Math.round(p.neighbours);
    const within = REACH * spacing;
    const far = await overPoints(
      job,
      'distances of neighbours',
      meanDistances,
      at,
      spacing,
      neighbours,
      within,
      (s) => 0.9 * s,
    );
    let sum = 0;
    for (const d of far) sum += d;
    const mean = sum / n;
    let squares = 0;
    for (const d of far) squares += (d - mean) ** 2;
    const limit = mean + p.deviations * Math.sqrt(squares / Math.max(1, n - 1));
    const classes = ownClasses(cloud);
    // Points inside crowns are far apart, but so are those around them.
    const lonely = lonelyPoints(at, far, limit, spacing, neighbours, within);
    // Whether it lies above or below is told by what lies around it on the map.
    const net = pointNet(at.x, at.y, 4 * spacing);
    const flat = { ...at, z: new Float64Array(0) };
    const index = new Uint32Array(24);
    const square = new Float64Array(24);
    const level = new Float64Array(n);
    let [low, high] = [0, 0];
    for (let i = 0; i < n; i++) {
      if (!lonely[i] || isNoise(classes[i]!)) continue;
      const k = nearestInSpace(net, flat.x, flat.y, level, i, 24, 4 * within, index, square);
      const around = Float64Array.from(index.subarray(0, k), (j) => at.z[j]!).sort();
      const below = k > 0 && at.z[i]! < around[k >> 1]!;
      classes[i] = below ? LOW_NOISE : HIGH_NOISE;
      if (below) low++;
      else high++;
    }
    return { cleaned: withClasses(cloud, classes), figures: { noise: low + high, low, high } };
  },
});

/** Times as far from its neighbours as those are from theirs, beyond which a point is alone (common practice, no source). */
const ALONE = 3;

/** 1 for points beyond the limit whose neighbours are much nearer to each other than they are to it. */
function lonelyPoints(
  at: Metric,
  far: Float32Array,
  limit: number,
  spacing: number,
  neighbours: number,
  within: number,
): Uint8Array {
  const out = new Uint8Array(far.length);
  const net = pointNet(at.x, at.y, 2 * spacing);
  const index = new Uint32Array(neighbours);
  const square = new Float64Array(neighbours);
  for (let i = 0; i < out.length; i++) {
    if (!(far[i]! > limit)) continue;
    const n = nearestInSpace(net, at.x, at.y, at.z, i, neighbours, within, index, square);
    let sum = 0;
    for (let k = 0; k < n; k++) sum += far[index[k]!]!;
    if (n < neighbours / 2 || far[i]! > (ALONE * sum) / n) out[i] = 1;
  }
  return out;
}

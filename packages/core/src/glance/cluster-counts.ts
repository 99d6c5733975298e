import * as z from 'zod';
import { cellCount } from '../data/raster';
import { gathered, sceneMoments, sceneOf } from '../methods/imagery/scene';
import { covarianceOf } from '../numeric/comoments';
import { advisedCount, clusterCounts as countsOf } from '../numeric/cluster-counts';
import { HelkError } from '../errors';
import { Random } from '../numeric/random';
import { defineGlance } from './glance';

const SAMPLE = 2000;

export const clusterCounts = defineGlance({
  id: 'imagery.clusterCounts',
  question: 'How many clusters part the scene well?',
  inputs: { scene: { kind: 'raster' } },
  params: z.object({
    from: z.number().int().min(2).max(100).default(2),
    to: z.number().int().min(2).max(100).default(20),
    standardise: z.boolean().default(false),
    seed: z.number().int().default(1),
  }),
  answer: z.object({
    sample: z.number(),
    cells: z.number(),
    counts: z.array(z.object({ k: z.number(), within: z.number(), index: z.number() })),
    /** Of the highest index, and the least of which it is nearly as high; null where there is nothing to part. */
    advised: z.object({ k: z.number(), fewer: z.number() }).nullable(),
  }),
  run: async ({ scene: given }, p, job) => {
    const scene = sceneOf(given);
    if (!scene.bands.length) throw new HelkError('method.input', 'It has no band of measured values.', 'scene');
    const b = scene.bands.length;
    const m = await sceneMoments(job, scene, (s) => s / 3);
    const covariance = covarianceOf(m);
    const factor = Array.from({ length: b }, (_, j) => {
      const sd = Math.sqrt(covariance[j * b + j]!);
      return p.standardise && sd > 0 ? 1 / sd : 1;
    });
    const g = await gathered(job, scene, m.n, m.mean, Float64Array.from(factor), (s) => (1 + s) / 3, SAMPLE * b);
    const counts = countsOf({ x: g.x, b }, p.from, p.to, new Random(p.seed), 2).filter((c) => Number.isFinite(c.index));
    return { sample: g.x.length / b, cells: cellCount(given.head.grid), counts, advised: advisedCount(counts) };
  },
});

import { HelkError } from '../../errors';
import type { Check } from '../../data/check';
import type { FeaturesInfo } from '../../data/features';
import type { ClassEntry } from '../../data/raster';
import type { Job } from '../../method/job';
import { defineKernel } from '../../method/parallel';
import type { Model } from '../../numeric/classifier';
import { comoments } from '../../numeric/comoments';
import { cutsOf, growTree, planted, type Cuts, type Examples, type Tree } from '../../numeric/forest';
import { gaussianClass } from '../../numeric/gaussian';
import { countsOf, vectorsOf, type Training } from './training';

export const trainingChecks = (training: FeaturesInfo): Check[] =>
  training.geometry === 'line'
    ? [
        {
          level: 'refused',
          code: 'training.lines',
          about: 'training',
          message: 'Examples are areas or points; these are lines.',
        },
      ]
    : [];

export interface Learning {
  method: Model['kind'];
  trees: number;
  priors: 'equal' | 'training';
}

/**
 * What is learned from examples. Classes without one are not in it.
 *
 * @param classes all there are
 * @returns the model, and which class each of its own is
 * @throws HelkError `method.input` where likelihood lacks what it needs
 */
export async function learned(
  job: Job,
  t: Training,
  b: number,
  classes: readonly ClassEntry[],
  l: Learning,
  progress: (share: number) => number,
): Promise<{ model: Model; of: number[] }> {
  const counts = countsOf(t.classes, classes.length);
  const of = counts.flatMap((n, c) => (n > 0 ? [c] : []));
  const own = (c: number): Float32Array => vectorsOf(t, c, b);
  if (l.method === 'minimumDistance')
    return { model: { kind: l.method, means: of.map((c) => comoments(own(c), counts[c]!, b).mean) }, of };
  if (l.method === 'maximumLikelihood') {
    const made = of.map((c) => gaussianClass(comoments(own(c), counts[c]!, b)));
    const few = of.filter((_, k) => !made[k]);
    if (few.length)
      throw new HelkError(
        'method.input',
        `Maximum likelihood needs more than ${b} cells of every class, unlike each other in all ${b} bands: ${few.map((c) => `${classes[c]!.label} has ${counts[c]}`).join(', ')}. Give more examples, or take another method.`,
        'training',
      );
    const priors = of.map((c) => (l.priors === 'equal' ? 1 / of.length : counts[c]! / t.classes.length));
    return { model: { kind: l.method, classes: made.map((g) => g!), priors }, of };
  }
  const index = new Map(of.map((c, k) => [c, k]));
  const examples: Examples = { x: t.x, b, classes: t.classes.map((c) => index.get(c)!), count: of.length };
  const trees: Tree[] = [];
  const shared = { examples, cuts: cutsOf(examples), seed: job.random.uint32() };
  const each = Array.from({ length: l.trees }, (_, k) => k);
  await job.parallel(treeKernel, shared, each, (tree, k) => {
    trees.push(tree);
    job.progress(progress((k + 1) / l.trees), `tree ${k + 1} of ${l.trees}`);
  });
  return { model: { kind: l.method, forest: planted(trees), count: of.length }, of };
}

const treeKernel = defineKernel(
  'imagery.classify.tree',
  ({ examples, cuts, seed }: { examples: Examples; cuts: Cuts; seed: number }, k: number): Tree =>
    growTree(examples, cuts, Math.max(1, Math.floor(Math.sqrt(examples.b))), (seed + Math.imul(k, 0x9e3779b1)) >>> 0),
);

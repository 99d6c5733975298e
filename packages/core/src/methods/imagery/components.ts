import * as z from 'zod';
import { cellCount } from '../../data/raster';
import { numberColumn, textColumn, type Table } from '../../data/table';
import { defineMethod, input, output } from '../../method/define';
import { flag, number } from '../../method/params';
import { blockBytes, defineRowKernel, overRows } from '../../method/rows';
import { covarianceOf } from '../../numeric/comoments';
import { symmetricEigen } from '../../numeric/eigen';
import { completeVectors, sceneChecks, sceneMoments, sceneOf } from './scene';

export const components = defineMethod({
  id: 'imagery.components',
  version: 1,
  title: 'Principal components',
  question: 'What varies together?',
  about:
    'Turns the bands of a scene into as few pictures as hold most of what varies: each component is a sum of the bands, weighted by an eigenvector of their covariance (of their correlation, standardised), about the mean of the scene. The largest weight of a component by size is positive. Only cells with a value in every band count; variances are by n - 1.',
  keywords: ['pca', 'principal component analysis', 'eigenvectors', 'decorrelate', 'reduce bands', 'loadings'],
  sources: ['Jolliffe 2002, doi:10.1007/b98835', 'Golub and Van Loan 2013, section 8.5 (Jacobi’s rotations)'],
  inputs: { scene: input.raster({ label: 'Scene', bands: 'all', parts: true }) },
  params: z.object({
    count: number({ label: 'Components', min: 1, max: 1000 }).default(3),
    standardise: flag({ label: 'Standardise', help: 'Every band counts alike, whatever its spread.' }).default(false),
  }),
  outputs: { components: output.raster('Components'), loadings: output.table('Loadings') },
  figures: {
    explained: { label: 'Explained share', unit: 'share' },
    variances: { label: 'Variances' },
  },
  checks: ({ scene }, p) => {
    const checks = sceneChecks(scene, 2);
    const there = scene.bands.filter((b) => b.kind === 'measure').length;
    if (there >= 2 && p.count > there)
      checks.push({
        level: 'look',
        code: 'components.count',
        about: 'count',
        message: `There are only ${there} bands, so there are ${there} components.`,
      });
    return checks;
  },
  estimate: ({ scene }, p) => ({
    cells: cellCount(scene.grid),
    bytes: 2 * blockBytes(scene.grid, scene.bands.length + p.count),
    seconds: (cellCount(scene.grid) * scene.bands.length ** 2) / 4e8 + 0.2,
  }),
  run: async ({ scene: given }, p, job) => {
    const scene = sceneOf(given);
    const b = scene.bands.length;
    const count = Math.min(b, Math.floor(p.count));
    const m = await sceneMoments(job, scene, (s) => s / 2);
    const covariance = covarianceOf(m);
    const sd = scene.bands.map((_, j) => Math.sqrt(covariance[j * b + j]!));
    const flat = sd.flatMap((s, j) => (s > 0 ? [] : [scene.names[j]!]));
    if (flat.length)
      job.note('look', 'components.flat', `The same value everywhere, so it says nothing: ${flat.join(', ')}.`);
    const scale = sd.map((s) => (p.standardise && s > 0 ? s : 1));
    const { values, vectors } = symmetricEigen(
      covariance.map((v, i) => v / (scale[Math.floor(i / b)]! * scale[i % b]!)),
      b,
    );
    const { grid } = given.head;
    const names = Array.from({ length: count }, (_, k) => `component ${k + 1}`);
    const held = { type: 'float32' as const, missing: null };
    const sink = job.raster('components', {
      grid,
      bands: names.map((name) => ({
        name,
        unit: null,
        kind: 'measure',
        storedType: 'float32',
        missingCode: null,
        role: 'difference',
        held,
      })),
    });
    const params = {
      mean: m.mean,
      weights: vectors.slice(0, count * b).map((w, i) => w / scale[i % b]!),
    };
    const types = names.map(() => 'float32' as const);
    await overRows(job, 'turning', grid, scene.inputs, componentRows, params, sink, types, (s) => 0.5 + s / 2);
    const whole = values.reduce((s, v) => s + Math.max(0, v), 0);
    const shares = Array.from(values, (v) => (whole > 0 ? Math.max(0, v) / whole : NaN));
    const loadings: Table = {
      kind: 'table',
      columns: [
        textColumn('band', [...scene.names, 'variance', 'share']),
        ...names.map((name, k) =>
          numberColumn(name, [...vectors.subarray(k * b, (k + 1) * b), values[k]!, shares[k]!]),
        ),
      ],
    };
    return {
      components: sink,
      loadings,
      figures: {
        explained: shares.slice(0, count).reduce((s, v) => s + v, 0),
        variances: Array.from(values.subarray(0, count), (v) => String(Number(v.toPrecision(10)))).join(', '),
      },
    };
  },
});

interface Turning {
  mean: Float64Array;
  /** count × b. */
  weights: Float64Array;
}

const componentRows = defineRowKernel('imagery.components', ({ mean, weights }: Turning, block) => {
  const b = block.inputs.length;
  const n = block.rows * block.width;
  const x = new Float32Array(n * b);
  const at = new Uint32Array(n);
  const found = completeVectors(block.inputs, x, at);
  block.out.forEach((out, k) => {
    out.fill(NaN);
    for (let i = 0, o = 0; i < found; i++, o += b) {
      let s = 0;
      for (let j = 0, w = k * b; j < b; j++, w++) s += (x[o + j]! - mean[j]!) * weights[w]!;
      out[at[i]!] = s;
    }
  });
});

import * as z from 'zod';
import { cellCount } from '../../data/raster';
import { numberColumn, textColumn, type Table } from '../../data/table';
import { defineMethod, input, output } from '../../method/define';
import { column } from '../../method/params';
import { blockBytes } from '../../method/rows';
import { comoments } from '../../numeric/comoments';
import { gaussianClass, separability as apart } from '../../numeric/gaussian';
import { columnChecks, columnOf } from '../features/common';
import { sceneChecks, sceneOf } from './scene';
import { namedClasses, trainingCells, vectorsOf } from './training';
import { suggestClass } from '../../data/class-column';
import { trainingChecks } from './learning';

export const separability = defineMethod({
  id: 'imagery.separability',
  version: 1,
  title: 'Separability',
  question: 'Can these classes be told apart?',
  about:
    'How far each two classes of examples lie apart in the bands of a scene, from 0 (they look the same) to 2 (always told apart): the Jeffries-Matusita distance and the transformed divergence, of their means and covariances. Under 1 they should be one class, above 1.8 they are told apart well (common practice, no source). A class of fewer cells than one more than there are bands has no covariance and is left out, as is one whose bands repeat each other.',
  keywords: [
    'jeffries-matusita',
    'bhattacharyya',
    'transformed divergence',
    'training areas',
    'signatures',
    'spectral distance',
  ],
  sources: ['Swain and Davis 1978', 'Richards 2013, doi:10.1007/978-3-642-30062-2, section 10.2'],
  inputs: {
    scene: input.raster({ label: 'Scene', bands: 'all', parts: true }),
    training: input.features({ label: 'Training areas' }),
  },
  params: z.object({ classColumn: column({ label: 'Class', of: 'training' }) }),
  outputs: { pairs: output.table('Separability') },
  figures: { least: { label: 'Least Jeffries-Matusita distance' } },
  checks: ({ scene, training }, p) => [
    ...sceneChecks(scene),
    ...trainingChecks(training),
    ...columnChecks(training, [p.classColumn], 'classColumn'),
  ],
  suggest: ({ training }) => ({ classColumn: suggestClass(training.columns) }),
  estimate: ({ scene }) => ({
    cells: cellCount(scene.grid),
    bytes: 2 * blockBytes(scene.grid, scene.bands.length + 2) + 2e7 * scene.bands.length,
    seconds: cellCount(scene.grid) / 5e7,
  }),
  run: async ({ scene: given, training }, p, job) => {
    const scene = sceneOf(given);
    const b = scene.bands.length;
    const named = namedClasses(columnOf(training.columns, p.classColumn, 'classColumn'), 'classColumn');
    const t = await trainingCells(job, scene, training, named, (s) => 0.9 * s);
    const classes = named.classes.map((c, k) => {
      const own = vectorsOf(t, k, b);
      const n = own.length / b;
      return { label: c.label, n, model: gaussianClass(comoments(own, n, b)) };
    });
    const left = classes.filter((c) => c.n > 0 && !c.model);
    if (left.length)
      job.note(
        'look',
        'training.few',
        `Too few cells for ${b} bands, or bands that repeat each other, so not compared: ${left.map((c) => `${c.label} (${c.n})`).join(', ')}.`,
      );
    const pairs = classes.flatMap((p1, i) =>
      classes
        .slice(i + 1)
        .flatMap((p2) => (p1.model && p2.model ? [{ a: p1.label, b: p2.label, ...apart(p1.model, p2.model) }] : [])),
    );
    const least = pairs.reduce((s, q) => Math.min(s, q.jeffriesMatusita), Infinity);
    const near = pairs.filter((q) => q.jeffriesMatusita < 1);
    if (near.length)
      job.note(
        'look',
        'training.alike',
        `Hardly told apart (under 1): ${near.map((q) => `${q.a} and ${q.b}`).join('; ')}.`,
      );
    const table: Table = {
      kind: 'table',
      columns: [
        textColumn(
          'a',
          pairs.map((q) => q.a),
        ),
        textColumn(
          'b',
          pairs.map((q) => q.b),
        ),
        numberColumn(
          'jeffriesMatusita',
          pairs.map((q) => q.jeffriesMatusita),
          '',
        ),
        numberColumn(
          'transformedDivergence',
          pairs.map((q) => q.transformedDivergence),
          '',
        ),
      ],
    };
    return { pairs: table, figures: { least: Number.isFinite(least) ? least : null } };
  },
});

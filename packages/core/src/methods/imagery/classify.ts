import * as z from 'zod';
import { plainHeld } from '../../data/cells';
import { plural, type Check } from '../../data/check';
import { cellCount, MISSING_CLASS, type BandInfo } from '../../data/raster';
import { numberColumn, textColumn, type Table } from '../../data/table';
import { defineMethod, input, output } from '../../method/define';
import { choice, column, number } from '../../method/params';
import { besideSinks, blockBytes, defineRowKernel, overRows } from '../../method/rows';
import { decider, type Decision, type Model } from '../../numeric/classifier';
import { comoments } from '../../numeric/comoments';
import { columnChecks, columnOf } from '../features/common';
import { suggestClass } from '../../data/class-column';
import { learned, trainingChecks } from './learning';
import { bandUnit, classBand, completeVectors, sceneChecks, sceneOf } from './scene';
import { countsOf, heldOut, namedClasses, taken, trainingCells, vectorsOf } from './training';

export const classify = defineMethod({
  id: 'imagery.classify',
  version: 1,
  title: 'Classify from examples',
  question: 'What is where, learned from examples?',
  about:
    'Gives every cell of a scene one of the classes of training areas or points. Minimum distance: the nearest class mean. Maximum likelihood: the class whose normal distribution makes the cell likeliest, classes weighted alike or as frequent as among the examples. Random forest: the majority of trees, each grown on examples drawn with replacement, with the root of the number of bands tried at each node. A share of the examples is held back and the map judged by it: whole areas where every class has four or more, since cells of one area are alike, else single cells; the model that makes the map has not seen them. Cells less sure than the rejected share stay without a class. Confidence is (d2 - d1) / d2 of the two nearest means, the probability of the class, or the share of trees.',
  keywords: [
    'supervised classification',
    'random forest',
    'maximum likelihood',
    'minimum distance',
    'land cover',
    'machine learning',
    'training',
  ],
  sources: [
    'Breiman 2001, doi:10.1023/A:1010933404324 (random forest)',
    'Richards 2013, doi:10.1007/978-3-642-30062-2, chapter 8 (maximum likelihood, minimum distance)',
  ],
  inputs: {
    scene: input.raster({ label: 'Scene', bands: 'all', parts: true }),
    training: input.features({ label: 'Training areas' }),
  },
  params: z.object({
    classColumn: column({ label: 'Class', of: 'training' }),
    method: choice(
      { minimumDistance: 'minimum distance', maximumLikelihood: 'maximum likelihood', randomForest: 'random forest' },
      { label: 'Method' },
    ).default('randomForest'),
    trees: number({ label: 'Trees', min: 1, max: 5000, when: { method: 'randomForest' } }).default(200),
    reject: number({
      label: 'Reject below',
      help: 'Cells less sure than this stay without a class.',
      min: 0,
      max: 1,
    }).default(0),
    holdOut: number({ label: 'Held back', help: 'Share of the examples to judge by.', min: 0, max: 0.9 }).default(0.3),
    priors: choice(
      { equal: 'all alike', training: 'as among the examples' },
      { label: 'Weights of the classes', when: { method: 'maximumLikelihood' } },
    ).default('equal'),
  }),
  serves: 'learn from examples',
  outputs: {
    classes: output.raster('Classes', undefined, { band: 'category' }),
    confidence: output.raster('Confidence', undefined, { band: 'measure', unit: 'a share' }),
    statistics: output.table('Statistics of the classes', 'statistics'),
  },
  figures: {
    classes: { label: 'Classes' },
    trainingCells: { label: 'Cells learned from' },
    holdOutAccuracy: { label: 'Right among those held back', unit: 'share' },
    unclassified: { label: 'Cells without a class' },
  },
  checks: ({ scene, training }, p): Check[] => [
    ...sceneChecks(scene),
    ...trainingChecks(training),
    ...columnChecks(training, [p.classColumn], 'classColumn'),
  ],
  suggest: ({ training }) => ({ classColumn: suggestClass(training.columns) }),
  estimate: ({ scene }, p) => {
    const n = cellCount(scene.grid);
    const b = scene.bands.length;
    const each = p.method === 'randomForest' ? p.trees * 6e-8 : 2e-8 * b;
    return {
      cells: n,
      bytes: 3 * blockBytes(scene.grid, b + 2) + 2e7 * b + (p.method === 'randomForest' ? 4e5 * p.trees : 0),
      seconds: 1 + n * each,
    };
  },
  run: async ({ scene: given, training }, p, job) => {
    const scene = sceneOf(given);
    const b = scene.bands.length;
    const { grid } = given.head;
    const named = namedClasses(columnOf(training.columns, p.classColumn, 'classColumn'), 'classColumn');
    const k = named.classes.length;
    const t = await trainingCells(job, scene, training, named, (s) => 0.1 * s);
    const { learn, held, by } = heldOut(t, p.holdOut, k, job.random);
    const examples = taken(t, learn, b);
    const l = { method: p.method, trees: Math.floor(p.trees), priors: p.priors };
    const { model, of } = await learned(job, examples, b, named.classes, l, (s) => 0.1 + 0.3 * s);
    // Held-back cells, judged.
    const counts = countsOf(examples.classes, k);
    const heldCounts = new Array<number>(k).fill(0);
    const right = new Array<number>(k).fill(0);
    const d: Decision = { class: 0, confidence: 0 };
    const decide = decider(model, b, d);
    for (const i of held) {
      const c = t.classes[i]!;
      heldCounts[c]!++;
      decide(t.x, i * b);
      if (of[d.class] === c && d.confidence >= p.reject) right[c]!++;
    }
    if (held.length && by === 'cell')
      job.note(
        'look',
        'training.cells',
        'Single cells are held back, as some class has fewer than four areas: neighbours of one area are alike, so the share that is right is too good.',
      );
    const few = named.classes.filter((_, c) => counts[c]! > 0 && counts[c]! < 10 * b);
    if (few.length)
      job.note(
        'look',
        'training.few',
        `Few examples (under ten a band): ${few.map((c) => `${c.label} ${counts[named.classes.indexOf(c)]}`).join(', ')}.`,
      );
    const classes = of.map((c) => named.classes[c]!);
    const band = classBand('class', classes);
    const sink = job.raster('classes', { grid, bands: [{ ...band, held: plainHeld(band) }] });
    const sure: BandInfo = { name: 'confidence', unit: '', kind: 'measure', storedType: 'float32', missingCode: null };
    const second = job.raster('confidence', { grid, bands: [{ ...sure, held: plainHeld(sure) }] });
    // One pass for both results.
    const both = besideSinks([sink, second]);
    const params: Classifying = { model, values: classes.map((c) => c.value), reject: p.reject };
    const told = await overRows(
      job,
      'classifying',
      grid,
      scene.inputs,
      classifyRows,
      params,
      both,
      ['int32', 'float32'],
      (s) => 0.4 + 0.6 * s,
    );
    const cells = new Array<number>(classes.length).fill(0);
    let unclassified = 0;
    for (const q of told) {
      q.cells.forEach((n, c) => (cells[c]! += n));
      unclassified += q.rejected;
    }
    if (unclassified)
      job.note(
        'info',
        'classify.rejected',
        `${plural(unclassified, 'cell')} are less sure than ${p.reject} and stay without a class.`,
      );
    const moments = of.map((c) => comoments(vectorsOf(examples, c, b), counts[c]!, b));
    const statistics: Table = {
      kind: 'table',
      columns: [
        numberColumn(
          'class',
          classes.map((c) => c.value),
        ),
        textColumn(
          'label',
          classes.map((c) => c.label),
        ),
        numberColumn(
          'trainingCells',
          of.map((c) => counts[c]!),
        ),
        numberColumn(
          'heldOutCells',
          of.map((c) => heldCounts[c]!),
        ),
        numberColumn(
          'heldOutRight',
          of.map((c) => (heldCounts[c] ? right[c]! / heldCounts[c] : NaN)),
          '',
        ),
        numberColumn('cells', cells),
        ...scene.names.map((name, j) =>
          numberColumn(
            `mean_${name}`,
            moments.map((m) => m.mean[j]!),
            bandUnit(scene, j),
          ),
        ),
        ...scene.names.map((name, j) =>
          numberColumn(
            `sd_${name}`,
            moments.map((m) => (m.n > 1 ? Math.sqrt(m.products[j * b + j]! / (m.n - 1)) : NaN)),
            bandUnit(scene, j),
          ),
        ),
      ],
    };
    return {
      classes: sink,
      confidence: second,
      statistics,
      figures: {
        classes: classes.length,
        trainingCells: learn.length,
        holdOutAccuracy: held.length ? right.reduce((s, n) => s + n, 0) / held.length : null,
        unclassified,
      },
    };
  },
});

interface Classifying {
  model: Model;
  /** Number of each class of the model. */
  values: number[];
  reject: number;
}

const classifyRows = defineRowKernel('imagery.classify', ({ model, values, reject }: Classifying, block) => {
  const b = block.inputs.length;
  const n = block.rows * block.width;
  const x = new Float32Array(n * b);
  const at = new Uint32Array(n);
  const found = completeVectors(block.inputs, x, at);
  const [classes, sure] = [block.out[0]!.fill(MISSING_CLASS), block.out[1]!.fill(NaN)];
  const d: Decision = { class: 0, confidence: 0 };
  const decide = decider(model, b, d);
  const cells = new Array<number>(values.length).fill(0);
  let rejected = 0;
  for (let i = 0, o = 0; i < found; i++, o += b) {
    decide(x, o);
    sure[at[i]!] = d.confidence;
    if (d.confidence < reject) rejected++;
    else {
      classes[at[i]!] = values[d.class]!;
      cells[d.class]!++;
    }
  }
  return { cells, rejected };
});

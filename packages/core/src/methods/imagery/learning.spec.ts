import { FeaturesBuilder, type Features } from '../../data/features';
import { MISSING_CLASS, type Raster } from '../../data/raster';
import { numberColumn, textColumn, type Table } from '../../data/table';
import { iris, reference } from '../../numeric/imagery-fixture';
import { Random } from '../../numeric/random';
import { refusalOf, run } from '../../testing';
import { sceneOf } from './scenes';

const SPECIES = ['setosa', 'versicolor', 'virginica'];
const flowers = sceneOf(15, iris, 4);
const [X, Y] = [400000, 6460000];

/** Points in the middle of cells of a scene. */
function pointsAt(columns: number, cells: readonly number[], classes: string[]): Features {
  const b = new FeaturesBuilder();
  for (const i of cells) b.point(X + 10 * (i % columns) + 5, Y - 10 * Math.floor(i / columns) - 5);
  return b.build('point', flowers.grid.crs, [textColumn('species', classes)]);
}
const everyFlower = pointsAt(
  15,
  reference.iris.y.map((_, i) => i),
  reference.iris.y.map((c) => SPECIES[c]!),
);
/** Rectangles of cells: columns and rows from and to (not with). */
function boxes(of: { c: [number, number]; r: [number, number]; class: string }[]): Features {
  const b = new FeaturesBuilder();
  for (const { c, r } of of) {
    for (const [x, y] of [
      [c[0], r[0]],
      [c[1], r[0]],
      [c[1], r[1]],
      [c[0], r[1]],
      [c[0], r[0]],
    ] as const)
      b.coordinate(X + 10 * x, Y - 10 * y);
    b.endRing();
    b.endPart();
    b.endFeature();
  }
  return b.build('polygon', flowers.grid.crs, [
    textColumn(
      'class',
      of.map((o) => o.class),
    ),
  ]);
}

/** Stripes of three kinds of ground, ten columns each. */
function stripes(): Raster {
  const r = new Random(8);
  const kinds = [
    [20, 40, 60],
    [30, 70, 50],
    [80, 60, 20],
  ];
  return sceneOf(
    30,
    Array.from({ length: 900 }, (_, i) => kinds[Math.floor((i % 30) / 10)]!.map((v) => v + 3 * r.normal())).flat(),
    3,
  );
}
const areas = boxes(
  [0, 1, 2].flatMap((k) =>
    [0, 1, 2, 3].map((q) => ({
      c: [10 * k + 2, 10 * k + 6] as [number, number],
      r: [7 * q + 1, 7 * q + 5] as [number, number],
      class: ['water', 'meadow', 'bare'][k]!,
    })),
  ),
);
const cellsOf = (o: Awaited<ReturnType<typeof run>>, role: string): number[] => [
  ...(o.outputs.find((x) => x.role === role)!.data as Raster).bands[0]!.cells,
];
const note = (o: Awaited<ReturnType<typeof run>>): string[] => o.notes.map((n) => n.code);

describe('imagery.separability', () => {
  it('is that of NumPy for the irises', async () => {
    const o = await run('imagery.separability', { scene: flowers, training: everyFlower }, { classColumn: 'species' });
    const t = o.outputs[0]!.data as Table;
    const jm = t.columns.find((c) => c.name === 'jeffriesMatusita')!.values as Float64Array;
    const td = t.columns.find((c) => c.name === 'transformedDivergence')!.values as Float64Array;
    reference.apart.forEach((wanted, i) => {
      expect(t.columns[0]!.values[i]).toBe(SPECIES[wanted.a]!);
      expect(t.columns[1]!.values[i]).toBe(SPECIES[wanted.b]!);
      expect(jm[i]).toBeCloseTo(wanted.jm, 5);
      expect(td[i]).toBeCloseTo(wanted.td, 5);
    });
    expect(o.figures['least']).toBeCloseTo(reference.apart[2]!.jm, 5);
  });

  it('leaves out a class of two cells, and says so', async () => {
    const few = pointsAt(
      15,
      [0, 1, ...Array.from({ length: 80 }, (_, i) => 60 + i)],
      ['rare', 'rare', ...Array.from({ length: 80 }, (_, i) => (i < 40 ? 'b' : 'c'))],
    );
    const o = await run('imagery.separability', { scene: flowers, training: few }, { classColumn: 'species' });
    expect(note(o)).toContain('training.few');
    expect((o.outputs[0]!.data as Table).columns[0]!.values.length).toBe(1);
  });
});

describe('imagery.classify', () => {
  it('by maximum likelihood is scikit-learn’s quadratic discriminant, cell by cell, with its probabilities', async () => {
    const o = await run(
      'imagery.classify',
      { scene: flowers, training: everyFlower },
      { classColumn: 'species', method: 'maximumLikelihood', holdOut: 0 },
    );
    expect(cellsOf(o, 'classes')).toEqual(reference.likelihood.classes.map((c) => c + 1));
    const sure = cellsOf(o, 'confidence');
    reference.likelihood.posterior.forEach((p, k) => expect(sure[10 * k]).toBeCloseTo(Math.max(...p), 4));
    expect(o.figures).toEqual(
      jasmine.objectContaining({ classes: 3, trainingCells: 150, holdOutAccuracy: null, unclassified: 0 }),
    );
  });

  for (const method of ['minimumDistance', 'maximumLikelihood', 'randomForest'])
    it(`learns stripes of ground from areas, by ${method}`, async () => {
      const o = await run('imagery.classify', { scene: stripes(), training: areas }, { method, trees: 60 });
      const classes = cellsOf(o, 'classes');
      // In the order of their names: bare, meadow, water.
      const right = classes.filter((c, i) => c === 3 - Math.floor((i % 30) / 10)).length;
      expect(right / 900).toBeGreaterThan(0.98);
      expect(o.figures['holdOutAccuracy']).toBeGreaterThan(0.95);
      // Four areas of 16 cells a class: one of them is held back whole.
      expect(o.figures['trainingCells']).toBe(3 * 48);
      expect(note(o)).not.toContain('training.cells');
      const t = o.outputs[2]!.data as Table;
      expect(t.columns.slice(0, 6).map((c) => c.name)).toEqual([
        'class',
        'label',
        'trainingCells',
        'heldOutCells',
        'heldOutRight',
        'cells',
      ]);
      expect(t.columns[1]!.values).toEqual(['bare', 'meadow', 'water']);
      expect((t.columns.find((c) => c.name === 'mean_band 2')!.values as Float64Array)[1]).toBeCloseTo(70, -0.5);
    });

  it('is the same from the same seed, and rejects what is not sure', async () => {
    const scene = stripes();
    const params = { trees: 31, reject: 0.9 };
    const [a, b] = [
      await run('imagery.classify', { scene, training: areas }, params),
      await run('imagery.classify', { scene, training: areas }, params),
    ];
    expect(cellsOf(a, 'classes')).toEqual(cellsOf(b, 'classes'));
    const sure = cellsOf(a, 'confidence');
    const rejected = sure.filter((v) => v < 0.9).length;
    expect(a.figures['unclassified']).toBe(rejected);
    expect(cellsOf(a, 'classes').filter((c) => c === MISSING_CLASS).length).toBe(rejected);
  });

  it('keeps numbers of classes, and says what examples lack', async () => {
    const scene = stripes();
    const numbered = { ...areas, columns: [numberColumn('class', [7, 7, 7, 7, 2, 2, 2, 2, 2, 2, 2, 2])] };
    const o = await run('imagery.classify', { scene, training: numbered }, { method: 'minimumDistance' });
    expect([...new Set(cellsOf(o, 'classes'))].sort()).toEqual([2, 7]);
    const three = boxes([
      { c: [1, 5], r: [1, 9], class: 'water' },
      { c: [11, 15], r: [1, 9], class: 'meadow' },
      { c: [12, 14], r: [2, 4], class: 'bare' },
      { c: [900, 910], r: [2, 4], class: 'far' },
    ]);
    const p = await run('imagery.classify', { scene, training: three }, { method: 'minimumDistance' });
    // Four cells are claimed by meadow and bare; bare has none left.
    expect(note(p)).toEqual(jasmine.arrayContaining(['training.clash', 'training.none', 'training.cells']));
  });

  it('refuses what cannot be learned from, in words', async () => {
    const scene = stripes();
    const why = async (training: Features, params = {}) =>
      (await refusalOf(run('imagery.classify', { scene, training }, params))).message;
    const two = boxes([
      { c: [1, 5], r: [1, 9], class: 'water' },
      { c: [11, 13], r: [1, 2], class: 'meadow' },
    ]);
    expect(await why(two, { method: 'maximumLikelihood', holdOut: 0 })).toContain('meadow has 2');
    expect(await why(boxes([{ c: [1, 5], r: [1, 9], class: 'water' }]))).toContain('Only "water"');
    expect(await why(boxes([{ c: [900, 905], r: [1, 9], class: 'water' }]))).toContain('No example lies');
    expect(await why({ ...areas, columns: [numberColumn('class', Array(12).fill(0.5))] })).toContain(
      'whole numbers from 1',
    );
    const b = new FeaturesBuilder();
    for (const [x, y] of [
      [X, Y],
      [X + 50, Y],
    ] as const)
      b.coordinate(x, y);
    b.endRing();
    b.endPart();
    b.endFeature();
    expect(await why(b.build('line', scene.grid.crs, [textColumn('class', ['a'])]))).toContain('these are lines');
  });
});

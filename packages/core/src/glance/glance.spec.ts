import fc from 'fast-check';
import { FeaturesBuilder } from '../data/features';
import { handleOn, type AnyHandle } from '../data/kinds';
import { MISSING_CLASS, type Raster } from '../data/raster';
import { textColumn } from '../data/table';
import { LocalJob } from '../method/job';
import { clusterCounts } from '../numeric/cluster-counts';
import { examplePlaces } from '../numeric/example-places';
import { iris, reference } from '../numeric/imagery-fixture';
import { Random } from '../numeric/random';
import { gridOf, refusalOf } from '../testing';
import { glanceAt } from './glance';
import { glanceOf } from './registry';
import type { Spectra } from './spectra';

const ask = async <A>(id: string, inputs: Record<string, Raster>, params: Record<string, unknown> = {}): Promise<A> => {
  const handles: Record<string, AnyHandle> = {};
  for (const [role, r] of Object.entries(inputs)) handles[role] = handleOn(r);
  return (await glanceAt(glanceOf(id), handles, params, new LocalJob())) as A;
};

/** Two bands of 4 × 3 cells, 10 m each, from 400000, 6460000 down; the second lacks its last cell. */
const a = [1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12];
const scene: Raster = {
  kind: 'raster',
  grid: gridOf(4, 3),
  bands: [
    {
      name: 'red',
      unit: '',
      kind: 'measure',
      storedType: 'float32',
      missingCode: null,
      role: 'red',
      wavelength: 660,
      cells: Float32Array.from(a),
    },
    {
      name: 'nir',
      unit: '',
      kind: 'measure',
      storedType: 'float32',
      missingCode: null,
      cells: Float32Array.from(a, (v) => (v === 12 ? NaN : 100 - v)),
    },
  ],
};
const classes: Raster = {
  kind: 'raster',
  grid: scene.grid,
  bands: [
    {
      name: 'c',
      unit: null,
      kind: 'category',
      storedType: 'uint8',
      missingCode: null,
      classes: [{ value: 2, label: 'reed', colour: null }],
      cells: Int32Array.from([1, 1, 2, 2, 1, 1, 2, 2, MISSING_CLASS, MISSING_CLASS, 2, 2]),
    },
  ],
};

describe('the glance at spectra', () => {
  it('tells mean and spread of classes from the cells that are whole', async () => {
    const s = await ask<Spectra>('imagery.spectra', { scene, classes });
    expect(s.bands.map((b) => [b.name, b.role, b.wavelength])).toEqual([
      ['red', 'red', 660],
      ['nir', null, null],
    ]);
    // Class 1 has 1, 2, 5, 6; class 2 has 3, 4, 7, 8, 11 (12 lacks a band).
    expect(s.groups.map((g) => [g.key, g.label, g.n])).toEqual([
      [1, '1', 4],
      [2, 'reed', 5],
    ]);
    expect(s.groups[0]!.mean).toEqual([3.5, 96.5]);
    expect(s.groups[0]!.sd[0]).toBeCloseTo(Math.sqrt(17 / 3), 12);
    expect(s.groups[1]!.mean[0]).toBeCloseTo(33 / 5, 12);
    expect(s.share).toBe(1);
  });

  it('of an area takes the cells whose centre lies in it, of a place its cell; beside the scene there is none', async () => {
    const [x, y] = [400_000, 6_460_000];
    const ring = [
      [x, y],
      [x + 20, y],
      [x + 20, y - 20],
      [x, y - 20],
    ];
    const s = await ask<Spectra>(
      'imagery.spectra',
      { scene },
      {
        areas: [{ label: 'corner', ring }],
        places: [
          [x + 35, y - 15],
          [x - 5, y],
        ],
        crs: 'EPSG:32627',
      },
    );
    expect(s.groups.map((g) => [g.label, g.n, g.mean[0]])).toEqual([
      ['corner', 4, 3.5],
      ['1', 1, 8],
      ['2', 0, 0],
    ]);
  });

  it('refuses classes on another grid, a scene of classes, and what is no outline', async () => {
    const other = { ...classes, grid: gridOf(4, 3, 20) };
    expect((await refusalOf(ask('imagery.spectra', { scene, classes: other }))).message).toContain('one grid');
    expect((await refusalOf(ask('imagery.spectra', { scene: classes }))).message).toContain('no band of measured');
    expect((await refusalOf(ask('imagery.spectra', {}))).path).toBe('scene');
    const bad = await refusalOf(ask('imagery.spectra', { scene }, { areas: [{ label: 'x', ring: [[0, 0]] }] }));
    expect([bad.code, bad.path]).toEqual(['method.parameter', 'areas.0.ring']);
    expect(() => glanceOf('imagery.nothing')).toThrowError(/no glance/);
  });
});

describe('example places', () => {
  it('lie in the middle of squares of their class, as large as any (random grids against counting)', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 9 }),
        fc.integer({ min: 1, max: 9 }),
        fc.integer(),
        (columns, rows, seed) => {
          const r = new Random(seed >>> 0);
          const cells = Int32Array.from({ length: columns * rows }, () =>
            r.uniform() < 0.1 ? MISSING_CLASS : r.below(2),
          );
          const square = (c: number, y: number, side: number): boolean =>
            c >= 0 &&
            y >= 0 &&
            c + side <= columns &&
            y + side <= rows &&
            Array.from(
              { length: side * side },
              (_, i) => cells[(y + Math.floor(i / side)) * columns + c + (i % side)],
            ).every((v) => v === cells[y * columns + c]);
          const found = examplePlaces(cells, columns, MISSING_CLASS, 3);
          for (const v of [0, 1]) {
            let most = 0;
            for (let i = 0; i < cells.length; i++)
              for (let s = 1; cells[i] === v && square(i % columns, Math.floor(i / columns), s); s++)
                most = Math.max(most, s);
            expect(found.get(v)?.[0]?.side ?? 0).toBe(most);
            for (const p of found.get(v) ?? []) expect(cells[p.row * columns + p.column]).toBe(v);
          }
        },
      ),
      { numRuns: 60 },
    );
  });

  it('are told in the system of the grid', async () => {
    const got = await ask<{ classes: { value: number; places: object[] }[] }>('imagery.examplePlaces', { classes });
    expect(got.classes.map((c) => [c.value, c.places[0]])).toEqual([
      [1, { x: 400_015, y: 6_459_985, side: 2 }],
      [2, { x: 400_035, y: 6_459_985, side: 2 }],
    ]);
  });
});

describe('the number of clusters', () => {
  it('is judged by the index of Caliński and Harabasz, as scikit-learn works it out for Fisher’s iris', () => {
    const all = clusterCounts({ x: iris, b: 4 }, 2, 5, new Random(1), 10);
    // The best of ten starts is not the same one for every k: ours may only be as good or a little better.
    for (const c of all) expect(c.index / reference.calinski[c.k]!).toBeCloseTo(1, 2);
    for (const c of all) expect(c.index / reference.calinski[c.k]!).toBeGreaterThan(1 - 1e-6);
    expect(all[1]!.index).toBeCloseTo(reference.calinski['3']!, 4);
  });

  it('is advised from a sample of the scene; of one kind of cell there is nothing to advise', async () => {
    type Counts = { sample: number; counts: { k: number }[]; advised: { k: number } | null };
    const r = new Random(4);
    const kinds = [10, 50, 90];
    const cells = (): Float32Array => Float32Array.from({ length: 3000 }, (_, i) => kinds[i % 3]! + r.normal());
    const of = (...all: Float32Array[]): Raster => ({
      kind: 'raster',
      grid: gridOf(60, 50),
      bands: all.map((c) => ({ ...scene.bands[0]!, cells: c })),
    });
    const got = await ask<Counts>('imagery.clusterCounts', { scene: of(cells(), cells()) }, { to: 6 });
    expect(got.sample).toBe(2000);
    expect(got.advised!.k).toBe(3);
    const flat = await ask<Counts>('imagery.clusterCounts', { scene: of(new Float32Array(3000).fill(7)) });
    expect([flat.counts.length, flat.advised]).toEqual([0, null]);
  });
});

describe('the places of a cell of an error matrix', () => {
  it('are those mapped so and found so, in the order of the reference', async () => {
    const b = new FeaturesBuilder();
    const at = [
      [5, 5],
      [25, 5],
      [15, 15],
      [35, 25],
      [5, 25],
      [35, 15],
    ];
    for (const [x, y] of at) b.point(400_000 + x!, 6_460_000 - y!);
    // The fifth lies where the map has no class; the last was left undecided.
    const found = b.build('point', scene.grid.crs, [textColumn('seen', ['Reed', 'reed', '1', 'reed', 'reed', ''])]);
    const handles = { classes: handleOn(classes), reference: handleOn(found) };
    const rows = async (mapped: string | null, as: string | null): Promise<number[]> => {
      const p = { classColumn: 'seen', mapped, found: as };
      return ((await glanceAt(glanceOf('imagery.matrixPlaces'), handles, p, new LocalJob())) as { rows: number[] })
        .rows;
    };
    expect(await rows('reed', 'reed')).toEqual([1, 3]);
    expect(await rows(null, 'reed')).toEqual([0, 1, 3]);
    expect(await rows('1', null)).toEqual([0, 2]);
    expect(await rows('reed', '1')).toEqual([]);
  });
});

describe('the glance at examples', () => {
  it('tells how far classes lie apart, and which have too few cells', async () => {
    const r = new Random(7);
    const cells = [20, 60].map((m) =>
      Float32Array.from({ length: 800 }, (_, i) => (i % 40 < 20 ? m : 40) + 2 * r.normal()),
    );
    const two: Raster = {
      kind: 'raster',
      grid: gridOf(40, 20),
      bands: cells.map((c, k) => ({ ...scene.bands[k]!, cells: c })),
    };
    const box = (c0: number, c1: number, rows = 10): number[][] => {
      const [w, e, n, s] = [400_000 + 10 * c0, 400_000 + 10 * c1, 6_460_000, 6_460_000 - 10 * rows];
      return [
        [w, n],
        [e, n],
        [e, s],
        [w, s],
      ];
    };
    const areas = [
      { label: 'moor', ring: box(0, 10) },
      { label: 'reed', ring: box(25, 35) },
      { label: 'moor', ring: box(11, 15) },
      { label: 'lake', ring: box(36, 37, 1) },
    ];
    type Told = {
      classes: { label: string; cells: number; mean: number[] }[];
      pairs: { jeffriesMatusita: number }[];
      few: string[];
    };
    const got = await ask<Told>('imagery.examples', { scene: two }, { areas });
    expect(got.classes.map((c) => [c.label, c.cells])).toEqual([
      ['moor', 140],
      ['reed', 100],
      ['lake', 1],
    ]);
    expect(got.classes[0]!.mean[0]).toBeCloseTo(20, 0);
    expect(got.pairs.length).toBe(1);
    expect(got.pairs[0]!.jeffriesMatusita).toBeGreaterThan(1.9);
    expect(got.few).toEqual(['lake']);
    expect((await ask<Told>('imagery.examples', { scene: two }, { areas: [] })).classes).toEqual([]);
  });
});

import { readFileSync } from 'node:fs';
import { setupNode } from '@helk/node';
import { attributeOf, classesOf, pointCount, takePoints, withClasses, type Cloud } from '../../data/cloud';
import { crsFromProj4, crsOfCode, wgs84 } from '../../data/crs';
import { FeaturesBuilder, featureCount, type Features } from '../../data/features';
import type { Raster } from '../../data/raster';
import type { Table } from '../../data/table';
import { numberColumn } from '../../data/table';
import { LocalJob } from '../../method/job';
import { opening } from '../../numeric/ground';
import { leastEigenvalue, meanDistances, overPoints, roughness } from './neighbourhood';
import { outlineArea, wallDirection, withoutSteps, type Outline } from '../../numeric/footprint';
import { refusalOf, run, runRaster } from '../../testing';
import { inMetres } from './common';
import { smallScene } from './scene-fixture';

setupNode();

interface Reference {
  x: number[];
  y: number[];
  z: number[];
  cls: number[];
  intensity: number[];
  grid: { x: number; y: number; columns: number; rows: number };
  max: (number | null)[];
  min: (number | null)[];
  mean: (number | null)[];
  median: (number | null)[];
  count: number[];
  tin: (number | null)[];
  neighbours: number[];
  least: number[];
  surface: number[];
  openings: Record<string, number[]>;
  overlaps: { a: [number, number][]; pairs: { b: [number, number][]; iou: number }[] };
}
/** Values of NumPy, SciPy and Shapely (`reference/cloud/scipy_values.py`). */
const reference = JSON.parse(
  readFileSync(new URL('../../../../../reference/fixtures/cloud.json', import.meta.url), 'utf8'),
) as Reference;

/** The points of the reference, in centimetres of a system whose coordinates are small. */
const scattered: Cloud = {
  kind: 'cloud',
  crs: crsFromProj4('+proj=tmerc +lat_0=0 +lon_0=-21 +k=1 +x_0=0 +y_0=0 +datum=WGS84 +units=m +no_defs', 'own'),
  heightUnit: 'm',
  scale: [0.01, 0.01, 0.01],
  offset: [0, 0, 0],
  x: Int32Array.from(reference.x, (v) => Math.round(v * 100)),
  y: Int32Array.from(reference.y, (v) => Math.round(v * 100)),
  z: Int32Array.from(reference.z, (v) => Math.round(v * 100)),
  attributes: [
    { name: 'classification', type: 'uint8', unit: null, values: Uint8Array.from(reference.cls) },
    { name: 'intensity', type: 'uint16', unit: null, values: Uint16Array.from(reference.intensity) },
  ],
};
const out = (o: Awaited<ReturnType<typeof run>>, k = 0): Cloud => o.outputs[k]!.data as Cloud;
const column = (f: Features | Table, name: string): number[] => [
  ...(f.columns.find((c) => c.name === name)!.values as Float64Array),
];

describe('points to a grid', () => {
  const agrees = (r: Raster, expected: readonly (number | null)[], tolerance = 1e-5): void => {
    const { grid: g, bands } = r;
    expect([g.x, g.y, g.columns, g.rows]).toEqual([
      reference.grid.x,
      reference.grid.y,
      reference.grid.columns,
      reference.grid.rows,
    ]);
    const off = expected.filter((v, i) => {
      const own = bands[0]!.cells[i]!;
      return v === null ? own === own : !(Math.abs(own - v) <= tolerance);
    });
    expect(off.length).toBe(0);
  };

  it('bins as NumPy does: lowest, highest, mean, median, number', async () => {
    const make = async (params: object): Promise<Raster> =>
      (await runRaster('cloud.grid', { cloud: scattered }, { cellSize: '2 m', ...params })).out;
    agrees(await make({ statistic: 'max', classes: '2,5,6' }), reference.max);
    agrees(await make({ statistic: 'min', classes: '5' }), reference.min);
    agrees(await make({ statistic: 'mean', value: 'intensity' }), reference.mean, 1e-3);
    agrees(await make({ statistic: 'median', classes: '2,5,6' }), reference.median);
    agrees(await make({ value: 'count' }), reference.count);
  });

  it('lays triangles as SciPy does, over the ground by default', async () => {
    const { out: r, outcome } = await runRaster('cloud.grid', { cloud: scattered }, { cellSize: '2 m' });
    agrees(r, reference.tin, 1e-4);
    expect(outcome.params).toEqual(jasmine.objectContaining({ classes: '2', statistic: 'tin' }));
    expect(r.bands[0]!.unit).toBe('m');
    expect(outcome.figures['missingCells']).toBe(reference.tin.filter((v) => v === null).length);
  });

  it('fills gaps no further than is said, and gives the class that most points have', async () => {
    const two = { cellSize: '1 m', statistic: 'max', classes: '6' };
    const plain = await runRaster('cloud.grid', { cloud: scattered }, two);
    const some = await runRaster('cloud.grid', { cloud: scattered }, { ...two, maxGap: '2 m' });
    const all = await runRaster('cloud.grid', { cloud: scattered }, { ...two, maxGap: '100 m' });
    const missing = [plain, some, all].map((r) => r.outcome.figures['missingCells'] as number);
    expect(missing[0]).toBeGreaterThan(missing[1]!);
    expect(missing[1]).toBeGreaterThan(0);
    expect(missing[2]).toBe(0);
    const { out: classes } = await runRaster('cloud.grid', { cloud: scattered }, { cellSize: '40 m', value: 'class' });
    expect(classes.bands[0]!.kind).toBe('category');
    expect([...classes.bands[0]!.cells]).toEqual([2]);
    expect(classes.bands[0]!.classes!.map((c) => c.label)).toEqual(['ground', 'high vegetation', 'building']);
  });

  it('suggests a cell of one and a half spacings, rounded', async () => {
    // 0.1 m apart -> 0.15 m (common practice, no source).
    const dense = { ...scattered, crs: crsOfCode(32627), scale: [0.1, 0.1, 0.1] as [number, number, number] };
    dense.x = Int32Array.from({ length: 600 }, (_, i) => i % 30);
    dense.y = Int32Array.from({ length: 600 }, (_, i) => Math.floor(i / 30));
    const { outcome } = await runRaster('cloud.grid', { cloud: dense }, { value: 'count' });
    expect(outcome.params['cellSize']).toBe('0.15 m');
  });
});

describe('neighbours of points', () => {
  it('are as far as SciPy’s tree has them, and as even as NumPy’s eigenvalues say', async () => {
    const p = inMetres(scattered);
    const far = await overPoints(new LocalJob(), '', meanDistances, p, 1, 8, 100);
    expect(far.every((d, i) => Math.abs(d - reference.neighbours[i]!) < 1e-5)).toBeTrue();
    const rough = await overPoints(new LocalJob(), '', roughness, p, 1, 12, 100);
    expect(rough.every((d, i) => Math.abs(d - Math.sqrt(Math.max(0, reference.least[i]!))) < 1e-4)).toBeTrue();
    expect(leastEigenvalue(2, 0, 0, 3, 0, 5)).toBeCloseTo(2, 12);
    expect(leastEigenvalue(4, 0, 0, 4, 0, 4)).toBe(4);
  });

  it('tell birds and echoes from below', async () => {
    const { bare } = smallScene(14_400);
    const z = bare.z.slice();
    const odd = [100, 5000, 9000, 12_000];
    odd.forEach((i, k) => (z[i] = k % 2 ? 9000 : -500));
    const cleaned = await run('cloud.noise', { cloud: { ...bare, z } });
    const classes = classesOf(out(cleaned));
    expect(odd.map((i) => classes[i])).toEqual([7, 18, 7, 18]);
    expect(cleaned.figures['noise'] as number).toBeLessThan(20);
    expect([cleaned.figures['low'], cleaned.figures['high']].every((v) => (v as number) >= 2)).toBeTrue();
  });
});

describe('an opening', () => {
  it('is scipy.ndimage’s, whatever the window', () => {
    const values = Float64Array.from(reference.surface);
    for (const half of [1, 2, 4])
      expect([...opening(values, 23, 17, half)])
        .withContext(`${half}`)
        .toEqual(reference.openings[half]!);
  });
});

describe('ground', () => {
  const scene = smallScene(57_600);
  const truth = classesOf(scene.cloud);
  /** Errors after Sithole and Vosselman 2004, doi:10.1016/j.isprsjprs.2004.05.004: ground taken away, what is none taken for it, both. */
  function errors(c: Cloud): { one: number; two: number; total: number } {
    const found = classesOf(c);
    let [ground, one, two] = [0, 0, 0];
    truth.forEach((k, i) => {
      if (k === 2) {
        ground++;
        if (found[i] !== 2) one++;
      } else if (found[i] === 2) two++;
    });
    return { one: one / ground, two: two / (truth.length - ground), total: (one + two) / truth.length };
  }

  for (const method of ['cloth', 'morphological', 'tin'])
    it(`is found with a total error below 3 %: ${method}`, async () => {
      const made = await run('cloud.classifyGround', { cloud: scene.bare }, { method });
      const e = errors(out(made));
      expect(e.total).withContext(JSON.stringify(e)).toBeLessThan(0.03);
      expect(made.figures['groundShare']).toBeCloseTo((made.figures['ground'] as number) / truth.length, 9);
      // All else stays: order, places, other attributes.
      expect(out(made).x).toEqual(scene.bare.x);
      expect(attributeOf(out(made), 'intensity')).toEqual(attributeOf(scene.bare, 'intensity'));
    });

  it('is the same in feet', async () => {
    const feet = crsFromProj4('+proj=utm +zone=27 +datum=WGS84 +units=us-ft +no_defs', 'feet');
    const k = 3937 / 1200;
    const inFeet: Cloud = {
      ...scene.bare,
      crs: feet,
      heightUnit: 'us-ft',
      scale: [0.01 * k, 0.01 * k, 0.01 * k],
      offset: [scene.bare.offset[0] * k, scene.bare.offset[1] * k, 0],
    };
    const a = await run('cloud.classifyGround', { cloud: scene.bare }, { cellSize: '1.5 m' });
    const b = await run('cloud.classifyGround', { cloud: inFeet }, { cellSize: '1.5 m' });
    expect(Math.abs((a.figures['ground'] as number) - (b.figures['ground'] as number))).toBeLessThan(60);
    const lifted = await run('cloud.heightAboveGround', { cloud: withClasses(inFeet, truth.slice()) });
    const metres = await run('cloud.heightAboveGround', { cloud: scene.cloud });
    expect(lifted.figures['max'] as number).toBeCloseTo((metres.figures['max'] as number) * k, 2);
    expect(attributeOf(out(metres), 'heightAboveGround')!.length).toBe(truth.length);
  });

  it('lets vegetation and buildings be told apart, those be measured, and be held against what is there', async () => {
    const ground = await run('cloud.classifyGround', { cloud: scene.bare });
    const above = await run('cloud.classifyAbove', { cloud: out(ground) });
    const trees = await run('cloud.trees', { cloud: out(above) });
    const buildings = await run('cloud.buildings', { cloud: out(above) });
    const [x0, y0] = scene.cloud.offset;
    const b = new FeaturesBuilder();
    for (const t of scene.trees) b.point(x0 + t.x, y0 + t.y);
    const really = b.build('point', scene.cloud.crs, [
      numberColumn(
        'height',
        scene.trees.map((t) => t.height),
        'm',
      ),
    ]);
    const t = await run('cloud.agreement', { found: trees.outputs[0]!.data, reference: really });
    expect(t.figures['recall'] as number).toBeGreaterThan(0.9);
    expect(t.figures['precision'] as number).toBeGreaterThan(0.9);
    expect(t.figures['rmse'] as number).toBeLessThan(0.5);
    const f = new FeaturesBuilder();
    for (const h of scene.houses) {
      for (const [u, v] of [
        [-1, -1],
        [1, -1],
        [1, 1],
        [-1, 1],
        [-1, -1],
      ] as const)
        f.coordinate(x0 + h.x + u * h.a, y0 + h.y + v * h.b);
      f.endRing();
      f.endPart();
      f.endFeature();
    }
    const footprints = f.build('polygon', scene.cloud.crs, []);
    const found = await run(
      'cloud.agreement',
      { found: buildings.outputs[0]!.data, reference: footprints },
      { overlap: 0.85 },
    );
    expect(found.figures).toEqual(jasmine.objectContaining({ recall: 1, precision: 1 }));
    // Rectangles, as high as they were made, eaves below ridge.
    const made = buildings.outputs[0]!.data as Features;
    expect(made.ringOffsets[1]).toBe(5);
    const ridge = column(made, 'ridge');
    const eaves = column(made, 'eaves');
    expect(column(made, 'height').every((h, i) => h <= ridge[i]! && h >= eaves[i]!)).toBeTrue();
    const crowns = column(trees.outputs[1]!.data as Features, 'area');
    const diameters = column(trees.outputs[1]!.data as Features, 'crownDiameter');
    expect(diameters.every((d, i) => Math.abs((Math.PI * d * d) / 4 - crowns[i]!) < 1e-6)).toBeTrue();
  });
});

describe('a chain', () => {
  const { bare, cloud } = smallScene(3600);

  it('refuses clouds that lack what it needs, and says what to run first', async () => {
    for (const [id, first] of [
      ['cloud.trees', 'ground'],
      ['cloud.buildings', 'ground'],
      ['cloud.heightAboveGround', 'ground'],
      ['cloud.classifyAbove', 'ground'],
    ] as const) {
      const e = await refusalOf(run(id, { cloud: bare }));
      expect([e.code, e.message.includes(first)]).toEqual(['method.refused', true]);
    }
    const noTrees = withClasses(cloud, classesOf(cloud).map((k) => (k >= 3 && k <= 5 ? 1 : k)) as Uint8Array);
    expect((await refusalOf(run('cloud.trees', { cloud: noTrees }))).message).toContain('No vegetation is classified');
    const degrees = {
      ...cloud,
      crs: wgs84(),
      scale: [1e-6, 1e-6, 0.01] as [number, number, number],
      offset: [10, 50, 0] as [number, number, number],
    };
    expect((await refusalOf(run('cloud.classifyGround', { cloud: degrees }))).message).toContain('degrees');
  });

  it('keeps the points that are wanted, in their order', async () => {
    const kept = await run('cloud.filter', { cloud }, { classes: '2', returns: 'first', zmin: 20 });
    const n = kept.figures['kept'] as number;
    const [classes, number] = [classesOf(cloud), attributeOf(cloud, 'returnNumber')!];
    const rows = [...classes.keys()].filter((i) => classes[i] === 2 && number[i] === 1 && cloud.z[i]! >= 2000);
    expect(n).toBe(rows.length);
    expect(out(kept).x).toEqual(takePoints(cloud, rows).x);
    const b = new FeaturesBuilder();
    for (const [u, v] of [
      [0, 0],
      [10, 0],
      [0, 10],
      [0, 0],
    ] as const)
      b.coordinate(cloud.offset[0] + u, cloud.offset[1] + v);
    b.endRing();
    b.endPart();
    b.endFeature();
    const inside = await run('cloud.filter', { cloud, area: b.build('polygon', cloud.crs, []) });
    expect(inside.figures['kept']).toBe([...cloud.x.keys()].filter((i) => cloud.x[i]! + cloud.y[i]! < 1000).length);
    expect((await refusalOf(run('cloud.filter', { cloud }, { zmin: 1e6 }))).code).toBe('method.input');
    expect((await refusalOf(run('cloud.filter', { cloud }, { classes: '33' }))).message).toContain('2 ground');
  });

  it('thins to points that are no nearer than is said, and leaves no gap wider than that', async () => {
    const thinned = out(await run('cloud.thin', { cloud }, { spacing: '2 m' }));
    const p = inMetres(thinned);
    const q = inMetres(cloud);
    const near = (i: number, of: typeof p): number => {
      let best = Infinity;
      for (let j = 0; j < of.x.length; j++) {
        const d = Math.hypot(of.x[j]! - q.x[i]!, of.y[j]! - q.y[i]!, of.z[j]! - q.z[i]!);
        if (d < best) best = d;
      }
      return best;
    };
    let least = Infinity;
    for (let i = 0; i < p.x.length; i++)
      for (let j = 0; j < i; j++)
        least = Math.min(least, Math.hypot(p.x[i]! - p.x[j]!, p.y[i]! - p.y[j]!, p.z[i]! - p.z[j]!));
    expect(least).toBeGreaterThanOrEqual(2);
    for (let i = 0; i < pointCount(cloud); i += 37) expect(near(i, p)).toBeLessThan(2);
  });

  it('puts tiles together, in one system, and counts what lies twice', async () => {
    const half = (from: number, to: number): Cloud =>
      takePoints(
        cloud,
        Array.from({ length: to - from }, (_, i) => from + i),
      );
    const [a, b] = [half(0, 2000), half(1900, pointCount(cloud))];
    const merged = await run('cloud.merge', { clouds: [a, b] });
    expect(merged.figures).toEqual({ points: pointCount(cloud) + 100, doubled: 100 });
    const once = await run('cloud.merge', { clouds: [a, b] }, { doubled: 'drop' });
    expect(out(once).x).toEqual(cloud.x);
    expect(classesOf(out(once))).toEqual(classesOf(cloud));
    const feet = { ...b, heightUnit: 'ft', scale: [0.01, 0.01, 0.01 / 0.3048] as [number, number, number] };
    const mixed = out(await run('cloud.merge', { clouds: [a, feet] }));
    expect(mixed.z.every((z, i) => i < 2000 || Math.abs(z - b.z[i - 2000]!) <= 1)).toBeTrue();
  });

  it('describes a cloud in a table', async () => {
    const d = await run('cloud.describe', { cloud });
    const t = d.outputs[0]!.data as Table;
    expect(column(t, 'points').reduce((s, v) => s + v, 0)).toBe(pointCount(cloud));
    expect(column(t, 'share').reduce((s, v) => s + v, 0)).toBeCloseTo(1, 12);
    expect(d.figures['spacing'] as number).toBeCloseTo(0.49, 1);
  });
});

describe('agreement', () => {
  const points = (list: [number, number][]): Features => {
    const b = new FeaturesBuilder();
    for (const [x, y] of list) b.point(x, y);
    return b.build('point', crsOfCode(32627), []);
  };

  it('matches each point with one at most, the nearest first', async () => {
    const found = points([
      [0, 0],
      [1, 0],
      [10, 0],
      [50, 50],
    ]);
    const really = points([
      [0.6, 0],
      [10, 1],
      [90, 90],
    ]);
    const a = await run('cloud.agreement', { found, reference: really });
    expect(a.figures).toEqual({
      matched: 2,
      missed: 1,
      extra: 2,
      recall: 2 / 3,
      precision: 0.5,
      rmse: jasmine.any(Number) as unknown as number,
    });
    expect(a.figures['rmse']).toBeCloseTo(Math.sqrt((0.16 + 1) / 2), 12);
    expect(column(a.outputs[0]!.data as Features, 'reference')).toEqual([1, 2]);
    expect(a.outputs.map((o) => featureCount(o.data as Features))).toEqual([2, 1, 2]);
  });

  it('shares areas as Shapely does', async () => {
    const area = (rings: [number, number][][]): Features => {
      const b = new FeaturesBuilder();
      for (const ring of rings) {
        for (const [x, y] of ring) b.coordinate(x, y);
        b.endRing();
        b.endPart();
        b.endFeature();
      }
      return b.build('polygon', crsOfCode(32627), []);
    };
    const { a, pairs } = reference.overlaps;
    for (const { b, iou } of pairs) {
      const r = await run('cloud.agreement', { found: area([b]), reference: area([a]) }, { overlap: 0.001 });
      const shares = column(r.outputs[0]!.data as Features, 'shareInCommon');
      if (iou < 0.001) expect(shares).toEqual([]);
      else expect(shares[0]).toBeCloseTo(iou, 9);
    }
  });
});

describe('an outline of right angles', () => {
  it('loses steps of the grid and keeps wings', () => {
    const stairs: Outline = [
      [0, 0],
      [10, 0],
      [10, 0.5],
      [10.5, 0.5],
      [10.5, 6],
      [6, 6],
      [6, 9],
      [0, 9],
    ];
    const o = withoutSteps(stairs, 1.5);
    expect(o.length).toBe(6);
    expect(Math.abs(outlineArea(o))).toBeCloseTo(Math.abs(outlineArea(stairs)), 0);
  });

  it('lies along the walls', () => {
    const rim: [number, number][] = [];
    const [c, s] = [Math.cos(0.35), Math.sin(0.35)];
    for (let t = 0; t <= 1; t += 0.05)
      for (const [u, v] of [
        [12 * t, 0],
        [12 * t, 7],
        [0, 7 * t],
        [12, 7 * t],
      ] as const)
        rim.push([u * c - v * s, u * s + v * c]);
    expect(Math.abs(wallDirection(rim) - 0.35)).toBeLessThan(0.02);
  });
});

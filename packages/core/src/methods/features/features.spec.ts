import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { setupNode } from '../../../../node/src/index';
import { arrivalChecks } from '../../data/arrival';
import { crsOfCode, wgs84 } from '../../data/crs';
import { featureCount, featuresIn, FeaturesBuilder, valueOf, type Column, type Features } from '../../data/features';
import { featureArea, featureLength } from '../../data/measure';
import { numberColumn, textColumn, type Table } from '../../data/table';
import { readFile } from '../../formats';
import { classBreaks, classOf } from '../../numeric/classes';
import { Random } from '../../numeric/random';
import { refusalOf, run } from '../../testing';
import { totalArea } from './common';
import { writeRows } from './subset';
import { validityNotes } from '../../data/validity';
import reference from '../../../../../reference/fixtures/overlay.json';
import { infoOf } from '../../data/kinds';

beforeAll(setupNode);

const UTM = crsOfCode(32627);

/** Polygons from rings of corners, not closed. */
function areas(rings: [number, number][][], columns: Column[] = [], crs = UTM): Features {
  const b = new FeaturesBuilder();
  for (const r of rings) {
    for (const [x, y] of [...r, r[0]!]) b.coordinate(x, y);
    b.endRing();
    b.endPart();
    b.endFeature();
  }
  return b.build('polygon', crs, columns);
}
const box = (x: number, y: number, w: number, h = w): [number, number][] => [
  [x, y],
  [x + w, y],
  [x + w, y + h],
  [x, y + h],
];
function points(places: [number, number][], columns: Column[] = [], crs = UTM): Features {
  const b = new FeaturesBuilder();
  for (const [x, y] of places) {
    b.point(x, y);
  }
  return b.build('point', crs, columns);
}
const out = (o: { outputs: { role: string; data: unknown }[] }, role?: string): Features =>
  (role ? o.outputs.find((x) => x.role === role)! : o.outputs[0]!).data as Features;
const column = (f: Features | Table, name: string): unknown[] => {
  const c = f.columns.find((x) => x.name === name)!;
  return Array.from({ length: c.values.length }, (_, i) => valueOf(c, i));
};
const near = (a: number, b: number, relative = 1e-9): void =>
  void expect(Math.abs(a - b))
    .withContext(`${a} and ${b}`)
    .toBeLessThan(Math.abs(b) * relative + 1e-6);

describe('the counties of North Carolina (R’s sf) against Shapely, pyproj and classInt', () => {
  let degrees: Features;
  let counties: Features;
  let net: Features;
  beforeAll(async () => {
    const bytes = new Uint8Array(readFileSync('reference/fixtures/nc.geojson'));
    degrees = (await readFile('nc.geojson', bytes)).layers[0]!.data as Features;
    counties = featuresIn(degrees, crsOfCode(32617));
    net = areas(
      reference.net.cells.map(([w, s, e, n]) => box(w!, s!, e! - w!, n! - s!)),
      [
        numberColumn(
          'cell',
          reference.net.cells.map((_, i) => i),
        ),
      ],
      crsOfCode(32617),
    );
  });
  it('areas and outlines, geodesic and planar', () => {
    for (let i = 0; i < featureCount(degrees); i++) {
      near(featureArea(degrees, i), reference.geodesicArea[i]!, 1e-8);
      near(featureLength(degrees, i), reference.geodesicPerimeter[i]!, 1e-8);
      near(featureArea(counties, i), reference.planarArea[i]!, 1e-8);
    }
  });
  it('intersection, difference, union and symmetric difference', async () => {
    const both = await run('features.overlay', { a: counties, b: net });
    expect(featureCount(out(both))).toBe(reference.intersection.pieces);
    near(both.figures['area'] as number, reference.intersection.area);
    expect(out(both).columns.map((c) => c.name)).toEqual(['NAME', 'BIR74', 'SID74', 'cell']);
    const all = await run('features.overlay', { a: counties, b: net }, { kind: 'union' });
    near(all.figures['area'] as number, reference.unionArea, 1e-7);
    const only = await run('features.overlay', { a: net, b: counties }, { kind: 'difference' });
    near(only.figures['area'] as number, reference.netWithoutLand, 1e-7);
    const odd = await run('features.overlay', { a: counties, b: net }, { kind: 'symmetric' });
    near(odd.figures['area'] as number, reference.symmetricArea, 1e-7);
    const cover = await run('features.overlay', { a: counties, b: net }, { kind: 'cover' });
    near(cover.figures['area'] as number, totalArea(counties), 1e-7);
  });
  it('dissolve by first letter, buffer, centroids', async () => {
    const letters = {
      ...counties,
      columns: [
        ...counties.columns,
        textColumn(
          'letter',
          column(counties, 'NAME').map((n) => String(n)[0]!),
        ),
      ],
    };
    const o = await run('features.dissolve', { polygons: letters }, { by: 'letter', sums: 'BIR74' });
    const d = out(o);
    const expected = reference.dissolve as Record<string, { area: number; length: number }>;
    expect(o.figures).toEqual({ before: 100, after: Object.keys(expected).length });
    column(d, 'letter').forEach((l, i) => {
      near(featureArea(d, i), expected[l as string]!.area);
      near(featureLength(d, i), expected[l as string]!.length);
    });
    const total = (v: unknown[]): number => (v as number[]).reduce((s, x) => s + x, 0);
    expect(total(column(d, 'BIR74'))).toBe(total(column(counties, 'BIR74')));
    const b = await run('features.buffer', { features: counties }, { distance: '5 km', merge: 'yes' });
    near(b.figures['area'] as number, reference.buffer5km, 1e-7);
    const c = out(await run('features.centroids', { features: counties }));
    reference.centroid.forEach(([x, y], i) => {
      near(c.xy[2 * i]!, x!, 1e-9);
      near(c.xy[2 * i + 1]!, y!, 1e-9);
    });
  });
  it('natural breaks put every county in the class that classInt puts it in', () => {
    const births = Float64Array.from(column(degrees, 'BIR74') as number[]).sort();
    for (const [k, theirs] of Object.entries(reference.fisher)) {
      const ours = classBreaks(births, Number(k), 'natural');
      for (const v of births)
        expect(classOf(v, ours))
          .withContext(`${k}: ${v}`)
          .toBe(classOf(v, theirs.slice(1, -1)));
    }
  });
  it('repairs on the way what is not valid, and says which', async () => {
    const bow = areas([
      [
        [0, 0],
        [10, 10],
        [10, 0],
        [0, 10],
      ].map(([x, y]) => [400000 + x!, 6460000 + y!] as [number, number]),
    ]);
    const o = await run('features.overlay', { a: bow, b: areas([box(400000, 6460000, 5, 10)]) });
    near(o.figures['area'] as number, 25);
    expect(o.notes.find((n) => n.code === 'features.repaired')?.message).toContain('feature 1 (Self-intersection');
    const notes = await validityNotes(bow);
    expect(notes[0]!.message).toContain('1 polygon is invalid: number 1');
    expect(await validityNotes(areas([box(0, 0, 5)]))).toEqual([]);
    const r = await run('features.repair', { features: bow });
    expect(r.figures['repaired']).toBe(1);
    near(featureArea(out(r), 0), 50);
  });
});

/** Random areas that do not overlap: a jittered net with some cells left out. */
function jittered(seed: number, n: number): Features {
  const r = new Random(seed);
  const at = Array.from({ length: (n + 1) * (n + 1) }, (_, k): [number, number] => {
    const [c, w] = [k % (n + 1), Math.floor(k / (n + 1))];
    return [400000 + 100 * (c + 0.6 * (r.uniform() - 0.5)), 6460000 + 100 * (w + 0.6 * (r.uniform() - 0.5))];
  });
  const rings: [number, number][][] = [];
  const kind: string[] = [];
  for (let y = 0; y < n; y++)
    for (let x = 0; x < n; x++) {
      if (r.uniform() < 0.15) continue;
      const k = y * (n + 1) + x;
      rings.push([at[k]!, at[k + 1]!, at[k + n + 2]!, at[k + n + 1]!]);
      kind.push('abc'[Math.floor(r.uniform() * 3)]!);
    }
  return areas(rings, [textColumn('kind', kind)]);
}

/** Thrown, so that what it happened for is told and can be tried again. */
function holds(got: number, want: number, within: number): void {
  if (!(Math.abs(got - want) <= within * Math.max(1, Math.abs(want)))) throw new Error(`${got} is not ${want}`);
}

describe('on random areas', () => {
  it('intersection and difference make up the whole, no piece lies on another, a dissolve keeps the area', async () => {
    await fc.assert(
      fc.asyncProperty(fc.integer(), fc.integer(), fc.integer({ min: 2, max: 6 }), async (s1, s2, n) => {
        const [a, b] = [jittered(s1, n), jittered(s2, n)];
        if (!featureCount(a) || !featureCount(b)) return;
        const both = out(await run('features.overlay', { a, b }));
        const only = out(await run('features.overlay', { a, b }, { kind: 'difference' }));
        holds(totalArea(both) + totalArea(only), totalArea(a), 1e-9);
        const union = out(await run('features.overlay', { a, b }, { kind: 'union' }));
        const flat = out(await run('features.dissolve', { polygons: union }));
        holds(totalArea(flat), totalArea(union), 1e-9);
        holds(totalArea(union), totalArea(a) + totalArea(b) - totalArea(both), 1e-9);
      }),
      // The example lost a sliver of three square metres where pieces were merged without a grid.
      { numRuns: 25, examples: [[807517688, 591926758, 6]] },
    );
  });
  it('a change matrix adds up to the shared area, its totals to its rows and columns', async () => {
    const [a, b] = [jittered(3, 6), jittered(8, 6)];
    const o = await run(
      'features.changeMatrix',
      { before: a, after: b },
      { beforeColumn: 'kind', afterColumn: 'kind', unit: 'm2' },
    );
    const m = o.outputs[0]!.data as unknown as Table;
    const both = out(await run('features.overlay', { a, b }));
    near(o.figures['total'] as number, totalArea(both), 1e-9);
    const to = column(m, 'to') as string[];
    let diagonal = 0;
    for (const c of m.columns.slice(1)) {
      const v = column(m, c.name) as number[];
      near(
        v.slice(0, -1).reduce((s, x) => s + x, 0),
        v[v.length - 1]!,
        1e-9,
      );
      if (c.name !== 'total') diagonal += v[to.indexOf(c.name)]!;
    }
    near(diagonal, o.figures['unchanged'] as number, 1e-9);
    const pieces = out(o, 'overlay');
    expect(pieces.columns.map((c) => c.name)).toEqual(['kind', 'kind_2', 'change', 'area']);
  });
  it('absorbing keeps the area and leaves no small area that has a neighbour', async () => {
    const a = jittered(11, 7);
    const o = await run('features.absorbSmall', { polygons: a }, { minArea: '1.2 ha' });
    near(totalArea(out(o)), totalArea(a), 1e-9);
    expect(featureCount(out(o))).toBe(featureCount(a) - (o.figures['absorbed'] as number));
    const again = await run('features.absorbSmall', { polygons: out(o) }, { minArea: '1.2 ha' });
    expect(again.figures['absorbed']).toBe(0);
    const kept = await run('features.absorbSmall', { polygons: a }, { minArea: '1.2 ha', within: 'kind' });
    // Joined only where the class is alike, so that the area of each class stays.
    for (const k of 'abc') {
      const of = async (f: Features): Promise<number> =>
        totalArea(out(await run('features.subset', { features: f }, { where: `kind == "${k}"` })));
      near(await of(out(kept)), await of(a), 1e-9);
    }
  });
  it('cells cover the land once, and points are counted once', async () => {
    const a = jittered(5, 4);
    for (const shape of ['square', 'hexagon']) {
      const net = out(await run('features.cells', { extent: a }, { shape, size: '37 m' }));
      near(totalArea(out(await run('features.overlay', { a, b: net }))), totalArea(a), 1e-9);
      const size = shape === 'square' ? 37 * 37 : (Math.sqrt(3) / 2) * 37 * 37;
      for (let i = 0; i < featureCount(net); i++) near(featureArea(net, i), size, 1e-7);
      const r = new Random(1);
      const p = points(
        Array.from({ length: 300 }, () => [400000 + 400 * r.uniform(), 6460000 + 400 * r.uniform()]),
        [numberColumn('w', Array(300).fill(2))],
      );
      const o = await run('features.count', { zones: net, points: p }, { sum: 'w' });
      const n = (column(out(o), 'count') as number[]).reduce((s, v) => s + v, 0);
      expect(n).toBe(o.figures['counted'] as number);
      expect((o.figures['counted'] as number) + (o.figures['outside'] as number)).toBe(300);
      expect((column(out(o), 'sum of w') as number[]).reduce((s, v) => s + v, 0)).toBe(2 * n);
    }
    // On the common corner of four squares, one of them counts it.
    const four = areas([box(0, 0, 10), box(10, 0, 10), box(0, 10, 10), box(10, 10, 10)]);
    expect(
      column(out(await run('features.count', { zones: four, points: points([[10, 10]]) })), 'count').reduce(
        (s: number, v) => s + (v as number),
        0,
      ),
    ).toBe(1);
  });
});

describe('counts shared out by an overlay', () => {
  it('add up to what the areas had, each piece by its area', async () => {
    const a = areas([box(0, 0, 10), box(10, 0, 10)], [numberColumn('people', [100, 60])]);
    const b = areas([box(5, 0, 10)], [numberColumn('trees', [40])]);
    const o = out(await run('features.overlay', { a, b }, { kind: 'cover', shares: 'people, trees' }));
    const people = column(o, 'people') as number[];
    near(
      people.reduce((s, v) => s + v, 0),
      160,
    );
    expect([...people].sort((x, y) => x - y).map((v) => Math.round(v))).toEqual([30, 30, 50, 50]);
    near(
      (column(o, 'trees') as (number | null)[]).reduce((s: number, v) => s + (v ?? 0), 0),
      40,
    );
    const whole = out(await run('features.overlay', { a, b }, { kind: 'cover' }));
    expect(new Set(column(whole, 'people'))).toEqual(new Set([100, 60]));
    expect((await refusalOf(run('features.overlay', { a, b }, { shares: 'nobody' }))).code).toBe('method.refused');
  });
});

describe('small areas join', () => {
  // A small square between a long neighbour (left, shares 10) and a large one (below, shares 10 too but is larger).
  const rings = [box(0, 0, 100, 10), box(0, 10, 20, 10), box(20, 10, 5, 10), box(25, 10, 75, 10)];
  const a = areas(rings, [textColumn('n', ['large', 'left', 'small', 'right'])]);
  it('the neighbour with the longest border, or the largest', async () => {
    const o = await run('features.absorbSmall', { polygons: a }, { minArea: '60 m2' });
    expect(o.figures).toEqual({ absorbed: 1, areaAbsorbed: 50 });
    expect(column(out(o), 'n')).toEqual(['large', 'left', 'right']);
    expect(featureArea(out(o), 1)).toBe(250);
    const l = await run('features.absorbSmall', { polygons: a }, { minArea: '60 m2', neighbour: 'largest' });
    expect(featureArea(out(l), 0)).toBe(1050);
  });
  it('and counts go with them where they are summed; what would be lost is said', async () => {
    const counted = {
      ...a,
      columns: [...a.columns, numberColumn('people', [100, 20, 7, 40]), numberColumn('rate', [1, 2, 3, 4])],
    };
    const bare = await run('features.absorbSmall', { polygons: counted }, { minArea: '60 m2' });
    expect(bare.notes.find((n) => n.code === 'absorb.numbers')!.message).toContain('people, rate');
    const o = await run('features.absorbSmall', { polygons: counted }, { minArea: '60 m2', sums: 'people' });
    expect(column(out(o), 'people')).toEqual([100, 27, 40]);
    expect(column(out(o), 'rate')).toEqual([1, 2, 4]);
    expect(o.notes.find((n) => n.code === 'absorb.numbers')!.message).not.toContain('people');
  });
  it('one after the other, each counted once, and figures, notes and result agree', async () => {
    // A row of strips, each too small, that join from the end.
    const strips = areas([...Array.from({ length: 6 }, (_, k) => box(k, 0, 1, 5)), box(6, 0, 50, 5), box(200, 0, 2)]);
    const o = await run('features.absorbSmall', { polygons: strips }, { minArea: '12 m2' });
    const absorbed = o.figures['absorbed'] as number;
    expect(featureCount(out(o))).toBe(8 - absorbed);
    expect(o.figures['areaAbsorbed']).toBe(5 * absorbed);
    const grown = Number(/^(\d+)/.exec(o.notes.find((n) => n.code === 'absorb.grown')?.message ?? '0')![1]);
    // Seven lie below the size: they are absorbed, have grown, or stand alone.
    expect(absorbed + grown + 1).toBe(7);
  });
  it('and those without a neighbour stay', async () => {
    const o = await run(
      'features.absorbSmall',
      { polygons: areas([box(0, 0, 5), box(50, 50, 100)]) },
      { minArea: '1 ha' },
    );
    expect(o.figures['absorbed']).toBe(0);
    expect(o.notes.some((n) => n.code === 'absorb.alone')).toBeTrue();
  });
});

describe('missing-value codes', () => {
  it('are found, and made missing in a copy with one click; zeros stay', async () => {
    const f = points(
      [
        [0, 0],
        [1, 0],
        [0, 1],
        [1, 1],
        [2, 2],
      ],
      [numberColumn('depth cm', [0, 120, -99.99, 87, -99.99], 'cm')],
    );
    const check = arrivalChecks(infoOf(f)).find((c) => c.code === 'column.suspectCode')!;
    expect(check.message).toContain('depth cm: -99.99');
    const mend = check.mend!.run!;
    const o = await run(mend.method, { [mend.role]: f }, mend.params);
    expect(column(out(o), 'depth cm')).toEqual([0, 120, null, 87, null]);
    expect(out(o).columns[0]!.unit).toBe('cm');
    expect(column(f, 'depth cm')[2]).toBe(-99.99);
  });
});

describe('columns', () => {
  const f = areas([box(0, 0, 10), box(20, 0, 10)], [textColumn('id', ['7', '8']), numberColumn('v', [1, NaN])]);
  it('are calculated, chosen by and counted where missing', async () => {
    const o = await run('features.calculate', { features: f }, { column: 'd', formula: 'v / area(ha)', unit: '1/ha' });
    expect(o.figures).toEqual({ missing: 1 });
    expect(column(out(o), 'd')).toEqual([100, null]);
    const s = await run('features.subset', { features: f }, { where: 'id == "8"' });
    expect(s.figures).toEqual({ kept: 1, dropped: 1 });
    expect(column(out(s), 'id')).toEqual(['8']);
    expect(column(out(await run('features.subset', { features: f }, { rows: '2' })), 'id')).toEqual(['8']);
    expect(writeRows(Uint8Array.of(1, 0, 1, 1, 0))).toBe('1, 3-4');
    for (const rows of ['3', '0', '2-1', 'x'])
      expect((await refusalOf(run('features.subset', { features: f }, { rows }))).path).toBe('rows');
    expect((await refusalOf(run('features.subset', { features: f }, { where: 'id + "x"' }))).message).toContain(
      'condition',
    );
    expect(
      (await refusalOf(run('features.calculate', { features: f }, { column: 'x', formula: 'nothing' }))).message,
    ).toContain('there is id, v');
  });
  it('are joined by key, numbers and texts alike', async () => {
    const table: Table = {
      kind: 'table',
      columns: [numberColumn('key', [8, 7, 7, 9]), textColumn('id', ['eight', 'seven', 'again', 'idle'])],
    };
    const o = await run('features.join', { features: f, table }, { key: 'id', tableKey: 'key' });
    expect(o.figures).toEqual({ matched: 2, unmatched: 0 });
    expect(column(out(o), 'id_2')).toEqual(['seven', 'eight']);
    expect(o.notes.map((n) => n.code)).toEqual(['join.doubled', 'join.idle']);
    expect(
      (await refusalOf(run('features.join', { features: f, table }, { key: 'none', tableKey: 'key' }))).message,
    ).toContain('no column "none"');
  });
  it('are joined by place in every relation', async () => {
    const p = points(
      [
        [5, 5],
        [100, 5],
        [20, 0],
      ],
      [textColumn('p', ['in', 'far', 'corner'])],
    );
    const by = async (relation: string, a: Features, b: Features): Promise<unknown[]> =>
      column(out(await run('features.joinByPlace', { features: a, other: b }, { relation })), b === f ? 'id' : 'p');
    expect(await by('within', p, f)).toEqual(['7', null, '8']);
    expect(await by('contains', f, p)).toEqual(['in', 'corner']);
    expect(await by('intersects', f, p)).toEqual(['in', 'corner']);
    expect(await by('nearest', p, f)).toEqual(['7', '8', '8']);
    const o = out(await run('features.joinByPlace', { features: p, other: f }, { relation: 'nearest' }));
    expect(column(o, 'distance')).toEqual([0, 70, 0]);
  });
  it('come together in a merge, with their source', async () => {
    const g = areas([box(0, 0, 1)], [numberColumn('id', [3]), textColumn('w', ['x'])]);
    const m = out(await run('features.merge', { features: [f, g] }, { names: 'old, new' }));
    expect(m.columns.map((c) => [c.name, c.type])).toEqual([
      ['id', 'text'],
      ['v', 'number'],
      ['w', 'text'],
      ['source', 'text'],
    ]);
    expect(column(m, 'id')).toEqual(['7', '8', '3']);
    expect(column(m, 'w')).toEqual([null, null, 'x']);
    expect(column(m, 'source')).toEqual(['old', 'old', 'new']);
  });
});

describe('features in degrees', () => {
  const f = areas([box(-20.4, 58.2, 0.01)], [], wgs84());
  it('are refused where metres are needed, with the way to get them', async () => {
    for (const [id, params] of [
      ['features.buffer', { distance: '100 m' }],
      ['features.simplify', { tolerance: '10 m' }],
    ] as const)
      expect((await refusalOf(run(id, { features: f }, params))).message)
        .withContext(id)
        .toContain('in degrees');
    expect((await refusalOf(run('features.cells', { extent: f }, { size: '1 km' }))).code).toBe('method.refused');
  });
  it('come back from a projection where they were', async () => {
    const p = out(await run('features.reproject', { features: f }));
    expect(p.crs?.code).toBe('EPSG:32627');
    const back = out(await run('features.reproject', { features: p }, { crs: 'EPSG:4326' }));
    for (let i = 0; i < f.xy.length; i++) expect(back.xy[i]!).toBeCloseTo(f.xy[i]!, 9);
  });
});

describe('simplifying', () => {
  it('keeps common borders common when asked to', async () => {
    const wave = Array.from({ length: 41 }, (_, i): [number, number] => [50 + 2 * Math.sin(i), i * 5]);
    const left = [...wave, [0, 200], [0, 0]] as [number, number][];
    const right = [...wave.slice().reverse(), [100, 0], [100, 200]] as [number, number][];
    const f = areas([left, right]);
    const o = await run('features.simplify', { features: f }, { tolerance: '20 m', borders: 'shared' });
    expect(o.figures['cornersAfter']).toBeLessThan(o.figures['cornersBefore'] as number);
    near(totalArea(out(o)), 20000, 1e-12);
    const both = await run('features.overlay', { a: out(o), b: out(o) });
    near(both.figures['area'] as number, 20000, 1e-9);
  });
});

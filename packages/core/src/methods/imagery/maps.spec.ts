import fc from 'fast-check';
import { FeaturesBuilder, valueOf, type Features } from '../../data/features';
import { MISSING_CLASS, type Raster } from '../../data/raster';
import { numberColumn, textColumn, type Table } from '../../data/table';
import { gridOf, rasterOf, refusalOf, run, runRaster } from '../../testing';
import { allotted } from './sample-places';
import { sceneOf } from './scenes';

const [X, Y] = [400000, 6460000];
const NAMES = ['water', 'reed', 'meadow', 'moor'];

/** A map of classes, `.` where there is none. */
function mapOf(rows: string[], labels = NAMES, over = {}): Raster {
  const text = rows.join('');
  return {
    kind: 'raster',
    grid: gridOf(rows[0]!.length, rows.length, 10, over),
    bands: [
      {
        name: 'cover',
        unit: null,
        kind: 'category',
        storedType: 'uint8',
        missingCode: null,
        classes: labels.map((label, i) => ({ value: i + 1, label, colour: null })),
        cells: Int32Array.from(text, (c) => (c === '.' ? MISSING_CLASS : Number(c))),
      },
    ],
  };
}
const rowsOf = (r: Raster): string[] => {
  const { cells } = r.bands[0]!;
  const text = Array.from(cells, (v) => (v === MISSING_CLASS ? '.' : String(v))).join('');
  return text.match(new RegExp(`.{${r.grid.columns}}`, 'g'))!;
};
const table = (t: unknown): Record<string, (string | number | boolean | null)[]> =>
  Object.fromEntries(
    (t as Table).columns.map((c) => [c.name, Array.from({ length: c.values.length }, (_, i) => valueOf(c, i))]),
  );
const codes = (o: Awaited<ReturnType<typeof run>>): string[] => o.notes.map((n) => n.code);
function points(of: [x: number, y: number][], columns: Features['columns']): Features {
  const b = new FeaturesBuilder();
  for (const [x, y] of of) b.point(x, y);
  return b.build('point', gridOf(1, 1).crs, columns);
}
function square(x0: number, y0: number, x1: number, y1: number, b = new FeaturesBuilder()): FeaturesBuilder {
  for (const [x, y] of [
    [x0, y0],
    [x1, y0],
    [x1, y1],
    [x0, y1],
    [x0, y0],
  ] as const)
    b.coordinate(X + x, Y - y);
  b.endRing();
  b.endPart();
  b.endFeature();
  return b;
}

describe('imagery.classAreas', () => {
  const map = mapOf(['1122', '1.23', '3333']);

  it('are cells, hectares and shares of what has a class', async () => {
    const o = await run('imagery.classAreas', { classes: map });
    const t = table(o.outputs[0]!.data);
    expect(Object.keys(t)).toEqual(['class', 'label', 'cells', 'area', 'share']);
    expect([t['class'], t['label'], t['cells']]).toEqual([
      [1, 2, 3],
      ['water', 'reed', 'meadow'],
      [3, 3, 5],
    ]);
    expect(t['area']![2]).toBeCloseTo(0.05, 12);
    expect(t['share']).toEqual([3 / 11, 3 / 11, 5 / 11]);
    expect(o.figures['total']).toBeCloseTo(0.11, 12);
    const m2 = await run('imagery.classAreas', { classes: map }, { unit: 'm2' });
    expect(table(m2.outputs[0]!.data)['area']).toEqual([300, 300, 500]);
  });

  it('by zone count cells whose centre lies within, overlapping zones each whole', async () => {
    const b = square(0, 0, 20, 30);
    square(10, 10, 40, 30, b);
    square(900, 900, 910, 910, b);
    const zones = b.build('polygon', map.grid.crs, [textColumn('parish', ['west', 'south', 'far'])]);
    const o = await run('imagery.classAreas', { classes: map, zones }, { zoneColumn: 'parish', unit: 'm2' });
    const t = table(o.outputs[0]!.data);
    expect(t['zone']).toEqual(['west', 'west', 'south', 'south']);
    expect(t['class']).toEqual([1, 3, 2, 3]);
    expect(t['cells']).toEqual([3, 2, 1, 4]);
    const numbered = await run('imagery.classAreas', { classes: map, zones });
    expect(table(numbered.outputs[0]!.data)['zone']).toEqual(['1', '1', '2', '2']);
  });

  it('take whole numbers for classes, and refuse what is measured', async () => {
    const o = await run('imagery.classAreas', { classes: rasterOf(3, [4, 4, 9]) });
    expect(table(o.outputs[0]!.data)['label']).toEqual(['4', '9']);
    expect(codes(o)).toContain('classes.numbers');
    const why = async (r: Raster) => (await refusalOf(run('imagery.classAreas', { classes: r }))).message;
    expect(await why(rasterOf(2, [1, 1.5]))).toContain('1.5 is no whole number');
    expect(
      await why(
        rasterOf(
          30,
          Array.from({ length: 900 }, (_, i) => i),
        ),
      ),
    ).toContain('these are measured values');
  });
});

describe('imagery.sieve', () => {
  const sieved = async (rows: string[], params: Record<string, unknown>) => {
    const { out, outcome } = await runRaster('imagery.sieve', { classes: mapOf(rows) }, params);
    return { rows: rowsOf(out), figures: outcome.figures };
  };

  it('gives specks to the neighbour with the longest border', async () => {
    const s = await sieved(['11122', '11322', '11122'], { minArea: '200 m2' });
    // The speck has three sides towards 1, one towards 2.
    expect(s.rows).toEqual(['11122', '11122', '11122']);
    expect(s.figures).toEqual({ changedCells: 1, patches: 1 });
  });

  it('knows corners where they count, and leaves what has no neighbour', async () => {
    const rows = ['3111', '1311', '1131', '1113'];
    expect((await sieved(rows, { minArea: '200 m2' })).figures['patches']).toBe(4);
    expect((await sieved(rows, { minArea: '200 m2', connect: '8' })).figures['patches']).toBe(0);
    expect((await sieved(['1..', '...', '..2'], { minArea: '1 ha' })).rows).toEqual(['1..', '...', '..2']);
  });

  it('joins specks from the smallest on, whose size together counts', async () => {
    // 2 takes 3 (one cell) and has three cells then: large enough.
    const s = await sieved(['11111', '12231', '11111'], { minArea: '300 m2' });
    expect(s.rows.join('')).not.toContain('3');
    const patches = (text: string[]): number => new Set(text.join('')).size;
    expect(patches(s.rows)).toBeLessThanOrEqual(2);
  });

  it('leaves no small patch that has a neighbour, and changes nothing else', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(fc.integer({ min: 1, max: 3 }), { minLength: 36, maxLength: 36 }), async (cells) => {
        const rows = Array.from({ length: 6 }, (_, r) => cells.slice(6 * r, 6 * r + 6).join(''));
        const s = await sieved(rows, { minArea: '400 m2' });
        const again = await sieved(s.rows, { minArea: '400 m2' });
        expect(again.rows).toEqual(s.rows);
        expect([...s.rows.join('')].filter((v, i) => v !== rows.join('')[i]).length).toBe(
          Number(s.figures['changedCells']),
        );
      }),
      { numRuns: 40 },
    );
  });
});

describe('raster.changeMatrix', () => {
  const before = mapOf(['1122', '1122', '33..']);
  const after = mapOf(['1132', '1133', '3344'], ['water', 'reed', 'meadow', 'built']);

  it('is areas from (across) to (down), and a grid of the pairs that occur', async () => {
    const o = await run('raster.changeMatrix', { before, after }, { unit: 'm2' });
    expect(table(o.outputs[0]!.data)).toEqual({
      to: ['water', 'reed', 'meadow', 'total'],
      water: [400, 0, 0, 400],
      reed: [0, 100, 300, 400],
      meadow: [0, 0, 200, 200],
      total: [400, 100, 500, 1000],
    });
    expect(o.figures['total']).toBe(1000);
    expect(o.figures['unchangedShare']).toBeCloseTo(0.7, 12);
    const changes = o.outputs[1]!.data as Raster;
    // The largest change first, then what stayed.
    expect(changes.bands[0]!.classes!.map((c) => c.label)).toEqual([
      'reed → meadow',
      'water, unchanged',
      'meadow, unchanged',
      'reed, unchanged',
    ]);
    const [change, ...stayed] = changes.bands[0]!.classes!.map((c) => c.colour);
    expect(new Set(stayed).size).toBe(1);
    expect(stayed).not.toContain(change!);
    expect(rowsOf(changes)).toEqual(['2214', '2211', '33..']);
  });

  it('takes classes for the same by their labels, whatever their numbers; compares what both cover', async () => {
    const other = mapOf(['12', '13'], ['meadow', 'water', 'reed'], { x: X + 10 });
    const o = await run('raster.changeMatrix', { before: mapOf(['322', '322']), after: other }, { unit: 'm2' });
    const t = table(o.outputs[0]!.data);
    expect(t['reed']).toEqual([100, 200, 100, 400]);
    expect(t['to']).toEqual(['reed', 'meadow', 'water', 'total']);
    expect(codes(o)).toContain('grids.part');
    expect(
      (await refusalOf(run('raster.changeMatrix', { before, after: mapOf(['1'], NAMES, { dx: 7 }) }))).message,
    ).toContain('do not lie on one another');
  });
});

describe('imagery.samplePlaces', () => {
  const map = mapOf(
    Array.from({ length: 60 }, (_, r) =>
      r < 40 ? '1'.repeat(60) : r < 58 ? '2'.repeat(60) : `${'3'.repeat(10)}${'.'.repeat(50)}`,
    ),
  );

  it('are shared out by area, with at least so many of each class', async () => {
    const o = await run('imagery.samplePlaces', { classes: map }, { n: 100, leastPerClass: 15 });
    const t = table({ columns: (o.outputs[0]!.data as Features).columns });
    const of = (k: number): number => t['class']!.filter((c) => c === k).length;
    expect([of(1) + of(2) + of(3), of(3)]).toEqual([100, 15]);
    expect(of(1)).toBeGreaterThan(of(2));
    expect(t['label']![0]).toBe('water');
    // The weights of a class add up to its cells.
    const sum = t['weight']!.reduce((s: number, w, i) => s + (t['class']![i] === 3 ? (w as number) : 0), 0);
    expect(sum).toBeCloseTo(20, 9);
    // Each lies in the middle of a cell of its class.
    const f = o.outputs[0]!.data as Features;
    for (let i = 0; i < 100; i++) {
      const [c, r] = [(f.xy[2 * i]! - X) / 10 - 0.5, (Y - f.xy[2 * i + 1]!) / 10 - 0.5];
      expect(map.bands[0]!.cells[r * 60 + c]).toBe(t['class']![i] as number);
    }
    expect(new Set(Array.from({ length: 100 }, (_, i) => `${f.xy[2 * i]} ${f.xy[2 * i + 1]}`)).size).toBe(100);
  });

  it('keep apart as far as there is room', async () => {
    const o = await run('imagery.samplePlaces', { classes: map }, { n: 60, leastPerClass: 10, apart: '60 m' });
    const f = o.outputs[0]!.data as Features;
    const n = Number(o.figures['places']);
    for (let i = 0; i < n; i++)
      for (let j = 0; j < i; j++)
        expect(Math.hypot(f.xy[2 * i]! - f.xy[2 * j]!, f.xy[2 * i + 1]! - f.xy[2 * j + 1]!)).toBeGreaterThanOrEqual(60);
    // A strip of 100 by 20 m has no room for ten.
    expect(codes(o)).toContain('places.short');
    expect(n).toBeLessThan(60);
  });

  it('by chance alone fall on every cell alike; the whole map at most', async () => {
    const tiny = mapOf(['12', '3.']);
    const o = await run('imagery.samplePlaces', { classes: tiny }, { n: 50, design: 'random' });
    expect(o.figures['places']).toBe(3);
    expect(table({ columns: (o.outputs[0]!.data as Features).columns })['weight']).toEqual([1, 1, 1]);
  });

  it('are as many as were asked for, never more of a class than it has', () =>
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 1, max: 500 }), { minLength: 1, maxLength: 8 }),
        fc.integer({ min: 1, max: 300 }),
        fc.integer({ min: 0, max: 30 }),
        (cells, n, least) => {
          const a = allotted(cells, n, least);
          const whole = cells.reduce((s, c) => s + c, 0);
          const floor = cells.reduce((s, c) => s + Math.min(c, least), 0);
          expect(a.reduce((s, v) => s + v, 0)).toBe(Math.min(whole, Math.max(n, floor)));
          a.forEach((v, i) => expect(v).toBeLessThanOrEqual(cells[i]!));
          a.forEach((v, i) => expect(v).toBeGreaterThanOrEqual(Math.min(cells[i]!, least)));
        },
      ),
    ));
});

describe('imagery.accuracy', () => {
  // Olofsson et al. 2014, as in agreement.spec, on a map of 100 000 cells.
  const sizes = [2000, 1500, 32_000, 64_500];
  const names = ['loss', 'gain', 'forest', 'other'];
  const counts = [
    [66, 0, 5, 4],
    [0, 55, 8, 12],
    [1, 0, 153, 11],
    [2, 1, 9, 313],
  ];
  const map: Raster = mapOf(
    Array.from({ length: 200 }, (_, r) =>
      String(1 + sizes.findIndex((_s, k) => 500 * r < sizes.slice(0, k + 1).reduce((s, v) => s + v, 0))).repeat(500),
    ),
    names,
  );
  const places: [number, number][] = [];
  const found: string[] = [];
  counts.forEach((row, i) => {
    let cell = sizes.slice(0, i).reduce((s, v) => s + v, 0);
    row.forEach((n, j) => {
      for (let q = 0; q < n; q++, cell++) {
        places.push([X + 10 * (cell % 500) + 5, Y - 10 * Math.floor(cell / 500) - 5]);
        found.push(names[j]!);
      }
    });
  });

  it('is that of the worked example of Olofsson et al. 2014, from a map and places', async () => {
    const o = await run('imagery.accuracy', {
      classes: map,
      reference: points(places, [
        textColumn(
          'class',
          found.map((f) => f.toUpperCase()),
        ),
      ]),
    });
    expect(o.figures['n']).toBe(640);
    expect(o.figures['overallAdjusted']).toBeCloseTo(0.947, 3);
    expect(1.96 * Number(o.figures['overallAdjustedError'])).toBeCloseTo(0.018, 3);
    const t = table(o.outputs[0]!.data);
    expect(t['found']!.slice(0, 5)).toEqual([...names, 'total']);
    // The map across, what was found down.
    expect(t['loss']!.slice(0, 5)).toEqual([66, 0, 5, 4, 75]);
    expect(t['loss']![5]).toBeCloseTo(0.88, 12);
    expect(t['producer’s by area']![0]).toBeCloseTo(0.75, 2);
    expect(t['share of area']![0]).toBeCloseTo(0.0235, 4);
    expect((o.outputs[1]!.data as Features).featureOffsets.length - 1).toBe(640 - 587);
    const wrong = table({ columns: (o.outputs[1]!.data as Features).columns });
    expect(wrong['mapped']!.filter((m, i) => m === 'loss' && wrong['found']![i] === 'forest').length).toBe(5);
  });

  it('counts every cell of areas, and says what does not count', async () => {
    const small = mapOf(['1122', '1122', '33.4']);
    const b = square(0, 0, 20, 20);
    square(20, 0, 40, 30, b);
    square(0, 20, 10, 30, b);
    const reference = b.build('polygon', small.grid.crs, [
      { ...textColumn('kind', ['water', 'heath', '']), missing: Uint8Array.of(0, 0, 1) },
    ]);
    const o = await run('imagery.accuracy', { classes: small, reference });
    expect(o.figures['n']).toBe(9);
    expect(o.figures['overall']).toBeCloseTo(4 / 9, 12);
    expect(codes(o)).toEqual(
      jasmine.arrayContaining(['accuracy.only', 'accuracy.beside', 'accuracy.undecided', 'accuracy.unseen']),
    );
  });

  it('matches numbers with numbers; refuses places elsewhere', async () => {
    const small = mapOf(['12', '34']);
    const at: [number, number][] = [
      [X + 5, Y - 5],
      [X + 15, Y - 5],
    ];
    const o = await run(
      'imagery.accuracy',
      { classes: small, reference: points(at, [numberColumn('code', [1, 3])]) },
      { classColumn: 'code' },
    );
    expect(o.figures['overall']).toBe(0.5);
    expect(
      (
        await refusalOf(
          run(
            'imagery.accuracy',
            { classes: small, reference: points([[0, 0]], [numberColumn('code', [1])]) },
            { classColumn: 'code' },
          ),
        )
      ).message,
    ).toContain('No place with a class');
  });
});

describe('imagery.stack', () => {
  const band = (name: string, cells: number[], columns: number, over = {}): Raster => {
    const r = sceneOf(columns, cells, 1, [name]);
    return { ...r, grid: { ...r.grid, ...over } };
  };

  it('brings bands of one grid together as they are, with the roles their names speak of', async () => {
    const [red, nir] = [band('scene_red', [1, 2, 3, 4], 2), band('NIR', [5, 6, 7, 8], 2)];
    Object.assign(red.bands[0]!, { storedType: 'uint16' });
    const { out, outcome } = await runRaster('imagery.stack', { bands: [red, nir] });
    expect(out.bands.map((b) => [b.name, b.role, b.storedType])).toEqual([
      ['scene_red', 'red', 'uint16'],
      ['NIR', 'nir', 'float32'],
    ]);
    expect([...out.bands[1]!.cells]).toEqual([5, 6, 7, 8]);
    expect(outcome.figures).toEqual({ bands: 2, columns: 2, rows: 2 });
    const said = await runRaster('imagery.stack', { bands: [red, nir] }, { roles: 'Red edge, -' });
    expect(said.out.bands.map((b) => b.role)).toEqual(['rededge', undefined]);
  });

  it('resamples to the finest, in another size on wish, and says so', async () => {
    const fine = band('a', [1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16], 4);
    const coarse = band('b', [10, 20, 30, 40], 2, { dx: 20, dy: 20 });
    const { out, outcome } = await runRaster('imagery.stack', { bands: [coarse, fine] }, { resampling: 'nearest' });
    expect([out.grid.columns, out.grid.dx]).toEqual([4, 10]);
    expect([...out.bands[0]!.cells].slice(0, 4)).toEqual([10, 10, 20, 20]);
    expect([...out.bands[1]!.cells]).toEqual([...fine.bands[0]!.cells]);
    expect(codes(outcome)).toContain('stack.grids');
    const large = await runRaster('imagery.stack', { bands: [coarse, fine] }, { cellSize: '20 m', resampling: 'mean' });
    expect([...large.out.bands[1]!.cells]).toEqual([3.5, 5.5, 11.5, 13.5]);
  });

  it('refuses roles that do not fit, and grids of which one has no system', async () => {
    const [a, b] = [band('a', [1], 1), band('b', [2], 1)];
    const why = async (bands: Raster[], params = {}) =>
      (await refusalOf(run('imagery.stack', { bands }, params))).message;
    expect(await why([a, b], { roles: 'red' })).toContain('1 are given for 2 bands');
    expect(await why([a, b], { roles: 'red, infra' })).toContain('"infra" is none of');
    expect(await why([a, { ...b, grid: { ...b.grid, crs: null } }])).toContain('no coordinate system');
  });
});

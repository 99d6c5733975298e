import { readFile, memorySource, openFile, MemorySink } from '../../formats';
import { writeTo, writtenBeside } from '../../formats/write';
import { handleOn, infoOf, kindOf, type Dataset } from '../../data/kinds';
import { FeaturesBuilder, type Features } from '../../data/features';
import { measureRaster, type Raster } from '../../data/raster';
import { stepOf, type TimeStack } from '../../data/stack';
import { numberColumn, textColumn, type Table } from '../../data/table';
import { stepLabels, stepText } from '../../data/time-steps';
import { runMethod, type Outcome } from '../../method/run';
import { parseCrs } from '../../data/crs';
import { methodOf } from '../../method/registry';
import { setupNode } from '../../../../node/src';

/** Squares in a row, 10 wide, with columns. */
function squares(n: number, ...columns: Features['columns']): Features {
  const b = new FeaturesBuilder();
  for (let i = 0; i < n; i++) {
    for (const [x, y] of [
      [0, 0],
      [10, 0],
      [10, 10],
      [0, 10],
      [0, 0],
    ])
      b.coordinate(10 * i + x!, y!);
    b.endRing();
    b.endPart();
    b.endFeature();
  }
  return b.build('polygon', null, columns);
}

function points(all: [x: number, y: number][], ...columns: Features['columns']): Features {
  const b = new FeaturesBuilder();
  for (const [x, y] of all) b.point(x, y);
  return b.build('point', null, columns);
}

const run = (id: string, data: Record<string, Dataset[]>, params: Record<string, unknown> = {}): Promise<Outcome> =>
  runMethod(methodOf(id), data, params, { names: {} });
const only = async (id: string, data: Record<string, Dataset[]>, params: Record<string, unknown> = {}) => {
  const o = await run(id, data, params);
  return { ...o, stack: o.outputs[0]!.data as TimeStack, features: o.outputs[0]!.data as Features };
};
const values = (f: Features | Table, name: string): unknown[] => {
  const c = f.columns.find((o) => o.name === name)!;
  return Array.from(c.values as ArrayLike<unknown>, (v, i) => (c.missing?.[i] ? null : v));
};
const said = (o: Outcome, code: string): string | undefined => o.notes.find((n) => n.code === code)?.message;
const series = (s: TimeStack, place: number, variable = 0): number[] =>
  Array.from(s.variables[variable]!.values.slice(place * s.steps.count, (place + 1) * s.steps.count));

beforeAll(() => setupNode());

describe('A time stack of columns', () => {
  const wide = squares(
    2,
    textColumn('name', ['a', 'b']),
    numberColumn('solar_1994', [1, 5], '%'),
    numberColumn('solar_2004', [2, NaN], '%'),
    numberColumn('solar_2014', [3, 7], '%'),
  );

  it('takes those that fit a pattern, by their years, and keeps the others with the places', async () => {
    const { stack, figures } = await only(
      'time.stack',
      { locations: [wide] },
      { columns: 'solar_{year}', keyColumn: 'name' },
    );
    expect(stack.variables.map((v) => [v.name, v.unit])).toEqual([['solar', '%']]);
    expect(stepLabels(stack.steps)).toEqual(['1994', '2004', '2014']);
    expect(stepText(stack.steps)).toBe('10 years');
    expect([series(stack, 0), series(stack, 1)]).toEqual([
      [1, 2, 3],
      [5, NaN, 7],
    ]);
    expect(stack.places.columns.map((c) => c.name)).toEqual(['name']);
    expect(figures).toEqual({ locations: 2, steps: 3, from: '1994', to: '2014', emptyShare: 1 / 6 });
  });

  it('suggests the pattern, and takes several variables by {name}', async () => {
    expect((await only('time.stack', { locations: [wide] })).params['columns']).toBe('solar_{year}');
    const two = squares(1, ...['a_2020', 'a_2021', 'b_2020', 'b_2021'].map((n, i) => numberColumn(n, [i])));
    const { stack } = await only('time.stack', { locations: [two] }, { columns: '{name}_{year}' });
    expect(stack.variables.map((v) => [v.name, [...v.values]])).toEqual([
      ['a', [0, 1]],
      ['b', [2, 3]],
    ]);
  });

  it('leaves steps without a column missing, and says so', async () => {
    const uneven = squares(1, ...[2000, 2002, 2008].map((y) => numberColumn(`c${y}`, [y])));
    const o = await only('time.stack', { locations: [uneven] }, { columns: 'c{year}' });
    expect(stepLabels(o.stack.steps)).toEqual(['2000', '2002', '2004', '2006', '2008']);
    expect(said(o, 'stack.between')).toContain('Of 5 steps of a 2 years 3 have a column');
  });

  it('refuses a pattern without a time, one that nothing fits, and one step only', async () => {
    const refused = (columns: string) => expectAsync(run('time.stack', { locations: [wide] }, { columns }));
    await refused('solar').toBeRejectedWithError(/says nowhere which part is the time/);
    await refused('wind_{year}').toBeRejectedWithError(/no column fits "wind_{year}"; there is name, solar_1994/);
    await refused('solar_{yaer}').toBeRejectedWithError(/"{yaer}" is not known/);
    await refused('solar_200{day}').toBeRejectedWithError(/says nowhere/);
    const one = squares(1, numberColumn('solar_1994', [1]));
    await expectAsync(run('time.stack', { locations: [one] }, { columns: 'solar_{year}' })).toBeRejectedWithError(
      /one step only/,
    );
  });
});

describe('A time stack of events', () => {
  const areas = squares(2, textColumn('key', ['w', 'e']));
  const seen = points(
    [
      [5, 5],
      [5, 5],
      [15, 5],
      [5, 1],
      [99, 99],
      [5, 5],
      [15, 2],
    ],
    textColumn('date', ['2020-01-03', '2020-01-03', '2020-02-10', '2020-03-31', '2020-02-02', 'spring', '2020-03-01']),
    numberColumn('weight', [1, 1, 4, 2, 9, 9, NaN], 'kg'),
  );

  it('counts them by area and month; what is outside, undated or told twice is said', async () => {
    const o = await only('time.stack', { locations: [areas], events: [seen] }, { step: 'month' });
    expect(o.params['from']).toBe('events');
    expect(o.params['dateColumn']).toBe('date');
    expect(stepLabels(o.stack.steps)).toEqual(['2020-01', '2020-02', '2020-03']);
    expect([series(o.stack, 0), series(o.stack, 1)]).toEqual([
      [2, 0, 1],
      [0, 1, 1],
    ]);
    expect(o.figures['emptyShare']).toBe(2 / 6);
    expect(said(o, 'stack.outside')).toContain('1 event of 7 lies outside');
    expect(said(o, 'dates.unreadable')).toContain('"spring"');
    expect(said(o, 'stack.doubled')).toContain('1 event is told twice');
  });

  it('names places by a key that the events need not have: they lie in them', async () => {
    const { stack } = await only(
      'time.stack',
      { locations: [areas], events: [seen] },
      { step: 'month', keyColumn: 'key' },
    );
    expect([stack.key, series(stack, 0)]).toEqual(['key', [2, 0, 1]]);
  });

  it('sums or averages a column', async () => {
    const sum = await only(
      'time.stack',
      { locations: [areas], events: [seen] },
      { step: 'month', variable: 'weight', aggregate: 'sum' },
    );
    expect([series(sum.stack, 0), series(sum.stack, 1)]).toEqual([
      [2, 0, 2],
      [0, 4, 0],
    ]);
    expect(sum.stack.variables[0]).toEqual(jasmine.objectContaining({ name: 'weight', unit: 'kg' }));
    const mean = await only(
      'time.stack',
      { locations: [areas], events: [seen] },
      { step: 'month', variable: 'weight', aggregate: 'mean' },
    );
    expect(series(mean.stack, 0)).toEqual([1, NaN, 2]);
  });

  it('drops steps that the data tell only in part', async () => {
    const days = Array.from({ length: 80 }, (_, i) => new Date(Date.UTC(2020, 0, 20 + i)).toISOString().slice(0, 10));
    const events = points(
      days.map(() => [5, 5]),
      textColumn('day', days),
    );
    const kept = await only('time.stack', { locations: [areas], events: [events] }, { step: 'month' });
    expect(said(kept, 'stack.partial')).toContain(
      'the first (2020-01) from 2020-01-20 on; the last (2020-04) up to 2020-04-08',
    );
    const dropped = await only(
      'time.stack',
      { locations: [areas], events: [events] },
      { step: 'month', partial: 'drop' },
    );
    expect(stepLabels(dropped.stack.steps)).toEqual(['2020-02', '2020-03']);
    expect(series(dropped.stack, 0)).toEqual([29, 31]);
  });

  it('takes a span that is asked for, and years that begin when they are said to', async () => {
    const { stack } = await only(
      'time.stack',
      { locations: [areas], events: [seen] },
      { step: 'month', start: '2019-12', end: '2020-02' },
    );
    expect(stepLabels(stack.steps)).toEqual(['2019-12', '2020-01', '2020-02']);
    expect(series(stack, 0)).toEqual([0, 2, 0]);
  });

  it('refuses steps that the dates cannot tell, dates that are none, mixed orders, and places without areas', async () => {
    const years = points([[5, 5]], textColumn('date', ['2020']));
    await expectAsync(
      run('time.stack', { locations: [areas], events: [years] }, { step: 'month' }),
    ).toBeRejectedWithError(/step: dates such as year say no more than the year; a month cannot be told/);
    const none = points([[5, 5]], textColumn('date', ['soon']));
    await expectAsync(run('time.stack', { locations: [areas], events: [none] })).toBeRejectedWithError(
      /none of "date" is a date/,
    );
    const mixed = points(
      [
        [5, 5],
        [5, 5],
      ],
      textColumn('date', ['25/03/2020', '03/25/2020']),
    );
    await expectAsync(run('time.stack', { locations: [areas], events: [mixed] })).toBeRejectedWithError(/day first/);
    await expectAsync(run('time.stack', { locations: [seen], events: [seen] })).toBeRejectedWithError(
      /counted in areas/,
    );
    const away = points([[99, 5]], textColumn('date', ['2020-01-01']));
    await expectAsync(run('time.stack', { locations: [areas], events: [away] }, { step: 'day' })).toBeRejectedWithError(
      /Nothing falls into any place/,
    );
  });
});

describe('A time stack of a table', () => {
  const places = points(
    [
      [1, 1],
      [2, 2],
    ],
    textColumn('station', ['a', 'b']),
  );
  const table: Table = {
    kind: 'table',
    columns: [
      textColumn('station', ['a', 'a', 'b', 'b', 'c', 'b']),
      textColumn('month', ['2020-01', '2020-02', '2020-01', '2020-03', '2020-01', '2020-03']),
      numberColumn('flow', [1, 2, 3, 4, 5, 6], 'm3'),
      numberColumn('level', [0.1, 0.2, 0.3, 0.4, 0.5, NaN], 'm'),
    ],
  };

  it('puts rows by key and date into place, all numbers as variables; rows of one place and step are averaged', async () => {
    const o = await only('time.stack', { locations: [places], table: [table] });
    expect(o.params).toEqual(
      jasmine.objectContaining({
        from: 'table',
        keyColumn: 'station',
        dateColumn: 'month',
        variable: 'flow,level',
        aggregate: 'mean',
      }),
    );
    expect(o.stack.key).toBe('station');
    expect([series(o.stack, 0), series(o.stack, 1), series(o.stack, 1, 1)]).toEqual([
      [1, 2, NaN],
      [3, NaN, 5],
      [0.3, NaN, 0.4],
    ]);
    expect(said(o, 'stack.outside')).toContain('1 row name no place');
  });

  it('refuses keys that do not fit, and a key that names two places', async () => {
    const odd = points([[1, 1]], textColumn('station', ['z']));
    await expectAsync(run('time.stack', { locations: [odd], table: [table] })).toBeRejectedWithError(
      /No key of "station" is one of/,
    );
    const twice = points(
      [
        [1, 1],
        [2, 2],
      ],
      textColumn('station', ['a', 'a']),
    );
    await expectAsync(run('time.stack', { locations: [twice], table: [table] })).toBeRejectedWithError(
      /a key is a place's own/,
    );
  });
});

const grid = (cells: number[], name: string): Raster =>
  measureRaster({ crs: null, x: 0, y: 20, dx: 10, dy: 10, columns: 2, rows: 2 }, Float32Array.from(cells), {
    name,
    unit: '%',
  });

describe('A time stack of grids', () => {
  const months = [
    grid([1, 2, 3, NaN], 'soil 2020-01-15'),
    grid([2, 2, 2, NaN], 'soil 2020-02-14'),
    grid([3, NaN, 1, NaN], 'soil 2020-03-16'),
  ];

  it('has the cells that have a value as places, dates from names, and gives them back as a grid', async () => {
    const o = await only('time.stackRasters', { rasters: months });
    expect(stepLabels(o.stack.steps)).toEqual(['2020-01', '2020-02', '2020-03']);
    expect(o.stack.variables[0]!.name).toBe('soil');
    expect(values(o.stack.places, 'cell')).toEqual([1, 2, 3]);
    expect([series(o.stack, 0), series(o.stack, 1)]).toEqual([
      [1, 2, 3],
      [2, 2, NaN],
    ]);
    expect(o.stack.places.geometry).toBe('polygon');
    const trends = await run('time.trend', { stack: [o.stack] });
    const raster = trends.outputs.find((x) => x.role === 'grid')!.data as Raster;
    expect(Array.from(raster.bands[0]!.cells)).toEqual([1, NaN, -1, NaN]);
    expect(raster.bands.map((b) => b.name)).toEqual(['slope', 'tau', 'p', 'rising or falling']);
  });

  it('takes the bands of one grid, given dates, and means of areas', async () => {
    const one: Raster = { ...months[0]!, bands: months.map((m, i) => ({ ...m.bands[0]!, name: `band ${i + 1}` })) };
    await expectAsync(run('time.stackRasters', { rasters: [one] })).toBeRejectedWithError(
      /dates: when was band 1 \(band 1\)/,
    );
    const zone = squares(1);
    const o = await only(
      'time.stackRasters',
      { rasters: [one], zones: [zone] },
      { dates: '2001, 2002, 2003', variable: 'soil' },
    );
    expect(series(o.stack, 0)).toEqual([3, 2, 1]);
    expect(o.stack.grid).toBeNull();
  });

  it('refuses grids that lie otherwise, one moment only, dates that stand twice', async () => {
    const other = { ...months[1]!, grid: { ...months[1]!.grid, x: 5 } };
    await expectAsync(run('time.stackRasters', { rasters: [months[0]!, other] })).toBeRejectedWithError(
      /lies otherwise than the first/,
    );
    await expectAsync(run('time.stackRasters', { rasters: [months[0]!] })).toBeRejectedWithError(/One step only/);
    await expectAsync(run('time.stackRasters', { rasters: months }, { dates: '2001,2001,2002' })).toBeRejectedWithError(
      /two are of 2001/,
    );
    await expectAsync(run('time.stackRasters', { rasters: months }, { dates: '2001,2002' })).toBeRejectedWithError(
      /2 dates for 3 bands/,
    );
  });
});

/** Places whose series rise, fall, stay and are zero. */
function histories(steps: number): TimeStack {
  const make = [
    (t: number) => t,
    (t: number) => -2 * t || 0,
    (t: number) => (t * 7) % 3,
    () => 0,
    (t: number) => (t < 2 ? t : NaN),
  ];
  const out = new Float64Array(make.length * steps);
  make.forEach((f, i) => {
    for (let t = 0; t < steps; t++) out[i * steps + t] = f(t);
  });
  return {
    kind: 'stack',
    places: squares(make.length, textColumn('key', ['up', 'down', 'about', 'nought', 'few'])),
    key: 'key',
    steps: { unit: 'month', every: 12, start: 240, count: steps },
    variables: [{ name: 'n', unit: 'kg', values: out }],
    grid: null,
    made: 'by hand',
  };
}

describe('Trends of a time stack', () => {
  it('tell by place what rises and falls, with slopes in the unit of the values', async () => {
    const o = await run('time.trend', { stack: [histories(20)] });
    const f = o.outputs[0]!.data as Features;
    expect(values(f, 'trend')).toEqual(['rising', 'falling', 'no trend', 'no trend', 'too few values']);
    expect(values(f, 'slope').slice(0, 2)).toEqual([1, -2]);
    expect(values(f, 's').slice(0, 2)).toEqual([190, -190]);
    expect(values(f, 'tau')[3]).toBeNull();
    expect(values(f, 'p')[3]).toBe(1);
    expect(f.columns.find((c) => c.name === 'slope')!.unit).toBe('kg');
    expect(o.figures).toEqual({ rising: 1, falling: 1, noTrend: 2 });
    expect(said(o, 'trend.few')).toContain('1 place of 5');
    expect(said(o, 'trend.flat')).toContain('1 place');
    expect(values(f, 'strength').slice(0, 3)).toEqual(['rising', 'falling', 'no trend']);
  });

  it('in a window say what the whole hides', async () => {
    const s = histories(20);
    for (let t = 10; t < 20; t++) s.variables[0]!.values[t] = 10 - t;
    const trendOf = async (p: object): Promise<unknown> =>
      values((await run('time.trend', { stack: [s] }, { ...p })).outputs[0]!.data as Features, 'trend')[0];
    expect(await trendOf({ to: '1999' })).toBe('rising');
    expect(await trendOf({ from: '2000' })).toBe('falling');
    await expectAsync(trendOf({ from: '2005', to: '2001' })).toBeRejectedWithError(/to: 2001 lies before 2005/);
    await expectAsync(trendOf({ from: '2050' })).toBeRejectedWithError(/lies in none of the steps/);
  });

  it('say when no series could be called a trend, and refuse too few steps and odd seasons', async () => {
    const o = await run('time.trend', { stack: [histories(4)] });
    expect(said(o, 'trend.never')).toContain('With 4 steps p cannot be below 0.089');
    await expectAsync(run('time.trend', { stack: [histories(20)] }, { to: '1991' })).toBeRejectedWithError(
      /needs three at least/,
    );
    await expectAsync(run('time.trend', { stack: [histories(20)] }, { season: 12 })).toBeRejectedWithError(
      /not two rounds/,
    );
    await expectAsync(run('time.trend', { stack: [histories(20)] }, { variable: 'm' })).toBeRejectedWithError(
      /there is no "m"; there is n/,
    );
  });

  it('are corrected for many tests on request', async () => {
    const f = (await run('time.trend', { stack: [histories(20)] }, { correction: 'fdr' })).outputs[0]!.data as Features;
    const [p, corrected] = [values(f, 'p') as number[], values(f, 'p_corrected') as number[]];
    expect(corrected[0]).toBeCloseTo(2 * Math.max(p[0]!, p[1]!), 12);
  });
});

describe('Groups of a time stack', () => {
  const s = histories(20);
  const n = 30;
  const many: TimeStack = {
    ...s,
    places: squares(n),
    key: null,
    variables: [
      {
        name: 'n',
        unit: null,
        values: Float64Array.from({ length: n * 20 }, (_, k) => {
          const [i, t] = [Math.floor(k / 20), k % 20];
          return (i % 3 === 0 ? t : i % 3 === 1 ? -t : Math.abs(10 - t)) * (1 + (i % 4)) + ((i * 7 + t * 3) % 5) * 0.2;
        }),
      },
    ],
  };

  it('find what was put in, by profile, and advise how many', async () => {
    const o = await run('time.groupSeries', { stack: [many] }, { by: 'profile' });
    expect(o.figures).toEqual(jasmine.objectContaining({ k: 3, sizes: '10, 10, 10' }));
    const g = values(o.outputs[0]!.data as Features, 'group');
    for (let i = 3; i < n; i++) expect(g[i]).toBe(g[i % 3]);
    const means = o.outputs[1]!.data as Table;
    expect(means.columns.map((c) => c.name)).toEqual(['step', 'group 1', 'group 2', 'group 3']);
    const choice = o.outputs[2]!.data as Table;
    expect(values(choice, 'k')).toEqual([2, 3, 4, 5, 6, 7, 8, 9, 10]);
    const index = values(choice, 'index') as number[];
    expect(Math.max(...index)).toBe(index[1]!);
  });

  it('take the number that is given, about medoids too, and leave out what has no profile', async () => {
    const o = await run('time.groupSeries', { stack: [s] }, { by: 'profile', k: 2, method: 'medoids' });
    expect(o.figures['k']).toBe(2);
    expect(said(o, 'groups.flat')).toContain('1 place whose value never changes');
    expect(said(o, 'groups.short')).toContain('1 place with less than half');
    expect(values(o.outputs[0]!.data as Features, 'group').slice(3)).toEqual([null, null]);
    await expectAsync(run('time.groupSeries', { stack: [s] }, { k: 1 })).toBeRejectedWithError(/give 2 groups or more/);
    await expectAsync(run('time.groupSeries', { stack: [s] }, { k: 9 })).toBeRejectedWithError(
      /more places than groups/,
    );
  });
});

describe('Change and moments of a time stack', () => {
  it('are told by place', async () => {
    const s = histories(5);
    const o = await run('time.change', { stack: [s] }, { before: '1990', after: '1992' });
    const f = o.outputs[0]!.data as Features;
    expect([values(f, 'before'), values(f, 'after'), values(f, 'difference')]).toEqual([
      [0, 0, 0, 0, 0],
      [2, -4, 2, 0, null],
      [2, -4, 2, 0, null],
    ]);
    expect(values(f, 'ratio')).toEqual([null, null, null, null, null]);
    expect(o.figures['mean']).toBe(0);
    await expectAsync(run('time.change', { stack: [s] }, { before: '1990', after: '1990' })).toBeRejectedWithError(
      /Both lie in the step 1990/,
    );
    const slice = await only('time.slice', { stack: [s] }, { step: '1991' });
    expect(values(slice.features, 'n')).toEqual([1, -2, 1, 0, 1]);
    expect(slice.features.columns.map((c) => c.name)).toEqual(['key', 'n']);
  });
});

describe('A time stack as files', () => {
  const crs = parseCrs('EPSG:4326');
  const s: TimeStack = { ...histories(3), places: { ...histories(3).places, crs } };
  const written = async (d: TimeStack, format: 'csv' | 'csv-wide' | 'stack-zip'): Promise<Uint8Array> => {
    const out = new MemorySink();
    await writeTo(out, handleOn(d), format, 'my stack');
    return out.bytes();
  };
  const decode = (b: Uint8Array): string => new TextDecoder().decode(b);

  it('is written in long form with its places beside, and either is read with the other', async () => {
    const rows = await written(s, 'csv');
    expect(decode(rows).split('\r\n').slice(0, 4)).toEqual(['location,time,n', 'up,1990,0', 'up,1991,1', 'up,1992,2']);
    const [beside] = await writtenBeside(handleOn(s), 'csv');
    expect(beside!.extension).toBe('geojson');
    const files: Record<string, Uint8Array> = { csv: rows, geojson: beside!.bytes };
    for (const ext of ['csv', 'geojson']) {
      const { layers } = await openFile(`stack.${ext}`, memorySource(files[ext]!), {
        sibling: (e) => (e === ext ? undefined : files[e]),
      });
      const back = (await layers[0]!.handle.load()) as TimeStack;
      expect(back.kind).toBe('stack');
      expect(back.key).toBe('key');
      expect(back.steps).toEqual(s.steps);
      expect(back.variables[0]!.values).toEqual(s.variables[0]!.values);
    }
    // Without its places it is a table.
    const alone = await readFile('stack.csv', rows);
    expect(alone.layers[0]!.data.kind).toBe('table');
  });

  it('is one dataset in a zip of both', async () => {
    const { layers } = await readFile('stack.zip', await written(s, 'stack-zip'));
    expect(layers.map((l) => l.data.kind)).toEqual(['stack']);
    expect(kindOf(layers[0]!.data).summary(infoOf(layers[0]!.data))).toBe('time stack · 5 polygons × 3');
  });

  it('has a column each step in wide form', async () => {
    const lines = decode(await written(s, 'csv-wide')).split('\r\n');
    expect(lines.slice(0, 3)).toEqual(['location,n_1990,n_1991,n_1992', 'up,0,1,2', 'down,0,-2,-4']);
    expect(lines[5]).toBe('few,0,1,');
  });

  it('that says what its places do not, or says it twice, is refused with the row', async () => {
    const places = (await writtenBeside(handleOn(s), 'csv'))[0]!.bytes;
    const read = (text: string) =>
      expectAsync(
        openFile('stack.csv', memorySource(new TextEncoder().encode(text)), {
          sibling: (e) => (e === 'geojson' ? places : undefined),
        }),
      );
    await read('location,time,n\nup,1990,1\nup,1990,2\n').toBeRejectedWithError(
      /row 2: "up" stands there twice at 1990/,
    );
    await read('location,time,n\nsideways,1990,1\n').toBeRejectedWithError(
      /row 1: there is no place "sideways" among the 5/,
    );
    await read('location,time,n\nup,soon,1\nup,1990,1\n').toBeRejectedWithError(/row 1: "soon" is no date/);
  });

  it('keeps its steps where they are weeks, quarters and hours', async () => {
    for (const steps of [
      { unit: 'day' as const, every: 7, start: 4, count: 3 },
      { unit: 'month' as const, every: 3, start: 3, count: 3 },
      { unit: 'second' as const, every: 21600, start: 43200, count: 3 },
    ]) {
      const d = { ...s, steps };
      const { layers } = await readFile('stack.zip', await written(d, 'stack-zip'));
      expect((layers[0]!.data as TimeStack).steps).toEqual(steps);
    }
  });

  it('gives a step as it was put in', () => {
    expect(Array.from(stepOf(s, 0, 2))).toEqual([2, -4, 2, 0, NaN]);
  });
});

import { measureRaster, type Raster } from '../../data/raster';
import { numberColumn, textColumn, type Table } from '../../data/table';
import { stepLabels, stepText } from '../../data/time-steps';
import { setupNode } from '../../../../node/src';
import { only, points, run, said, series, squares, values } from './time-fixture';

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

  it('takes years of monthly rows for whole, though the last month begins in December', async () => {
    const months = Array.from(
      { length: 24 },
      (_, m) => `${2018 + Math.floor(m / 12)}-${String((m % 12) + 1).padStart(2, '0')}`,
    );
    const rows: Table = {
      kind: 'table',
      columns: [
        textColumn(
          'station',
          months.map(() => 'a'),
        ),
        textColumn(
          'month',
          months.map((m) => `${m}-01`),
        ),
        numberColumn(
          'flow',
          months.map((_, i) => i),
        ),
      ],
    };
    const o = await only('time.stack', { locations: [places], table: [rows] }, { step: 'year' });
    expect(said(o, 'stack.partial')).toBeUndefined();
    expect(series(o.stack, 0)).toEqual([5.5, 17.5]);
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

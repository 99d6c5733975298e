import { memorySource, MemorySink, openFile, readFile } from '../../formats';
import { writeTo, writtenBeside } from '../../formats/write';
import { handleOn, infoOf, kindOf } from '../../data/kinds';
import type { Features } from '../../data/features';
import { stepOf, type TimeStack } from '../../data/stack';
import type { Table } from '../../data/table';
import { parseCrs } from '../../data/crs';
import { setupNode } from '../../../../node/src';
import { histories, only, run, said, squares, values } from './time-fixture';

beforeAll(() => setupNode());

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

  it('refuse more steps than can be held against each other, but not by season', async () => {
    const long = histories(7000);
    await expectAsync(run('time.trend', { stack: [long] })).toBeRejectedWithError(
      /more pairs of them than can be held/,
    );
    expect((await run('time.trend', { stack: [long] }, { season: 500 })).figures['rising']).toBe(1);
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

import { readFileSync } from 'node:fs';
import { setupNode } from '@helk/node';
import { writeXlsx } from '../formats/xlsx';
import type { HelkError } from '../errors';
import { methodOf } from '../method/registry';
import { textColumn, numberColumn } from '../data/table';
import { csvOf, gridIn } from './grid';
import { recipeMethod } from './method';
import { WATERSHED } from './recipe-fixture';
import { crossed, pastedCells, series } from './series';
import { columnOf, namesByPattern, readRunTable, reportRows, usualPattern } from './table';

beforeAll(setupNode);

const streams = methodOf('terrain.streams');
const recipe = recipeMethod(WATERSHED, 'recipe:one');
const bytes = (s: string): Uint8Array => new TextEncoder().encode(s);
const refusal = (work: () => unknown): string => {
  try {
    work();
  } catch (e) {
    expect((e as HelkError).code).toBe('table.invalid');
    return (e as Error).message;
  }
  throw new Error('It was taken.');
};

describe('a run table', () => {
  it('gives each row its inputs and settings', () => {
    const t = readRunTable(
      [
        ['in:elevation', 'threshold', 'seed'],
        ['a.tif', '1 km2', ''],
        ['', '', ''],
        ['a.tif; b.tif', '2 km2', '7'],
      ],
      streams,
    );
    expect(t.rows).toEqual([
      { row: 1, inputs: { elevation: ['a.tif'] }, params: { threshold: '1 km2' }, seed: null },
      { row: 3, inputs: { elevation: ['a.tif', 'b.tif'] }, params: { threshold: '2 km2' }, seed: 7 },
    ]);
  });

  it('knows settings of a recipe with and without their step', () => {
    expect(columnOf('watersheds.snap', recipe).name).toBe('watersheds.snap');
    expect(columnOf('snap', recipe).name).toBe('watersheds.snap');
    const two = structuredClone(WATERSHED);
    two.steps.push({ ...two.steps[2]!, id: 'again' });
    expect(refusal(() => columnOf('snap', recipeMethod(two, 'r')))).toContain('watersheds.snap or again.snap');
  });

  it('refuses what is neither, before anything runs', () => {
    const cases: [string[][], RegExp][] = [
      [[['colour'], ['red']], /"colour" is neither an input nor a setting of Streams/],
      [[['elevation'], ['a']], /written as in:elevation/],
      [[['in:ground'], ['a']], /no input "ground"; it takes elevation/],
      [
        [
          ['threshold', 'threshold'],
          ['1', '2'],
        ],
        /there twice/,
      ],
      [
        [
          ['threshold', ''],
          ['1', '2'],
        ],
        /Column 2 .* no heading/,
      ],
      [[['threshold'], ['1', '2']], /more cells/],
      [[['threshold'], ['']], /no rows/],
      [[], /empty/],
      [
        [
          ['threshold', 'seed'],
          ['1', 'x'],
        ],
        /Row 1: a seed/,
      ],
      [[['__proto__'], ['1']], /neither/],
      [[Array.from({ length: 300 }, (_, k) => `c${k}`)], /at most 200 columns/],
    ];
    for (const [grid, words] of cases) expect(refusal(() => readRunTable(grid, streams))).toMatch(words);
  });

  it('names results by a pattern, all different', () => {
    const rows = [1, 2, 3].map((row) => ({
      row,
      inputs: { elevation: ['Mosaic'] },
      params: { threshold: row < 3 ? '1 km2' : '2 km2' },
    }));
    expect(namesByPattern('{elevation} {threshold}', rows, streams)).toEqual([
      'Mosaic 1 km2',
      'Mosaic 1 km2 2',
      'Mosaic 2 km2',
    ]);
    expect(namesByPattern('{row}', rows, streams)).toEqual(['1', '2', '3']);
    expect(refusal(() => namesByPattern('{colour}', rows, streams))).toContain('colour');
    const t = readRunTable(
      [
        ['in:elevation', 'threshold'],
        ['a', '1'],
        ['a', '2'],
      ],
      streams,
    );
    expect(usualPattern(t, 'Streams')).toBe('Streams, {threshold}');
  });

  it('tells how each row ended', () => {
    const rows = reportRows([
      {
        row: 1,
        name: 'one',
        state: 'done',
        reason: '',
        seconds: 1.5,
        given: { threshold: '1' },
        figures: { length: 2.5, links: 3 },
      },
      {
        row: 2,
        name: 'two',
        state: 'failed',
        reason: 'No, "not"\nso',
        seconds: null,
        given: { threshold: '=2' },
        figures: {},
      },
    ]);
    expect(rows[0]).toEqual(['row', 'state', 'reason', 'seconds', 'length', 'links', 'name', 'threshold']);
    expect(csvOf(rows).split('\n')[1]).toBe('1,done,,1.500,2.5,3,one,1');
    expect(csvOf(rows)).toContain("'=2");
  });
});

describe('a run table in a file', () => {
  it('is read from delimited text as it is written', async () => {
    expect(await gridIn(bytes('\uFEFFin:tiles;snap\nü.tif;"0,50 m"\n;007\n'), 't.csv')).toEqual([
      ['in:tiles', 'snap'],
      ['ü.tif', '0,50 m'],
      ['', '007'],
    ]);
  });

  it('is read from a spreadsheet', async () => {
    const sheet = await writeXlsx(
      { kind: 'table', columns: [textColumn('in:elevation', ['a.tif', '']), numberColumn('threshold', [15, 30.5])] },
      'runs',
    );
    expect(await gridIn(sheet, 't.xlsx')).toEqual([
      ['in:elevation', 'threshold'],
      ['a.tif', '15'],
      ['', '30.5'],
    ]);
  });

  it('is refused when it is neither', async () => {
    const zip = readFileSync(new URL(import.meta.url));
    zip[0] = 0x50;
    zip[1] = 0x4b;
    await expectAsync(gridIn(zip, 't.xlsx')).toBeRejectedWithError(/cannot be read as a spreadsheet/);
    await expectAsync(gridIn(Uint8Array.of(1, 0, 2, 0, 3), 't.csv')).toBeRejectedWithError(/no text/);
  });
});

describe('a series', () => {
  it('goes on as it began', () => {
    expect(series(['15', '30'], 5)).toEqual(['15', '30', '45', '60', '75']);
    expect(series(['15 min'], 3)).toEqual(['15 min', '16 min', '17 min']);
    expect(series(['0.1', '0.2'], 4)).toEqual(['0.1', '0.2', '0.3', '0.4']);
    expect(series(['1 km2', '2 km2', '4 km2'], 5)).toEqual(['1 km2', '2 km2', '4 km2', '8 km2', '16 km2']);
    expect(series(['10', '5'], 4)).toEqual(['10', '5', '0', '-5']);
    expect(series(['tile-08'], 4)).toEqual(['tile-08', 'tile-09', 'tile-10', 'tile-11']);
    expect(series(['foot', 'car'], 5)).toEqual(['foot', 'car', 'foot', 'car', 'foot']);
    expect(series(['7', 'x'], 3)).toEqual(['7', 'x', '7']);
    expect(series(['3', '6', '9'], 2)).toEqual(['3', '6']);
  });

  it('is crossed with rows', () => {
    expect(
      crossed(
        [
          ['5', ''],
          ['10', ''],
        ],
        1,
        ['foot', 'car'],
      ),
    ).toEqual([
      ['5', 'foot'],
      ['10', 'foot'],
      ['5', 'car'],
      ['10', 'car'],
    ]);
  });

  it('is pasted from a spreadsheet', () => {
    expect(pastedCells('a\t1\r\n"b ""x"""\t2\r\n')).toEqual([
      ['a', '1'],
      ['b "x"', '2'],
    ]);
  });
});

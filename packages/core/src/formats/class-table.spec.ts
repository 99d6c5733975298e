import { formatRules, parseRules } from '../methods/raster/recode';
import { readClassTable, writeClassTable } from './class-table';

describe('class tables', () => {
  it('come back as they were written', () => {
    const all = [
      { value: 1, label: 'water', colour: '#4f88b3' },
      { value: 7, label: 'reed, wet', colour: null },
    ];
    expect(readClassTable(writeClassTable(all))).toEqual(all);
    expect(readClassTable('{"classes":[{"label":"moor","colour":"#8d6f8f"}]}')).toEqual([
      { label: 'moor', colour: '#8d6f8f' },
    ]);
  });
  it('say what is wrong with others', () => {
    for (const [text, why] of [
      ['x', 'not JSON'],
      ['[]', 'no list'],
      ['{"classes":[{"value":1.5}]}', 'entry 1 has a value'],
      ['{"classes":[{"value":1,"colour":"red"}]}', 'colour of entry 1'],
      ['{"classes":[{}]}', 'neither'],
      ['{"classes":[null]}', 'neither'],
    ])
      expect(() => readClassTable(text!))
        .withContext(text!)
        .toThrowError(new RegExp(why!));
  });
  it('rules with names and colours are read back to the same', () => {
    const r = parseRules('1..5 = 2 reed #7fa08c; 6 = missing; 8, 9 = 1 open water; * = 3 rest');
    expect(r.rules[0]).toEqual({ from: 1, to: 5, value: 2, label: 'reed', colour: '#7fa08c' });
    expect(parseRules(formatRules(r))).toEqual(r);
    expect(formatRules(parseRules('1..5 = 2 reed; 6, 8=1 water; * = keep'))).toBe(
      '1 to 5 -> 2 reed; 6 -> 1 water; 8 -> 1 water; others -> keep',
    );
  });
});

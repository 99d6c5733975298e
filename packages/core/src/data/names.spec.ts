import { commonName, FreeNames } from './names';

describe('names', () => {
  it('that are taken get a number', () => {
    const free = new FreeNames(['a']);
    expect(['a', 'a', 'b', 'a 3'].map((n) => free.take(n))).toEqual(['a 2', 'a 3', 'b', 'a 3 2']);
    expect(new FreeNames(['A'], '_', true).take('a')).toBe('a_2');
  });

  it('share whole words and numbers at their beginning and their end', () => {
    const of: [string[], string | null][] = [
      [['elevation-nw', 'elevation-se'], 'elevation'],
      [['tm_201601', 'tm_201712'], 'tm'],
      [['n41', 'n42'], 'n'],
      [['tm_201601 mended', 'tm_201611 mended'], 'tm … mended'],
      [['S_A_ft', 'S_B_ft'], 'S … ft'],
      [['S_ft', 'S_A_ft'], 'S'],
      [['alone'], 'alone'],
      [['x', 'y'], null],
      [['same', 'same'], 'same'],
    ];
    for (const [names, common] of of) expect([names, commonName(names)]).toEqual([names, common]);
  });
});

import { crsOfCode } from '../data/crs';
import { FeaturesBuilder, type Column, type Features } from '../data/features';
import { numberColumn, textColumn } from '../data/table';
import { formatNumber } from '../data/number-words';
import { categoryColours } from './categories';
import { greysOf, inOrder, MEANT } from './meanings';
import { PLAIN_VECTOR, symbolsOf } from './symbols';

const points = (c: Column): Features => {
  const b = new FeaturesBuilder();
  for (let i = 0; i < c.values.length; i++) b.point(i, 0);
  return b.build('point', crsOfCode(32627), [c]);
};

describe('classes that mean something', () => {
  it('keep their colours and their order, whatever comes most often', () => {
    const f = points(textColumn('c', ['low-low', 'low-low', 'not significant', 'high-high']));
    const s = symbolsOf({ ...PLAIN_VECTOR, by: { kind: 'category', column: 'c', colours: {} } }, f);
    expect(s.legend.map((e) => [e.text, e.colour, e.count])).toEqual([
      ['high among high', MEANT['high-high']!.colour, 1],
      ['low among low', MEANT['low-low']!.colour, 2],
      ['not significant', MEANT['not significant']!.colour, 1],
    ]);
  });
  it('are as any others where most have no meaning', () => {
    expect(inOrder(['b', 'low', 'a'], (x) => x)).toEqual(['b', 'low', 'a']);
    expect(categoryColours(['b', 'low', 'a'])).not.toContain(MEANT['low']!.colour);
  });
  it('have greys that print can tell apart', () => {
    const names = ['high-high', 'low-low', 'high-low', 'low-high', 'not significant'];
    const colours = names.map((n) => MEANT[n]!.colour);
    const four = greysOf(names, colours);
    const light = four.map((c) => parseInt(c.slice(1, 3), 16)).sort((a, b) => a - b);
    for (let i = 1; i < light.length; i++) expect(light[i]! - light[i - 1]!).toBeGreaterThan(40);
    // Others in the order in which they are light.
    const others = greysOf(['x', 'y', 'z'], ['#202020', '#ffffff', '#c03020']).map((c) => parseInt(c.slice(1, 3), 16));
    expect(others[0]! < others[2]! && others[2]! < others[1]!).toBeTrue();
  });
});

describe('the key of classes of a number', () => {
  const texts = (values: number[], own: number[]): string[] =>
    symbolsOf(
      {
        ...PLAIN_VECTOR,
        by: {
          kind: 'classes',
          column: 'v',
          rule: 'own',
          classes: own.length + 1,
          own,
          ramp: 'viridis',
          reversed: false,
        },
      },
      points(numberColumn('v', values)),
      (v, range = 1000) => formatNumber(v, range),
    ).legend.map((e) => e.text);
  it('has as many digits as tell its steps apart', () => {
    expect(texts([0.0004, 0.02, 0.3], [0.001, 0.05])).toEqual(['0.000 to 0.001', '0.001 to 0.050', '0.050 to 0.300']);
    expect(texts([0, 12, 97], [10, 20])).toEqual(['0 to 10', '10 to 20', '20 to 97']);
  });
});

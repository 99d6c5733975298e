import fc from 'fast-check';
import { FeaturesBuilder, type Column, type Features } from '../data/features';
import { numberColumn, textColumn } from '../data/table';
import { utm27 } from '../testing';
import { categoryColours, colouredClasses, namedColour } from './categories';
import { CATEGORY_COLOURS } from './ramps';
import {
  breaksFor,
  categoriesOf,
  MISSING_COLOUR,
  PLAIN_VECTOR,
  symbolsOf,
  type ColourBy,
  type VectorStyle,
} from './symbols';

function points(columns: Column[]): Features {
  const b = new FeaturesBuilder();
  for (let i = 0; i < columns[0]!.values.length; i++) b.point(i, 0);
  return b.build('point', utm27(), columns);
}
const styled = (over: Partial<VectorStyle>): VectorStyle => ({ ...PLAIN_VECTOR, ...over });
const classes = (over: Partial<Extract<ColourBy, { kind: 'classes' }>> = {}): ColourBy => ({
  kind: 'classes',
  column: 'v',
  rule: 'equal',
  classes: 4,
  own: [],
  ramp: 'viridis',
  reversed: false,
  ...over,
});

describe('features drawn by classes of a number', () => {
  it('fall into equal steps, ends belonging to the class above, missing ones apart', () => {
    const f = points([numberColumn('v', [0, 24, 25, 50, 75, 100, NaN])]);
    const s = symbolsOf(styled({ by: classes() }), f);
    expect(s.breaks).toEqual([25, 50, 75]);
    expect([...s.index]).toEqual([0, 0, 1, 2, 3, 3, 4]);
    expect(s.colours[4]).toBe(MISSING_COLOUR);
    expect(s.legend.map((l) => [l.text, l.count])).toEqual([
      ['0 to 25', 2],
      ['25 to 50', 1],
      ['50 to 75', 1],
      ['75 to 100', 2],
      ['missing', 1],
    ]);
  });
  it('count every feature once in the key, whatever the rule', () => {
    fc.assert(
      fc.property(
        fc.array(fc.oneof(fc.double({ min: -1e6, max: 1e6, noNaN: true }), fc.constant(NaN)), {
          minLength: 1,
          maxLength: 60,
        }),
        fc.constantFrom('equal', 'quantile', 'natural', 'geometric', 'sd'),
        fc.integer({ min: 2, max: 12 }),
        (values, rule, n) => {
          const f = points([numberColumn('v', values)]);
          const s = symbolsOf(styled({ by: classes({ rule: rule as never, classes: n }) }), f);
          if (values.every((v) => Number.isNaN(v))) return;
          expect(s.legend.reduce((sum, l) => sum + l.count, 0)).toBe(values.length);
          expect([...s.index].every((i) => i < s.colours.length)).toBeTrue();
        },
      ),
      { numRuns: 200 },
    );
  });
  it('tell a few values by themselves where each has a class of its own', () => {
    const f = points([numberColumn('v', [900, 300, 600, 300])]);
    const of = (over: object): string[] =>
      symbolsOf(styled({ by: classes({ classes: 3, ...over }) }), f).legend.map((l) => l.text);
    expect(of({ rule: 'natural' })).toEqual(['300', '600', '900']);
    // Limits that somebody set are told as they are.
    expect(of({ rule: 'own', own: [500, 800] })).toEqual(['300 to 500', '500 to 800', '800 to 900']);
  });
  it('never count downwards in the key, also where breaks lie beyond the values', () => {
    const f = points([numberColumn('v', [3, 5, 8])]);
    const texts = (over: object): string[] => symbolsOf(styled({ by: classes(over) }), f).legend.map((l) => l.text);
    for (const t of [...texts({ around: 0 }), ...texts({ rule: 'own', own: [20, 1, 10] })]) {
      const m = /^(\S+) to (\S+)$/.exec(t.replace(/\u2212/g, '-'));
      if (m) expect(Number(m[1])).withContext(t).toBeLessThanOrEqual(Number(m[2]));
    }
    expect(texts({ rule: 'own', own: [20, 1, 10] })[0]).toBe('below 1');
    expect(texts({ rule: 'own', own: [20, 1, 10] }).at(-1)).toBe('20 and above');
  });

  it('take own breaks in any order, and lie alike around a value when wished', () => {
    const sorted = Float64Array.of(-2, 1, 8);
    expect(breaksFor(classes({ rule: 'own', own: [5, -1] }) as never, sorted)).toEqual([-1, 5]);
    expect(breaksFor(classes({ around: 0 }) as never, sorted)).toEqual([-4, 0, 4]);
  });
  it('say what is wrong with the column instead of drawing something else', () => {
    const f = points([textColumn('v', ['a', 'b'])]);
    expect(symbolsOf(styled({ by: classes() }), f).problem).toContain('no column "v" of numbers');
    expect(symbolsOf(styled({ by: { kind: 'category', column: 'x', colours: {} } }), f).problem).toContain('"x"');
  });
});

describe('features drawn by category', () => {
  it('stand by their number, with own colours where they were given, missing ones apart', () => {
    const kinds = {
      ...textColumn('kind', ['moor', 'reed', 'moor', 'water', '']),
      missing: Uint8Array.of(0, 0, 0, 0, 1),
    };
    const f = points([kinds]);
    expect(categoriesOf(kinds)).toEqual([
      { key: 'moor', count: 2 },
      { key: 'reed', count: 1 },
      { key: 'water', count: 1 },
    ]);
    const s = symbolsOf(styled({ by: { kind: 'category', column: 'kind', colours: { reed: '#123456' } } }), f);
    expect([...s.index]).toEqual([0, 1, 0, 2, 3]);
    expect(s.colours[1]).toBe('#123456');
    expect(s.colours[2]).toBe(namedColour('water')!);
    expect(s.legend.at(-1)).toEqual({ colour: MISSING_COLOUR, text: 'missing', count: 1, key: '' });
  });
  it('beyond two hundred kinds are put together as others', () => {
    const f = points([
      textColumn(
        'k',
        Array.from({ length: 260 }, (_, i) => `kind ${String(i).padStart(3, '0')}`),
      ),
    ]);
    const s = symbolsOf(styled({ by: { kind: 'category', column: 'k', colours: {} } }), f);
    expect(s.legend.length).toBe(201);
    expect(s.legend.at(-1)!.text).toBe('others');
    expect(s.legend.at(-1)!.count).toBe(60);
  });
});

describe('size, emphasis and labels', () => {
  const f = points([
    numberColumn('n', [0, 25, -100, NaN]),
    { ...numberColumn('main', [0, 1, 1, 1]), type: 'boolean', missing: Uint8Array.of(0, 0, 0, 1) },
    textColumn('name', ['a', 'b', 'c', 'd']),
  ]);
  it('make areas, not radii, follow the value', () => {
    expect([...symbolsOf(styled({ size: { column: 'n', largest: 10 } }), f).size!]).toEqual([0, 0.5, 1, 0]);
    expect(symbolsOf(styled({ size: { column: 'gone', largest: 10 } }), f).size).toBeNull();
  });
  it('draw twice as wide what holds', () =>
    expect([...symbolsOf(styled({ emphasis: 'main' }), f).emphasised!]).toEqual([0, 1, 1, 0]));
  it('write what a formula gives, on several lines, and nothing where it is missing', () => {
    const s = symbolsOf(styled({ label: { formula: 'name + "\\n" + text(n, 0) + " cm"', size: 12 } }), f);
    expect(s.labels).toEqual(['a\n0 cm', 'b\n25 cm', 'c\n-100 cm', null]);
    expect(symbolsOf(styled({ label: { formula: 'nope + 1', size: 12 } }), f).problem).toContain('"nope"');
    expect(symbolsOf(styled({ label: { formula: '  ', size: 12 } }), f).labels).toBeNull();
  });
});

describe('colours of categories', () => {
  it('are those that people expect of land cover, and only then', () => {
    expect(categoryColours(['water', 'conifer wood', 'thing'])[0]).toBe(namedColour('lake')!);
    expect(categoryColours(['water', 'conifer wood', 'thing'])[1]).toBe(namedColour('spruce')!);
    // One word among many is a name that happens to sound so.
    expect(categoryColours(['Waterside parish', 'North', 'South', 'East'])).toEqual(CATEGORY_COLOURS.slice(0, 4));
    expect(namedColour('teapot')).toBeNull();
  });
  it('are not used twice while others are free', () => {
    const all = categoryColours(['water', 'meadow', 'a', 'b', 'c', 'd']);
    expect(new Set(all).size).toBe(6);
  });
  it('of a class table keep their own, and values without an entry get one', () => {
    const got = colouredClasses([{ value: 2, label: 'reed', colour: '#abcdef' }], [2, 7]);
    expect(got.map((c) => [c.value, c.label])).toEqual([
      [2, 'reed'],
      [7, '7'],
    ]);
    expect(got[0]!.colour).toBe('#abcdef');
    expect(colouredClasses(undefined, [1, 2]).length).toBe(2);
    expect(colouredClasses(undefined)).toEqual([]);
  });
});

import fc from 'fast-check';
import { compileFormula } from '../../formula/compile';
import { namesIn, parseFormula } from '../../formula/parse';
import { MISSING_CLASS, type Raster } from '../../data/raster';
import { rasterOf, refusalOf, run, runRaster } from '../../testing';

const value = (text: string, names: Record<string, number> = {}): number => {
  const out = new Float64Array(1);
  compileFormula(parseFormula(text), {
    column: (n) => (n in names ? [names[n]!] : undefined),
    known: Object.keys(names),
  })(0, 1, out);
  return out[0]!;
};

describe('the formula language', () => {
  it('computes as ECMAScript does (differentially, on random expressions without missing values)', () => {
    const leaf = fc.oneof(fc.integer({ min: -9, max: 9 }).map(String), fc.constantFrom('a', 'b'));
    const tree = fc.letrec((tie) => ({
      e: fc.oneof(
        { maxDepth: 5 },
        leaf,
        fc
          .tuple(tie('e'), fc.constantFrom('+', '-', '*', '<', '>=', '==', '!='), tie('e'))
          .map(([x, o, y]) => `(${String(x)} ${o} ${String(y)})`),
        fc.tuple(tie('e'), tie('e'), tie('e')).map(([t, x, y]) => `(${String(t)} ? ${String(x)} : ${String(y)})`),
      ),
    })).e as fc.Arbitrary<string>;
    fc.assert(
      fc.property(tree, fc.integer({ min: -5, max: 5 }), fc.integer({ min: -5, max: 5 }), (text, a, b) => {
        // The host language is the reference here, in a test only.
        const expected = Number(new Function('a', 'b', `return (${text})`)(a, b));
        expect(value(text, { a, b }))
          .withContext(text)
          .toBe(expected === 0 ? (0 as number) + expected : expected);
      }),
      { numRuns: 300 },
    );
  });
  it('knows precedence, functions, constants and odd names', () => {
    expect(value('1 + 2 * 3 - -4')).toBe(11);
    expect(value('2 ** 3 ** 2')).toBe(512);
    expect(value('!0 && 3 > 2 || 0')).toBe(1);
    expect(value('if(a > 2, max(1, a, 7), 0)', { a: 3 })).toBe(7);
    expect(value('[odd name] * 2 + clamp(12, 0, 10)', { 'odd name': 4 })).toBe(18);
    expect(value('atan2(1, 1) * 4 / PI')).toBeCloseTo(1, 12);
    expect(namesIn(parseFormula('a + b * [c d] - a'))).toEqual(['a', 'b', 'c d']);
  });
  it('passes missing on, but for isMissing, coalesce and the branch not taken', () => {
    const m = { m: NaN };
    for (const t of ['m + 1', 'm > 0', 'm && 0', '!m', 'min(m, 1)', 'm ? 1 : 2', 'm == m'])
      expect(value(t, m)).withContext(t).toBeNaN();
    expect(value('isMissing(m)', m)).toBe(1);
    expect(value('coalesce(m, m, 5)', m)).toBe(5);
    expect(value('1 ? 2 : m', m)).toBe(2);
  });
  it('refuses what is not part of it, with the spot', () => {
    for (const t of [
      'a +',
      '(a',
      'a b',
      'a = 1',
      'a.b',
      'a[0]',
      'alert(1)',
      'this',
      '"x" + 1',
      'constructor("x")',
      'a; b',
      'abs()',
      'pow(1)',
      '`x`',
      'a => 1',
      'new a',
      '',
    ]) {
      expect(() => value(t, { a: 1, b: 2 }))
        .withContext(t)
        .toThrowError(/.{10,}/);
    }
    try {
      parseFormula('a + * b');
    } catch (e) {
      expect((e as { at: number }).at).toBe(4);
    }
  });
});

describe('a formula over grids', () => {
  const a = rasterOf(3, [1, 2, 3, null, 5, 6]);
  const b = rasterOf(3, [1, 0, 1, 1, 5, 2]);
  it('is worked out cell by cell; infinite is missing', async () => {
    const { out, outcome } = await runRaster('raster.formula', { rasters: [a, b] }, { formula: 'a / b', unit: '1' });
    expect([...out.bands[0]!.cells]).toEqual([1, NaN, 3, NaN, 1, 3]);
    expect(outcome.figures).toEqual({ min: 1, max: 3, mean: 2 });
  });
  it('has the unit of the grids where it only chooses among their values, and none where it makes another quantity', async () => {
    const unitOf = async (formula: string, unit: string | null): Promise<string | null> =>
      (await runRaster('raster.formula', { rasters: [rasterOf(2, [1, 2], {}, unit)] }, { formula })).out.bands[0]!.unit;
    expect(await unitOf('a == 1 ? 0 / 0 : a', 'ft')).toBe('ft');
    expect(await unitOf('a == 1 ? 0 / 0 : a', null)).toBeNull();
    expect(await unitOf('a / a', 'ft')).toBe('');
  });
  it('refuses unknown names with those there are, and grids that do not lie on one another', async () => {
    expect((await refusalOf(run('raster.formula', { rasters: [a] }, { formula: 'a + c' }))).message).toContain('"c"');
    expect(
      (await refusalOf(run('raster.formula', { rasters: [a, rasterOf(2, [1, 2])] }, { formula: 'a + b' }))).code,
    ).toBe('method.refused');
  });
  it('warns of units brought together and of grids left out', async () => {
    const o = await run(
      'raster.formula',
      { rasters: [a, rasterOf(3, [1, 2, 3, 4, 5, 6], {}, 'ft'), b] },
      { formula: 'a + b' },
    );
    expect(o.notes.map((n) => n.code)).toEqual(['formula.units', 'formula.idle']);
  });
});

describe('recode', () => {
  const r = rasterOf(4, [1, 2, 3, 4, 5, 6, 7, null]);
  const cells = async (rules: string): Promise<number[]> => [
    ...((await run('raster.recode', { raster: r }, { rules })).outputs[0]!.data as Raster).bands[0]!.cells,
  ];
  const M = MISSING_CLASS;
  it('takes intervals, values and a rest', async () => {
    expect(await cells('1..3 = 2 reed; 5, 7 = 1 water; * = missing')).toEqual([2, 2, 2, M, 1, M, 1, M]);
    expect(await cells('1 to 3 -> 9 reed; others -> keep')).toEqual([9, 9, 9, 4, 5, 6, 7, M]);
    expect(await cells('1..3 = missing; * = 4 other')).toEqual([M, M, M, 4, 4, 4, 4, M]);
  });
  it('counts forgotten values and clashes, and says so before and after', async () => {
    const whole = { ...r, bands: [{ ...r.bands[0]!, storedType: 'uint8' as const }] };
    const o = await run('raster.recode', { raster: whole }, { rules: '1..3 = 1 low; 3..4 = 2 high; 6..7 = 3 top' });
    expect(o.figures).toEqual({ uncoveredValues: 1, uncoveredCells: 1, clashes: 1 });
    expect(o.notes.map((n) => n.code)).toEqual(['recode.clash', 'recode.forgotten', 'recode.uncovered']);
    const band = (o.outputs[0]!.data as Raster).bands[0]!;
    expect(band.cells[2]).toBe(1);
    expect(band.classes?.map((c) => `${c.value} ${c.label}`)).toEqual(['1 low', '2 high', '3 top']);
  });
  it('a common end of two measures is no clash; of two classes it is', async () => {
    const rules = '1..3.5 = 1 low; 3.5..8 = 2 high';
    const codes = async (storedType: 'float32' | 'uint8'): Promise<string[]> => {
      const band = { ...r.bands[0]!, storedType };
      return (await run('raster.recode', { raster: { ...r, bands: [band] } }, { rules })).notes.map((n) => n.code);
    };
    expect(await codes('float32')).toEqual([]);
    expect(await codes('uint8')).toEqual(['recode.clash']);
  });
  it('refuses rules it cannot read, naming them', async () => {
    for (const rules of ['1..', '5..1 = 2', 'x = 2', '1 = keep', ';'])
      expect((await refusalOf(run('raster.recode', { raster: r }, { rules }))).path)
        .withContext(rules)
        .toBe('rules');
  });
});

import { parseFormula } from './parse';
import { unitThrough } from './unit';

describe('the unit of a formula', () => {
  const units: Record<string, string | null> = { a: 'ft', b: 'ft', m: 'm', t: 'K', n: '', u: null };
  const of = (text: string): string | null | undefined => unitThrough(parseFormula(text), (n) => units[n] ?? null);

  it('is that of the values it chooses, compares, adds or rounds', () => {
    for (const f of [
      'a',
      '-a',
      'a == -9999 ? 0 / 0 : a',
      'if(m > 3, a, b)',
      'a + b',
      'a - 100',
      'max(a, b, 0)',
      'coalesce(a, round(b))',
      'clamp(a, 0, 2 * 500)',
    ])
      expect([f, of(f)]).toEqual([f, 'ft']);
  });

  it('is not known where it is that of something unknown, or an offset may have converted it', () => {
    for (const f of ['u', 'u == 0 ? 0 / 0 : u', 'u + a', 't - 273.15']) expect([f, of(f)]).toEqual([f, null]);
    expect(of('n + 1')).toBe('');
  });

  it('is another where the formula makes another quantity', () => {
    for (const f of ['a * 0.3048', 'a / b', '(u - a) / (u + a)', 'a > 3', 'a + m', 'sqrt(a)', '!a', '5'])
      expect([f, of(f)]).toEqual([f, undefined]);
  });
});

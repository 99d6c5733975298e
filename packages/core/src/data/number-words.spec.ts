import fc from 'fast-check';
import { formatFigure, percentOf } from './number-words';

describe('a share in hundredths', () => {
  it('has the decimals that are asked for, and more where it would be told as nothing or all', () => {
    expect(percentOf(0.25)).toBe('25.0');
    expect(percentOf(1 / 3, 2)).toBe('33.33');
    expect([percentOf(0), percentOf(1), percentOf(NaN)]).toEqual(['0', '100', '–']);
    // 261 ha of 350 km² that changed.
    expect(percentOf(1 - 2.61 / 350)).toBe('99.3');
    expect(percentOf(0.99996)).toBe('99.996');
    expect(percentOf(0.9999999)).toBe('99.99999');
    expect(percentOf(0.00012)).toBe('0.012');
    expect(formatFigure(0.99996, 'share')).toBe('99.996 %');
    expect(formatFigure(0.5, 'share')).toBe('50.00 %');
  });
  it('never tells some as none, nor most as all', () => {
    fc.assert(
      fc.property(fc.double({ min: 1e-9, max: 1 - 1e-9, noNaN: true }), (share) => {
        const p = Number(percentOf(share));
        return p > 0 && p < 100 && Math.abs(p - 100 * share) <= 0.05 + 1e-12;
      }),
    );
  });
});

import fc from 'fast-check';
import { arctan } from './arctan';

describe('arctan', () => {
  it('equals Math.atan to the last digits', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0, noNaN: true }),
        (t) => Math.abs(arctan(t) - Math.atan(t)) <= 4e-16 * Math.max(1, Math.atan(t)),
      ),
      { numRuns: 2000 },
    );
    for (const t of [0, 1e-300, 0.66, 0.6600001, 1, 2.414213562373095, 2.5, 1e308, Infinity])
      expect(Math.abs(arctan(t) - Math.atan(t))).toBeLessThan(5e-16);
    expect(arctan(NaN)).toBeNaN();
  });
});

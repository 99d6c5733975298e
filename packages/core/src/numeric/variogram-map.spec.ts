import fc from 'fast-check';
import map from '../../../../reference/fixtures/variogram-map.json';
import meuse from '../../../../reference/fixtures/meuse.json';
import { variogramMap } from './variogram-map';

describe('the variogram map', () => {
  it('of the meuse zinc equals gstat’s, cell by cell', () => {
    const m = variogramMap(meuse.x, meuse.y, meuse.z, map.width, map.cutoff);
    const half = (m.size - 1) / 2;
    expect(m.size ** 2).toBe(map.dx.length);
    map.dx.forEach((dx, k) => {
      const at = (half - Math.round(map.dy[k]! / map.width)) * m.size + half + Math.round(dx / map.width);
      expect(m.pairs[at]).toBe(map.np[k] ?? 0);
      if (map.gamma[k] === null) expect(m.semivariance[at]).toBeNaN();
      else expect(m.semivariance[at]).toBeCloseTo(map.gamma[k]!, 9);
    });
  });

  it('is alike in opposite cells, and counts every near pair twice', () => {
    const place = fc.tuple(
      fc.integer({ min: 0, max: 50 }),
      fc.integer({ min: 0, max: 50 }),
      fc.integer({ min: 0, max: 9 }),
    );
    fc.assert(
      fc.property(fc.array(place, { minLength: 2, maxLength: 12 }), (p) => {
        const m = variogramMap(
          p.map((q) => q[0]),
          p.map((q) => q[1]),
          p.map((q) => q[2]),
          7,
          60,
        );
        const n = m.size ** 2;
        let all = 0;
        for (let k = 0; k < n; k++) {
          all += m.pairs[k]!;
          if (m.pairs[k] !== m.pairs[n - 1 - k] || !Object.is(m.semivariance[k], m.semivariance[n - 1 - k]))
            return false;
        }
        return all === p.length * (p.length - 1);
      }),
    );
  });
});

import fc from 'fast-check';
import { setupNode } from '../../../node/src/index';
import { FeaturesBuilder, featureCount, type Features, type GeometryType } from '../data/features';
import { withGeos } from './geos';
import { touching } from './touching';

beforeAll(setupNode);

/** Features on small whole coordinates, so that corners and edges often fall together. */
function random(kind: GeometryType, numbers: number[]): Features {
  const b = new FeaturesBuilder();
  for (let k = 0; k + 2 < numbers.length; k += 3) {
    const [x, y, s] = [numbers[k]!, numbers[k + 1]!, 1 + (numbers[k + 2]! % 4)];
    const shape =
      kind === 'point'
        ? [[x, y]]
        : kind === 'line'
          ? [
              [x, y],
              [x + s, y + s - 2],
              [x + 1, y + s],
            ]
          : [
              [x, y],
              [x + s, y],
              [x, y + s],
              [x, y],
            ];
    for (const [u, v] of shape) b.coordinate(u!, v!);
    b.endRing();
    b.endPart();
    b.endFeature();
  }
  return b.build(kind, null, []);
}

describe('touching', () => {
  it('is what the topology library says, but for points that lie on an edge only', async () => {
    const kinds = fc.constantFrom<GeometryType>('line', 'polygon');
    const list = fc.array(fc.integer({ min: 0, max: 9 }), { minLength: 6, maxLength: 24 });
    await fc.assert(
      fc.asyncProperty(kinds, kinds, list, list, async (ka, kb, na, nb) => {
        const [a, b] = [random(ka, na), random(kb, nb)];
        const ours = touching(a, b);
        await withGeos((g) => {
          const B = Array.from({ length: featureCount(b) }, (_, j) => g.shape(b, j));
          for (let i = 0; i < featureCount(a); i++) {
            const s = g.shape(a, i);
            expect(ours[i]).toBe(B.some((t) => g.intersects(s, t)) ? 1 : 0);
          }
        });
      }),
      { numRuns: 150 },
    );
  });
  it('picks points inside, and counts only the rows it is told to', () => {
    const points = random('point', [1, 1, 0, 5, 5, 0]);
    const areas = random('polygon', [0, 0, 3, 4, 4, 3]);
    expect([...touching(points, areas)]).toEqual([1, 1]);
    expect([...touching(points, areas, Uint8Array.of(0, 1))]).toEqual([0, 1]);
  });
});

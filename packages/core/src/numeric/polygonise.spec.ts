import fc from 'fast-check';
import { polygonise } from './polygonise';

function area(r: Float64Array): number {
  let s = 0;
  for (let i = 0; i + 3 < r.length; i += 2) s += r[i]! * r[i + 3]! - r[i + 2]! * r[i + 1]!;
  return Math.abs(s) / 2;
}

describe('areas of equal label', () => {
  it('have the area of their cells, holes taken off, and their corners turn', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 9 }),
        fc.integer({ min: 1, max: 9 }),
        fc.constantFrom(4 as const, 8 as const),
        fc.infiniteStream(fc.integer({ min: 0, max: 2 })),
        (w, h, connect, stream) => {
          const labels = Int32Array.from({ length: w * h }, () => stream.next().value as number);
          const all = polygonise(labels, w, h, 0, connect);
          let covered = 0;
          for (const a of all) {
            const size = (p: Float64Array[]): number => area(p[0]!) - p.slice(1).reduce((s, r) => s + area(r), 0);
            expect(a.parts.reduce((s, p) => s + size(p), 0)).toBe(a.cells);
            if (connect === 4) expect(a.parts.length).toBe(1);
            covered += a.cells;
            for (const r of a.parts.flat()) {
              // No corner is passed twice.
              const corners = Array.from({ length: r.length / 2 - 1 }, (_, i) => `${r[2 * i]!},${r[2 * i + 1]!}`);
              expect(new Set(corners).size).toBe(corners.length);
              expect(r[0] === r[r.length - 2] && r[1] === r[r.length - 1]).toBeTrue();
              for (let i = 0; i + 5 < r.length; i += 2)
                expect((r[i] === r[i + 2]) !== (r[i + 2] === r[i + 4])).toBeTrue();
            }
          }
          expect(covered).toBe(labels.filter((l) => l !== 0).length);
        },
      ),
      { numRuns: 200 },
    );
  });
  it('meet over corners only when asked to', () => {
    const x = Int32Array.of(1, 0, 0, 1);
    expect(polygonise(x, 2, 2, 0, 4).length).toBe(2);
    expect(polygonise(x, 2, 2, 0, 8).length).toBe(1);
  });
});

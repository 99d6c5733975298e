import type { DrawnPoints } from './cloud-paint';
import { sidePoints, stripLength, stripMeets, stripRing } from './cloud-section';

const points = (list: [number, number, number][]): DrawnPoints => ({
  x0: 1000,
  y0: 2000,
  dx: Float32Array.from(list, (p) => p[0]),
  dy: Float32Array.from(list, (p) => p[1]),
  z: Float32Array.from(list, (p) => p[2]),
});

describe('points seen from the side', () => {
  // From south-west to north-east, 3-4-5.
  const strip = { ax: 1000, ay: 2000, bx: 1030, by: 2040, width: 2 };

  it('are those within the strip, by how far along it they lie', () => {
    expect(stripLength(strip)).toBe(50);
    const p = points([
      [0, 0, 1],
      [6, 8, 2],
      [6, 8 + 5, 3],
      [30, 40, 4],
      [33, 44, 5],
      [-3, -4, 6],
      [6.72, 7.46, 7],
      [6.72, 7.46, 8],
    ]);
    const s = sidePoints(p, Uint32Array.from([9, 9, 9, 9, 9, 9, 9, 0]), strip);
    expect([...s.index]).toEqual([0, 1, 3, 6]);
    expect([...s.along].map((v) => Math.round(v * 1000) / 1000)).toEqual([0, 10, 50, 10]);
    expect([...s.z]).toEqual([1, 2, 4, 7]);
  });

  it('come from the boxes that the strip meets', () => {
    expect(stripMeets(strip, [1010, 2010, 1020, 2020])).toBeTrue();
    expect(stripMeets(strip, [1000, 2030, 1005, 2040])).toBeFalse();
    expect(stripMeets(strip, [1031, 2041, 1040, 2050])).toBeFalse();
    const ring = stripRing(strip);
    expect(ring.length).toBe(5);
    expect(Math.hypot(ring[0]![0] - ring[3]![0], ring[0]![1] - ring[3]![1])).toBeCloseTo(2, 9);
  });
});

import { crsFromProj4, crsOfCode, transformer, wgs84 } from '@helk/core';
import { coastLines } from './coasts';

const now = (): Promise<void> => Promise.resolve();
const along = (n: number, at: (t: number) => [number, number]): [number, number][] =>
  Array.from({ length: n + 1 }, (_, k) => at(k / n));
const lines = (coordinates: [number, number][][], crs = wgs84()) => coastLines({ coordinates }, crs, now);

describe('coasts in a system', () => {
  it('stand where their longitudes and latitudes are', async () => {
    const utm = crsOfCode(32633);
    const [line] = await lines([along(10, (t) => [14 + t, 47])], utm);
    const out = [0, 0];
    transformer(utm, wgs84())(line![3]![0]!, line![3]![1]!, out);
    expect(line!.length).toBe(11);
    expect(out[0]).toBeCloseTo(14.3, 8);
    expect(out[1]).toBeCloseTo(47, 8);
  });

  it('end where a projection cannot follow, and hold no place that does not come back', async () => {
    const utm = crsOfCode(32633);
    // All round the world on the equator: a transverse projection folds far from its meridian.
    const pieces = await lines([along(720, (t) => [-180 + 360 * t, 0])], utm);
    const back = transformer(utm, wgs84());
    const out = [0, 0];
    let n = 0;
    for (const p of pieces.flat()) {
      back(p[0]!, p[1]!, out);
      expect(Math.abs(out[1]!)).toBeLessThan(1e-3);
      // It stands at one of the places that were given: every half degree.
      expect(Math.abs(2 * out[0]! - Math.round(2 * out[0]!))).toBeLessThan(1e-3);
      n++;
    }
    expect(n).toBeGreaterThan(80);
    expect(n).toBeLessThan(721);
  });

  it('do not cross the map where a projection jumps from its one edge to the other', async () => {
    const mercator = crsFromProj4(
      '+proj=merc +a=6378137 +b=6378137 +lat_ts=0 +lon_0=0 +x_0=0 +y_0=0 +k=1 +units=m +no_defs',
      'Mercator',
    );
    const pieces = await lines(
      [
        [
          [178, 10],
          [179.5, 10],
          [-179.5, 10],
          [-178, 10],
        ],
      ],
      mercator,
    );
    expect(pieces.map((p) => p.length)).toEqual([2, 2]);
    expect(Math.max(...pieces.map((p) => Math.abs(p[1]![0]! - p[0]![0]!)))).toBeLessThan(200_000);
  });

  it('leave out the edges on which the world was cut', async () => {
    const pieces = await lines([
      [
        [170, 60],
        [180, 65],
        [180, 69],
        [171, 70],
      ],
      [
        [-180, -90],
        [180, -90],
      ],
    ]);
    expect(pieces).toEqual([
      [
        [170, 60],
        [180, 65],
      ],
      [
        [180, 69],
        [171, 70],
      ],
    ]);
  });

  it('come in short pieces that hang together', async () => {
    const pieces = await lines([along(300, (t) => [t, t])]);
    expect(pieces.length).toBeGreaterThan(3);
    for (let k = 1; k < pieces.length; k++) expect(pieces[k]![0]).toEqual(pieces[k - 1]!.at(-1)!);
  });
});

import { setupNode } from '@helk/node';
import type { Cloud } from '../data/cloud';
import { Random } from '../numeric/random';
import { refusalOf } from '../testing';
import { lasBytes, type RawPoint } from './cloud-fixture';
import { packedLas } from './laz-fixture';
import { readFile } from './index';

setupNode();

/** Points that change in everything, along scan lines with jumps between them. */
function points(n: number): RawPoint[] {
  const r = new Random(8);
  return Array.from({ length: n }, (_, i) => {
    const returns = 1 + r.below(5);
    return {
      X: i * 37 + r.below(200),
      Y: (i % 50) * 91 - r.below(90_000),
      Z: r.below(3000) - 500 + (r.uniform() < 0.01 ? -2_000_000_000 : 0),
      intensity: r.below(65_536),
      returnNumber: 1 + r.below(returns),
      returns,
      classification: [1, 2, 5, 6][r.below(4)]!,
      flags: r.below(8),
      angle: r.below(60) - 30,
      userData: r.below(3),
      source: 7 + r.below(3),
      time: 0,
      rgb: [0, 0, 0],
      infrared: 0,
    };
  });
}

async function read(bytes: Uint8Array): Promise<Cloud> {
  return (await readFile('a.laz', bytes)).layers[0]!.data as Cloud;
}

describe('a LAZ file', () => {
  const las = lasBytes(2, 0, points(2500));

  it('is read as the LAS file that was packed, over several chunks', async () => {
    const packed = packedLas(las, 1000);
    expect(packed.length).toBeLessThan(0.6 * las.length);
    const [plain, unpacked] = [await read(las), await read(packed)];
    for (const k of ['x', 'y', 'z'] as const) expect(unpacked[k]).toEqual(plain[k]);
    expect(unpacked.attributes).toEqual(plain.attributes);
    expect(unpacked.scale).toEqual(plain.scale);
    expect((await read(packedLas(lasBytes(2, 0, points(1)), 1000))).x.length).toBe(1);
  });

  it('that is cut off, or says it has other points than it has, is refused', async () => {
    const packed = packedLas(las, 1000);
    expect((await refusalOf(read(packed.slice(0, 400)))).code).toBe('file.damaged');
    const lying = packed.slice();
    new DataView(lying.buffer).setUint16(105, 28, true);
    expect((await refusalOf(read(lying))).code).toBe('file.damaged');
  });
});

import { setupNode } from '@helk/node';
import { wavyCloud } from '../formats/cloud-fixture';
import { refusalOf } from '../testing';
import type { Cloud } from './cloud';
import { cloudInfo, findDoubled } from './cloud-facts';
import { cloudLevels } from './cloud-octree';
import {
  attributeArray,
  packCloud,
  readChunkList,
  shuffled,
  StoredCloud,
  unshuffled,
  verifyCloud,
} from './cloud-store';
import type { PieceStore } from './handle';

setupNode();

class Pieces implements PieceStore {
  readonly held = new Map<string, Uint8Array>();
  get(array: string, level: number, key: number): Promise<Uint8Array | undefined> {
    return Promise.resolve(this.held.get(`${array}/${level}/${key}`));
  }
  put(array: string, level: number, key: number, bytes: Uint8Array): Promise<void> {
    this.held.set(`${array}/${level}/${key}`, bytes);
    return Promise.resolve();
  }
}

const at = (n: number, place: (i: number) => [number, number, number]): Cloud => {
  const c = { ...wavyCloud(n), attributes: [] };
  for (let i = 0; i < n; i++) [c.x[i], c.y[i], c.z[i]] = place(i) as [number, number, number];
  return c;
};

describe('a stored cloud', () => {
  it('comes back point by point in its order, all of it or some attributes', async () => {
    const c = wavyCloud(150_000);
    const store = new Pieces();
    const info = cloudInfo(c);
    await packCloud(c, info, store, () => undefined);
    await verifyCloud(info, store, () => undefined);
    const again = await new StoredCloud(info, store).load();
    for (const k of ['x', 'y', 'z'] as const) expect(again[k]).toEqual(c[k]);
    expect(again.attributes).toEqual(c.attributes);
    const some = await new StoredCloud(info, store).only(['intensity']);
    expect(some.attributes.map((a) => a.name)).toEqual(['intensity']);
    expect(some.attributes[0]!.values).toEqual(c.attributes[1]!.values);
  });

  it('is refused when a piece is missing, cut or bent', async () => {
    const c = wavyCloud(20_000);
    const info = cloudInfo(c);
    const store = new Pieces();
    await packCloud(c, info, store, () => undefined);
    const verify = (): Promise<void> => verifyCloud(info, store, () => undefined);
    const key = `${attributeArray(1)}/0/0`;
    const piece = store.held.get(key)!;
    store.held.delete(key);
    expect((await refusalOf(verify())).code).toBe('file.damaged');
    store.held.set(key, piece.subarray(0, piece.length >> 1));
    expect((await refusalOf(verify())).code).toBe('file.damaged');
    store.held.set(key, piece);
    await verify();
    store.held.set('order/0/0', store.held.get('X/0/0')!);
    expect((await refusalOf(verify())).code).toBe('file.damaged');
  });
});

describe('levels of a cloud', () => {
  it('hold every point once, within the boxes of their chunks; each level is about twice as dense as the one before', () => {
    const c = wavyCloud(400_000);
    const { order, chunks, spacing } = cloudLevels(c);
    expect(new Set(order).size).toBe(400_000);
    let from = 0;
    const perLevel: number[] = [];
    for (const k of chunks) {
      for (let i = from; i < from + k.count; i++) {
        const p = order[i]!;
        if (i > from && p <= order[i - 1]!) fail('out of order');
        const inside =
          c.x[p]! >= k.box[0] &&
          c.y[p]! >= k.box[1] &&
          c.z[p]! >= k.box[2] &&
          c.x[p]! <= k.box[3] &&
          c.y[p]! <= k.box[4] &&
          c.z[p]! <= k.box[5];
        if (!inside) fail(`point ${p} is outside its chunk`);
      }
      from += k.count;
      perLevel[k.level] = (perLevel[k.level] ?? 0) + k.count;
      expect(k.count).toBeLessThanOrEqual(65_536);
    }
    expect(from).toBe(400_000);
    expect(spacing).toBeCloseTo(100 / 128, 1);
    // The coarsest shows the whole: a point in almost each cell of a net of 64 by 64.
    const seen = new Set<number>();
    for (let i = 0; i < perLevel[0]!; i++) {
      const p = order[i]!;
      seen.add(Math.min(63, Math.floor(c.x[p]! / 156.25)) * 64 + Math.min(63, Math.floor(c.y[p]! / 156.25)));
    }
    expect(seen.size).toBeGreaterThan(4000);
    expect(perLevel[1]! / perLevel[0]!).toBeGreaterThan(1.5);
  });

  it('take one point, all points in one place, a line, and no point', () => {
    expect(cloudLevels(at(0, () => [0, 0, 0])).chunks).toEqual([]);
    expect(cloudLevels(at(1, () => [5, 5, 5])).chunks).toEqual([{ level: 0, count: 1, box: [5, 5, 5, 5, 5, 5] }]);
    const one = cloudLevels(at(200_000, () => [-7, 7, 2147483647]));
    expect(one.chunks.reduce((s, k) => s + k.count, 0)).toBe(200_000);
    const line = cloudLevels(at(100_000, (i) => [i * 20_000 - 2e9, 0, 0]));
    expect(new Set(line.order).size).toBe(100_000);
  });
});

describe('facts of a cloud', () => {
  it('give the spacing as the root of area by points, of the area that has points', () => {
    // A hundred by a hundred points, 1 m apart.
    const full = cloudInfo(at(10_000, (i) => [(i % 100) * 100, Math.floor(i / 100) * 100, 0]));
    expect(full.covered).toBeCloseTo(99 * 99, 6);
    expect(full.spacing).toBeCloseTo(0.99, 6);
    // The same with half of the square empty: as dense as before.
    const half = cloudInfo(
      at(10_000, (i) => [
        (i % 100) * 100 + (i < 5000 ? 0 : 10_000),
        Math.floor((i % 5000) / 100) * 100 + (i < 5000 ? 0 : 5000),
        0,
      ]),
    );
    expect(half.spacing).toBeGreaterThan(0.95);
    expect(half.spacing).toBeLessThan(1.1);
    expect(full.doubled).toBe(0);
    expect(full.heights).toEqual({ min: 0, max: 0, low: 0, high: 0 });
    const twice = at(10, (i) => [i % 5, 0, 0]);
    const told: number[] = [];
    expect(findDoubled(twice, (i) => told.push(i))).toBe(5);
    expect(told).toEqual([5, 6, 7, 8, 9]);
    expect(cloudInfo(at(9, () => [1, 1, 1])).spacing).toBeNull();
  });

  it('count points by class with their heights', () => {
    const { classes } = cloudInfo(wavyCloud(4000));
    expect(classes.map((k) => [k.value, k.count])).toEqual([
      [2, 1000],
      [5, 1000],
      [6, 1000],
      [64, 1000],
    ]);
  });
});

describe('values as they are stored', () => {
  it('come back whatever their type, wrapping around included', () => {
    const ints = Int32Array.from([0, -2147483648, 2147483647, 5, -1]);
    expect(unshuffled('int32', shuffled('int32', ints))).toEqual(ints);
    const bytes = Uint8Array.from([255, 0, 128, 1]);
    expect(unshuffled('uint8', shuffled('uint8', bytes))).toEqual(bytes);
    const reals = Float64Array.from([NaN, -0, 1e300, 3.5]);
    expect(unshuffled('float64', shuffled('float64', reals))).toEqual(reals);
    expect(() => readChunkList(new Uint8Array([1, 2]))).toThrowError(/damaged/);
  });
});

import { zlibSync } from 'fflate';
import { ChunkCache } from './chunks';
import type { DrawnBand } from './messages';

describe('chunks of cells', () => {
  // Six chunks of 512 cells beside one another.
  const band = {
    project: 'p',
    dataset: 'd',
    band: 0,
    grid: { columns: 6 * 512, rows: 1 },
    info: { kind: 'measure', held: { type: 'float32', missing: null } },
  } as unknown as DrawnBand;
  const SIZE = 2048;
  const bytes = zlibSync(new Uint8Array(SIZE));
  let asked: number;
  let answers: (() => void)[];

  beforeEach(() => {
    asked = 0;
    answers = [];
    spyOn(window, 'fetch').and.callFake(() => {
      asked++;
      return new Promise((resolve) => answers.push(() => resolve(new Response(bytes as BodyInit))));
    });
  });

  it('are fetched once and given back while there is room, the least used going first', async () => {
    const cache = new ChunkCache(3 * SIZE);
    const get = async (k: number): Promise<void> => {
      const c = cache.get(band, 0, k, 0);
      answers.splice(0).forEach((f) => f());
      await c;
      await Promise.resolve();
    };
    for (const k of [0, 1, 2, 0, 3]) await get(k);
    expect([asked, cache.size]).toEqual([4, 3 * SIZE]);
    await get(0);
    expect(asked).toBe(4);
    await get(1);
    expect([asked, cache.size]).toEqual([5, 3 * SIZE]);
  });

  it('that are on their way when room is made lose no bytes of the count', async () => {
    const cache = new ChunkCache(2 * SIZE);
    const all = [0, 1, 2, 3, 4, 5].map((k) => cache.get(band, 0, k, 0));
    for (const [k, f] of answers.splice(0).entries()) {
      f();
      await all[k];
    }
    await Promise.resolve();
    expect(cache.size).toBe(2 * SIZE);
    // The last two are held, all others are asked for again.
    cache.get(band, 0, 5, 0).catch(() => undefined);
    cache.get(band, 0, 4, 0).catch(() => undefined);
    expect(asked).toBe(6);
  });
});

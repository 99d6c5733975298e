import { setupNode } from '../../../node/src/index';
import { crsOfCode } from './crs';
import { FeaturesBuilder } from './features';
import type { PieceStore } from './handle';
import { KINDS } from './kinds';
import { isKey, placeNames, type TimeStack } from './stack';
import { stackInfo } from './stack-facts';
import { placesAPiece, seriesArray, stepsArray, type StackHandle } from './stack-store';
import { numberColumn, textColumn } from './table';

beforeAll(setupNode);

/** Points with two variables: whole numbers, and others that need all their digits; some missing. */
function made(n: number, count: number): TimeStack {
  const b = new FeaturesBuilder();
  for (let i = 0; i < n; i++) b.point(i, i ? -i : 0);
  return {
    kind: 'stack',
    places: b.build('point', crsOfCode(32633), [
      textColumn(
        'key',
        Array.from({ length: n }, (_, i) => `k${i}`),
      ),
    ]),
    key: 'key',
    steps: { unit: 'month', every: 1, start: 360, count },
    variables: [
      { name: 'seen', unit: '', values: Float64Array.from({ length: n * count }, (_, k) => k % 11) },
      { name: 'level', unit: 'm', values: Float64Array.from({ length: n * count }, (_, k) => (k % 7 ? k / 3 : NaN)) },
    ],
    grid: null,
    made: 'by hand',
  };
}

function memory(): PieceStore & { held: Map<string, Uint8Array> } {
  const held = new Map<string, Uint8Array>();
  return {
    held,
    get: (a, l, k) => Promise.resolve(held.get(`${a} ${l} ${k}`)),
    put: (a, l, k, bytes) => Promise.resolve(void held.set(`${a} ${l} ${k}`, bytes)),
  };
}

const kind = KINDS.stack;
const quiet = (): void => undefined;

describe('time stacks as a kind', () => {
  it('say what there is of each variable, over all steps', () => {
    const info = stackInfo(made(6, 10));
    expect(info).toEqual(
      jasmine.objectContaining({
        count: 6,
        key: 'key',
        empty: 0,
        emptySteps: 0,
        extent: [0, -5, 5, 0],
        geometry: 'point',
      }),
    );
    const [seen, level] = info.variables;
    expect(seen).toEqual(
      jasmine.objectContaining({ count: 60, missing: 0, min: 0, max: 10, type: 'float32', zeros: 6 }),
    );
    expect(level).toEqual(jasmine.objectContaining({ count: 51, missing: 9, type: 'float64' }));
    expect(seen!.spread.length).toBe(101);
    expect([seen!.spread[0], seen!.spread[50], seen!.spread[100]]).toEqual([0, 5, 10]);
    expect(kind.shape.safeParse(info).success).toBeTrue();
    expect(kind.summary(info)).toBe('time stack · 6 points × 10');
    expect(kind.details(info)[1]!.value).toBe('10 steps of a month, 2000-01 to 2000-10');
  });

  it('say which places and steps have nothing', () => {
    const s = made(3, 4);
    for (const v of s.variables) v.values.fill(NaN).set([1], 5);
    const info = stackInfo(s);
    expect([info.empty, info.emptySteps]).toEqual([2, 3]);
    expect(kind.checks(info).map((c) => c.code)).toEqual(['stack.empty', 'stack.gaps']);
  });

  it('are stored and found again: whole, by step and by series', async () => {
    const s = made(3000, 100);
    const store = memory();
    const info = await kind.pack(kind.wrap(s), store, quiet);
    const handle: StackHandle = kind.open(info, store);
    const back = await handle.load();
    expect(back.variables.map((v) => v.values)).toEqual(s.variables.map((v) => v.values));
    expect(back.places).toEqual(s.places);
    expect(back.steps).toEqual(s.steps);
    const step = await handle.step(1, 42);
    expect([step.length, step[1000], step[2999]]).toEqual([
      3000,
      s.variables[1]!.values[100042],
      s.variables[1]!.values[299942],
    ]);
    // Across the end of a piece.
    const each = placesAPiece(100);
    expect(each).toBeLessThan(3000);
    const some = await handle.series(0, each - 2, 4);
    expect(some).toEqual(s.variables[0]!.values.slice((each - 2) * 100, (each + 2) * 100));
    await kind.verify(info, store, quiet);
  });

  it('read one step, or one series, from few bytes', async () => {
    const s = made(20_000, 50);
    const store = memory();
    const info = await kind.pack(kind.wrap(s), store, quiet);
    let read = 0;
    const handle = kind.open(info, {
      get: async (a, l, k) => {
        const bytes = await store.get(a, l, k);
        read += bytes?.length ?? 0;
        return bytes;
      },
    });
    const all = [...store.held].filter(([k]) => k.startsWith('s')).reduce((n, [, b]) => n + b.length, 0);
    await handle.step(1, 7);
    expect(read).toBeLessThan(all / 40);
    read = 0;
    await handle.series(1, 777, 1);
    expect(read).toBeLessThan(all / 10);
  });

  it('that are damaged are seen', async () => {
    const s = made(10, 5);
    const store = memory();
    const info = await kind.pack(kind.wrap(s), store, quiet);
    const other = made(10, 5);
    other.variables[0]!.values[3] = 99;
    const otherStore = memory();
    await kind.pack(kind.wrap(other), otherStore, quiet);
    const mixed = { get: (a: string, l: number, k: number) => (a === stepsArray(0) ? otherStore : store).get(a, l, k) };
    await expectAsync(kind.verify(info, mixed, quiet)).toBeRejectedWithError(/say different things/);
    const lacking = {
      get: (a: string, l: number, k: number) =>
        a === seriesArray(1) ? Promise.resolve(undefined) : store.get(a, l, k),
    };
    await expectAsync(kind.verify(info, lacking, quiet)).toBeRejectedWithError(/missing in the project file/);
    const cut = { get: async (a: string, l: number, k: number) => (await store.get(a, l, k))?.subarray(0, 9) };
    await expectAsync(kind.open(info, cut).step(0, 0)).toBeRejected();
    expect(kind.flaw({ ...s, variables: [{ ...s.variables[0]!, values: new Float64Array(7) }] })).toContain(
      'has 7 values, not 50',
    );
    expect(kind.flaw(s)).toBeNull();
    expect(kind.shape.safeParse({ ...info, steps: { ...info.steps, count: -1 } }).success).toBeFalse();
  });

  it('are told by a key that tells places apart, else by their row', () => {
    const { places } = made(3, 1);
    expect(placeNames(places, 'key')).toEqual(['k0', 'k1', 'k2']);
    expect(placeNames(places, null)).toEqual(['1', '2', '3']);
    expect(isKey(textColumn('a', ['x', 'y']))).toBeTrue();
    expect(isKey(textColumn('a', ['x', ' x']))).toBeFalse();
    expect(isKey(numberColumn('a', [1, NaN]))).toBeFalse();
  });
});

import { setupNode } from '../../../node/src/index';
import { KINDS } from './kinds';
import type { PieceStore } from './handle';
import { higherOrder, parts, rowsOf, standardised, transposed, weightSums } from '../numeric/sparse-rows';
import { crsOfCode } from './crs';
import { weightLines, weightsFromRows, weightsOf, type Weights } from './weights';
import { weightsInfo } from './weights-facts';

beforeAll(setupNode);

/** Three in a row that are near, a pair, and one by itself. */
const made: Weights = {
  kind: 'weights',
  crs: crsOfCode(32633),
  rows: rowsOf(6, [0, 1, 1, 2, 3, 4], [1, 0, 2, 1, 4, 3], [1, 0.5, 0.5, 1, 1, 1]),
  places: Float64Array.of(0, 0, 10, 0, 20, 0, 0, 90, 10, 90, 50, 50),
  made: 'by hand',
  open: false,
};

function memory(): PieceStore {
  const held = new Map<string, Uint8Array>();
  return {
    get: (a, l, k) => Promise.resolve(held.get(`${a} ${l} ${k}`)),
    put: (a, l, k, bytes) => Promise.resolve(void held.set(`${a} ${l} ${k}`, bytes)),
  };
}

describe('weights as a kind', () => {
  it('say how connected they are', () => {
    const info = weightsInfo(made);
    expect(info).toEqual(
      jasmine.objectContaining({
        places: 6,
        links: 6,
        mean: 1,
        min: 0,
        max: 2,
        islands: 1,
        components: 3,
        standardised: true,
        symmetric: true,
        self: false,
        stored: 7,
        connectivity: [1, 4, 1],
        extent: [0, 0, 50, 90],
      }),
    );
    expect(KINDS.weights.shape.safeParse(info).success).toBeTrue();
    expect(KINDS.weights.checks(info).map((c) => c.code)).toEqual(['weights.islands', 'weights.parts']);
  });

  it('are lines from middle to middle, one of no length for whoever is alone, and come back from them', () => {
    const lines = weightLines(made);
    expect(Array.from(lines.columns[0]!.values as Float64Array)).toEqual([1, 2, 2, 3, 4, 5, 6]);
    expect(Array.from(lines.xy.slice(-4))).toEqual([50, 50, 50, 50]);
    const again = weightsOf(lines, weightsInfo(made));
    expect(again.rows).toEqual(made.rows);
    expect(again.places).toEqual(made.places);
  });

  it('are stored and found again, and damage is seen', async () => {
    const store = memory();
    const kind = KINDS.weights;
    const info = await kind.pack(kind.wrap(made), store, () => undefined);
    expect(await kind.open(info, store).load()).toEqual(made);
    await kind.verify(info, store, () => undefined);
    await expectAsync(kind.verify({ ...info, links: 5 }, store, () => undefined)).toBeRejectedWithError(/links/);
    await expectAsync(kind.verify({ ...info, places: 3 }, store, () => undefined)).toBeRejected();
  });

  it('refuse rows that are none', () => {
    const rows = (from: number[], to: number[], weight: number[]) => () => weightsFromRows(from, to, weight, 'w.csv');
    expect(rows([1.5], [2], [1])).toThrowError(/Row 1 of w\.csv/);
    expect(rows([1], [2], [-1])).toThrowError(/not below 0/);
    expect(rows([1], [2], [NaN])).toThrowError(/no weight/);
    expect(rows([1, 1], [2, 2], [1, 1])).toThrowError(/twice/);
    expect(rows([1], [1e9], [1])).toThrowError(/counted from 1/);
  });
});

describe('sparse rows', () => {
  it('are turned, standardised, summed and taken apart', () => {
    const w = rowsOf(3, [2, 0, 0], [0, 2, 1], [5, 1, 3]);
    expect(Array.from(transposed(w).neighbours)).toEqual([2, 0, 0]);
    expect(Array.from(standardised(w).values)).toEqual([0.75, 0.25, 1]);
    // S0 = 9; S1 = ½ Σ (wij + wji)² = ½ (2·6² + 2·3²) = 45; S2 = Σ (row + column)² = 9² + 3² + 6².
    expect(weightSums(w)).toEqual({ s0: 9, s1: 45, s2: 126 });
    expect(parts(made.rows)).toEqual({ of: Uint32Array.of(0, 0, 0, 1, 1, 2), count: 3 });
    expect(Array.from(higherOrder(made.rows, 2, false).neighbours)).toEqual([2, 0]);
  });
});

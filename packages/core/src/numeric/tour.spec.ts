import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { bestOrder } from './tour';

/** Made by reference/network/networkx_values.py by trying every order. */
const { tours } = JSON.parse(
  readFileSync(new URL('../../../../reference/fixtures/network.json', import.meta.url), 'utf8'),
) as { tours: { places: [number, number][]; length: number }[] };

const between = (at: readonly (readonly [number, number])[]): number[][] =>
  at.map(([x, y]) => at.map(([u, v]) => Math.hypot(u - x, v - y)));

/** All orders of some stops. */
function* orders(of: number[]): Generator<number[]> {
  if (of.length < 2) {
    yield of;
    return;
  }
  for (const [k, v] of of.entries())
    for (const rest of orders([...of.slice(0, k), ...of.slice(k + 1)])) yield [v, ...rest];
}

describe('the best order of stops', () => {
  it('is as short as the shortest of all orders', () => {
    for (const { places, length } of tours) {
      const t = bestOrder(between(places));
      expect(t.exact).toBeTrue();
      expect(t.cost).toBeCloseTo(length, 6);
      expect([t.order[0], t.order.at(-1), new Set(t.order).size]).toEqual([0, places.length - 1, places.length]);
    }
  });
  it('is so too where ways cost unlike there and back', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 2, max: 6 }).chain((n) =>
          fc.array(fc.array(fc.integer({ min: 1, max: 99 }), { minLength: n, maxLength: n }), {
            minLength: n,
            maxLength: n,
          }),
        ),
        (cost) => {
          const n = cost.length;
          const sum = (o: number[]): number => o.slice(1).reduce((s, v, k) => s + cost[o[k]!]![v]!, 0);
          const all = [...orders(Array.from({ length: Math.max(0, n - 2) }, (_, i) => i + 1))];
          expect(bestOrder(cost).cost).toBe(Math.min(...all.map((o) => sum([0, ...o, n - 1]))));
        },
      ),
      { numRuns: 100 },
    );
  });
  it('of many stops is no longer than the one given, and near to the best where that is known', () => {
    // Twenty stops on a circle, given in a muddle: the best goes around it.
    const at = Array.from({ length: 20 }, (_, i): [number, number] => {
      const a = (((i * 7) % 20) / 20) * 2 * Math.PI;
      return [Math.cos(a), Math.sin(a)];
    });
    const cost = between([...at, at[0]!]);
    const t = bestOrder(cost);
    expect(t.exact).toBeFalse();
    expect(t.cost).toBeLessThan(1.02 * 20 * 2 * Math.sin(Math.PI / 20));
  });
});

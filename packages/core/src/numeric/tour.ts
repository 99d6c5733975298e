/** Stops between the first and the last that are ordered exactly; of more an order is bettered step by step. */
export const EXACT = 12;

export interface Tour {
  /** Stops in their order: the first and the last stay. */
  order: number[];
  cost: number;
  exact: boolean;
}

/**
 * The order of stops that costs least from the first to the last over all others; costs may differ by direction. Up to twelve between them exactly, by
 * Held and Karp 1962 (doi:10.1137/0110015), O(2ⁿ n²); of more, the cheapest insertion, then moving runs of up to three stops elsewhere while
 * that helps (Or 1976, thesis, Northwestern University).
 *
 * @param cost from stop i to stop j, at `cost[i][j]`; Infinity where there is no way
 */
export function bestOrder(cost: readonly (readonly number[])[]): Tour {
  const n = cost.length;
  if (n < 4)
    return {
      order: Array.from({ length: n }, (_, i) => i),
      cost: along(cost, n < 3 ? [...Array(n).keys()] : [0, 1, 2]),
      exact: true,
    };
  const order = n - 2 <= EXACT ? exactOrder(cost) : betteredOrder(cost);
  return { order, cost: along(cost, order), exact: n - 2 <= EXACT };
}

const along = (cost: readonly (readonly number[])[], order: readonly number[]): number =>
  order.slice(1).reduce((s, v, k) => s + cost[order[k]!]![v]!, 0);

function exactOrder(cost: readonly (readonly number[])[]): number[] {
  const n = cost.length;
  const m = n - 2;
  const full = 1 << m;
  // Least cost from the first stop over a set of others to the last of it; others are stops 1 to m.
  const best = new Float64Array(full * m).fill(Infinity);
  const before = new Int8Array(full * m).fill(-1);
  for (let j = 0; j < m; j++) best[(1 << j) * m + j] = cost[0]![j + 1]!;
  for (let set = 1; set < full; set++)
    for (let j = 0; j < m; j++) {
      const c = best[set * m + j]!;
      if (!(set & (1 << j)) || c === Infinity) continue;
      for (let k = 0; k < m; k++) {
        if (set & (1 << k)) continue;
        const to = (set | (1 << k)) * m + k;
        const d = c + cost[j + 1]![k + 1]!;
        if (d < best[to]!) {
          best[to] = d;
          before[to] = j;
        }
      }
    }
  let last = 0;
  const end = (j: number): number => best[(full - 1) * m + j]! + cost[j + 1]![n - 1]!;
  for (let j = 1; j < m; j++) if (end(j) < end(last)) last = j;
  const order = [n - 1];
  for (let set = full - 1, j = last; j >= 0;) {
    order.push(j + 1);
    const was = before[set * m + j]!;
    set &= ~(1 << j);
    j = was;
  }
  order.push(0);
  const found = order.reverse();
  // Where no order has a way all are as good as the given one.
  return found.length === n ? found : Array.from({ length: n }, (_, i) => i);
}

function betteredOrder(cost: readonly (readonly number[])[]): number[] {
  const n = cost.length;
  const order = [0, n - 1];
  for (let s = 1; s < n - 1; s++) {
    let [at, least] = [1, Infinity];
    for (let k = 1; k < order.length; k++) {
      const [a, b] = [order[k - 1]!, order[k]!];
      const more = cost[a]![s]! + cost[s]![b]! - cost[a]![b]!;
      if (more < least) [at, least] = [k, more];
    }
    order.splice(at, 0, s);
  }
  let now = along(cost, order);
  for (let better = true; better;) {
    better = false;
    for (let run = 1; run <= 3; run++)
      for (let i = 1; i + run < order.length; i++)
        for (let j = 1; j + run < order.length; j++) {
          if (j === i) continue;
          const rest = order.slice();
          const taken = rest.splice(i, run);
          rest.splice(j, 0, ...taken);
          const c = along(cost, rest);
          if (c < now - 1e-9 * Math.abs(now)) {
            order.splice(0, n, ...rest);
            now = c;
            better = true;
          }
        }
  }
  return order;
}

/** Arcs of a directed graph by the node they leave: those of node i are `offsets[i]` to `offsets[i + 1]`. */
export interface Graph {
  offsets: Uint32Array;
  /** The node that an arc leads to. */
  heads: Uint32Array;
  cost: Float64Array;
  /** The edge that an arc goes along. */
  edges: Uint32Array;
  /** 1 where a search that follows the arc goes along the edge from its end to its beginning. */
  back: Uint8Array;
}

/**
 * A graph of edges that may be gone along both ways, each at a cost; a cost that is not finite is no way. Reversed, every arc leads the other
 * way: costs from a node are then those towards it. O(nodes + edges).
 */
export function graphOf(
  nodes: number,
  from: Uint32Array,
  to: Uint32Array,
  there: Float64Array,
  back: Float64Array,
  reversed = false,
): Graph {
  const offsets = new Uint32Array(nodes + 1);
  const open = (v: number): boolean => v >= 0 && v < Infinity;
  for (let e = 0; e < from.length; e++) {
    if (open(there[e]!)) offsets[(reversed ? to[e]! : from[e]!) + 1]!++;
    if (open(back[e]!)) offsets[(reversed ? from[e]! : to[e]!) + 1]!++;
  }
  for (let i = 0; i < nodes; i++) offsets[i + 1]! += offsets[i]!;
  const m = offsets[nodes]!;
  const g: Graph = {
    offsets,
    heads: new Uint32Array(m),
    cost: new Float64Array(m),
    edges: new Uint32Array(m),
    back: new Uint8Array(m),
  };
  const at = offsets.slice(0, nodes);
  const put = (tail: number, head: number, cost: number, e: number, b: 0 | 1): void => {
    const k = at[tail]!++;
    g.heads[k] = head;
    g.cost[k] = cost;
    g.edges[k] = e;
    g.back[k] = b;
  };
  for (let e = 0; e < from.length; e++) {
    const [u, v] = reversed ? [to[e]!, from[e]!] : [from[e]!, to[e]!];
    if (open(there[e]!)) put(u, v, there[e]!, e, reversed ? 1 : 0);
    if (open(back[e]!)) put(v, u, back[e]!, e, reversed ? 0 : 1);
  }
  return g;
}

/** Which nodes hang together, whichever way edges lead: a number from 0 a node, in the order of their first nodes. O(n + m α). */
export function weakComponents(nodes: number, from: Uint32Array, to: Uint32Array): { of: Uint32Array; count: number } {
  const root = new Uint32Array(nodes);
  for (let i = 0; i < nodes; i++) root[i] = i;
  const find = (i: number): number => {
    let r = i;
    while (root[r] !== r) {
      root[r] = root[root[r]!]!;
      r = root[r]!;
    }
    return r;
  };
  for (let e = 0; e < from.length; e++) {
    const [a, b] = [find(from[e]!), find(to[e]!)];
    if (a !== b) root[Math.max(a, b)] = Math.min(a, b);
  }
  const of = new Uint32Array(nodes);
  let count = 0;
  for (let i = 0; i < nodes; i++) of[i] = root[i] === i ? count++ : of[find(i)]!;
  return { of, count };
}

/** Nodes that reach each other: a number a node. Tarjan 1972 (doi:10.1137/0201010), without recursion. O(n + m). */
export function strongComponents(g: Pick<Graph, 'offsets' | 'heads'>): { of: Uint32Array; count: number } {
  const n = g.offsets.length - 1;
  const NONE = 0xffffffff;
  const of = new Uint32Array(n).fill(NONE);
  const number = new Uint32Array(n).fill(NONE);
  const low = new Uint32Array(n);
  const next = g.offsets.slice(0, n);
  const waiting = new Uint32Array(n);
  const path = new Uint32Array(n);
  let [seen, waits, count] = [0, 0, 0];
  for (let start = 0; start < n; start++) {
    if (number[start] !== NONE) continue;
    let depth = 0;
    path[0] = start;
    number[start] = low[start] = seen++;
    waiting[waits++] = start;
    while (depth >= 0) {
      const u = path[depth]!;
      if (next[u]! < g.offsets[u + 1]!) {
        const v = g.heads[next[u]!++]!;
        if (number[v] === NONE) {
          number[v] = low[v] = seen++;
          waiting[waits++] = v;
          path[++depth] = v;
        } else if (of[v] === NONE) low[u] = Math.min(low[u]!, number[v]!);
        continue;
      }
      if (low[u] === number[u]) {
        for (let v = NONE; v !== u;) {
          v = waiting[--waits]!;
          of[v] = count;
        }
        count++;
      }
      if (--depth >= 0) low[path[depth]!] = Math.min(low[path[depth]!]!, low[u]!);
    }
  }
  return { of, count };
}

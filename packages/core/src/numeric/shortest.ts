import type { Graph } from './graph';
import { IndexHeap } from './heap';

/** No arc: a source, or not reached. */
export const NO_ARC = -1;

/**
 * Least costs from sources over a graph without negative costs. Dijkstra 1959 (doi:10.1007/BF01386390) with a binary heap; entries that have been
 * bettered are passed over. One search after the other uses the same arrays, and clears only what the last one touched. O((n + m) log n) a search.
 *
 * @example
 * const s = new ShortestPaths(graph);
 * s.run([[7, 0]], 900);
 * s.cost[12]; // from node 7 to node 12, Infinity where it takes more than 900
 */
export class ShortestPaths {
  readonly cost: Float64Array;
  /** The arc by which a node is reached. */
  readonly via: Int32Array;
  /** The node that an arc leaves, for going back along a way. */
  private readonly tails: Uint32Array;
  /** The source from which a node is reached, by its place among them. */
  readonly source: Int32Array;
  private readonly heap = new IndexHeap();
  private readonly touched: Uint32Array;
  /** Nodes that were reached by the last search: the first so many of `reached`. */
  count = 0;

  constructor(private readonly graph: Graph) {
    const n = graph.offsets.length - 1;
    this.cost = new Float64Array(n).fill(Infinity);
    this.via = new Int32Array(n).fill(NO_ARC);
    this.source = new Int32Array(n).fill(-1);
    this.touched = new Uint32Array(n);
    this.tails = new Uint32Array(graph.heads.length);
    for (let u = 0; u < n; u++) for (let k = graph.offsets[u]!; k < graph.offsets[u + 1]!; k++) this.tails[k] = u;
  }

  get reached(): Uint32Array {
    return this.touched.subarray(0, this.count);
  }

  /**
   * @param sources nodes with what it costs to be there
   * @param limit what costs more is not reached
   * @param until ends once this node is reached
   */
  run(sources: Iterable<readonly [node: number, cost: number]>, limit = Infinity, until = -1): void {
    const { cost, via, touched, heap, source } = this;
    const { offsets, heads, cost: price } = this.graph;
    for (let k = 0; k < this.count; k++) {
      cost[touched[k]!] = Infinity;
      via[touched[k]!] = NO_ARC;
    }
    let count = 0;
    heap.size = 0;
    let number = -1;
    for (const [node, c] of sources) {
      number++;
      if (!(c <= limit) || !(c < cost[node]!)) continue;
      if (cost[node] === Infinity) touched[count++] = node;
      cost[node] = c;
      source[node] = number;
      heap.push(c, node);
    }
    while (heap.size > 0) {
      const c = heap.peekKey();
      const u = heap.pop();
      if (c > cost[u]!) continue;
      if (u === until) break;
      for (let k = offsets[u]!, end = offsets[u + 1]!; k < end; k++) {
        const v = heads[k]!;
        const d = c + price[k]!;
        if (d < cost[v]! && d <= limit) {
          if (cost[v] === Infinity) touched[count++] = v;
          cost[v] = d;
          via[v] = k;
          source[v] = source[u]!;
          heap.push(d, v);
        }
      }
    }
    this.count = count;
  }

  /** Arcs from a source to a node, in the order in which they are gone along; empty for a source. */
  wayTo(node: number): number[] {
    const out: number[] = [];
    for (let u = node; this.via[u] !== NO_ARC; u = this.tails[this.via[u]!]!) out.push(this.via[u]!);
    return out.reverse();
  }
}

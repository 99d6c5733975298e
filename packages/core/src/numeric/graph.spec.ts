import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { graphOf, strongComponents, weakComponents, type Graph } from './graph';
import { ShortestPaths } from './shortest';

/** Made by reference/network/networkx_values.py: NetworkX and SciPy agreed there. */
const { costs } = JSON.parse(
  readFileSync(new URL('../../../../reference/fixtures/network.json', import.meta.url), 'utf8'),
) as {
  costs: {
    nodes: number;
    edges: [number, number, number | null, number | null][];
    runs: { source: number; from: (number | null)[]; towards: (number | null)[] }[];
    strong: number;
    strongOf: number[];
    weak: number;
  }[];
};

type Edges = [number, number, number | null, number | null][];
const arrays = (edges: Edges) => ({
  from: Uint32Array.from(edges, (e) => e[0]),
  to: Uint32Array.from(edges, (e) => e[1]),
  there: Float64Array.from(edges, (e) => e[2] ?? Infinity),
  back: Float64Array.from(edges, (e) => e[3] ?? Infinity),
});
const made = (nodes: number, edges: Edges, reversed = false): Graph => {
  const a = arrays(edges);
  return graphOf(nodes, a.from, a.to, a.there, a.back, reversed);
};

const anyEdges = fc.integer({ min: 2, max: 25 }).chain((nodes) =>
  fc.record({
    nodes: fc.constant(nodes),
    edges: fc.array(
      fc.tuple(
        fc.nat(nodes - 1),
        fc.nat(nodes - 1),
        fc.option(fc.integer({ min: 0, max: 50 })),
        fc.option(fc.integer({ min: 0, max: 50 })),
      ),
      { maxLength: 70 },
    ),
  }),
);

describe('least costs over a graph', () => {
  it('are those of NetworkX and SciPy, from a node and towards it', () => {
    for (const { nodes, edges, runs } of costs)
      for (const reversed of [false, true]) {
        const s = new ShortestPaths(made(nodes, edges, reversed));
        for (const run of runs) {
          s.run([[run.source, 0]]);
          (reversed ? run.towards : run.from).forEach((c, i) => {
            if (c === null) expect(s.cost[i]).toBe(Infinity);
            else expect(Math.abs(s.cost[i]! - c)).toBeLessThanOrEqual(1e-9 * Math.max(1, c));
          });
        }
      }
  });
  it('go along a way whose arcs add up to them', () => {
    const { nodes, edges, runs } = costs[1]!;
    const g = made(nodes, edges);
    const s = new ShortestPaths(g);
    s.run([[runs[0]!.source, 5]]);
    for (let i = 0; i < nodes; i++) {
      if (s.cost[i] === Infinity) continue;
      const way = s.wayTo(i);
      expect(way.reduce((sum, k) => sum + g.cost[k]!, 5)).toBeCloseTo(s.cost[i]!, 9);
      if (way.length) expect(g.heads[way.at(-1)!]).toBe(i);
    }
  });
  it('end at a limit, and what one search touched is nothing to the next', () => {
    const { nodes, edges, runs } = costs[2]!;
    const s = new ShortestPaths(made(nodes, edges));
    const once = new ShortestPaths(made(nodes, edges));
    s.run([[runs[1]!.source, 0]]);
    s.run([[runs[0]!.source, 0]], 40);
    once.run([[runs[0]!.source, 0]]);
    for (let i = 0; i < nodes; i++) expect(s.cost[i]).toBe(once.cost[i]! <= 40 ? once.cost[i]! : Infinity);
    expect(s.reached.length).toBe([...s.cost].filter((c) => c < Infinity).length);
  });
  it('of several sources are the least of each, and no way beats two ways one after the other', () => {
    fc.assert(
      fc.property(anyEdges, ({ nodes, edges }) => {
        const g = made(nodes, edges);
        const all = Array.from({ length: nodes }, (_, i) => {
          const s = new ShortestPaths(g);
          s.run([[i, 0]]);
          return s.cost;
        });
        const both = new ShortestPaths(g);
        both.run([
          [0, 3],
          [1, 0],
        ]);
        for (let i = 0; i < nodes; i++) {
          expect(both.cost[i]).toBe(Math.min(all[0]![i]! + 3, all[1]![i]!));
          for (let a = 0; a < nodes; a++)
            for (let b = 0; b < nodes; b++) expect(all[a]![b]! <= all[a]![i]! + all[i]![b]!).toBeTrue();
        }
      }),
      { numRuns: 60 },
    );
  });
});

describe('what hangs together', () => {
  it('is what SciPy says, both ways and either way', () => {
    for (const { nodes, edges, strong, strongOf, weak } of costs) {
      const found = strongComponents(made(nodes, edges));
      expect(found.count).toBe(strong);
      const pair = new Map<number, number>();
      for (let i = 0; i < nodes; i++) {
        if (!pair.has(found.of[i]!)) pair.set(found.of[i]!, strongOf[i]!);
        expect(strongOf[i]).toBe(pair.get(found.of[i]!)!);
      }
      // SciPy knows only edges that lead somewhere.
      const open = arrays(edges.filter((e) => e[2] !== null || e[3] !== null));
      expect(weakComponents(nodes, open.from, open.to).count).toBe(weak);
    }
  });
  it('reaches each other', () => {
    fc.assert(
      fc.property(anyEdges, ({ nodes, edges }) => {
        const g = made(nodes, edges);
        const { of } = strongComponents(g);
        const cost = Array.from({ length: nodes }, (_, i) => {
          const s = new ShortestPaths(g);
          s.run([[i, 0]]);
          return s.cost;
        });
        for (let a = 0; a < nodes; a++)
          for (let b = 0; b < nodes; b++)
            expect(of[a] === of[b]).toBe(cost[a]![b]! < Infinity && cost[b]![a]! < Infinity);
      }),
      { numRuns: 100 },
    );
  });
});

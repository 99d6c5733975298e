import type { Features } from '../../data/features';
import { nodeCount, pieceCount, type Network } from '../../data/network';
import { stopPlaces } from '../../data/network-facts';
import type { Timetable } from '../../data/timetable';
import { callsOf, NO_DROP, NO_PICKUP, runsOn } from '../../data/timetable-calls';
import { Placer, type Placed } from '../../numeric/placing';

/** Helpers for specs only: ways by public transport found by another search. */

/** Seconds on foot between places on pieces, by Floyd and Warshall over nodes: another algorithm than the search's. */
export function walking(n: Network): (a: Placed | null, b: Placed | null) => number {
  const m = nodeCount(n);
  const cost = Array.from({ length: m }, (_, i) => Array.from({ length: m }, (_, j) => (i === j ? 0 : Infinity)));
  const { there, back } = n.seconds.walk;
  for (let i = 0; i < pieceCount(n); i++) {
    const [u, v] = [n.from[i]!, n.to[i]!];
    cost[u]![v] = Math.min(cost[u]![v]!, there[i]!);
    cost[v]![u] = Math.min(cost[v]![u]!, back[i]!);
  }
  for (let k = 0; k < m; k++)
    for (let i = 0; i < m; i++)
      for (let j = 0; j < m; j++) cost[i]![j] = Math.min(cost[i]![j]!, cost[i]![k]! + cost[k]![j]!);
  return (a, b) => {
    if (!a || !b) return Infinity;
    const out = [
      [n.from[a.line]!, a.share * back[a.line]!],
      [n.to[a.line]!, (1 - a.share) * there[a.line]!],
    ] as const;
    const into = [
      [n.from[b.line]!, b.share * there[b.line]!],
      [n.to[b.line]!, (1 - b.share) * back[b.line]!],
    ] as const;
    let least = a.line === b.line ? Math.abs(a.share - b.share) * there[a.line]! : Infinity;
    for (const [u, c] of out) for (const [v, d] of into) least = Math.min(least, c + cost[u]![v]! + d);
    return least;
  };
}

/**
 * Times between places by a search of what has been come to over all events of a timetable spread out in time (every run of every trip at every
 * stop), without rounds or patterns.
 */
export function spreadOut(
  n: Network,
  timetable: Timetable,
  at: (Placed | null)[],
  departure: number,
  day: number,
  change: number,
): number[][] {
  const c = callsOf(timetable);
  const walk = walking(n);
  const stops = stopPlaces(n, c);
  type Event = { run: number; k: number; stop: number; arrive: number; depart: number; rules: number };
  const events: Event[] = [];
  let run = 0;
  for (const d of [day - 1, day, day + 1])
    c.trips.forEach((t, trip) => {
      if (!runsOn(c.services[t.service]!, d)) return;
      const first = c.depart[c.offsets[trip]!]!;
      const often = c.headways.get(trip);
      const sets: number[] = [];
      if (!often) sets.push(first);
      else for (const h of often) for (let x = h.start; x < h.end; x += h.headway) sets.push(x);
      for (const set of sets) {
        const shift = (d - day) * 86_400 + set - first - departure;
        for (let k = c.offsets[trip]!; k < c.offsets[trip + 1]!; k++)
          events.push({
            run,
            k,
            stop: c.stop[k]!,
            arrive: c.arrive[k]! + shift,
            depart: c.depart[k]! + shift,
            rules: c.rules[k]!,
          });
        run++;
      }
    });
  const need = (a: number, b: number): number => {
    const rule = c.transfers.findLast((t) => t.from === a && t.to === b);
    if (rule) return rule.seconds;
    return a === b ? change : change + walk(stops[a]!, stops[b]!);
  };
  const needs = c.stops.map((_, a) => c.stops.map((_, b) => need(a, b)));
  const byStop = c.stops.map((_, stop) =>
    [...events.keys()].filter((i) => events[i]!.stop === stop && !(events[i]!.rules & NO_PICKUP)),
  );
  return at.map((start) => {
    const on = new Set<number>();
    const off = new Set<number>();
    const best = new Map<number, number>();
    const todo: number[] = [];
    const board = (i: number): void => {
      if (on.has(i)) return;
      on.add(i);
      todo.push(i);
    };
    /** From when on one has been ready at each stop: who leaves later has been got on to already. */
    const since = new Float64Array(stops.length).fill(Infinity);
    const ready = (stop: number, time: number): void => {
      if (!(time < since[stop]!)) return;
      for (const i of byStop[stop]!) {
        const { depart } = events[i]!;
        if (depart >= time && depart < since[stop]!) board(i);
      }
      since[stop] = time;
    };
    stops.forEach((p, stop) => ready(stop, walk(start, p)));
    for (let i = todo.shift(); i !== undefined; i = todo.shift()) {
      const from = events[i]!;
      for (let j = i + 1; j < events.length && events[j]!.run === from.run; j++) {
        const to = events[j]!;
        // Who gets off at a stop later than before gains nothing there.
        if (to.rules & NO_DROP || off.has(j) || !(to.arrive < (best.get(to.stop) ?? Infinity))) continue;
        off.add(j);
        best.set(to.stop, to.arrive);
        needs[to.stop]!.forEach((need, stop) => ready(stop, to.arrive + need));
      }
    }
    return at.map((end) => {
      let least = walk(start, end);
      for (const j of off) least = Math.min(least, events[j]!.arrive + walk(stops[events[j]!.stop]!, end));
      return least <= 86_400 ? least : Infinity;
    });
  });
}

/** Where features lie on streets. */
export const placesOn = (n: Network, f: Features): (Placed | null)[] => {
  const placer = new Placer(n.pieces);
  return Array.from({ length: f.xy.length / 2 }, (_, i) => placer.place(f.xy[2 * i]!, f.xy[2 * i + 1]!, 100));
};

import { stopPlaces } from '../../data/network-facts';
import type { Network } from '../../data/network';
import { Clocks, type Moment } from '../../data/moment';
import type { Timetable } from '../../data/timetable';
import { callsOf, departuresOf, NO_DROP, NO_PICKUP, runsOn, type Calls } from '../../data/timetable-calls';
import type { Placed } from '../../numeric/placing';
import { patternsOf, Raptor, type Patterns, type PatternTrip, type Readiness } from '../../numeric/raptor';
import type { Start } from '../../numeric/reached';
import { ShortestPaths } from '../../numeric/shortest';
import { costAt, sourcesAt, waysOf, type Direction, type Ways } from './common';

/** Nothing later than this after one sets out is looked at, s. */
export const MOST_AHEAD = 86_400;
/** Days before whose trips may still run: times of a feed go past midnight. */
const DAYS_BEFORE = 3;

type Spot = Pick<Placed, 'line' | 'share'>;

/** A way of going by vehicle: the run of a trip, where one gets on and off, and when, s after one could set out. */
export interface RideLeg {
  kind: 'ride';
  trip: number;
  /** Calls of the trip, from its first. */
  on: number;
  off: number;
  from: number;
  to: number;
  departs: number;
  arrives: number;
}
/** A way on foot between places, or between stops by the time that the feed gives. */
export interface WalkLeg {
  kind: 'walk';
  a: Spot | null;
  b: Spot | null;
  /** Stops at its ends; null for where one sets out and where one goes. */
  from: number | null;
  to: number | null;
  /** The feed says how long it takes; no street is gone along. */
  given: boolean;
}
export type Leg = RideLeg | WalkLeg;

/** What is come to within a time: seconds of the nodes and of places on pieces. */
export interface Found {
  cost: Float64Array;
  starts: Start[];
  reached: Uint32Array;
}

/**
 * Ways by public transport from places on streets: on foot, then by vehicle and on foot by turns. Walking is the quickest way along the network
 * each time; vehicles are searched round by round (see `Raptor`). One way of counting: away from places, or towards them, where everything runs
 * backwards in time.
 */
export class Transit {
  readonly calls: Calls;
  readonly places: (Placed | null)[];
  readonly ways: Ways;
  private readonly paths: ShortestPaths;
  /** The same network walked the other way, for looking back from a stop. */
  private readonly against: ShortestPaths;
  private readonly againstWays: Ways;
  private readonly clocks: Clocks;
  private readonly rules = new Map<number, Map<number, number>>();
  private readonly onPiece = new Map<number, number[]>();
  private readonly backWalks = new Map<number, Float64Array>();
  private raptor: Raptor | null = null;
  private runs: { trip: number; shift: number }[] = [];
  private ids: Uint32Array = new Uint32Array();
  private sources: { spot: Spot; stop: number; cost: number }[] = [];
  private begin = 0;
  private span = 0;
  private zero = NaN;

  /**
   * @param change seconds that a change takes at least, where the feed gives no time of its own
   */
  constructor(
    network: Network,
    timetable: Timetable,
    private readonly direction: Direction,
    private readonly change: number,
  ) {
    this.calls = callsOf(timetable);
    this.places = stopPlaces(network, this.calls);
    this.ways = waysOf(network, network.seconds.walk, direction);
    this.againstWays = waysOf(network, network.seconds.walk, direction === 'from' ? 'towards' : 'from');
    this.paths = new ShortestPaths(this.ways.graph);
    this.against = new ShortestPaths(this.againstWays.graph);
    this.clocks = new Clocks(this.calls.timezone);
    for (const t of this.calls.transfers) {
      const [from, to] = direction === 'from' ? [t.from, t.to] : [t.to, t.from];
      const own = this.rules.get(from) ?? new Map<number, number>();
      own.set(to, t.seconds);
      this.rules.set(from, own);
    }
    this.places.forEach((p, s) => {
      if (p) this.onPiece.set(p.line, [...(this.onPiece.get(p.line) ?? []), s]);
    });
  }

  /** Puts the trips of the day after a moment in order. Times are counted from there on; towards places they are below 0. */
  setOut(at: Moment): number {
    const { calls, clocks, direction } = this;
    const zero = clocks.instant(at);
    if (zero === this.zero) return this.runs.length;
    this.zero = zero;
    const trips: PatternTrip[] = [];
    this.runs = [];
    const add = (trip: number, shift: number): void => {
      const [from, to] = [calls.offsets[trip]!, calls.offsets[trip + 1]!];
      if (calls.arrive[to - 1]! + shift < 0 || calls.depart[from]! + shift > MOST_AHEAD) return;
      this.runs.push({ trip, shift });
      const id = this.runs.length - 1;
      const stops = calls.stop.subarray(from, to);
      const board = calls.rules.subarray(from, to).map((r) => (r & NO_PICKUP ? 0 : 1));
      const alight = calls.rules.subarray(from, to).map((r) => (r & NO_DROP ? 0 : 1));
      const arrive = calls.arrive.subarray(from, to).map((t) => t + shift);
      const depart = calls.depart.subarray(from, to).map((t) => t + shift);
      if (direction === 'from') trips.push({ id, stops, board, alight, arrive, depart });
      else {
        // Towards a place the whole runs backwards.
        const turned = (v: Float64Array): Float64Array => v.map((t) => -t).reverse();
        trips.push({
          id,
          stops: stops.slice().reverse(),
          board: alight.slice().reverse(),
          alight: board.slice().reverse(),
          arrive: turned(depart),
          depart: turned(arrive),
        });
      }
    };
    const byService = new Map<number, number[]>();
    calls.trips.forEach((t, i) => byService.set(t.service, [...(byService.get(t.service) ?? []), i]));
    for (let day = at.day - DAYS_BEFORE; day <= at.day + 1; day++) {
      const start = clocks.serviceStart(day) - zero;
      for (const [service, mine] of byService) {
        if (!runsOn(calls.services[service]!, day)) continue;
        for (const trip of mine) {
          const first = calls.depart[calls.offsets[trip]!]!;
          for (const t of departuresOf(calls, trip)) add(trip, start + t - first);
        }
      }
    }
    const { patterns, ids } = patternsOf(trips, calls.stops.length);
    this.ids = ids;
    this.raptor = new Raptor(patterns, calls.stops.length);
    return this.runs.length;
  }

  /**
   * Everything that is come to from places (or from which they are come to) between two times, which `setOut` counts.
   *
   * @param begin when one sets out; towards places less than 0: by when one has to be there, counted backwards
   */
  search(spots: readonly Spot[], begin: number, end: number): Found {
    const { ways, paths, places } = this;
    const raptor = this.raptor!;
    const span = end - begin;
    this.begin = begin;
    this.span = span;
    paths.run(
      spots.flatMap((s) => sourcesAt(ways, s)),
      span,
    );
    const access: [number, number][] = [];
    places.forEach((p, stop) => {
      if (!p) return;
      let { cost } = costAt(ways, paths.cost, p);
      for (const s of spots) if (s.line === p.line) cost = Math.min(cost, costAt(ways, paths.cost, p, s).cost);
      if (cost <= span) access.push([stop, begin + cost]);
    });
    const come: number[] = [];
    const seen = new Set<number>();
    raptor.run(access, end, (improved, offer) => {
      for (const s of improved)
        if (!seen.has(s)) {
          seen.add(s);
          come.push(s);
        }
      this.changeFrom(improved, come, span, offer);
    });
    this.sources = [
      ...spots.map((spot) => ({ spot, stop: -1, cost: 0 })),
      ...come.flatMap((stop) => {
        const spot = places[stop];
        return spot ? [{ spot, stop, cost: raptor.arrived[stop]! - begin }] : [];
      }),
    ];
    paths.run(this.ends(this.sources), span);
    return {
      cost: paths.cost,
      reached: paths.reached,
      starts: this.sources.map(({ spot, cost }) => ({ edge: spot.line, share: spot.share, cost })),
    };
  }

  private ends(all: readonly { spot: Spot; cost: number }[]): [number, number][] {
    return all.flatMap(({ spot, cost }) => sourcesAt(this.ways, spot).map(([n, c]): [number, number] => [n, c + cost]));
  }

  /** Says for which stops one is ready after what one has come to by vehicle. */
  private changeFrom(
    improved: readonly number[],
    come: readonly number[],
    span: number,
    offer: (stop: number, time: number, how: Readiness) => void,
  ): void {
    const { raptor, rules, places, paths, ways, begin } = this;
    const { arrived } = raptor!;
    for (const s of improved) {
      const own = rules.get(s);
      const here = { from: 'stop' as const, stop: s, walked: false };
      offer(s, arrived[s]! + (own?.get(s) ?? this.change), here);
      if (own) for (const [to, seconds] of own) offer(to, arrived[s]! + seconds, here);
    }
    const walkers = come.filter((s) => places[s]);
    const from = walkers.map((s) => ({ spot: places[s]!, cost: arrived[s]! + this.change - begin }));
    paths.run(this.ends(from), span);
    const there = new Set(walkers);
    places.forEach((p, stop) => {
      if (!p) return;
      let best = Infinity;
      let by = -1;
      const e = ways.edges;
      for (const [node, share, rate] of [
        [e.from[p.line]!, p.share, e.up[p.line]!],
        [e.to[p.line]!, 1 - p.share, e.down[p.line]!],
      ] as const) {
        const c = paths.cost[node]! + (share === 0 ? 0 : share * rate);
        if (c < best) [best, by] = [c, walkers[paths.source[node]! >> 1]!];
      }
      for (const o of this.onPiece.get(p.line)!) {
        if (!there.has(o)) continue;
        const c = arrived[o]! + this.change - begin + this.along(places[o]!, p);
        if (c < best) [best, by] = [c, o];
      }
      if (by < 0 || !(best <= span)) return;
      if (!rules.get(by)?.has(stop)) return offer(stop, begin + best, { from: 'stop', stop: by, walked: true });
      // The nearest is one for which the feed has a time of its own: which of the others is the quickest?
      const walks = this.walksTo(stop);
      [best, by] = [Infinity, -1];
      for (const o of walkers) {
        const c = arrived[o]! + this.change + walks[o]!;
        if (c < best && !rules.get(o)?.has(stop)) [best, by] = [c, o];
      }
      if (by >= 0) offer(stop, best, { from: 'stop', stop: by, walked: true });
    });
  }

  /** Seconds between two places on one piece. */
  private along(a: Spot, b: Spot): number {
    const d = b.share - a.share;
    const rate = d >= 0 ? this.ways.edges.up[a.line]! : this.ways.edges.down[a.line]!;
    return d === 0 ? 0 : Math.abs(d) * rate;
  }

  /** Seconds on foot from each stop to one. */
  private walksTo(stop: number): Float64Array {
    let out = this.backWalks.get(stop);
    if (out) return out;
    const own = this.places[stop]!;
    this.against.run(sourcesAt(this.againstWays, own), MOST_AHEAD);
    out = Float64Array.from(this.places, (p) =>
      p ? costAt(this.againstWays, this.against.cost, p, own).cost : Infinity,
    );
    this.backWalks.set(stop, out);
    return out;
  }

  /** When a place is come to after the last search, counted from where it began; Infinity where it is not. */
  costTo(spot: Spot): number {
    return this.nearest(spot).cost;
  }

  private nearest(spot: Spot): { cost: number; source: number } {
    const { paths, ways } = this;
    const e = ways.edges;
    let [cost, source] = [Infinity, -1];
    for (const [node, share, rate] of [
      [e.from[spot.line]!, spot.share, e.up[spot.line]!],
      [e.to[spot.line]!, 1 - spot.share, e.down[spot.line]!],
    ] as const) {
      const c = paths.cost[node]! + (share === 0 ? 0 : share * rate);
      if (c < cost) [cost, source] = [c, paths.source[node]! >> 1];
    }
    this.sources.forEach((s, k) => {
      if (s.spot.line !== spot.line) return;
      const c = s.cost + this.along(s.spot, spot);
      if (c < cost) [cost, source] = [c, k];
    });
    return cost <= this.span ? { cost, source } : { cost: Infinity, source: -1 };
  }

  /** How one comes to a place after a search from one place, in order; null where it is not come to. Away from places only. */
  legsTo(spot: Spot): { legs: Leg[]; seconds: number } | null {
    const { cost, source } = this.nearest(spot);
    if (!(cost < Infinity)) return null;
    const raptor = this.raptor!;
    const q: Patterns = raptor.patterns;
    const legs: Leg[] = [];
    let { stop } = this.sources[source]!;
    legs.push({
      kind: 'walk',
      a: this.sources[source]!.spot,
      b: spot,
      from: stop < 0 ? null : stop,
      to: null,
      given: false,
    });
    while (stop >= 0) {
      const r = raptor.rides[stop]!;
      const n = q.stopOffsets[r.pattern + 1]! - q.stopOffsets[r.pattern]!;
      const at = q.callOffsets[r.pattern]! + (r.trip - q.tripOffsets[r.pattern]!) * n;
      const on = q.stops[q.stopOffsets[r.pattern]! + r.on]!;
      legs.push({
        kind: 'ride',
        trip: this.runs[this.ids[r.trip]!]!.trip,
        on: r.on,
        off: r.off,
        from: on,
        to: stop,
        departs: q.depart[at + r.on]! - this.begin,
        arrives: q.arrive[at + r.off]! - this.begin,
      });
      const how = raptor.how[on]!;
      const b = this.places[on] ?? null;
      if (how.from === 'start') {
        legs.push({ kind: 'walk', a: this.sources[0]!.spot, b, from: null, to: on, given: false });
        break;
      }
      if (how.stop !== on)
        legs.push({
          kind: 'walk',
          a: this.places[how.stop] ?? null,
          b,
          from: how.stop,
          to: on,
          given: !how.walked,
        });
      ({ stop } = how);
    }
    return { legs: legs.reverse(), seconds: cost };
  }
}

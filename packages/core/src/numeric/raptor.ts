/**
 * Trips by patterns: those of one pattern call at the same stops in the same order, under the same rules, and none overtakes another. Times are
 * seconds of any clock.
 */
export interface Patterns {
  /** Stops of pattern p are `stopOffsets[p]` to `stopOffsets[p + 1]` of `stops`; the same places of `board` and `alight` say what is allowed. */
  stopOffsets: Uint32Array;
  stops: Uint32Array;
  board: Uint8Array;
  alight: Uint8Array;
  /** Trips of pattern p are `tripOffsets[p]` to `tripOffsets[p + 1]`, by time. */
  tripOffsets: Uint32Array;
  /** Where the calls of the first trip of a pattern begin in `arrive` and `depart`; those of the others follow. */
  callOffsets: Uint32Array;
  arrive: Float64Array;
  depart: Float64Array;
  /** Patterns by stop: `byStop[byOffsets[s]]` to `byStop[byOffsets[s + 1]]` are pairs of a pattern and a place in it, pattern first. */
  byOffsets: Uint32Array;
  byStop: Uint32Array;
}

/** A trip that is to be put into patterns. */
export interface PatternTrip {
  /** What it is told by afterwards. */
  id: number;
  stops: ArrayLike<number>;
  arrive: ArrayLike<number>;
  depart: ArrayLike<number>;
  board: ArrayLike<number>;
  alight: ArrayLike<number>;
}

/** Puts trips into patterns; `ids` are those of the trips in their new order. O(calls log trips) */
export function patternsOf(trips: readonly PatternTrip[], stopCount: number): { patterns: Patterns; ids: Uint32Array } {
  const groups = new Map<string, PatternTrip[]>();
  for (const t of trips) {
    const key = `${Array.prototype.join.call(t.stops, ',')};${Array.prototype.join.call(t.board, '')};${Array.prototype.join.call(t.alight, '')}`;
    const own = groups.get(key);
    if (own) own.push(t);
    else groups.set(key, [t]);
  }
  const chains: PatternTrip[][] = [];
  for (const group of groups.values()) {
    group.sort(
      (a, b) =>
        a.depart[0]! - b.depart[0]! || a.arrive[a.stops.length - 1]! - b.arrive[b.stops.length - 1]! || a.id - b.id,
    );
    // A trip that overtakes is put into another pattern of the same stops.
    const own: PatternTrip[][] = [];
    for (const t of group) {
      const chain = own.find((c) => follows(c.at(-1)!, t));
      if (chain) chain.push(t);
      else own.push([t]);
    }
    chains.push(...own);
  }
  const stopOffsets = new Uint32Array(chains.length + 1);
  const tripOffsets = new Uint32Array(chains.length + 1);
  const callOffsets = new Uint32Array(chains.length + 1);
  chains.forEach((c, p) => {
    const n = c[0]!.stops.length;
    stopOffsets[p + 1] = stopOffsets[p]! + n;
    tripOffsets[p + 1] = tripOffsets[p]! + c.length;
    callOffsets[p + 1] = callOffsets[p]! + n * c.length;
  });
  const total = stopOffsets[chains.length]!;
  const calls = callOffsets[chains.length]!;
  const patterns: Patterns = {
    stopOffsets,
    tripOffsets,
    callOffsets,
    stops: new Uint32Array(total),
    board: new Uint8Array(total),
    alight: new Uint8Array(total),
    arrive: new Float64Array(calls),
    depart: new Float64Array(calls),
    byOffsets: new Uint32Array(stopCount + 1),
    byStop: new Uint32Array(2 * total),
  };
  const ids = new Uint32Array(tripOffsets[chains.length]!);
  chains.forEach((c, p) => {
    const first = c[0]!;
    patterns.stops.set(first.stops, stopOffsets[p]);
    patterns.board.set(first.board, stopOffsets[p]);
    patterns.alight.set(first.alight, stopOffsets[p]);
    c.forEach((t, k) => {
      ids[tripOffsets[p]! + k] = t.id;
      patterns.arrive.set(t.arrive, callOffsets[p]! + k * t.stops.length);
      patterns.depart.set(t.depart, callOffsets[p]! + k * t.stops.length);
    });
  });
  for (const s of patterns.stops) patterns.byOffsets[s + 1]!++;
  for (let s = 0; s < stopCount; s++) patterns.byOffsets[s + 1]! += patterns.byOffsets[s]!;
  const at = patterns.byOffsets.slice(0, stopCount);
  for (let p = 0; p < chains.length; p++)
    for (let k = stopOffsets[p]!; k < stopOffsets[p + 1]!; k++) {
      const to = at[patterns.stops[k]!]!++;
      patterns.byStop[2 * to] = p;
      patterns.byStop[2 * to + 1] = k - stopOffsets[p]!;
    }
  return { patterns, ids };
}

const follows = (a: PatternTrip, b: PatternTrip): boolean => {
  for (let k = 0; k < a.stops.length; k++) if (b.arrive[k]! < a.arrive[k]! || b.depart[k]! < a.depart[k]!) return false;
  return true;
};

/** How a stop is come to by a vehicle: the trip (by its place among all), and where one gets on and off. */
export interface Ride {
  pattern: number;
  trip: number;
  on: number;
  off: number;
}

/** How it is that one is ready to get on at a stop: from where one starts, by a change from another stop (or at the same one). */
export type Readiness = { from: 'start' } | { from: 'stop'; stop: number; walked: boolean };

/** More rounds than any way through a timetable has changes. */
const MOST_ROUNDS = 24;

/**
 * Earliest arrivals at stops by a timetable, in rounds: one vehicle more each round. Delling, Pajor and Werneck 2015 (Round-based public transit
 * routing, doi:10.1287/trsc.2014.0534). How one gets from stop to stop between vehicles is for `change` to say, which is called once a round.
 */
export class Raptor {
  /** When a stop is come to by a vehicle, at the earliest. */
  readonly arrived: Float64Array;
  /** When one can get on at a stop, at the earliest. */
  readonly ready: Float64Array;
  readonly rides: (Ride | null)[];
  readonly how: (Readiness | null)[];

  constructor(
    readonly patterns: Patterns,
    stops: number,
  ) {
    this.arrived = new Float64Array(stops).fill(Infinity);
    this.ready = new Float64Array(stops).fill(Infinity);
    this.rides = new Array<Ride | null>(stops).fill(null);
    this.how = new Array<Readiness | null>(stops).fill(null);
  }

  /**
   * @param access stops that are come to without a vehicle, and when
   * @param limit what is later is not looked at
   * @param change told which stops were come to earlier in this round, it says what one can be ready for: through `offer`
   */
  run(
    access: Iterable<readonly [stop: number, time: number]>,
    limit: number,
    change: (improved: readonly number[], offer: (stop: number, time: number, how: Readiness) => void) => void,
  ): void {
    const { patterns: q, arrived, ready, rides } = this;
    arrived.fill(Infinity);
    ready.fill(Infinity);
    rides.fill(null);
    this.how.fill(null);
    let marked = new Set<number>();
    const offer = (stop: number, time: number, how: Readiness): void => {
      if (!(time <= limit) || !(time < ready[stop]!)) return;
      ready[stop] = time;
      this.how[stop] = how;
      marked.add(stop);
    };
    for (const [stop, time] of access) offer(stop, time, { from: 'start' });
    for (let round = 0; round < MOST_ROUNDS && marked.size; round++) {
      const queue = new Map<number, number>();
      for (const s of marked)
        for (let k = q.byOffsets[s]!; k < q.byOffsets[s + 1]!; k++) {
          const [p, place] = [q.byStop[2 * k]!, q.byStop[2 * k + 1]!];
          const was = queue.get(p);
          if (was === undefined || place < was) queue.set(p, place);
        }
      const improved = new Set<number>();
      for (const [p, from] of queue) this.along(p, from, limit, improved);
      marked = new Set();
      if (improved.size) change([...improved], offer);
    }
  }

  private along(p: number, from: number, limit: number, improved: Set<number>): void {
    const { patterns: q, arrived, ready, rides } = this;
    const [s0, s1] = [q.stopOffsets[p]!, q.stopOffsets[p + 1]!];
    const n = s1 - s0;
    const trips = q.tripOffsets[p + 1]! - q.tripOffsets[p]!;
    const base = q.callOffsets[p]!;
    let [trip, on] = [trips, -1];
    for (let k = from; k < n; k++) {
      const s = q.stops[s0 + k]!;
      if (trip < trips && q.alight[s0 + k]) {
        const t = q.arrive[base + trip * n + k]!;
        if (t <= limit && t < arrived[s]!) {
          arrived[s] = t;
          rides[s] = { pattern: p, trip: q.tripOffsets[p]! + trip, on, off: k };
          improved.add(s);
        }
      }
      if (!q.board[s0 + k] || !(ready[s]! < Infinity)) continue;
      // The first trip that departs when one is ready; only an earlier one than that which one sits in is of use.
      let [lo, hi] = [0, trip];
      while (lo < hi) {
        const mid = (lo + hi) >> 1;
        if (q.depart[base + mid * n + k]! >= ready[s]!) hi = mid;
        else lo = mid + 1;
      }
      if (lo < trip) [trip, on] = [lo, k];
    }
  }
}

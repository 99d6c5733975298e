import { GTFS, WEEKDAYS, weekdayOf } from './gtfs-spec';
import { numbersOf, rowsIn, textsOf, type Fault, type Timetable } from './timetable';

/** Days on which a service runs. */
export interface Service {
  id: string;
  /** Of each weekday from Monday, within the days of the calendar. */
  weekdays: boolean[];
  first: number;
  last: number;
  added: Set<number>;
  taken: Set<number>;
}

/** A trip that departs again and again: at `start`, and every `headway` seconds before `end`. */
export interface Headway {
  start: number;
  end: number;
  headway: number;
}

/** Ways between stops that a feed gives a time of their own; Infinity where one cannot change. */
export interface Transfer {
  from: number;
  to: number;
  seconds: number;
}

/** Whether and where one may get on or off at a call. */
export const NO_PICKUP = 1;
export const NO_DROP = 2;

/** A timetable put in order: calls of trips at stops, by numbers. Trips that cannot be used are not among them. */
export interface Calls {
  stops: { id: string; name: string; lon: number; lat: number; row: number }[];
  lines: { id: string; name: string; longName: string; type: number }[];
  trips: { id: string; line: number; service: number; headsign: string; shape: string; direction: string }[];
  services: Service[];
  /** Calls of trip i are `offsets[i]` to `offsets[i + 1]`, in their order. */
  offsets: Uint32Array;
  stop: Uint32Array;
  arrive: Float64Array;
  depart: Float64Array;
  rules: Uint8Array;
  /** Along the shape, NaN where not given. */
  along: Float64Array;
  headways: Map<number, Headway[]>;
  transfers: Transfer[];
  /** Transfers that hold for single lines or trips only, which are not looked at. */
  narrow: number;
  timezone: string;
  agencies: string[];
}

const known = new WeakMap<Timetable, Calls>();

/** The same timetable in order; worked out once. O(rows log rows) */
export function callsOf(t: Timetable): Calls {
  let found = known.get(t);
  if (!found) known.set(t, (found = inOrder(t, () => undefined)));
  return found;
}

type Tell = (fault: Fault) => void;

/**
 * Puts a timetable in order and tells of what cannot be: what names nothing, trips of one call, times that run backwards or are not there at an
 * end, services that never run, stops without a place.
 */
export function inOrder(t: Timetable, tell: Tell): Calls {
  const at = (file: string, i: number, column: string | null, message: string, level: Fault['level'] = 'error'): void =>
    tell({ file, row: i + 2, column, message, level });
  const stops = stopsOf(t, at);
  const numbered = new Map(stops.map((s, i) => [s.id, i]));
  const lineIds = textsOf(t, 'routes', 'route_id');
  const short = textsOf(t, 'routes', 'route_short_name');
  const long = textsOf(t, 'routes', 'route_long_name');
  const types = numbersOf(t, 'routes', 'route_type');
  const lines = lineIds.map((id, i) => {
    if (!short[i] && !long[i])
      at('routes', i, 'route_short_name', `line "${id}" has neither a short nor a long name`, 'warning');
    return { id, name: short[i] || long[i] || id, longName: long[i] ?? '', type: types[i]! };
  });
  const services = servicesOf(t, at);
  const { trips, offsets, ...calls } = tripsOf(t, at, numbered, new Map(lineIds.map((id, i) => [id, i])), services);
  const tripOf = new Map(trips.map((trip, i) => [trip.id, i]));
  const used = new Set(trips.map((trip) => trip.service));
  services.forEach((s, k) => {
    if (used.has(k) && !runsEver(s))
      tell({
        file: 'calendar',
        row: null,
        column: 'service_id',
        message: `service "${s.id}" never runs`,
        level: 'error',
      });
  });
  const { transfers, narrow } = transfersOf(t, numbered);
  return {
    stops,
    lines,
    services,
    trips,
    offsets,
    ...calls,
    headways: headwaysOf(t, at, tripOf),
    transfers,
    narrow,
    timezone: textsOf(t, 'agency', 'agency_timezone')[0] ?? '',
    agencies: [...textsOf(t, 'agency', 'agency_name')],
  };
}

type At = (file: string, i: number, column: string | null, message: string, level?: Fault['level']) => void;

/** Stops with a place; platforms without one lie where their station does. */
function stopsOf(t: Timetable, at: At): Calls['stops'] {
  const ids = textsOf(t, 'stops', 'stop_id');
  const names = textsOf(t, 'stops', 'stop_name');
  const parents = textsOf(t, 'stops', 'parent_station');
  const [lat, lon] = [numbersOf(t, 'stops', 'stop_lat'), numbersOf(t, 'stops', 'stop_lon')];
  const row = new Map(ids.map((id, i) => [id, i]));
  return ids.map((id, i) => {
    const parent = row.get(parents[i]!);
    const own = lat[i] === lat[i] && lon[i] === lon[i] ? i : parent;
    let [x, y] = own === undefined ? [NaN, NaN] : [lon[own]!, lat[own]!];
    if (!(Math.abs(y) <= 90 && Math.abs(x) <= 180)) {
      at(
        'stops',
        i,
        'stop_lat',
        x === x && y === y ? `stop "${id}" lies at ${y}, ${x}, which is nowhere on Earth` : `stop "${id}" has no place`,
      );
      [x, y] = [NaN, NaN];
    } else if (x === 0 && y === 0) at('stops', i, 'stop_lat', `stop "${id}" lies at 0, 0`, 'warning');
    const name = names[i] || (parent === undefined ? '' : names[parent]!) || id;
    return { id, name, lon: x, lat: y, row: i };
  });
}

function servicesOf(t: Timetable, at: At): Service[] {
  const out = new Map<string, Service>();
  const one = (id: string): Service => {
    let s = out.get(id);
    if (!s)
      out.set(id, (s = { id, weekdays: [], first: Infinity, last: -Infinity, added: new Set(), taken: new Set() }));
    return s;
  };
  const ids = textsOf(t, 'calendar', 'service_id');
  const flags = WEEKDAYS.map((d) => textsOf(t, 'calendar', d));
  const [first, last] = [numbersOf(t, 'calendar', 'start_date'), numbersOf(t, 'calendar', 'end_date')];
  ids.forEach((id, i) => {
    const s = one(id);
    if (last[i]! < first[i]!) at('calendar', i, 'end_date', `service "${id}" ends before it begins`);
    Object.assign(s, { weekdays: flags.map((f) => f[i] === '1'), first: first[i]!, last: last[i]! });
  });
  const exceptions = textsOf(t, 'calendar_dates', 'service_id');
  const dates = numbersOf(t, 'calendar_dates', 'date');
  const kinds = numbersOf(t, 'calendar_dates', 'exception_type');
  exceptions.forEach((id, i) => {
    if (dates[i] !== dates[i]) return;
    if (kinds[i] === 1) one(id).added.add(dates[i]!);
    else if (kinds[i] === 2) one(id).taken.add(dates[i]!);
    else at('calendar_dates', i, 'exception_type', `exception_type has to be 1 or 2`);
  });
  return [...out.values()];
}

/** When a trip sets out on a day on which it runs: once, or at the start and every headway. Seconds of the day of service. */
export function departuresOf(c: Calls, trip: number): number[] {
  const often = c.headways.get(trip);
  if (!often) return [c.depart[c.offsets[trip]!]!];
  const out: number[] = [];
  for (const h of often) for (let t = h.start; t < h.end; t += h.headway) out.push(t);
  return out;
}

/** Whether a service runs on a day. */
export const runsOn = (s: Service, day: number): boolean =>
  s.added.has(day) || (!s.taken.has(day) && day >= s.first && day <= s.last && s.weekdays[weekdayOf(day)] === true);

/** First and last day on which a service runs; null where it never does. */
export function daysOf(s: Service): [first: number, last: number] | null {
  // Calendars of more than ten years are a slip; only their first years are gone through.
  const last = Math.min(s.last, s.first + 3660);
  let [lo, hi] = [Infinity, -Infinity];
  for (let d = s.first; d <= last; d++)
    if (runsOn(s, d)) {
      lo = d;
      break;
    }
  for (let d = last; d >= lo; d--)
    if (runsOn(s, d)) {
      hi = d;
      break;
    }
  for (const d of s.added) [lo, hi] = [Math.min(lo, d), Math.max(hi, d)];
  return hi >= lo ? [lo, hi] : null;
}
const runsEver = (s: Service): boolean => daysOf(s) !== null;

function tripsOf(
  t: Timetable,
  at: At,
  stops: ReadonlyMap<string, number>,
  lines: ReadonlyMap<string, number>,
  services: readonly Service[],
): Pick<Calls, 'trips' | 'offsets' | 'stop' | 'arrive' | 'depart' | 'rules' | 'along'> {
  const n = rowsIn(t, 'stop_times');
  const of = textsOf(t, 'stop_times', 'trip_id');
  const stopIds = textsOf(t, 'stop_times', 'stop_id');
  const [sequence, arrival, departure, dist] = [
    'stop_sequence',
    'arrival_time',
    'departure_time',
    'shape_dist_traveled',
  ].map((c) => numbersOf(t, 'stop_times', c)) as [Float64Array, Float64Array, Float64Array, Float64Array];
  const [pickup, drop] = [textsOf(t, 'stop_times', 'pickup_type'), textsOf(t, 'stop_times', 'drop_off_type')];
  const ids = textsOf(t, 'trips', 'trip_id');
  const number = new Map(ids.map((id, i) => [id, i]));
  const own = new Int32Array(n);
  const count = new Uint32Array(ids.length + 1);
  for (let i = 0; i < n; i++) {
    const k = number.get(of[i]!) ?? -1;
    own[i] = sequence[i] === sequence[i] ? k : -1;
    if (own[i]! >= 0) count[k + 1]!++;
  }
  for (let k = 0; k < ids.length; k++) count[k + 1]! += count[k]!;
  const rows = new Uint32Array(count[ids.length]!);
  const next = count.slice(0, ids.length);
  for (let i = 0; i < n; i++) if (own[i]! >= 0) rows[next[own[i]!]!++] = i;

  const lineIds = textsOf(t, 'trips', 'route_id');
  const serviceIds = textsOf(t, 'trips', 'service_id');
  const serviceOf = new Map(services.map((s, k) => [s.id, k]));
  const heads = textsOf(t, 'trips', 'trip_headsign');
  const shapes = textsOf(t, 'trips', 'shape_id');
  const directions = textsOf(t, 'trips', 'direction_id');
  const trips: Calls['trips'] = [];
  const offsets = [0];
  const out = {
    stop: new Uint32Array(rows.length),
    arrive: new Float64Array(rows.length),
    depart: new Float64Array(rows.length),
    rules: new Uint8Array(rows.length),
    along: new Float64Array(rows.length),
  };
  let size = 0;
  for (let k = 0; k < ids.length; k++) {
    const mine = rows
      .subarray(count[k], count[k + 1])
      .slice()
      .sort((a, b) => sequence[a]! - sequence[b]! || a - b);
    const service = serviceOf.get(serviceIds[k]!);
    if (service === undefined) {
      at('trips', k, 'service_id', `trip "${ids[k]}" runs by service "${serviceIds[k]}", which no calendar has`);
      continue;
    }
    const line = lines.get(lineIds[k]!);
    if (line === undefined) continue;
    if (mine.length < 2) {
      at('trips', k, 'trip_id', `trip "${ids[k]}" calls at ${mine.length ? 'one stop only' : 'no stop'}`);
      continue;
    }
    for (let j = 1; j < mine.length; j++)
      if (sequence[mine[j]!] === sequence[mine[j - 1]!])
        at('stop_times', mine[j]!, 'stop_sequence', `trip "${ids[k]}" has the sequence ${sequence[mine[j]!]!} twice`);
    const size0 = size;
    let good = true;
    for (const i of mine) {
      const stop = stops.get(stopIds[i]!);
      if (stop === undefined) {
        good = false;
        break;
      }
      out.stop[size] = stop;
      // Where one of the two is given it stands for both.
      out.arrive[size] = arrival[i] === arrival[i] ? arrival[i]! : departure[i]!;
      out.depart[size] = departure[i] === departure[i] ? departure[i]! : arrival[i]!;
      out.rules[size] = (pickup[i] === '1' ? NO_PICKUP : 0) | (drop[i] === '1' ? NO_DROP : 0);
      out.along[size] = dist[i]!;
      size++;
    }
    good = good && timed(out, size0, size, mine, at, ids[k]!);
    if (!good) {
      size = size0;
      continue;
    }
    trips.push({ id: ids[k]!, line, service, headsign: heads[k]!, shape: shapes[k]!, direction: directions[k]! });
    offsets.push(size);
  }
  return {
    trips,
    offsets: Uint32Array.from(offsets),
    stop: out.stop.slice(0, size),
    arrive: out.arrive.slice(0, size),
    depart: out.depart.slice(0, size),
    rules: out.rules.slice(0, size),
    along: out.along.slice(0, size),
  };
}

/** Looks at the times of a trip and works out those between time points: evenly along the shape where it is measured, else from stop to stop. */
function timed(
  c: { arrive: Float64Array; depart: Float64Array; along: Float64Array },
  from: number,
  to: number,
  rows: Uint32Array,
  at: At,
  id: string,
): boolean {
  for (const [k, what] of [
    [from, 'first'],
    [to - 1, 'last'],
  ] as const)
    if (c.arrive[k] !== c.arrive[k]) {
      at('stop_times', rows[k - from]!, 'arrival_time', `trip "${id}" has no time at its ${what} stop`);
      return false;
    }
  let last = from;
  for (let k = from; k < to; k++) {
    if (c.arrive[k] !== c.arrive[k]) continue;
    if (c.depart[k]! < c.arrive[k]! || (k > from && c.arrive[k]! < c.depart[last]!)) {
      at(
        'stop_times',
        rows[k - from]!,
        c.depart[k]! < c.arrive[k]! ? 'departure_time' : 'arrival_time',
        `times of trip "${id}" run backwards`,
      );
      return false;
    }
    const span = c.arrive[k]! - c.depart[last]!;
    const measured =
      c.along.subarray(last, k + 1).every((v, i, all) => v === v && (i === 0 || v >= all[i - 1]!)) &&
      c.along[k]! > c.along[last]!;
    for (let m = last + 1; m < k; m++) {
      const share = measured
        ? (c.along[m]! - c.along[last]!) / (c.along[k]! - c.along[last]!)
        : (m - last) / (k - last);
      c.arrive[m] = c.depart[m] = c.depart[last]! + share * span;
    }
    last = k;
  }
  return true;
}

function headwaysOf(t: Timetable, at: At, trips: ReadonlyMap<string, number>): Map<number, Headway[]> {
  const out = new Map<number, Headway[]>();
  const ids = textsOf(t, 'frequencies', 'trip_id');
  const [start, end, headway] = ['start_time', 'end_time', 'headway_secs'].map((c) =>
    numbersOf(t, 'frequencies', c),
  ) as [Float64Array, Float64Array, Float64Array];
  ids.forEach((id, i) => {
    const k = trips.get(id);
    if (k === undefined || start[i] !== start[i] || end[i] !== end[i]) return;
    if (!(headway[i]! > 0)) return at('frequencies', i, 'headway_secs', `headway_secs has to be more than 0`);
    if (!(end[i]! > start[i]!)) return at('frequencies', i, 'end_time', `it ends before it begins`);
    out.set(k, [...(out.get(k) ?? []), { start: start[i]!, end: end[i]!, headway: headway[i]! }]);
  });
  return out;
}

/** Times between stops; those of a station hold for each of its platforms. */
function transfersOf(t: Timetable, stops: ReadonlyMap<string, number>): Pick<Calls, 'transfers' | 'narrow'> {
  const parents = textsOf(t, 'stops', 'parent_station');
  const children = new Map<string, number[]>();
  parents.forEach((p, i) => p && children.set(p, [...(children.get(p) ?? []), i]));
  const all = (id: string): number[] => {
    const own = stops.get(id);
    return own === undefined ? [] : [own, ...(children.get(id) ?? [])];
  };
  const [from, to] = [textsOf(t, 'transfers', 'from_stop_id'), textsOf(t, 'transfers', 'to_stop_id')];
  const kinds = textsOf(t, 'transfers', 'transfer_type');
  const times = numbersOf(t, 'transfers', 'min_transfer_time');
  const narrow = ['from_route_id', 'to_route_id', 'from_trip_id', 'to_trip_id'].map((c) => textsOf(t, 'transfers', c));
  const transfers: Transfer[] = [];
  let passed = 0;
  from.forEach((id, i) => {
    if (narrow.some((c) => c[i])) return void passed++;
    const kind = kinds[i] || '0';
    const seconds = kind === '1' ? 0 : kind === '2' ? times[i]! : kind === '3' ? Infinity : NaN;
    if (seconds !== seconds) return;
    for (const a of all(id)) for (const b of all(to[i]!)) transfers.push({ from: a, to: b, seconds });
  });
  return { transfers, narrow: passed };
}

/** Files without which there is no timetable, that are not there. */
export function lackingFiles(names: Iterable<string>): string[] {
  const all = new Set(names);
  const lacking = Object.keys(GTFS).filter((f) => GTFS[f]!.required && !all.has(f));
  if (!all.has('calendar') && !all.has('calendar_dates')) lacking.push('calendar');
  return lacking;
}

import { columnInfo } from './column-facts';
import type { Crs, Extent } from './crs';
import { featureCount, featuresExtent, type ColumnInfo } from './features';
import { dateOf, weekdayOf } from './gtfs-spec';
import { rowsIn, type Fault, type Timetable } from './timetable';
import { callsOf, daysOf, runsOn, type Calls } from './timetable-calls';
import { FEED_CRS, timetableLines } from './timetable-lines';

/** Days that are told one by one: three years. */
const MOST_DAYS = 1100;
const TOLD = 300;

/** What there is to know of a timetable without its bulk. */
export interface TimetableInfo {
  kind: 'timetable';
  crs: Crs | null;
  extent: Extent | null;
  /** Stops with a place, and all. */
  placed: number;
  stops: number;
  lines: number;
  trips: number;
  calls: number;
  agencies: string[];
  timezone: string;
  /** First and last day on which something runs; null where nothing ever does. */
  first: string | null;
  last: string | null;
  /** Trips that set out on each day from the first on. */
  perDay: number[];
  /** Stretches between stops that it is drawn as, and their columns. */
  stretches: number;
  columns: ColumnInfo[];
  files: { name: string; rows: number }[];
  faults: { count: number; errors: number; told: Fault[] };
}

/** Trips that set out on a day, those that depart again and again as often as they do. */
export function tripsPerService(c: Calls): Float64Array {
  const out = new Float64Array(c.services.length);
  c.trips.forEach((t, i) => {
    const often = c.headways.get(i)?.reduce((s, h) => s + Math.ceil((h.end - h.start) / h.headway), 0);
    out[t.service]! += often ?? 1;
  });
  return out;
}

/** First and last day, and trips on each. */
export function serviceDays(c: Calls): { first: number; last: number; perDay: number[] } | null {
  const per = tripsPerService(c);
  let [first, last] = [Infinity, -Infinity];
  c.services.forEach((s, k) => {
    const days = per[k]! > 0 ? daysOf(s) : null;
    if (days) [first, last] = [Math.min(first, days[0]), Math.max(last, days[1])];
  });
  if (!(last >= first)) return null;
  const perDay = Array.from({ length: Math.min(MOST_DAYS, last - first + 1) }, (_, d) =>
    c.services.reduce((sum, s, k) => sum + (per[k]! > 0 && runsOn(s, first + d) ? per[k]! : 0), 0),
  );
  return { first, last, perDay };
}

/** The first weekday (Tuesday to Thursday, else any) with the most trips, as a number of days; null where nothing runs. */
export function usualDay(first: string, perDay: readonly number[], dayOf: (t: string) => number): string | null {
  const start = dayOf(first);
  const days = perDay.map((trips, d) => ({ day: start + d, trips })).filter((d) => d.trips > 0);
  const mid = days.filter((d) => weekdayOf(d.day) >= 1 && weekdayOf(d.day) <= 3);
  const among = mid.length ? mid : days;
  if (!among.length) return null;
  const most = among.reduce((m, d) => Math.max(m, d.trips), 0);
  return dateOf(among.find((d) => d.trips === most)!.day);
}

/** Everything there is to know of a timetable. */
export function timetableInfo(t: Timetable): TimetableInfo {
  const c = callsOf(t);
  const lines = timetableLines(t);
  const days = serviceDays(c);
  return {
    kind: 'timetable',
    crs: FEED_CRS(),
    extent: featuresExtent(lines),
    placed: c.stops.reduce((n, s) => n + Number(s.lon === s.lon), 0),
    stops: c.stops.length,
    lines: c.lines.length,
    trips: c.trips.length,
    calls: c.stop.length,
    agencies: c.agencies.slice(0, 20).map((a) => a.slice(0, 200)),
    timezone: c.timezone.slice(0, 100),
    first: days ? dateOf(days.first) : null,
    last: days ? dateOf(days.last) : null,
    perDay: days?.perDay ?? [],
    stretches: featureCount(lines),
    columns: lines.columns.map(columnInfo),
    files: Object.keys(t.files).map((name) => ({ name, rows: rowsIn(t, name) })),
    faults: {
      count: t.faults.length,
      errors: t.faults.reduce((n, f) => n + Number(f.level === 'error'), 0),
      told: [...t.faults].sort((a, b) => Number(b.level === 'error') - Number(a.level === 'error')).slice(0, TOLD),
    },
  };
}

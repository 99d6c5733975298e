import type { Column, Features } from '../../data/features';
import { FeaturesBuilder } from '../../data/features';
import { crsOfCode } from '../../data/crs';
import type { Timetable } from '../../data/timetable';
import { readFeed } from '../../formats/gtfs';

/** Helpers for specs only. */

export type Street = readonly (readonly [x: number, y: number])[];

/** Streets as lines, metres east and north of a corner in UTM zone 32. */
export function streetsOf(lines: readonly Street[], columns: Column[] = []): Features {
  const b = new FeaturesBuilder();
  for (const line of lines) {
    for (const [x, y] of line) b.coordinate(500_000 + x, 5_900_000 + y);
    b.endRing();
    b.endPart();
    b.endFeature();
  }
  return b.build('line', crsOfCode(25832), columns);
}

/** Points as streets are given. */
export function pointsOf(places: readonly (readonly [x: number, y: number])[], columns: Column[] = []): Features {
  const b = new FeaturesBuilder();
  for (const [x, y] of places) b.point(500_000 + x, 5_900_000 + y);
  return b.build('point', crsOfCode(25832), columns);
}

/** A feed out of texts, by the names of its files. */
export const feed = (files: Record<string, string>): Timetable =>
  readFeed(
    Object.entries(files).map(([name, text]) => [`${name}.txt`, new TextEncoder().encode(text)] as const),
    'feed.zip',
    {},
  ).timetable;

export const AGENCY = 'agency_name,agency_url,agency_timezone\nBoats,https://example.org,Etc/UTC\n';
export const CALENDAR = 'service_id,monday,tuesday,wednesday,thursday,friday,saturday,sunday,start_date,end_date\n';
export const daily = (id: string, from = '20260901', to = '20261220'): string => `${id},1,1,1,1,1,1,1,${from},${to}`;

/** A ferry every hour between two stops, given in degrees. */
export const ferry = (lon: number, lat: number, step: number): Timetable =>
  feed({
    agency: AGENCY,
    stops: `stop_id,stop_name,stop_lat,stop_lon\na,Quay,${lat},${lon}\nb,Mill,${lat + step},${lon + step}\n`,
    routes: 'route_id,route_short_name,route_type\nr,7,4\n',
    trips: 'route_id,service_id,trip_id\nr,all,t\nr,all,u\n',
    stop_times:
      'trip_id,arrival_time,departure_time,stop_id,stop_sequence\nt,08:00:00,08:00:00,a,1\nt,08:10:00,08:10:00,b,2\nu,08:30:00,08:30:00,b,1\nu,08:40:00,08:40:00,a,2\n',
    calendar: `${CALENDAR}${daily('all')}\n`,
    frequencies: 'trip_id,start_time,end_time,headway_secs\nt,06:00:00,22:00:00,3600\n',
  });

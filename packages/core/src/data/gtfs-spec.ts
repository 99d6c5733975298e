/** What a value of a file of a timetable is. */
export type GtfsType = 'id' | 'text' | 'number' | 'count' | 'time' | 'date' | 'code';

export interface GtfsColumn {
  name: string;
  type: GtfsType;
  /** It has to be there and to have a value. */
  required?: true;
  /** `file.column` that has to have the value. */
  of?: string;
  /** Codes that the specification knows: 0 up to this one. */
  most?: number;
}

export interface GtfsFile {
  required?: true;
  columns: GtfsColumn[];
  /** Columns that together name a row. */
  key: string[];
}

const TYPES: Record<string, GtfsType> = {
  id: 'id',
  text: 'text',
  number: 'number',
  count: 'count',
  time: 'time',
  date: 'date',
};

/** `name:type`, `name:type!` where it is required, `name:0-3` for codes, `name:id>file.column` for what stands in another file. */
function columns(...all: string[]): GtfsColumn[] {
  return all.map((text) => {
    const [, name, kind, required, of] = /^(\w+):([\w-]+)(!?)(?:>(.+))?$/.exec(text)!;
    const codes = /^0-(\d+)$/.exec(kind!);
    return {
      name: name!,
      type: codes ? 'code' : TYPES[kind!]!,
      ...(required ? { required: true as const } : {}),
      ...(of ? { of } : {}),
      ...(codes ? { most: Number(codes[1]) } : {}),
    };
  });
}

const days = ['monday', 'tuesday', 'wednesday', 'thursday', 'friday', 'saturday', 'sunday'] as const;

/**
 * Files of the General Transit Feed Specification (GTFS Schedule Reference, gtfs.org) that say where and when something goes, with their columns.
 * Other files and columns of a feed are kept as texts. Route types beyond 12 (the extended ones) are common, so they are no fault.
 */
export const GTFS: Record<string, GtfsFile> = {
  agency: {
    required: true,
    key: ['agency_id'],
    columns: columns('agency_id:id', 'agency_name:text!', 'agency_url:text!', 'agency_timezone:text!'),
  },
  stops: {
    required: true,
    key: ['stop_id'],
    columns: columns(
      'stop_id:id!',
      'stop_name:text',
      'stop_lat:number',
      'stop_lon:number',
      'location_type:0-4',
      'parent_station:id>stops.stop_id',
    ),
  },
  routes: {
    required: true,
    key: ['route_id'],
    columns: columns(
      'route_id:id!',
      'agency_id:id>agency.agency_id',
      'route_short_name:text',
      'route_long_name:text',
      'route_type:count!',
    ),
  },
  trips: {
    required: true,
    key: ['trip_id'],
    columns: columns(
      'route_id:id!>routes.route_id',
      'service_id:id!',
      'trip_id:id!',
      'trip_headsign:text',
      'direction_id:0-1',
      'shape_id:id>shapes.shape_id',
    ),
  },
  stop_times: {
    required: true,
    // Looked at where the calls of a trip are put in order: a set of millions of names would not be held.
    key: [],
    columns: columns(
      'trip_id:id!>trips.trip_id',
      'arrival_time:time',
      'departure_time:time',
      'stop_id:id!>stops.stop_id',
      'stop_sequence:count!',
      'pickup_type:0-3',
      'drop_off_type:0-3',
      'shape_dist_traveled:number',
      'timepoint:0-1',
    ),
  },
  calendar: {
    key: ['service_id'],
    columns: columns('service_id:id!', ...days.map((d) => `${d}:0-1!`), 'start_date:date!', 'end_date:date!'),
  },
  calendar_dates: {
    key: ['service_id', 'date'],
    columns: columns('service_id:id!', 'date:date!', 'exception_type:count!'),
  },
  shapes: {
    key: [],
    columns: columns(
      'shape_id:id!',
      'shape_pt_lat:number!',
      'shape_pt_lon:number!',
      'shape_pt_sequence:count!',
      'shape_dist_traveled:number',
    ),
  },
  frequencies: {
    key: ['trip_id', 'start_time'],
    columns: columns(
      'trip_id:id!>trips.trip_id',
      'start_time:time!',
      'end_time:time!',
      'headway_secs:count!',
      'exact_times:0-1',
    ),
  },
  transfers: {
    key: [],
    columns: columns(
      'from_stop_id:id>stops.stop_id',
      'to_stop_id:id>stops.stop_id',
      'from_route_id:id>routes.route_id',
      'to_route_id:id>routes.route_id',
      'from_trip_id:id>trips.trip_id',
      'to_trip_id:id>trips.trip_id',
      'transfer_type:0-5',
      'min_transfer_time:count',
    ),
  },
};

export const WEEKDAYS = days;

/** `24:30:00` in seconds from noon less twelve hours of the day of service; NaN where it is no time. */
export function secondsOfTime(text: string): number {
  const m = /^(\d{1,3}):([0-5]\d):([0-5]\d)$/.exec(text);
  return m ? Number(m[1]) * 3600 + Number(m[2]) * 60 + Number(m[3]) : NaN;
}

/** Seconds as a feed writes them: `08:10:00`, `25:00:00`. */
export function timeOfSeconds(s: number): string {
  const two = (n: number): string => String(n).padStart(2, '0');
  const whole = Math.round(s);
  return `${two(Math.floor(whole / 3600))}:${two(Math.floor(whole / 60) % 60)}:${two(whole % 60)}`;
}

const DAY = 86_400_000;

/** A date by the number of its day since 1970-01-01; NaN where there is none such. Takes `20260908` and `2026-09-08`. */
export function dayOf(text: string): number {
  const m = /^(\d{4})(-?)(\d\d)\2(\d\d)$/.exec(text);
  if (!m) return NaN;
  const ms = Date.UTC(Number(m[1]), Number(m[3]) - 1, Number(m[4]));
  const d = new Date(ms);
  return d.getUTCMonth() === Number(m[3]) - 1 && d.getUTCDate() === Number(m[4]) ? ms / DAY : NaN;
}

/** `2026-09-08` */
export const dateOf = (day: number): string => new Date(day * DAY).toISOString().slice(0, 10);
/** 0 for Monday. */
export const weekdayOf = (day: number): number => (((day + 3) % 7) + 7) % 7;

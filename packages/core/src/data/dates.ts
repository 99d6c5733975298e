/**
 * Days and moments as a calendar on the wall shows them, without zones: seconds since the beginning of 1970. The calendar is the proleptic
 * Gregorian one (ISO 8601).
 */
export const DAY = 86_400;

/** Days since 1970-01-01 of a date; months beyond 1 to 12 run on into other years. */
export function dayNumber(year: number, month: number, day: number): number {
  const m = month - 1;
  const d = new Date(0);
  d.setUTCFullYear(year + Math.floor(m / 12), ((m % 12) + 12) % 12, day);
  return Math.round(d.getTime() / (DAY * 1000));
}

/** The date of a day since 1970-01-01. */
export function dateParts(day: number): { year: number; month: number; day: number } {
  const d = new Date(day * DAY * 1000);
  return { year: d.getUTCFullYear(), month: d.getUTCMonth() + 1, day: d.getUTCDate() };
}

const two = (n: number): string => String(n).padStart(2, '0');
const four = (n: number): string => (n < 0 ? `-${String(-n).padStart(4, '0')}` : String(n).padStart(4, '0'));

/** How much of a moment is written: `1982`, `1999-01`, `1999-01-31`, `1999-01-31T06:00`. */
export type Precision = 'year' | 'month' | 'day' | 'second';
export const PRECISIONS: readonly Precision[] = ['year', 'month', 'day', 'second'];

/** A moment as ISO 8601. */
export function isoText(seconds: number, precision: Precision): string {
  const day = Math.floor(seconds / DAY);
  const p = dateParts(day);
  if (precision === 'year') return four(p.year);
  if (precision === 'month') return `${four(p.year)}-${two(p.month)}`;
  const date = `${four(p.year)}-${two(p.month)}-${two(p.day)}`;
  if (precision === 'day') return date;
  const s = Math.round(seconds - day * DAY);
  return `${date}T${two(Math.floor(s / 3600))}:${two(Math.floor(s / 60) % 60)}${s % 60 ? `:${two(s % 60)}` : ''}`;
}

export interface ReadDate {
  /** Of its beginning. */
  seconds: number;
  precision: Precision;
  /** How it was written, in words. */
  format: string;
}

/** In which order day and month stand where both could: `03/04/2020`. */
export type DateOrder = 'auto' | 'dayFirst' | 'monthFirst';

const MONTHS = ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec'];
const FULL = [
  'january',
  'february',
  'march',
  'april',
  'may',
  'june',
  'july',
  'august',
  'september',
  'october',
  'november',
  'december',
];
const monthNamed = (text: string): number => {
  const t = text.toLowerCase().replace('.', '');
  const at = FULL.indexOf(t);
  return (at >= 0 ? at : MONTHS.indexOf(t === 'sept' ? 'sep' : t)) + 1;
};

const CLOCK = String.raw`(?:(?:\s+|T|,\s*)(\d{1,2}):(\d\d)(?::(\d\d)(?:[.,]\d+)?)?\s*([AaPp][Mm])?\s*(?:Z|UTC|[+-]\d\d:?\d\d)?)?`;
const pattern = (date: string): RegExp => new RegExp(`^${date}${CLOCK}$`);

const ISO = pattern(String.raw`(\d{4})-(\d{1,2})-(\d{1,2})`);
const YEAR_FIRST = pattern(String.raw`(\d{4})[/.](\d{1,2})[/.](\d{1,2})`);
const DOTTED = pattern(String.raw`(\d{1,2})\.(\d{1,2})\.(\d{4})`);
const EITHER = pattern(String.raw`(\d{1,2})([/-])(\d{1,2})\2(\d{4})`);
const NAMED = pattern(String.raw`(\d{1,2})[\s-]+([A-Za-z]+)\.?,?[\s-]+(\d{4})`);
const NAME_FIRST = pattern(String.raw`([A-Za-z]+)\.?\s+(\d{1,2}),?\s+(\d{4})`);
const COMPACT = /^(\d{4})(\d\d)(\d\d)(?:T?(\d\d)(\d\d)(\d\d)?Z?)?$/;
const MONTH = /^(\d{4})[-/](\d{1,2})$/;
const NAMED_MONTH = /^([A-Za-z]+)\.?[\s-]+(\d{4})$/;
const QUARTER = /^(\d{4})[-\s]?[Qq]([1-4])$/;
const WEEK = /^(\d{4})-?W(\d\d)(?:-?([1-7]))?$/;
const YEAR = /^(\d{4})$/;

/** The day before which weeks begin: 1970-01-05 was a Monday. */
export const FIRST_MONDAY = 4;

/** Monday of a week of the ISO calendar: week 1 has the year's first Thursday. */
function weekStart(year: number, week: number): number {
  const fourth = dayNumber(year, 1, 4);
  return fourth - ((((fourth - FIRST_MONDAY) % 7) + 7) % 7) + (week - 1) * 7;
}

/** A day that there is, in seconds; not a number where there is none. */
function dayAt(year: number, month: number, day: number): number {
  if (!(month >= 1 && month <= 12 && day >= 1 && day <= 31)) return NaN;
  const n = dayNumber(year, month, day);
  return dateParts(n).month === month ? n * DAY : NaN;
}

type Clock = readonly (string | undefined)[];
function clockAt([h, min, s, half]: Clock): { seconds: number; precision: Precision } {
  if (h === undefined) return { seconds: 0, precision: 'day' };
  let hour = Number(h);
  if (half) {
    if (hour < 1 || hour > 12) return { seconds: NaN, precision: 'second' };
    hour = (hour % 12) + (/p/i.test(half) ? 12 : 0);
  }
  const [m, sec] = [Number(min), Number(s ?? 0)];
  if (hour > 24 || m > 59 || sec > 60) return { seconds: NaN, precision: 'second' };
  return { seconds: hour * 3600 + m * 60 + sec, precision: 'second' };
}

/**
 * A date as people and programs write it, or null. Of `03/04/2020` the day stands first unless `monthFirst` is said. Two figures for a year
 * are not read: nobody can tell which century is meant. Zones are passed over: the clock counts as it is written.
 */
export function readDate(text: string, monthFirst = false): ReadDate | null {
  const t = text.trim();
  const on = (day: number, clock: Clock, format: string): ReadDate | null => {
    const c = clockAt(clock);
    const seconds = day + c.seconds;
    return seconds === seconds ? { seconds, precision: c.precision, format } : null;
  };
  const coarse = (day: number, precision: Precision, format: string): ReadDate | null =>
    day === day ? { seconds: day, precision, format } : null;
  let m: RegExpExecArray | null;
  if ((m = ISO.exec(t))) return on(dayAt(+m[1]!, +m[2]!, +m[3]!), m.slice(4), 'year-month-day');
  if ((m = YEAR.exec(t))) return coarse(dayAt(+m[1]!, 1, 1), 'year', 'year');
  if ((m = MONTH.exec(t))) return coarse(dayAt(+m[1]!, +m[2]!, 1), 'month', 'year-month');
  if ((m = DOTTED.exec(t))) return on(dayAt(+m[3]!, +m[2]!, +m[1]!), m.slice(4), 'day.month.year');
  if ((m = EITHER.exec(t))) {
    const [a, b] = [+m[1]!, +m[3]!];
    const day = monthFirst ? dayAt(+m[4]!, a, b) : dayAt(+m[4]!, b, a);
    return on(day, m.slice(5), `${monthFirst ? 'month/day' : 'day/month'}/year`);
  }
  if ((m = YEAR_FIRST.exec(t))) return on(dayAt(+m[1]!, +m[2]!, +m[3]!), m.slice(4), 'year/month/day');
  if ((m = COMPACT.exec(t))) return on(dayAt(+m[1]!, +m[2]!, +m[3]!), m.slice(4), 'yearmonthday');
  if ((m = NAMED.exec(t))) return on(dayAt(+m[3]!, monthNamed(m[2]!), +m[1]!), m.slice(4), 'day month year');
  if ((m = NAME_FIRST.exec(t))) return on(dayAt(+m[3]!, monthNamed(m[1]!), +m[2]!), m.slice(4), 'month day, year');
  if ((m = NAMED_MONTH.exec(t))) return coarse(dayAt(+m[2]!, monthNamed(m[1]!), 1), 'month', 'month year');
  if ((m = QUARTER.exec(t))) return coarse(dayAt(+m[1]!, 3 * +m[2]! - 2, 1), 'month', 'quarter');
  if ((m = WEEK.exec(t)) && +m[2]! >= 1 && +m[2]! <= 53)
    return coarse((weekStart(+m[1]!, +m[2]!) + Number(m[3] ?? 1) - 1) * DAY, 'day', 'week');
  return null;
}

/** Days of spreadsheets are counted from here (the system of 1900). */
const SPREADSHEET = dayNumber(1899, 12, 30);

/** A number that stands for a date: 1982, 198206, 19820614, a day of a spreadsheet, seconds or milliseconds since 1970; or null. */
export function numberDate(v: number): ReadDate | null {
  if (Number.isInteger(v)) {
    if (v >= 1000 && v <= 2999) return readDate(String(v));
    if (v >= 100_001 && v <= 299_912) return readDate(`${Math.floor(v / 100)}-${two(v % 100)}`);
    if (v >= 10_000_101 && v <= 29_991_231) return readDate(String(v));
  }
  if (v >= 20_000 && v < 80_000) {
    const seconds = Math.round((SPREADSHEET + v) * DAY);
    return { seconds, precision: Number.isInteger(v) ? 'day' : 'second', format: 'days of a spreadsheet' };
  }
  if (v >= 1e8 && v < 1e10) return { seconds: Math.floor(v), precision: 'second', format: 'seconds since 1970' };
  if (v >= 1e11 && v < 1e13)
    return { seconds: Math.floor(v / 1000), precision: 'second', format: 'milliseconds since 1970' };
  return null;
}

/** A date within a name: `soil_2023-04-16`, `ndvi_20230416`, `cover 1984`; the last one where there are several. Null where there is none. */
export function dateInName(name: string): ReadDate | null {
  const tries: [RegExp, (m: RegExpMatchArray) => string][] = [
    [
      /(?<!\d)(\d{4})[-_.](\d{1,2})[-_.](\d{1,2})(?:[T ](\d\d):(\d\d))?(?!\d)/g,
      (m) => `${m[1]}-${m[2]}-${m[3]}${m[4] ? `T${m[4]}:${m[5]}` : ''}`,
    ],
    [/(?<!\d)(\d{8})(?!\d)/g, (m) => m[1]!],
    [/(?<!\d)(\d{4})[-_.](\d{2})(?!\d)/g, (m) => `${m[1]}-${m[2]}`],
    [/(?<!\d)(1[6-9]\d\d|2[01]\d\d)(0[1-9]|1[0-2])(?!\d)/g, (m) => `${m[1]}-${m[2]}`],
    [/(?<!\d)(\d{4})-?Q([1-4])(?!\d)/gi, (m) => `${m[1]}-Q${m[2]}`],
    [/(?<!\d)(1[6-9]\d\d|2[01]\d\d)(?!\d)/g, (m) => m[1]!],
  ];
  for (const [pattern, text] of tries)
    for (const m of [...name.matchAll(pattern)].reverse()) {
      const d = readDate(text(m));
      if (d) return d;
    }
  return null;
}

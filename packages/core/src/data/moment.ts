import { HelkError } from '../errors';
import { dateOf, dayOf } from './gtfs-spec';

/** A time of a day as a clock on the wall shows it. */
export interface Moment {
  /** Days since 1970-01-01. */
  day: number;
  /** Since midnight. */
  seconds: number;
}

/** A moment as it is written: `2026-09-08T08:10`, or with a space. @throws HelkError `method.parameter` */
export function momentOf(text: string): Moment {
  const m = /^\s*(\d{4}-\d\d-\d\d)[T ]+(\d{1,2})[:.](\d\d)(?::(\d\d))?\s*$/.exec(text);
  const day = m ? dayOf(m[1]!) : NaN;
  const [h, min, s] = m ? [Number(m[2]), Number(m[3]), Number(m[4] ?? 0)] : [0, 0, 0];
  if (day !== day || h > 23 || min > 59 || s > 59)
    throw new HelkError(
      'method.parameter',
      `"${text.slice(0, 60)}" is no date and time; write it like 2026-09-08 08:10.`,
    );
  return { day, seconds: h * 3600 + min * 60 + s };
}

const two = (n: number): string => String(n).padStart(2, '0');
/** `08:10`, with seconds where they are not 0. */
export const clockWords = (seconds: number): string => {
  const s = Math.round(seconds);
  return `${two(Math.floor(s / 3600))}:${two(Math.floor(s / 60) % 60)}${s % 60 ? `:${two(s % 60)}` : ''}`;
};
/** `2026-09-08T08:10` */
export const momentText = ({ day, seconds }: Moment): string => `${dateOf(day)}T${clockWords(seconds)}`;

const WEEKDAY = new Intl.DateTimeFormat('en-GB', {
  weekday: 'short',
  day: 'numeric',
  month: 'short',
  year: 'numeric',
  timeZone: 'UTC',
});
/** `Tue, 8 Sept 2026` */
export const dayWords = (day: number): string => WEEKDAY.format(new Date(day * 86_400_000));

/** Later by so many seconds. */
export function later({ day, seconds }: Moment, by: number): Moment {
  const all = seconds + by;
  const days = Math.floor(all / 86_400);
  return { day: day + days, seconds: all - days * 86_400 };
}

/** What the clocks of a zone show, in seconds of time itself since 1970; a zone that is not known is taken for UTC. */
export class Clocks {
  private readonly format: Intl.DateTimeFormat | null;
  private readonly noons = new Map<number, number>();

  constructor(zone: string) {
    this.format = zoned(zone);
  }

  static known(zone: string): boolean {
    return zoned(zone) !== null;
  }

  /** Seconds that clocks are before UTC at an instant. */
  private ahead(utc: number): number {
    if (!this.format) return 0;
    const parts = Object.fromEntries(
      this.format.formatToParts(new Date(utc * 1000)).map((p) => [p.type, Number(p.value)]),
    );
    const shown =
      Date.UTC(parts['year']!, parts['month']! - 1, parts['day']!, parts['hour']!, parts['minute']!, parts['second']!) /
      1000;
    return shown - Math.floor(utc);
  }

  /** When clocks show a moment; the later reading where they are put forward over it. */
  instant({ day, seconds }: Moment): number {
    const shown = day * 86_400 + seconds;
    const first = shown - this.ahead(shown);
    return shown - this.ahead(first);
  }

  /** From when the times of a day of service are counted: noon less twelve hours (GTFS). */
  serviceStart(day: number): number {
    let at = this.noons.get(day);
    if (at === undefined) this.noons.set(day, (at = this.instant({ day, seconds: 43_200 }) - 43_200));
    return at;
  }
}

function zoned(zone: string): Intl.DateTimeFormat | null {
  try {
    const o = {
      year: 'numeric',
      month: 'numeric',
      day: 'numeric',
      hour: 'numeric',
      minute: 'numeric',
      second: 'numeric',
    } as const;
    return zone ? new Intl.DateTimeFormat('en-US', { ...o, hourCycle: 'h23', timeZone: zone }) : null;
  } catch {
    return null;
  }
}

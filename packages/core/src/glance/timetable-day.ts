import * as z from 'zod';
import { dayOf } from '../data/gtfs-spec';
import { callsOf, departuresOf, runsOn } from '../data/timetable-calls';
import { vehicleOf } from '../data/timetable-lines';
import { defineGlance } from './glance';

/** Hours of a day of service: those after midnight belong to it. */
const HOURS = 30;

const Line = z.object({
  line: z.string(),
  name: z.string(),
  by: z.string(),
  trips: z.number(),
  /** Of the first and the last trip, s after the day of service begins. */
  first: z.number(),
  last: z.number(),
  /** Trips that set out in each hour. */
  hours: z.array(z.number()),
});

export const serviceDay = z.object({
  lines: z.array(Line),
  /** Lines that do not run on the day. */
  idle: z.number(),
  /** The busiest stops: trips that call there. */
  stops: z.array(z.object({ name: z.string(), calls: z.number() })),
});
export type ServiceDay = z.output<typeof serviceDay>;

const MOST_STOPS = 12;

export const timetableDay = defineGlance({
  id: 'timetable.day',
  question: 'What runs on this day?',
  inputs: { timetable: { kind: 'timetable' } },
  params: z.object({ day: z.string().regex(/^\d{4}-\d\d-\d\d$/) }),
  answer: serviceDay,
  run: async ({ timetable }, p) => {
    const c = callsOf(await timetable.load());
    const day = dayOf(p.day);
    const runs = c.services.map((s) => runsOn(s, day));
    const lines = c.lines.map((l) => ({
      line: l.name,
      name: l.longName,
      by: vehicleOf(l.type),
      trips: 0,
      first: Infinity,
      last: -Infinity,
      hours: new Array<number>(HOURS).fill(0),
    }));
    const calls = new Float64Array(c.stops.length);
    c.trips.forEach((t, i) => {
      if (!runs[t.service]) return;
      const line = lines[t.line]!;
      const sets = departuresOf(c, i);
      for (const s of sets) {
        line.trips++;
        line.first = Math.min(line.first, s);
        line.last = Math.max(line.last, s);
        line.hours[Math.max(0, Math.min(HOURS - 1, Math.floor(s / 3600)))]!++;
      }
      for (let k = c.offsets[i]!; k < c.offsets[i + 1]!; k++) calls[c.stop[k]!]! += sets.length;
    });
    const busy = [...calls.keys()].filter((s) => calls[s]! > 0).sort((a, b) => calls[b]! - calls[a]! || a - b);
    return {
      lines: lines.filter((l) => l.trips > 0).sort((a, b) => a.line.localeCompare(b.line, 'en', { numeric: true })),
      idle: lines.filter((l) => l.trips === 0).length,
      stops: busy.slice(0, MOST_STOPS).map((s) => ({ name: c.stops[s]!.name, calls: calls[s]! })),
    };
  },
});

import type { Check } from '../../data/check';
import { dayOf } from '../../data/gtfs-spec';
import { dayWords, momentOf } from '../../data/moment';
import { usualDay } from '../../data/timetable-facts';
import type { NetworkInfo } from '../../data/network-facts';
import type { Suggestion } from '../../method/define';
import { choice, moment, quantity } from '../../method/params';

const MODE_WORDS = { walk: 'on foot', bicycle: 'by bicycle', car: 'by car', transit: 'by public transport' } as const;
export type WayOfGoing = keyof typeof MODE_WORDS;

const when = { mode: 'transit' };

export const modeParam = () => choice(MODE_WORDS, { label: 'By' }).default('walk');
export const departureParam = () =>
  moment({ label: 'Leaving', help: 'Date and time where the timetable is, like 2026-09-08 08:10.', when }).optional();
export const changeParam = () =>
  quantity('time', {
    label: 'A change takes',
    unit: 'min',
    min: 0,
    help: 'At least, where the timetable has no time of its own for it.',
    when,
  }).default(0);

/** When one leaves, where the timetable runs most on a working day. */
export function suggestDeparture(info: NetworkInfo, mode: unknown): { departure?: Suggestion } {
  const { timetable } = info;
  if (mode !== 'transit' || !timetable?.first) return {};
  const day = usualDay(timetable.first, timetable.perDay, dayOf);
  if (day === null) return {};
  return {
    departure: {
      value: `${day}T08:10`,
      reason: `${dayWords(dayOf(day))}, the first of its fullest days; the timetable runs from ${timetable.first} to ${timetable.last!}`,
    },
  };
}

/** Refuses a mode that may go nowhere in the network, and times for which there is no timetable. */
export function modeChecks(info: NetworkInfo, p: { mode: WayOfGoing; departure?: string | undefined }): Check[] {
  const refused = (code: string, about: string, message: string): Check => ({ level: 'refused', code, about, message });
  const { timetable } = info;
  if (p.mode !== 'transit')
    return info.modes[p.mode].length > 0
      ? []
      : [refused('network.mode', 'mode', `No street of the network may be gone along ${MODE_WORDS[p.mode]}.`)];
  if (!timetable)
    return [
      refused(
        'network.timetable',
        'mode',
        'The network has no timetable: build it from the streets together with one (GTFS).',
      ),
    ];
  if (!timetable.first) return [refused('network.never', 'mode', 'None of the services of its timetable ever runs.')];
  if (!p.departure) return [refused('network.departure', 'departure', 'Say when one leaves: a date and a time.')];
  const { day } = momentOf(p.departure);
  const [first, last] = [dayOf(timetable.first), dayOf(timetable.last!)];
  if (day < first || day > last)
    return [
      refused(
        'network.departure',
        'departure',
        `The timetable runs from ${timetable.first} to ${timetable.last!}; on ${dayWords(day)} nothing does.`,
      ),
    ];
  const trips = timetable.perDay[day - first];
  if (trips === 0)
    return [
      {
        level: 'look',
        code: 'network.idle',
        about: 'departure',
        message: `On ${dayWords(day)} no trip sets out; at most those of the day before still run.`,
      },
    ];
  return [
    {
      level: 'fine',
      code: 'network.runs',
      about: 'departure',
      message: `On ${dayWords(day)} ${trips === undefined ? 'the timetable runs' : `${trips} trips set out`}.`,
    },
  ];
}

/** Refuses what public transport has no answer to. */
export function transitOnlyTime(p: { mode: WayOfGoing; weight: 'time' | 'length' }): Check[] {
  return p.mode === 'transit' && p.weight === 'length'
    ? [
        {
          level: 'refused',
          code: 'network.weight',
          about: 'weight',
          message: 'By public transport the quickest way is looked for, not the shortest.',
          mend: { label: 'Take the quickest', set: { weight: 'time' } },
        },
      ]
    : [];
}

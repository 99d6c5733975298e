import fc from 'fast-check';
import { datesOf } from './date-columns';
import { dateInName, DAY, dayNumber, isoText, numberDate, readDate } from './dates';
import {
  commonStep,
  stepAt,
  stepForEvents,
  stepLabel,
  stepLabels,
  stepMeant,
  stepOfText,
  stepsOver,
  stepStart,
  stepText,
} from './time-steps';

const at = (text: string): number => readDate(text)!.seconds;
const dates = (...values: string[]) => ({ name: 'when', type: 'text' as const, unit: null, values });

describe('Dates', () => {
  it('are read as people and programs write them', () => {
    const day = at('2024-03-05');
    for (const t of [
      '2024-3-5',
      '2024/03/05',
      '5.3.2024',
      '05/03/2024',
      '20240305',
      '5 Mar 2024',
      '5-March-2024',
      'Mar 5, 2024',
      ' 2024-03-05 ',
      '2024-W10-2',
    ])
      expect(readDate(t)?.seconds).withContext(t).toBe(day);
    expect(readDate('03/05/2024', true)?.seconds).toBe(day);
    expect(at('2024-03-05 14:30')).toBe(day + 14.5 * 3600);
    expect(at('2024-03-05T02:30:15Z')).toBe(day + 2.5 * 3600 + 15);
    expect(at('05/03/2024 2:30 PM')).toBe(day + 14.5 * 3600);
    expect([readDate('2024')!.precision, readDate('2024-03')!.precision, readDate('2024-Q2')!.precision]).toEqual([
      'year',
      'month',
      'month',
    ]);
    expect(isoText(at('2024-Q2'), 'month')).toBe('2024-04');
    // ISO 8601: the first week of 2021 begins on 4 January.
    expect(isoText(at('2021-W01'), 'day')).toBe('2021-01-04');
  });

  it('that there are not, or that cannot be told, are none', () => {
    for (const t of ['', 'soon', '2024-13-01', '2024-02-30', '31.6.2024', '5.3.24', '12:30', '2024-03-05 25:00', '99'])
      expect(readDate(t)).withContext(t).toBeNull();
  });

  it('may stand as numbers', () => {
    expect(isoText(numberDate(1982)!.seconds, 'year')).toBe('1982');
    expect(isoText(numberDate(198206)!.seconds, 'month')).toBe('1982-06');
    expect(isoText(numberDate(45356)!.seconds, 'day')).toBe('2024-03-05');
    expect(isoText(numberDate(1709596800)!.seconds, 'day')).toBe('2024-03-05');
    expect(numberDate(12)).toBeNull();
  });

  it('are found in names', () => {
    const told = (s: string): string | null => {
      const d = dateInName(s);
      return d && isoText(d.seconds, d.precision);
    };
    expect(told('soil_2023-04-16')).toBe('2023-04-16');
    expect(told('soil_20230416_v2.tif')).toBe('2023-04-16');
    expect(told('ndvi 2023_04')).toBe('2023-04');
    expect(told('ndvi_202304')).toBe('2023-04');
    expect(told('cover 1984')).toBe('1984');
    expect(told('soil moisture 2023-01-16 12:00')).toBe('2023-01-16T12:00');
    expect(told('elevation 30 m')).toBeNull();
    expect(told('tile_99999999')).toBeNull();
  });

  it('of a column tell from all of them whether day or month stands first', () => {
    expect(isoText(datesOf(dates('03/04/2024', '25/04/2024'), 'auto', 'p').at[0]!, 'day')).toBe('2024-04-03');
    expect(isoText(datesOf(dates('03/04/2024', '04/25/2024'), 'auto', 'p').at[0]!, 'day')).toBe('2024-03-04');
    const either = datesOf(dates('03/04/2024', '05/06/2024'), 'auto', 'p');
    expect([either.ambiguous, isoText(either.at[0]!, 'day')]).toEqual([true, '2024-04-03']);
    expect(datesOf(dates('03/04/2024'), 'monthFirst', 'p').ambiguous).toBeFalse();
    expect(() => datesOf(dates('25/04/2024', '04/25/2024'), 'auto', 'p')).toThrowError(
      /some have|some dates have the day first/,
    );
  });

  it('of a column count what cannot be read, and in how many ways they are written', () => {
    const d = datesOf(dates('2024-03-05', '5.3.2024', 'spring', '', '2024'), 'auto', 'p');
    expect([d.unreadable, d.examples, d.missing, d.formats.length, d.precision]).toEqual([1, ['spring'], 1, 3, 'year']);
    expect(() => datesOf(dates('a', 'b'), 'auto', 'dateColumn')).toThrowError(
      /none of "when" is a date, such as "a", "b"/,
    );
  });
});

describe('Steps of time', () => {
  it('are written as they are read', () => {
    for (const [text, back] of [
      ['month', 'month'],
      ['3 months', 'quarter'],
      ['four weeks', '4 weeks'],
      ['28 days', '4 weeks'],
      ['year', 'year'],
      ['10 years', '10 years'],
      ['6 h', '6 h'],
      ['15 min', '15 min'],
      ['1 day', 'day'],
    ] as const) {
      expect(stepText(stepOfText(text))).toBe(back);
      expect(stepOfText(back)).toEqual(stepOfText(text));
    }
    for (const bad of ['', 'soon', '0 months', '-1 day', 'month month', '1.5 years'])
      expect(() => stepOfText(bad))
        .withContext(bad)
        .toThrowError(/no step of time/);
  });

  it('follow the calendar: months are as long as they are, weeks begin on a Monday', () => {
    const months = stepsOver(at('2023-12-15'), at('2024-03-01'), stepOfText('month'));
    expect(stepLabels(months)).toEqual(['2023-12', '2024-01', '2024-02', '2024-03']);
    expect((stepStart(months, 3) - stepStart(months, 2)) / DAY).toBe(29);
    const weeks = stepsOver(at('2024-03-06'), at('2024-03-11'), stepOfText('week'));
    expect(stepLabels(weeks)).toEqual(['2024-03-04', '2024-03-11']);
    expect(stepLabels(stepsOver(at('2024-05-01'), at('2025-01-01'), stepOfText('quarter')))).toEqual([
      '2024-04',
      '2024-07',
      '2024-10',
      '2025-01',
    ]);
    expect(stepLabels(stepsOver(at('1999-10-02'), at('2001-10-01'), stepOfText('year'), at('1999-10-01')))).toEqual([
      '1999-10',
      '2000-10',
      '2001-10',
    ]);
    expect(stepLabel(stepsOver(at('2024-03-05 07:10'), at('2024-03-05 19:00'), stepOfText('6 h')), 1)).toBe(
      '2024-03-05T12:00',
    );
  });

  it('hold every moment between their beginning and their end', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: -3e9, max: 3e9 }),
        fc.integer({ min: 0, max: 5e7 }),
        fc.constantFrom('month', 'week', '4 weeks', 'quarter', 'year', 'day', '6 h'),
        (from, span, text) => {
          const s = stepsOver(from, from + span, stepOfText(text));
          for (const m of [from, from + span]) {
            const k = stepAt(s, m);
            expect(k >= 0 && k < s.count).toBeTrue();
            expect(stepStart(s, k) <= m && m < stepStart(s, k + 1)).toBeTrue();
          }
        },
      ),
    );
  });

  it('are the longest that tell moments apart', () => {
    const step = (precision: 'year' | 'month' | 'day' | 'second', ...all: string[]): string =>
      stepText(commonStep(all.map(at), precision));
    expect(step('year', '1994', '2004', '2014', '2024')).toBe('10 years');
    expect(step('year', '1990', '2000', '2006', '2012')).toBe('2 years');
    expect(step('day', '2023-01-01', '2023-02-01', '2023-03-01')).toBe('month');
    // Mid-months, as climate files have them.
    expect(step('day', '2023-01-16', '2023-02-15', '2023-03-16', '2023-04-16')).toBe('month');
    expect(step('second', '2023-01-16 12:00', '2023-02-15 00:00', '2023-03-16 12:00')).toBe('month');
    expect(step('second', '2023-01-16 12:00', '2023-02-15 00:00')).toBe('month');
    expect(step('day', '2000-07-15', '2001-07-14', '2002-07-16')).toBe('year');
    expect(step('day', '2023-01-02', '2023-01-09', '2023-01-23')).toBe('week');
    expect(step('day', '2023-01-02', '2023-01-30', '2023-02-27')).toBe('4 weeks');
    expect(step('second', '2023-01-02 12:00', '2023-01-03 12:00')).toBe('day');
    expect(step('second', '2023-01-02 00:00', '2023-01-02 06:00')).toBe('6 h');
    expect(step('month', '2023-04')).toBe('month');
  });

  it('of events are as fine as the dates allow', () => {
    expect(stepText(stepForEvents(at('2017-01-03'), at('2024-12-30'), 'day'))).toBe('month');
    expect(stepText(stepForEvents(at('2017'), at('2024'), 'year'))).toBe('year');
    expect(stepText(stepForEvents(at('2024-03-01'), at('2024-03-18'), 'day'))).toBe('day');
  });

  it('are found by a date within them, and refused beyond', () => {
    const s = stepsOver(at('2017-01-01'), at('2024-12-31'), stepOfText('month'));
    expect(stepMeant(s, '2017-03-20', 'before')).toBe(2);
    expect(() => stepMeant(s, '2016-12', 'before')).toThrowError(
      'before: 2016-12 lies in none of the steps; they run from 2017-01 to 2024-12.',
    );
    expect(() => stepMeant(s, 'soon', 'before')).toThrowError(/"soon" is no date/);
  });

  it('beyond what can be held are refused', () => {
    expect(() => stepsOver(at('1900'), at('2000'), stepOfText('15 min'))).toThrowError(/steps; at most/);
    expect(dayNumber(1970, 1, 1)).toBe(0);
  });
});

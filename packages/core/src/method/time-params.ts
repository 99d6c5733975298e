import * as z from 'zod';
import { isoText, readDate } from '../data/dates';
import { stepOfText, stepText } from '../data/time-steps';
import { HelkError } from '../errors';
import { describe, guarded, type ParamSpec } from './params';

/** A step of time: `month`, `4 weeks`, `quarter`, `6 h`. `auto` leaves it to the data. Kept in words that read back as the same. */
export function step(o: { label: string; help?: string; when?: ParamSpec['when'] }) {
  const schema = z
    .string()
    .transform((v, ctx) =>
      guarded(ctx, () => (v.trim() === '' || v === 'auto' ? ('auto' as const) : stepText(stepOfText(v)))),
    );
  return describe(schema, { ...o, type: 'step', auto: true });
}

/** A date, or as much of one as is meant: `1999`, `1999-01`, `31 Jan 1999`. Kept as ISO 8601. */
export function date(o: { label: string; help?: string; when?: ParamSpec['when'] }) {
  const schema = z.union([z.string(), z.number()]).transform((v, ctx) =>
    guarded(ctx, () => {
      const d = readDate(String(v));
      if (!d)
        throw new HelkError('method.parameter', `"${String(v).slice(0, 60)}" is no date; write it like 2024-03-31.`);
      return isoText(d.seconds, d.precision);
    }),
  );
  return describe(schema, { ...o, type: 'date' });
}

import * as z from 'zod';
import { attributeOf, classesOf } from '../data/cloud';
import { HelkError } from '../errors';
import { defineGlance } from './glance';

const BINS = 60;

/** What heights are called among the attributes. */
export const HEIGHT = 'height';

export const spread = z.object({
  unit: z.string().nullable(),
  /** Lowest and highest value of the bins, equally wide. */
  low: z.number(),
  high: z.number(),
  /** Points of each class by bin. */
  classes: z.array(z.object({ value: z.number(), count: z.number(), bins: z.array(z.number()) })),
  /** Values below and above the bins: single ones far off would leave nothing to see of the rest. */
  below: z.number(),
  above: z.number(),
});
export type Spread = z.output<typeof spread>;

export const cloudSpread = defineGlance({
  id: 'cloud.spread',
  question: 'How are heights, or values of an attribute, spread over the classes?',
  inputs: { cloud: { kind: 'cloud' } },
  params: z.object({
    /** An attribute, or `height`. */
    value: z.string().max(400).default(HEIGHT),
  }),
  answer: spread,
  run: async ({ cloud }, { value }, job) => {
    const info = cloud.head;
    const a = value === HEIGHT ? null : info.attributes.find((o) => o.name === value);
    if (a === undefined)
      throw new HelkError(
        'method.parameter',
        `value: there is no attribute "${value}"; there is ${[HEIGHT, ...info.attributes.map((o) => o.name)].join(', ')}.`,
        'value',
      );
    const of = a ?? info.heights;
    if (!of) throw new HelkError('method.input', 'There is no point in the cloud.', 'cloud');
    const reach = 0.5 * (of.high - of.low);
    let low = Math.max(of.min, of.low - reach);
    let high = Math.min(of.max, of.high + reach);
    // Few whole numbers have a bin each.
    const whole = a !== null && !a.type.startsWith('float') && high - low < BINS;
    if (whole) [low, high] = [low - 0.5, high + 0.5];
    const bins = whole ? Math.round(high - low) : BINS;
    const width = (high - low) / bins || 1;
    const counts = new Map<number, Float64Array>();
    let [below, above, seen] = [0, 0, 0];
    for await (const part of cloud.parts([...(a ? [a.name] : []), 'classification'])) {
      job.progress(seen / Math.max(1, info.count), 'counting');
      const classes = classesOf(part);
      const values = a ? attributeOf(part, a.name)! : part.z;
      const [factor, offset] = a ? [1, 0] : [part.scale[2], part.offset[2]];
      seen += classes.length;
      for (let i = 0; i < classes.length; i++) {
        const v = values[i]! * factor + offset;
        if (v < low) below++;
        else if (v > high) above++;
        else if (v === v) {
          let row = counts.get(classes[i]!);
          if (!row) counts.set(classes[i]!, (row = new Float64Array(bins)));
          row[Math.min(bins - 1, Math.floor((v - low) / width))]!++;
        }
      }
    }
    return {
      unit: a ? a.unit : info.heightUnit,
      low,
      high: low + bins * width,
      classes: [...counts]
        .map(([k, row]) => ({ value: k, count: row.reduce((s, n) => s + n, 0), bins: [...row] }))
        .sort((p, q) => p.value - q.value),
      below,
      above,
    };
  },
});

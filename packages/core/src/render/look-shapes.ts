import * as z from 'zod';
import type { RasterStyle } from './style';
import { PLAIN_VECTOR, type VectorStyle } from './symbols';

/** Ways of drawing as they are kept with a dataset. What an older Helk did not know yet takes its usual value. */

const colour = z.string().regex(/^#[0-9a-f]{6}$/i);
const name = z.string().max(400);
const classes = z.number().int().min(0).max(64);

const stretch = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('minmax') }),
  z.object({ kind: z.literal('percentile'), cut: z.union([z.literal(1), z.literal(2), z.literal(5)]) }),
  z.object({ kind: z.literal('sd'), times: z.number().positive() }),
  z.object({ kind: z.literal('own'), low: z.number(), high: z.number() }),
]);
/** Of the catalogue by its id, or of own colours, which stand in it. */
const ramp = z.string().max(300);
const channel = z.object({ band: z.number().int().min(0), stretch });

export const rasterLook: z.ZodType<RasterStyle> = z.object({
  composite: z
    .object({ channels: z.tuple([channel, channel, channel]), gamma: z.number().min(0.1).max(10) })
    .nullable()
    .default(null),
  band: z.number().int().min(0).default(0),
  ramp,
  reversed: z.boolean(),
  stretch,
  classes,
  rule: z.enum(['equal', 'quantile', 'natural', 'geometric', 'sd']),
  opacity: z.number().min(0).max(1),
  relief: z.object({ azimuth: z.number(), altitude: z.number(), strength: z.number(), zFactor: z.number() }).nullable(),
  showMissing: z.boolean(),
});

export const vectorLook: z.ZodType<VectorStyle> = z.object({
  colour,
  width: z.number().min(0).max(100),
  fill: z.number().min(0).max(1),
  opacity: z.number().min(0).max(1),
  outline: colour.nullable(),
  by: z.discriminatedUnion('kind', [
    z.object({ kind: z.literal('one') }),
    z.object({
      kind: z.literal('classes'),
      column: name,
      rule: z.enum(['equal', 'quantile', 'natural', 'geometric', 'sd', 'own']),
      classes,
      own: z.array(z.number()).max(64),
      ramp,
      reversed: z.boolean(),
      around: z.number().optional(),
    }),
    z.object({ kind: z.literal('raster'), column: name }),
    z.object({
      kind: z.literal('category'),
      column: name,
      colours: z.record(z.string().max(400), colour),
      labels: z.record(z.string().max(400), z.string().max(400)).optional(),
    }),
  ]),
  size: z
    .object({ column: name, largest: z.number().positive().max(200) })
    .nullable()
    .default(PLAIN_VECTOR.size),
  emphasis: name.nullable().default(PLAIN_VECTOR.emphasis),
  label: z
    .object({ formula: z.string().max(4000), size: z.number().positive().max(200) })
    .nullable()
    .default(PLAIN_VECTOR.label),
  ends: z.boolean().optional(),
});

/** A time stack is drawn as its places are at a step: by a variable, on one scale over all steps, or by a column. */
export const stackLook = vectorLook;

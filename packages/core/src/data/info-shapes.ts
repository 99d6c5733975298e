import * as z from 'zod';

/** Parts of descriptions as they lie in a project file: what a file from outside must keep to before anything relies on it. */

const MOST_CELLS = 2 ** 40;
export const text = z.string().max(10_000);
export const count = z.number().int().min(0).max(MOST_CELLS);
/** JSON has no word for infinite values and those that are none: they are stored as null. */
const value = z.number().nullable();

export const crs = z.object({
  code: z
    .string()
    .regex(/^EPSG:\d{1,7}$/)
    .nullable(),
  name: text,
  proj4: text,
  geographic: z.boolean(),
  unit: z.string().max(40),
  caution: text.optional(),
});

export const grid = z.object({
  crs: crs.nullable(),
  x: z.number(),
  y: z.number(),
  dx: z.number().positive(),
  dy: z.number().positive(),
  columns: z.number().int().min(1).max(MOST_CELLS),
  rows: z.number().int().min(1).max(MOST_CELLS),
});

const zeros = z.object({ count, low: value, high: value });

const type = z.enum(['int8', 'uint8', 'int16', 'uint16', 'int32', 'uint32', 'float32', 'float64']);

const facts = z.object({
  summary: z.object({ count, missing: count, min: value, max: value, mean: value, sd: value, sum: value }),
  percentiles: z.record(z.string().max(10), value),
  enclosedCells: count,
  enclosedGaps: count,
  suspectCode: z.object({ value: z.number(), count }).nullable(),
  zeros: zeros.optional(),
  distinct: count,
  values: z
    .array(z.object({ value: z.number(), cells: count }))
    .max(1000)
    .optional(),
  pits: count.optional(),
});

export const band = z.object({
  name: text,
  unit: z.string().max(100).nullable(),
  kind: z.enum(['measure', 'category']),
  storedType: type,
  missingCode: z.number().nullable(),
  classes: z
    .array(
      z.object({
        value: z.number(),
        label: text,
        colour: z.string().max(20).nullable(),
        unsure: z.boolean().optional(),
      }),
    )
    .max(100_000)
    .optional(),
  role: text.optional(),
  wavelength: z.number().positive().max(1e9).optional(),
  time: z.string().max(40).optional(),
  held: z
    .object({ type, missing: z.number().nullable(), factor: z.number().optional(), offset: z.number().optional() })
    .optional(),
  facts: facts.optional(),
});

const column = z.object({
  name: text,
  type: z.enum(['number', 'text', 'boolean']),
  unit: z.string().max(100).nullable(),
  suspect: z.object({ value: z.number(), count }).optional(),
  zeros: zeros.optional(),
});

export const columns = z.array(column).max(100_000);

/** The detail of a band. */
export const bandDetail = z.object({
  histogram: z.object({ min: value, max: value, counts: z.array(z.number()).max(10_000) }).optional(),
  gapBoxes: z
    .array(z.object({ column: count, row: count, columns: count, rows: count, cells: count }))
    .max(1000)
    .optional(),
  extremes: z
    .array(z.object({ column: count, row: count, value: value }))
    .max(1000)
    .optional(),
});

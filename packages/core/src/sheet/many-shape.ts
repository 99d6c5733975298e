import * as z from 'zod';
import { Id } from '../api/refs';

const Common = {
  /** The frame that changes from sheet to sheet. */
  frame: z.string().regex(/^[a-z0-9]{1,16}$/),
  /** How files are called: `{name}` and `{number}` beside the fields of texts. */
  pattern: z.string().max(200),
};

/** One sheet for each of something. */
export const MANY_SHAPE = z.discriminatedUnion('by', [
  z.object({
    by: z.literal('features'),
    ...Common,
    dataset: Id,
    /** Whose values the sheets are called by; null for numbers. */
    column: z.string().max(200).nullable(),
    /** The scale of each: as it is, or the next round one at which the feature fits with some room around it. */
    scale: z.enum(['kept', 'fit']),
    /** Others than the feature are faded. */
    alone: z.boolean(),
    /** Rows of the features that get a sheet; null for all of them. */
    only: z.array(z.number().int().min(0)).max(1000).nullable(),
  }),
  z.object({ by: z.literal('steps'), ...Common, dataset: Id }),
  z.object({ by: z.literal('rows'), ...Common, table: Id }),
  z.object({ by: z.literal('columns'), ...Common, dataset: Id, columns: z.array(z.string().max(200)).min(1).max(200) }),
]);
export type Many = z.infer<typeof MANY_SHAPE>;

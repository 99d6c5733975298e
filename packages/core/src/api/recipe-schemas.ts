import * as z from 'zod';
import { RecipeShape } from '../recipe/shape';
import { Id } from './refs';

/** Shapes of recipes and run tables, as requests and responses have them. */

/** A recipe of a project. */
export const RecipeEntry = z.object({
  id: Id,
  version: z.number().int(),
  recipe: RecipeShape,
  /** The same as a method; null while it cannot run. */
  method: z.looseObject({ id: z.string(), title: z.string(), question: z.string(), family: z.string() }).nullable(),
  checks: z.array(
    z.object({
      level: z.enum(['look', 'refused']),
      code: z.string(),
      step: z.string().nullable(),
      about: z.string().nullable(),
      message: z.string(),
    }),
  ),
  /** When each version was saved. */
  versions: z.array(z.object({ version: z.number().int(), savedAt: z.string() })),
});

const Cell = z.string().max(20_000);
/** What is run row by row. Cells of inputs name datasets: ids, or names that only one has, apart by `;`. */
export const TableBody = z.object({
  title: z.string().trim().min(1, 'A name is needed.').max(200),
  /** Of the method, or `recipe:ID`. */
  method: z.string().max(200),
  /** Names of the results: `{NAME}` for what the row gives, `{row}` for its number; empty for what differs. */
  names: z.string().max(400).default(''),
  /** `in:NAME`, `NAME`, `STEP.NAME` or `seed`. */
  columns: z.array(z.string().max(200)).max(200),
  rows: z.array(z.object({ id: z.string().regex(/^[a-z0-9]{1,32}$/), cells: z.array(Cell).max(200) })).max(10_000),
});
export const TableEntry = TableBody.extend({ id: Id, createdAt: z.string() });
/** What is known of each row before it runs. */
export const TableForecast = z.object({
  rows: z.array(
    z.object({ id: z.string(), name: z.string(), reason: z.string().nullable(), look: z.array(z.string()) }),
  ),
});
export const TableRun = z.object({
  /** Rows to run; all that are not done where not given. */
  rows: z.array(z.string().max(40)).max(10_000).optional(),
});

export const NewRecipe = z.object({
  recipe: z.unknown(),
  /** One that is being written may have faults yet. */
  draft: z.boolean().default(false),
});

export const LiftRequest = z.object({ datasets: z.array(Id).min(1, 'Name a result at least.').max(50) });

export type ApiRecipe = z.infer<typeof RecipeEntry>;
export type ApiTable = z.infer<typeof TableEntry>;
export type ApiTableBody = z.infer<typeof TableBody>;
export type ApiTableForecast = z.infer<typeof TableForecast>;

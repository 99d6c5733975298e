import * as z from 'zod';
import { KIND_NAMES } from '@helk/core';

/** Rows of a project file as they should be. What does not fit is damaged, or was made so. */
const Text = z.string().max(2 ** 26);
const Id = z.string().regex(/^[a-z0-9]{6,32}$/);
const Time = z.iso.datetime();

export const ProjectRow = z.object({
  name: z.string().max(1000),
  note: Text,
  created_at: Time,
  opened_at: Time.nullable(),
  workbench: Text.nullable(),
  crs: z.string().max(20_000).nullable(),
});
export type ProjectRow = z.infer<typeof ProjectRow>;

export const RunRowShape = z.object({
  id: Id,
  method: z.string().max(200),
  version: z.number().int(),
  title: z.string().max(2000),
  inputs: Text,
  params: Text,
  seed: z.number().int().min(0),
  systems: Text,
  state: z.enum(['queued', 'running', 'done', 'failed', 'cancelled', 'interrupted']),
  figures: Text,
  notes: Text,
  variant_of: Id.nullable(),
  problem: Text.nullable(),
  created_at: Time,
  started_at: Time.nullable(),
  ended_at: Time.nullable(),
  steps: Text,
  made: Text,
  of_table: Text.nullable(),
  naming: z.string().max(2000).nullable(),
});

const Kept = z.enum(['ready', 'removed']);
export const RecipeRowShape = z.object({ id: Id, state: Kept, version: z.number().int().min(1) });
export const RecipeVersionShape = z.object({
  recipe_id: Id,
  version: z.number().int().min(1),
  body: Text,
  saved_at: Time,
});
export const PictureRowShape = z.object({ id: Id, type: z.string().max(60), bytes: z.instanceof(Uint8Array) });
export const FindingRowShape = z.object({
  id: Id,
  state: Kept,
  position: z.number(),
  body: Text,
  created_at: Time,
});
/** Of a map sheet, a report, a palette, a background. */
export const PaperRowShape = z.object({ id: Id, state: Kept, body: Text, created_at: Time, changed_at: Time });
export const TableRowShape = z.object({ id: Id, state: Kept, body: Text, created_at: Time });

export const DatasetRowShape = z.object({
  id: Id,
  position: z.number().int(),
  state: z.enum(['staged', 'ready', 'removed']),
  kind: z.enum(KIND_NAMES),
  name: z.string().max(2000),
  note: Text,
  info: Text,
  run_id: Id.nullable(),
  role: z.string().max(200).nullable(),
  batch: z.string().max(200).nullable(),
  source: Text.nullable(),
  notes: Text,
  created_at: Time,
  thread: z.string().max(2000).nullable(),
  look: Text.nullable(),
  drafts: Text.nullable(),
  step: z.string().max(200).nullable(),
  replaced_by: Id.nullable(),
  revision: z.number().int().min(0),
});

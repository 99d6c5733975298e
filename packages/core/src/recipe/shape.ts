import * as z from 'zod';
import { HelkError } from '../errors';
import { KIND_NAMES } from '../data/kinds';

/** Most that a recipe can have; what is more was not written by an analyst. */
export const MOST_STEPS = 200;
export const MOST_INPUTS = 50;
/** Characters of a file. */
export const MOST_TEXT = 2 ** 20;

/** What inputs and steps are called: nothing that an object answers to by itself begins otherwise. */
const NAME = /^[A-Za-z]\w{0,60}$/;
const Name = z.string().regex(NAME, 'is not a name: letters, digits and underscores, a letter first.');
/** An input of the recipe, or what a step makes; with `#2`, its second band. */
const FROM = /^[A-Za-z]\w{0,60}(\.[A-Za-z]\w{0,60})?(#[1-9]\d{0,4})?$/;
const From = z.string().regex(FROM, 'is neither the name of an input nor STEP.ROLE.');
const Made = z.string().regex(/^[A-Za-z]\w{0,60}\.[A-Za-z]\w{0,60}$/, 'is not STEP.ROLE.');
const Plain = z.union([
  z.string().max(2 ** 21),
  z.number(),
  z.boolean(),
  z.null(),
  z.array(z.union([z.string().max(4000), z.number()])).max(10_000),
]);

/** What goes in: a dataset, or several, of a kind; what else it must be follows from the steps that read it. */
export const RecipeInputShape = z
  .strictObject({
    name: Name,
    kind: z.enum(KIND_NAMES),
    label: z.string().max(200).default(''),
    many: z.boolean().optional().describe('It takes several datasets.'),
    help: z.string().max(1000).optional(),
  })
  .describe('A dataset that goes in');

export const StepShape = z
  .strictObject({
    id: Name,
    method: z.string().max(200).describe('Id of a method, as in the catalogue.'),
    version: z
      .number()
      .int()
      .min(1)
      .optional()
      .describe('Version of the method that the step was written for; today’s where not given.'),
    title: z.string().max(200).optional().describe('What the step does, in the analyst’s words.'),
    inputs: z
      .record(Name, z.union([From, z.array(From).max(1000)]))
      .default({})
      .describe('By role: the name of an input of the recipe, or STEP.ROLE; several for a role that takes several.'),
    params: z.record(Name, Plain).default({}).describe('What is not given is as the method, or the data, say.'),
    open: z
      .array(Name)
      .max(100)
      .optional()
      .describe('Settings that are offered to whoever runs the recipe. Where not given: those that usually change.'),
    makes: z.record(Name, z.string().max(200)).optional().describe('What its results are called, by role.'),
    seed: z.number().int().min(0).max(4294967295).optional(),
    note: z.string().max(4000).optional(),
  })
  .describe('A step: one run of a method');

export const RecipeShape = z
  .strictObject({
    helkRecipe: z.literal(1),
    title: z.string().trim().min(1).max(200),
    question: z.string().max(200).optional().describe('The question that it answers.'),
    about: z.string().max(10_000).default(''),
    inputs: z.array(RecipeInputShape).max(MOST_INPUTS),
    steps: z.array(StepShape).max(MOST_STEPS),
    keep: z.array(Made).max(1000).describe('What is published, as STEP.ROLE.'),
  })
  .describe('A Helk recipe: a chain of methods with named inputs');

export type Recipe = z.infer<typeof RecipeShape>;
export type RecipeInput = z.infer<typeof RecipeInputShape>;
export type Step = z.infer<typeof StepShape>;

/** Where an input of a step comes from. */
export interface Origin {
  /** Of the recipe's inputs, where it is one. */
  input: string | null;
  /** The step and role that make it, else. */
  step: string | null;
  role: string | null;
  /** Counted from 0. */
  band: number | null;
}

/** Reads `NAME`, `STEP.ROLE` and `…#2`. */
export function originOf(text: string): Origin {
  const [from, band] = text.split('#') as [string, string?];
  const [first, role] = from.split('.') as [string, string?];
  const at = band === undefined ? null : Number(band) - 1;
  return role === undefined
    ? { input: first, step: null, role: null, band: at }
    : { input: null, step: first, role, band: at };
}

/** The same without the band. */
export const withoutBand = (from: string): string => from.split('#')[0]!;

/** What stands in a role, as a list. */
export const fromsOf = (given: string | readonly string[] | undefined): readonly string[] =>
  given === undefined ? [] : typeof given === 'string' ? [given] : given;

/**
 * Reads a recipe as it is written in a file.
 *
 * @throws HelkError `recipe.invalid` with the place and what is wrong
 */
export function parseRecipe(text: string): Recipe {
  if (text.length > MOST_TEXT)
    throw new HelkError(
      'recipe.invalid',
      `A recipe has at most ${MOST_TEXT} characters, this file has ${text.length}.`,
    );
  let raw: unknown;
  try {
    raw = JSON.parse(text);
  } catch {
    throw new HelkError('recipe.invalid', 'This is no recipe: the file is not JSON.');
  }
  return recipeFrom(raw);
}

/** The same of a value. @throws HelkError `recipe.invalid` */
export function recipeFrom(raw: unknown): Recipe {
  refuseOdd(raw);
  const held = raw as { helkRecipe?: unknown; steps?: unknown; inputs?: unknown } | null;
  if (typeof held !== 'object' || held === null || Array.isArray(held) || held.helkRecipe === undefined)
    throw new HelkError('recipe.invalid', 'This is no recipe: it does not say helkRecipe.', 'helkRecipe');
  if (held.helkRecipe !== 1)
    throw new HelkError(
      'recipe.invalid',
      `This recipe is written in form ${JSON.stringify(held.helkRecipe)?.slice(0, 20)}; this Helk reads form 1.`,
      'helkRecipe',
    );
  if (Array.isArray(held.steps) && held.steps.length > MOST_STEPS)
    throw new HelkError(
      'recipe.invalid',
      `A recipe has at most ${MOST_STEPS} steps, this one has ${held.steps.length}.`,
      'steps',
    );
  const parsed = RecipeShape.safeParse(raw);
  if (!parsed.success) {
    const issue = parsed.error.issues[0]!;
    const path = issue.path.map(String).join('.');
    throw new HelkError(
      'recipe.invalid',
      `This recipe cannot be read: ${placeOf(held, issue.path)}${issue.message}`,
      path,
    );
  }
  return parsed.data;
}

/** Names under which every object has something of its own. */
const ODD = new Set(['__proto__', 'prototype', 'constructor']);
const DEEPEST = 12;

function refuseOdd(v: unknown, depth = 0): void {
  if (typeof v !== 'object' || v === null) return;
  if (depth > DEEPEST) throw new HelkError('recipe.invalid', 'This recipe cannot be read: it is nested too deeply.');
  for (const key of Object.keys(v)) {
    if (ODD.has(key)) throw new HelkError('recipe.invalid', `This recipe cannot be read: "${key}" is no name.`, key);
    refuseOdd((v as Record<string, unknown>)[key], depth + 1);
  }
}

/** Where in a recipe something is, as a person finds it: `step 2 (fill), inputs.elevation: `. */
function placeOf(raw: object, path: readonly PropertyKey[]): string {
  const [part, at, ...rest] = path;
  if (part === undefined) return '';
  const list = (raw as Record<string, unknown>)[String(part)];
  if (typeof at !== 'number' || !Array.isArray(list)) return `${path.map(String).join('.')}: `;
  const one = list[at] as { id?: unknown; name?: unknown } | null;
  const name = [one?.id, one?.name].find((n) => typeof n === 'string');
  const what = part === 'steps' ? 'step' : part === 'inputs' ? 'input' : String(part);
  return `${what} ${at + 1}${name === undefined ? '' : ` (${String(name).slice(0, 60)})`}${rest.length ? `, ${rest.map(String).join('.')}` : ''}: `;
}

/** A recipe as it is written in a file. */
export const writeRecipe = (r: Recipe): string => `${JSON.stringify(r, null, 2)}\n`;

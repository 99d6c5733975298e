import type { Knex } from 'knex';
import { describeMethod, HelkError, methodOf, type Method } from '@helk/core';
import type { ApiRecipe } from '@helk/core/api/schemas';
import { checkRecipe } from '@helk/core/recipe/check';
import { recipeMethod } from '@helk/core/recipe/method';
import { recipeFrom, type Recipe } from '@helk/core/recipe/shape';
import { simulationMethod } from '@helk/core/recipe/simulation';
import { recipeIdIn, recipeMethodId, SIMULATE } from '@helk/core/recipe/names';
import { setState } from './bin';
import { newId, now } from './ids';

export interface RecipeRow {
  id: string;
  state: 'ready' | 'removed';
  version: number;
}

interface VersionRow {
  recipe_id: string;
  version: number;
  body: string;
  saved_at: string;
}

async function rowOf(db: Knex, id: string, state?: RecipeRow['state']): Promise<RecipeRow> {
  const row = (await db('recipes')
    .where(state ? { id, state } : { id })
    .first()) as RecipeRow | undefined;
  if (!row) throw new HelkError('recipe.unknown', `There is no recipe "${id.slice(0, 40)}" in this project.`, 'recipe');
  return row;
}

/** A recipe as it was at a version, as it is where none is named; also of one that was removed, since runs rest on it. */
export async function recipeAt(db: Knex, id: string, version?: number): Promise<{ version: number; recipe: Recipe }> {
  const at = version ?? (await rowOf(db, id)).version;
  const row = (await db('recipe_versions').where({ recipe_id: id, version: at }).first()) as VersionRow | undefined;
  if (!row) throw new HelkError('recipe.unknown', `The recipe has no version ${at}.`, 'version');
  return { version: at, recipe: recipeFrom(JSON.parse(row.body)) };
}

/** What a run is asked for, with the recipe that it simulates at the version that it has now. */
export async function pinned(
  db: Knex,
  method: string,
  params: Record<string, unknown>,
): Promise<Record<string, unknown>> {
  const { recipe } = params;
  if (method !== SIMULATE || typeof recipe !== 'string' || !recipe || recipe.includes('@')) return params;
  return { ...params, recipe: `${recipe}@${(await recipeAt(db, recipe)).version}` };
}

/**
 * A method of the catalogue, or a recipe of the project as one.
 *
 * @param version of the recipe, today's where not given
 * @param params settings, where what a method takes depends on them: the simulation of a recipe
 */
export async function methodIn(
  db: Knex,
  id: string,
  version?: number,
  params: Record<string, unknown> = {},
): Promise<Method> {
  const recipe = recipeIdIn(id);
  if (id === SIMULATE && params['recipe']) {
    const [of, at] = String(params['recipe']).split('@') as [string, string?];
    return simulationMethod((await recipeAt(db, of, at === undefined ? undefined : Number(at))).recipe);
  }
  if (recipe === null) return methodOf(id);
  const at = await recipeAt(db, recipe, version);
  return recipeMethod(at.recipe, id, at.version);
}

/** A recipe with what is wrong with it, and as a method where it can run. */
export function looked(recipe: Recipe, id: string, version = 1): Pick<ApiRecipe, 'recipe' | 'checks' | 'method'> {
  const checks = checkRecipe(recipe);
  const runs = !checks.some((c) => c.level === 'refused');
  return { recipe, checks, method: runs ? { ...describeMethod(recipeMethod(recipe, id, version)) } : null };
}

async function entry(db: Knex, row: RecipeRow): Promise<ApiRecipe> {
  const versions = (await db('recipe_versions')
    .where({ recipe_id: row.id })
    .orderBy('version', 'desc')
    .select('version', 'saved_at')) as VersionRow[];
  const { recipe } = await recipeAt(db, row.id, row.version);
  return {
    id: row.id,
    version: row.version,
    ...looked(recipe, recipeMethodId(row.id), row.version),
    versions: versions.map((v) => ({ version: v.version, savedAt: v.saved_at })),
  };
}

export async function listRecipes(db: Knex): Promise<ApiRecipe[]> {
  const rows = (await db('recipes').where({ state: 'ready' }).orderBy('rowid')) as RecipeRow[];
  return Promise.all(rows.map((r) => entry(db, r)));
}

export const getRecipe = async (db: Knex, id: string): Promise<ApiRecipe> => entry(db, await rowOf(db, id, 'ready'));

export async function addRecipe(db: Knex, recipe: Recipe): Promise<ApiRecipe> {
  const row: RecipeRow = { id: newId(), state: 'ready', version: 1 };
  await db.transaction(async (t) => {
    await t('recipes').insert(row);
    await t('recipe_versions').insert(versionRow(row, recipe));
  });
  return entry(db, row);
}

/** The next version, where anything has changed. */
export async function saveRecipe(db: Knex, id: string, recipe: Recipe): Promise<ApiRecipe> {
  const row = await rowOf(db, id, 'ready');
  if (JSON.stringify((await recipeAt(db, id)).recipe) === JSON.stringify(recipe)) return entry(db, row);
  const next = { ...row, version: row.version + 1 };
  await db.transaction(async (t) => {
    await t('recipes').where({ id }).update({ version: next.version });
    await t('recipe_versions').insert(versionRow(next, recipe));
  });
  return entry(db, next);
}

const versionRow = (row: RecipeRow, recipe: Recipe): VersionRow => ({
  recipe_id: row.id,
  version: row.version,
  body: JSON.stringify(recipe),
  saved_at: now(),
});

export async function setRecipe(db: Knex, id: string, state: RecipeRow['state']): Promise<void> {
  await rowOf(db, id, state === 'ready' ? 'removed' : 'ready');
  await setState(db, 'recipes', id, state);
}

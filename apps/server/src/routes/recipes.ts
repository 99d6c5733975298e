import type { Express } from 'express';
import * as z from 'zod';
import { refuseBroken } from '@helk/core/recipe/check';
import { historyOf } from '@helk/core/recipe/history';
import { lift } from '@helk/core/recipe/lift';
import { RecipeShape, recipeFrom, writeRecipe, type Recipe } from '@helk/core/recipe/shape';
import type { ApiRecipe, ApiTable } from '@helk/core/api/schemas';
import type { Context } from '../context';
import type { Project } from '../projects';
import { addRecipe, getRecipe, listRecipes, looked, methodIn, recipeAt, saveRecipe, setRecipe } from '../store/recipes';
import { toldOf } from '../store/told';
import { addTable, getTable, listTables, saveTable, setTable } from '../store/run-tables';
import { checkTable, reportOf, runTable } from '../work/run-tables';
import { attach } from './bytes';
import { hang } from './hang';

const told = (p: Project, recipe: ApiRecipe): ApiRecipe => {
  p.send({ type: 'recipes', recipes: [recipe] });
  return recipe;
};
const shown = (p: Project, table: ApiTable): ApiTable => {
  p.send({ type: 'tables', tables: [table] });
  return table;
};

/** Recipes and run tables of a project. */
export function recipeRoutes(app: Express, { projects, runs }: Context): void {
  const of = (params: Record<string, string>): Promise<Project> => projects.get(params['project']!);
  const read = ({ recipe, draft }: { recipe?: unknown; draft: boolean }): Recipe => {
    const r = recipeFrom(recipe);
    if (!draft) refuseBroken(r);
    return r;
  };

  hang(app, 'recipeSchema', () => z.toJSONSchema(RecipeShape, { io: 'input' }) as Record<string, unknown>);
  hang(app, 'checkRecipe', ({ body }) => looked(recipeFrom(body.recipe), 'recipe:draft'));
  hang(app, 'liftRecipe', async ({ params, body }) => {
    const { db } = await of(params);
    const past = await toldOf(db);
    return lift(historyOf(body.datasets, past), past);
  });
  hang(app, 'recipes', async ({ params }) => listRecipes((await of(params)).db));
  hang(app, 'createRecipe', async ({ params, body }) => {
    const p = await of(params);
    return told(p, await addRecipe(p.db, read(body)));
  });
  hang(app, 'saveRecipe', async ({ params, body }) => {
    const p = await of(params);
    return told(p, await saveRecipe(p.db, params['recipe']!, read(body)));
  });
  hang(app, 'recipeVersion', async ({ params }) => {
    const p = await of(params);
    return (await recipeAt(p.db, params['recipe']!, Number(params['version']))).recipe;
  });
  hang(app, 'recipeFile', async ({ params, res }) => {
    const { recipe } = await getRecipe((await of(params)).db, params['recipe']!);
    attach(res, `${recipe.title}.json`, 'application/json', writeRecipe(recipe));
  });
  hang(app, 'deleteRecipe', async ({ params }) => {
    const p = await of(params);
    await setRecipe(p.db, params['recipe']!, 'removed');
    await p.binned([params['recipe']!]);
  });
  hang(app, 'restoreRecipe', async ({ params }) => {
    const p = await of(params);
    await setRecipe(p.db, params['recipe']!, 'ready');
    await p.binned([]);
    return told(p, await getRecipe(p.db, params['recipe']!));
  });

  hang(app, 'tables', async ({ params }) => listTables((await of(params)).db));
  hang(app, 'createTable', async ({ params, body }) => {
    const p = await of(params);
    await methodIn(p.db, body.method);
    return shown(p, await addTable(p.db, body));
  });
  hang(app, 'saveTable', async ({ params, body }) => {
    const p = await of(params);
    return shown(p, await saveTable(p.db, params['table']!, body));
  });
  hang(app, 'deleteTable', async ({ params }) => {
    const p = await of(params);
    await setTable(p.db, params['table']!, 'removed');
    await p.binned([params['table']!]);
  });
  hang(app, 'restoreTable', async ({ params }) => {
    const p = await of(params);
    await setTable(p.db, params['table']!, 'ready');
    await p.binned([]);
    return shown(p, await getTable(p.db, params['table']!));
  });
  hang(app, 'checkTable', async ({ params }) => {
    const p = await of(params);
    return checkTable(p, runs, await getTable(p.db, params['table']!));
  });
  hang(app, 'runTable', async ({ params, body }) => {
    const p = await of(params);
    return runTable(p, runs, await getTable(p.db, params['table']!), body.rows);
  });
  hang(app, 'tableReport', async ({ params, res }) => {
    const p = await of(params);
    const table = await getTable(p.db, params['table']!);
    attach(res, `${table.title}.csv`, 'text/csv; charset=utf-8', await reportOf(p, table));
  });
}

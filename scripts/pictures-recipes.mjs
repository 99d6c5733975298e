// Pictures of recipes for screenshots.mjs: how a result was made, the recipe of it, and a run table with what it hangs on.
import { choose } from './pictures-choose.mjs';

export async function recipes({ page, shot, row, ask, wait }) {
  await page.goto('/');
  await wait(2500);
  await page.getByTestId('project-menu').click();
  await page.getByRole('menuitem', { name: 'Veyra landscape plan' }).click();
  await wait(2000);
  for (let k = 0; k < 3; k++) {
    const close = page.getByRole('button', { name: 'Close pane' }).first();
    if (await close.count()) await close.click();
  }
  await page.getByRole('button', { name: 'Empty pane' }).click();
  await row('Filled').click();
  await row('Watersheds').hover();
  await page.getByRole('button', { name: 'What can be done with Watersheds', exact: true }).click();
  await page.getByRole('menuitem', { name: 'How this was made' }).click();
  await shot('made', 1800);
  await page.getByTestId('lift').click();
  await page.getByTestId('recipe-title').waitFor();
  await page.getByTestId('recipe-title').fill('Watershed of a gauge');
  await page.getByTestId('recipe-title').press('Tab');
  await page.getByLabel('Note on step 5').fill('The gauge was read off a map: it moves to the stream.');
  await page.getByLabel('Note on step 5').press('Tab');
  await page.getByTestId('save-recipe').click();
  await wait(800);
  await page.getByTestId('step-watersheds').getByTestId('chip-snap').click();
  await wait(300);
  await shot('recipe', 1500);

  await ask('What drains to here');
  await choose(page, 'elevation', 'Filled');
  await page.locator('#p-outlets').selectOption('links');
  await wait(900);
  await page.getByTestId('many-times').click();
  await page.getByTestId('table-view').waitFor();
  await page.getByTestId('fill-threshold').click();
  await page.getByTestId('fill-values').fill('0.5 km2, 1 km2, 2 km2');
  await page.getByTestId('fill-count').fill('6');
  await page.getByTestId('fill-each').click();
  await wait(900);
  await page.getByTestId('run-table').click();
  await page.getByTestId('table-words').filter({ hasText: '6 done' }).waitFor({ timeout: 90_000 });
  await page.getByTestId('figure').selectOption({ label: 'Watersheds' });
  await shot('run-table', 1800);
}

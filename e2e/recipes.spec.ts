import { build } from 'esbuild';
import { readFileSync } from 'node:fs';
import { expect, test, type Page } from '@playwright/test';
import { writeGeoJson, writeGeoTiff } from '@helk/core/formats';
import { makeIslet, makeIsletGauge, makeIsletLand } from '@helk/demo';
import { parseRecipe } from '@helk/core/recipe/shape';
import { askFor, chooseInput, newProject, openBench, openSample, runSheet, takeIn } from './helpers';

const row = (page: Page, name: string) => page.getByTestId(`row-${name}`).first();

/** The demo's watershed as a recipe file, lifted by hand from how it was made. */
async function liftedFile(page: Page): Promise<{ path: string; text: string }> {
  await openSample(page);
  await row(page, 'Watersheds').hover();
  await page.getByRole('button', { name: 'What can be done with Watersheds', exact: true }).click();
  await page.getByRole('menuitem', { name: 'How this was made' }).click();
  const made = page.getByTestId('made-view');
  await expect(made.getByRole('listitem').filter({ hasText: 'snap distance' })).toContainText('200 m');
  await expect(made).toContainText('5 steps from 6 sources');
  await expect(made.getByTestId('flow')).toBeVisible();
  await page.getByTestId('lift').click();
  const view = page.getByTestId('recipe-view');
  await expect(view.getByTestId('step-watersheds')).toBeVisible();
  await expect(view.getByTestId('step-reproject')).toContainText('from the data');
  const [file] = await Promise.all([page.waitForEvent('download'), page.getByTestId('save-file').click()]);
  const path = await file.path();
  // The sample project stays as it was.
  await view.getByRole('button', { name: 'Remove', exact: true }).click();
  await expect(page.getByTestId('notice').last()).toContainText('was removed');
  return { path, text: readFileSync(path, 'utf8') };
}

/** Takes the two tiles and the gauge of Skarra in. */
async function takeIslet(page: Page): Promise<void> {
  const land = makeIsletLand();
  const files = [];
  for (const t of makeIslet(land))
    files.push({ name: `${t.name}.tif`, mimeType: 'image/tiff', buffer: Buffer.from(await writeGeoTiff(t.raster)) });
  files.push({
    name: 'skarra-gauge.geojson',
    mimeType: 'application/json',
    buffer: Buffer.from(writeGeoJson(makeIsletGauge(land))),
  });
  await page.getByTestId('stage-ledger').click();
  await page.getByTestId('stage-gather').click();
  await page.getByTestId('files').setInputFiles(files);
  await page.getByTestId('stage-ledger').click();
  await expect(row(page, 'skarra-gauge')).toBeVisible();
  await expect(row(page, 'skarra-elevation')).toBeVisible();
}

/** Opens a recipe from a file. */
async function openRecipe(page: Page, text: string, name = 'recipe.json'): Promise<void> {
  await page.getByTestId('stage-recipes').click();
  await page
    .getByTestId('recipe-file')
    .setInputFiles({ name, mimeType: 'application/json', buffer: Buffer.from(text) });
}

test('the watershed of one island is lifted into a recipe, shared as a file, and run on the next', async ({ page }) => {
  test.setTimeout(180_000);
  const { text } = await liftedFile(page);
  expect(parseRecipe(text).steps.map((s) => s.method)).toEqual([
    'raster.mosaic',
    'raster.reproject',
    'raster.fillGaps',
    'terrain.fill',
    'terrain.watersheds',
  ]);
  await newProject(page, `Skarra ${Date.now()}`);
  await takeIslet(page);
  await openRecipe(page, text);
  await expect(page.getByTestId('recipe-view')).toBeVisible();
  // It is found where every method is found, under its question.
  await askFor(page, 'What drains to here');
  await page.getByRole('button', { name: 'Close the run sheet' }).click();
  await page.getByTestId('recipe-Watersheds').click();
  await page.getByTestId('run-recipe').click();
  const sheet = page.getByTestId('run-sheet');
  await expect(sheet).toContainText('2 chosen');
  await expect(page.getByTestId('fixed')).toBeVisible();
  await runSheet(page);
  // Unchanged it drains next to nothing: the gauge is farther from its stream than that of the first island.
  await expect(page.locator('[data-figure="watersheds.area"]')).toContainText('ha');
  await page.getByTestId('vary').click();
  await page.locator('[id="p-watersheds.snap"]').fill('400 m');
  await runSheet(page);
  await expect(page.locator('[data-figure="watersheds.area"]')).toContainText('12.74 km²');
  // Only what is kept has come; its lineage knows recipe and steps.
  await page.getByRole('button', { name: 'Close the run sheet' }).click();
  await page.getByTestId('stage-ledger').click();
  await expect(page.getByRole('listitem')).toHaveCount(4);
  await page.locator('[data-testid^="row-Watersheds"]').last().hover();
  await page.getByRole('button', { name: /What can be done with Watersheds, / }).click();
  await page.getByRole('menuitem', { name: 'How this was made' }).click();
  await expect(page.getByTestId('made-view')).toContainText('5 steps from 3 sources');
  await expect(page.getByTestId('made-view')).toContainText('400 m');
});

test('a recipe is written from nothing, changed, taken back and kept in versions', async ({ page }) => {
  await openBench(page);
  await newProject(page, `Written ${Date.now()}`);
  await page.getByTestId('stage-recipes').click();
  await page.getByTestId('new-recipe').click();
  const view = page.getByTestId('recipe-view');
  await expect(view.getByTestId('recipe-check')).toContainText('no steps yet');
  const add = async (what: string): Promise<void> => {
    await page.getByTestId('add-step').click();
    await page.getByRole('combobox', { name: 'Ask for the next step' }).fill(what);
    await page.keyboard.press('Enter');
  };
  await add('fill depressions');
  await add('slope');
  await add('hillshade');
  await expect(view.getByTestId('step-slope').getByTestId('from-elevation')).toHaveValue('fill.filled');
  // Another branch, from what goes in.
  await view.getByTestId('step-hillshade').getByTestId('from-elevation').selectOption('elevation');
  await view.getByTestId('step-hillshade').getByRole('button', { name: 'Earlier' }).click();
  await expect(view.locator('helk-step-row').nth(1)).toContainText('Hillshade');
  await view.getByTestId('recipe-title').fill('Steep and lit');
  await view.getByTestId('recipe-title').press('Tab');
  await page.getByTestId('save-recipe').click();
  await expect(page.getByTestId('run-recipe')).toBeEnabled();
  // A setting is opened, given, and offered or not.
  await view.getByTestId('step-slope').getByText('more').click();
  await view.getByTestId('step-slope').getByTestId('chip-unit').click();
  await page.getByTestId('setting-editor').getByRole('combobox').selectOption('percent');
  await page.getByTestId('offer').check();
  await expect(view.getByTestId('chip-unit')).toContainText('percent');
  // What depends on a step goes with it, once that was said.
  await view.getByTestId('step-fill').getByRole('button', { name: 'Remove the step' }).click();
  await expect(view.getByRole('alert')).toContainText('Without it there is no');
  await page.getByTestId('remove-all').click();
  await expect(view.getByTestId('step-slope')).toHaveCount(0);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(view.getByTestId('step-slope')).toBeVisible();
  await page.getByTestId('save-recipe').click();
  await expect(page.getByTestId('versions')).toContainText('3, ');
  await page.getByTestId('versions').selectOption('1');
  await expect(view.getByTestId('recipe-check').first()).toContainText('no steps yet');
});

test('a recipe that cannot be is refused with the reason, and nothing of it stays', async ({ page }) => {
  await openBench(page);
  await newProject(page, `Hostile ${Date.now()}`);
  const step = { id: 'a', method: 'terrain.slope', inputs: { elevation: 'ground' } };
  const base = { helkRecipe: 1, title: 'T', inputs: [{ name: 'ground', kind: 'raster' }], steps: [step], keep: [] };
  const cases: [string, RegExp][] = [
    ['not json', /not JSON/],
    [JSON.stringify({ ...base, steps: [{ ...step, method: 'os.exec' }] }), /There is no method/],
    [JSON.stringify({ ...base, steps: [{ ...step, inputs: { elevation: 'a.slope' } }] }), /wait for each other/],
    [
      JSON.stringify({ ...base, steps: Array.from({ length: 10_000 }, (_, k) => ({ ...step, id: `s${k}` })) }),
      /at most 200/,
    ],
    ['{"helkRecipe": 1, "__proto__": {}}', /is no name/],
    [JSON.stringify({ ...base, steps: [{ ...step, id: '../../x' }] }), /is not a name/],
  ];
  await page.getByTestId('stage-recipes').click();
  for (const [text, words] of cases) {
    await page
      .getByTestId('recipe-file')
      .setInputFiles({ name: 'x.json', mimeType: 'application/json', buffer: Buffer.from(text) });
    await expect(page.getByTestId('notice').last()).toContainText(words);
  }
  await expect(page.locator('[data-testid^="recipe-T"]')).toHaveCount(0);
});

/** A town of square blocks, some 110 m wide. */
function streets(): Buffer {
  const at = (i: number, j: number): [number, number] => [-71.5 + 0.0012 * i, -33.4 + 0.001 * j];
  const lines: object[] = [];
  for (let i = 0; i < 12; i++)
    for (let j = 0; j < 12; j++)
      for (const [di, dj] of [
        [1, 0],
        [0, 1],
      ] as const)
        if (i + di < 12 && j + dj < 12)
          lines.push({
            type: 'Feature',
            properties: { class: 'residential' },
            geometry: { type: 'LineString', coordinates: [at(i, j), at(i + di, j + dj)] },
          });
  return Buffer.from(JSON.stringify({ type: 'FeatureCollection', features: lines }));
}

test('six limits by two ways of going are one run table, and what they reach is seen at a glance', async ({ page }) => {
  test.setTimeout(180_000);
  await openBench(page);
  await newProject(page, `Reach ${Date.now()}`);
  await takeIn(page, 'calles.geojson', streets());
  await takeIn(
    page,
    'refugio.geojson',
    Buffer.from(
      JSON.stringify({
        type: 'Feature',
        properties: { name: 'R' },
        geometry: { type: 'Point', coordinates: [-71.493, -33.394] },
      }),
    ),
  );
  await page.getByTestId('stage-ledger').click();
  await row(page, 'calles').click();
  await askFor(page, 'network of streets');
  await runSheet(page);
  await page.getByRole('button', { name: 'Close the run sheet' }).click();
  await askFor(page, 'Where does one get in this time?');
  await chooseInput(page, 'facilities', 'refugio');
  await page.getByTestId('many-times').click();
  const table = page.getByTestId('table-view');
  await expect(table).toBeVisible();
  for (const head of ['limits', 'mode'])
    if (!(await page.getByTestId(`fill-${head}`).count())) await page.getByTestId('add-column').selectOption(head);
  await page.getByTestId('fill-limits').click();
  await page.getByTestId('fill-values').fill('1 min, 2 min');
  await page.getByTestId('fill-count').fill('6');
  await expect(page.getByTestId('fill-preview')).toHaveText('1 min, 2 min, 3 min, 4 min, 5 min, 6 min');
  await page.getByTestId('fill-each').click();
  await page.getByTestId('fill-mode').click();
  await page.getByTestId('fill-values').fill('walk, bicycle');
  await page.getByTestId('fill-cross').click();
  await expect(page.getByTestId('table-words')).toHaveText('12 rows');
  await page.getByTestId('names').fill('Within {limits}, {mode}');
  await page.getByTestId('names').press('Tab');
  await expect(page.getByTestId('example')).toHaveText('like “Within 1 min, walk”');
  // One that cannot run is said so before anything runs, and stops no other.
  await page.getByLabel('Limits of row 3').fill('3 furlongs');
  await page.getByLabel('Limits of row 3').press('Tab');
  await expect(page.getByTestId('run-row-3').getByTestId('row-state')).toHaveText('cannot run');
  await page.getByTestId('run-table').click();
  await expect(page.getByTestId('table-words')).toHaveText('12 rows · 11 done, 1 to mend', { timeout: 120_000 });
  await page.getByLabel('Limits of row 3').fill('3 min');
  await page.getByLabel('Limits of row 3').press('Tab');
  await page.getByTestId('run-table').click();
  await expect(page.getByTestId('table-words')).toHaveText('12 rows · 12 done');
  // The area against the limit, a line a way of going.
  await page.getByTestId('figure').selectOption({ label: 'Reached within the largest limit' });
  await expect(page.getByTestId('sensitivity').getByRole('img')).toHaveAttribute(
    'aria-label',
    /against Limits, 12 rows/,
  );
  await expect(page.getByTestId('sensitivity').getByRole('listitem')).toHaveCount(3);
  const [report] = await Promise.all([page.waitForEvent('download'), page.getByTestId('report').click()]);
  const lines = readFileSync(await report.path(), 'utf8')
    .trim()
    .split('\n');
  expect(lines.length).toBe(13);
  expect(lines[0]).toContain('row,state,reason,seconds,');
  const area = (k: number): number => Number(lines[k]!.split(',')[lines[0]!.split(',').indexOf('area')]);
  expect(area(6)).toBeGreaterThan(area(1));
  expect(area(7)).toBeGreaterThan(area(1));
  await page.getByTestId('maps-tab').click();
  await expect(page.getByTestId('row-maps').getByRole('img')).toHaveCount(12);
  // Areas, and streets, of all rows stand in the ledger as one each.
  await page.getByTestId('stage-ledger').click();
  await expect(page.getByRole('listitem').filter({ hasText: '12 ×' })).toHaveCount(2);
});

test('the area of a watershed hangs on the threshold, and how sure it is shows where the ground is unsure', async ({
  page,
}) => {
  test.setTimeout(240_000);
  const { text } = await liftedFile(page);
  await newProject(page, `Sure ${Date.now()}`);
  await takeIslet(page);
  await openRecipe(page, text);
  await page.getByTestId('as-table').click();
  const table = page.getByTestId('table-view');
  await expect(table).toBeVisible();
  // Rows that fit: the two tiles go in together.
  await page.getByTestId('fill-in:tiles').click();
  await page.getByTestId('fill-fitting').click();
  await page.getByLabel('Outlets of row 1').click();
  await page
    .getByTestId('choices')
    .getByRole('option')
    .filter({ has: page.getByTitle('skarra-gauge', { exact: true }) })
    .click();
  for (const head of ['watersheds.outlets', 'watersheds.threshold', 'watersheds.snap'])
    if (!(await page.getByTestId(`fill-${head}`).count()))
      if (await page.getByTestId('add-column').locator(`option[value="${head}"]`).count())
        await page.getByTestId('add-column').selectOption(head);
  await page.getByTestId('fill-watersheds.snap').click();
  await page.getByTestId('fill-values').fill('100 m, 200 m');
  await page.getByTestId('fill-count').fill('5');
  await page.getByTestId('fill-each').click();
  await page.getByTestId('run-table').click();
  await expect(page.getByTestId('table-words')).toHaveText('5 rows · 5 done', { timeout: 120_000 });
  await page.getByTestId('figure').selectOption({ label: 'Area covered (Watersheds)' });
  await expect(page.getByTestId('sensitivity').getByRole('img')).toHaveAttribute(
    'aria-label',
    /Area covered.*against Snap distance, 5 rows/,
  );
  await expect(page.getByTestId('run-row-4')).toContainText('12.74 km²');

  await page.getByTestId('recipe-Watersheds').click();
  await page.getByTestId('simulate').click();
  await page.getByTestId('error-tiles').fill('2 m');
  await page.getByTestId('error-tiles').press('Tab');
  await page.getByTestId('over-tiles').fill('200 m');
  await page.getByTestId('over-tiles').press('Tab');
  await page.locator('#p-draws').fill('12');
  await page.getByTestId('run').click();
  await expect(page.getByTestId('run-result')).toContainText('draw ', { timeout: 90_000 });
  await expect(page.locator('[data-testid=run-result][data-state=done]')).toBeVisible({ timeout: 120_000 });
  await expect(page.locator('[data-figure=failed]')).toHaveText('0');
  await expect(page.locator('[data-testid^=key-]').filter({ hasText: 'Probability' }).first()).toContainText('0 to 1');
  await page.getByTestId('copy-as').click();
  await expect(page.getByRole('menuitem')).toHaveText(['Command', 'HTTP call', 'Code for a script']);
});

test('a newer file makes what was made from the old one out of date, and all is made again in order', async ({
  page,
}) => {
  await openBench(page);
  await newProject(page, `Newer ${Date.now()}`);
  const land = makeIsletLand();
  const [west] = makeIslet(land);
  const tiff = async (lift: number): Promise<Buffer> => {
    const raster = structuredClone(west!.raster);
    raster.bands[0]!.cells.forEach((v, i) => (raster.bands[0]!.cells[i] = v + lift));
    return Buffer.from(await writeGeoTiff(raster));
  };
  await takeIn(page, 'survey-2024.tif', await tiff(0));
  await page.getByTestId('stage-ledger').click();
  await row(page, 'survey-2024').click();
  await askFor(page, 'fill depressions');
  await runSheet(page);
  await page.getByRole('button', { name: 'Close the run sheet' }).click();
  await row(page, 'Filled').click();
  await askFor(page, 'how steep is it');
  await runSheet(page);
  await page.getByRole('button', { name: 'Close the run sheet' }).click();
  await row(page, 'survey-2024').hover();
  await page.getByRole('button', { name: 'What can be done with survey-2024', exact: true }).click();
  await page.getByRole('menuitem', { name: 'About it, and a note' }).click();
  await page
    .getByTestId('newer')
    .setInputFiles({ name: 'survey-2026.tif', mimeType: 'image/tiff', buffer: await tiff(100) });
  await expect(page.getByTestId('dataset-card')).toContainText('“survey-2026” has taken its place');
  await page.getByRole('button', { name: 'Close', exact: true }).click();
  const outdated = page.getByTestId('outdated');
  await expect(outdated).toContainText('3 results are out of date');
  await outdated.getByRole('button').click();
  await expect(page.getByTestId('notice').last()).toContainText('3 results were made again');
  await expect(outdated).toHaveCount(0);
  await expect(page.getByTestId('row-Slope')).toHaveCount(1);
  await row(page, 'Filled').hover();
  await page.getByRole('button', { name: 'What can be done with Filled', exact: true }).click();
  await page.getByRole('menuitem', { name: 'How this was made' }).click();
  await expect(page.getByTestId('made-view')).toContainText('survey-2026');
});

test('the client package works in the browser', async ({ page }) => {
  await openSample(page);
  const made = await build({
    entryPoints: ['packages/client/src/index.ts'],
    bundle: true,
    write: false,
    format: 'iife',
    globalName: 'helkClient',
  });
  const told = await page.evaluate(`(async () => {
    ${made.outputFiles[0]!.text}
    const helk = await helkClient.connect(location.origin);
    const project = await helk.project('Veyra landscape plan');
    const [filled] = await project.datasets({ find: 'filled', kind: 'raster' });
    return [filled.kind, (await project.datasets()).length > 5];
  })()`);
  expect(told).toEqual(['raster', true]);
});

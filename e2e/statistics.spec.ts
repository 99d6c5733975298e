import { readFileSync } from 'node:fs';
import { expect, test, type Page } from '@playwright/test';
import { readFile } from '@helk/core/formats';
import { dataOf } from '@helk/core';
import { askFor, chooseInput, closeSheet, figure, newProject, openBench, runSheet, takeIn } from './helpers';

test.use({ permissions: ['clipboard-read', 'clipboard-write'] });

const clipboard = (page: Page) => page.evaluate(() => navigator.clipboard.readText());
const SIDE = 12;

/** Districts of a place far from the island, in degrees: cases that gather in one corner, by two dates, one of them unlike its neighbours. */
function districts(): Buffer {
  const noise = (k: number): number => ((k * 7919 + 13) % 101) / 101 - 0.5;
  const features = Array.from({ length: SIDE * SIDE }, (_, k) => {
    const [i, j] = [k % SIDE, Math.floor(k / SIDE)];
    const [x, y] = [-70.6 + 0.05 * i, -33.6 + 0.04 * j];
    const near = 10 * Math.exp(-(i * i + j * j) / 30);
    const wealth = 50 + 3 * near + 8 * noise(k + 3);
    return {
      type: 'Feature',
      properties: {
        district: `D${k + 1}`,
        people: 900 + 40 * ((k * 31) % 17),
        cases_10: Math.round(20 + 3 * near + 6 * noise(k)),
        cases_20: k === 1 ? 2 : Math.round(20 + 8 * near + 6 * noise(k + 50)),
        wealth,
        side: i < SIDE / 2 ? 'west' : 'east',
        gaps: k % 9 ? 5 + noise(k) : null,
        same: 4,
      },
      geometry: {
        type: 'Polygon',
        coordinates: [
          [
            [x, y],
            [x + 0.05, y],
            [x + 0.05, y + 0.04],
            [x, y + 0.04],
            [x, y],
          ],
        ],
      },
    };
  });
  return Buffer.from(JSON.stringify({ type: 'FeatureCollection', features }));
}

async function begin(page: Page, name: string): Promise<void> {
  await openBench(page);
  await newProject(page, `${name} ${Date.now()}`);
  await takeIn(page, 'districts.geojson', districts());
  await page.getByTestId('stage-ledger').click();
  await expect(page.getByTestId('row-districts')).toBeVisible();
}

/** A column, or a formula over columns, typed as it stands. */
async function formula(page: Page, param: string, text: string): Promise<void> {
  await page.locator(`#p-${param}`).selectOption({ label: 'a formula …' });
  await page
    .locator('helk-column-param')
    .filter({ has: page.locator(`#p-${param}`) })
    .locator('.cm-content')
    .click();
  await page.keyboard.type(text);
}

test('from a plain map to neighbours, clusters, a second year, a regression with space, and out', async ({ page }) => {
  await begin(page, 'Clusters');

  // Who is near whom: drawn, described, lit by what is picked.
  await page.getByTestId('row-districts').click();
  await askFor(page, 'who is near whom');
  await runSheet(page);
  await expect(figure(page, 'features')).toHaveText('144');
  await expect(figure(page, 'islands')).toHaveText('0');
  await closeSheet(page);
  await expect(page.getByTestId('connectivity')).toContainText('corner or edge');
  await page.getByTestId('with-3').click();
  await expect(page.getByTestId('told')).toContainText('of 1 012 links');

  // Clusters of a rate, by a formula; the scatter picks on the map and says what is picked.
  await page.getByTestId('row-districts').click();
  await askFor(page, 'where are the clusters and the odd ones out');
  await chooseInput(page, 'weights', 'Neighbours: corner or edge');
  await formula(page, 'column', 'cases_20 / people * 1000');
  await expect(page.getByTestId('check-stats.many')).toContainText('by chance alone');
  await runSheet(page);
  await expect(figure(page, 'highHigh')).not.toHaveText('0');
  await closeSheet(page);
  await expect(page.getByTestId('quarters-figures')).toContainText('I 0.');
  await page.getByTestId('quarter-low-high').click();
  await expect(page.getByTestId('quarters-picked')).toContainText('low among high');
  await page
    .getByRole('button', { name: /^high among high/ })
    .last()
    .click();
  await expect(page.getByTestId('quarters-picked')).toContainText('high among high');
  await page.getByTestId('how-sure').click();
  await expect(page.getByTestId('pane-2')).toContainText('0.001');

  // The same for the earlier year, and how the two differ.
  await page
    .getByTestId(/^row-Clusters of/)
    .first()
    .click();
  await page.getByTestId('row-districts').click();
  await askFor(page, 'where are the clusters and the odd ones out');
  await chooseInput(page, 'weights', 'Neighbours: corner or edge');
  await page.locator('#p-column').selectOption({ label: 'cases_10' });
  await page.getByLabel('Columns begin with').fill('early_');
  await runSheet(page);
  await closeSheet(page);
  await page.getByRole('tab', { name: 'Side by side' }).click();
  await expect(page.getByTestId('several').locator('figure')).toHaveCount(2);
  await page.getByTestId('row-Clusters of cases_10').click();
  await askFor(page, 'how do the clusters of two runs differ');
  await expect(page.getByTestId('input-b')).toContainText('Clusters of cases_20 / people * 1000');
  await runSheet(page);
  await expect(figure(page, 'sameShare')).toContainText('%');
  await closeSheet(page);
  await page.getByTestId('cross-high-high-high-high').click();
  await expect(page.getByTestId('crossing')).toContainText('total');

  // What explains it, again with space; the table goes into another document.
  await page.getByTestId('row-districts').click();
  await askFor(page, 'which model is to be trusted');
  await page.locator('#p-dependent').selectOption({ label: 'cases_20' });
  await page.locator('#p-predictors').getByText('wealth').click();
  await runSheet(page);
  await expect(figure(page, 'advised')).toHaveText(/ols|lag|error/);
  await closeSheet(page);
  await expect(page.getByTestId('advice')).toContainText(/advised|will do/);
  await page.getByTestId('copy-latex').click();
  await expect.poll(() => clipboard(page)).toContain('\\begin{tabular}{lrrr}');
  await page.getByTestId('copy-csv').click();
  await expect.poll(() => clipboard(page)).toMatch(/^,least squares,spatial lag,spatial error\nconstant,/);

  await page.getByTestId('row-districts').click();
  await askFor(page, 'what explains it');
  await page.locator('#p-dependent').selectOption({ label: 'cases_20' });
  await page.locator('#p-predictors').getByText('wealth').click();
  await page.locator('#p-model').selectOption('lag');
  await runSheet(page);
  await expect(figure(page, 'rho')).toHaveText(/0\./);
  await closeSheet(page);
  await page.getByTestId('row-Residuals, cases_20, spatial lag').click();
  await page.getByTestId('model-panel').getByText('wealth').click();
  await expect(page.getByTestId('model-panel')).toContainText('taken out of both');

  // The results are columns of the polygons, written for somebody else.
  await page.getByTestId('row-Clusters of cases_10').click();
  await page.getByRole('button', { name: 'What can be done with Clusters of cases_10', exact: true }).click();
  await page.getByRole('menuitem', { name: 'Save as a file' }).click();
  await page.getByTestId('format').selectOption({ label: 'GeoPackage' });
  const [file] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'Save' }).click()]);
  const { layers } = await readFile('clusters.gpkg', new Uint8Array(readFileSync((await file.path())!)));
  const out = dataOf('features', layers[0]!.data)!;
  expect(out.columns.map((c) => c.name).slice(-4)).toEqual(['early_i', 'early_lag', 'early_p', 'early_cluster']);
});

test('correlations open the scatter; several distances stand side by side; wrong input is said in a sentence', async ({
  page,
}) => {
  await begin(page, 'Odd');
  await page.getByTestId('row-districts').click();
  await askFor(page, 'which columns go together');
  await runSheet(page);
  await closeSheet(page);
  await page.getByTestId('pair-wealth-cases_20').click();
  await expect(page.getByTestId('pane-2')).toContainText('r = ');

  await page.getByTestId('row-districts').click();
  await askFor(page, 'where do high or low values gather');
  await page.locator('#p-column').selectOption({ label: 'cases_20' });
  await page.getByLabel('Distances').fill('6, 12 km');
  await runSheet(page);
  await closeSheet(page);
  await expect(page.getByTestId('several').locator('figure')).toHaveCount(2);
  await expect(page.getByTestId('several')).toContainText('within 12 km');

  await page.getByTestId('row-districts').click();
  await askFor(page, 'are like values neighbours');
  await formula(page, 'column', 'district');
  await expect(page.getByTestId('check-column.text')).toContainText('no numbers');
  await page.locator('#p-column').selectOption({ label: 'same' });
  await page.getByTestId('run').click();
  await expect(page.getByTestId('run-problem')).toContainText('All values of "same" are 4');
  await page.getByTestId('vary').click();
  await page.locator('#p-column').selectOption({ label: 'gaps' });
  await runSheet(page);
  await expect(page.getByText('16 features without a value are left out').first()).toBeVisible();
});

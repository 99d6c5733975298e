import { expect, test, type Page } from '@playwright/test';
import { askFor, chooseInput, closeSheet, figure, newProject, openBench, runSheet, takeIn } from './helpers';

/** Takes a sample file in by the button beside its name. */
async function bringIn(page: Page, file: string): Promise<void> {
  // A stage that is open folds away when it is asked for again.
  await page.getByTestId('stage-ledger').click();
  await page.getByTestId('stage-gather').click();
  await page.getByRole('button', { name: `Bring in ${file}` }).click();
  await page.getByTestId('stage-ledger').click();
  await expect(page.getByTestId(`row-${file.replace(/\.\w+$/, '')}`).first()).toBeVisible({ timeout: 60_000 });
}
const row = (page: Page, name: string) => page.getByTestId(`row-${name}`).first();

test('a scene is seen in three bands, learned from training areas, and the map is judged by places that were visited', async ({
  page,
}) => {
  await openBench(page);
  await newProject(page, `Scene ${Date.now()}`);
  await bringIn(page, 'veyra-scene-2024.tif');
  const pane = page.getByTestId('pane-1');
  // Its roles are known, so it is drawn as the eye sees it.
  await expect(pane).toContainText('red 1');
  await pane
    .getByRole('button', { name: /veyra-scene-2024/ })
    .first()
    .click();
  await page.getByTestId('composite').selectOption('plants stand out');
  await expect(pane).toContainText('nir ');
  await page.keyboard.press('Escape');
  await bringIn(page, 'veyra-training-areas.geojson');
  await bringIn(page, 'veyra-visited-places.geojson');

  await row(page, 'veyra-scene-2024').click();
  await askFor(page, 'supervised classification');
  await page.locator('#p-method').selectOption('maximumLikelihood');
  // What only a forest has is gone, what only likelihood has is there.
  await expect(page.locator('#p-trees')).toHaveCount(0);
  await expect(page.locator('#p-priors')).toBeVisible();
  await runSheet(page);
  await expect(figure(page, 'classes')).toContainText('7');
  await closeSheet(page);
  await expect(row(page, 'Classes')).toContainText('7 classes');

  await row(page, 'Classes').click();
  await askFor(page, 'how right is the map');
  await chooseInput(page, 'reference', 'veyra-visited-places');
  await page.locator('#p-classColumn').selectOption('found');
  await runSheet(page);
  await expect(figure(page, 'n')).toContainText('210');
  await expect(figure(page, 'kappa')).toContainText('0.');
});

test('classes and single bands are refused where a scene is wanted, in words', async ({ page }) => {
  await openBench(page);
  await newProject(page, `No scene ${Date.now()}`);
  const cells = Array.from({ length: 12 }, (_, r) => Array.from({ length: 12 }, (_v, c) => (r * c) % 7).join(' '));
  const grid = `ncols 12\nnrows 12\nxllcorner 535000\nyllcorner 6450000\ncellsize 10\nNODATA_value -9999\n${cells.join('\n')}\n`;
  await takeIn(page, 'one-band.asc', Buffer.from(grid));
  await expect(page.getByText('one-band', { exact: true }).first()).toBeVisible();
  await page.getByTestId('stage-ledger').click();
  await askFor(page, 'ndvi');
  await expect(page.getByTestId('run-sheet')).toContainText('at least 2 are needed');
  await expect(page.getByTestId('run')).toBeDisabled();
});

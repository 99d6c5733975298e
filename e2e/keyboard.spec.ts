import { expect, test, type Page } from '@playwright/test';
import { crsOfCode, measureRaster } from '@helk/core';
import { writeGeoTiff } from '@helk/core/formats';
import { newProject, openBench, state } from './helpers';

/** Two tiles of elevation side by side in degrees, far from the island, with a hollow in one of them. */
async function tiles(): Promise<{ name: string; mimeType: string; buffer: Buffer }[]> {
  const side = 90;
  return Promise.all(
    [0, 1].map(async (k) => {
      const cells = Float32Array.from({ length: side * side }, (_, i) => {
        const [x, y] = [(i % side) + k * side, Math.floor(i / side)];
        const hollow = (x - 40) ** 2 + (y - 45) ** 2 < 30 ? -60 : 0;
        return Math.round(1500 + 6 * x - 4 * y + 40 * Math.sin(x / 9) + 30 * Math.cos(y / 7) + hollow);
      });
      const grid = { crs: crsOfCode(4326), x: -70.4 + (k * side) / 3600, y: -33.4, dx: 1 / 3600, dy: 1 / 3600, columns: side, rows: side }; // prettier-ignore
      const raster = measureRaster(grid, cells, { name: 'altura', unit: 'm', role: 'elevation', storedType: 'int16' });
      return {
        name: `altura-${k + 1}.tif`,
        mimeType: 'image/tiff',
        buffer: Buffer.from(await writeGeoTiff(raster, 1)),
      };
    }),
  );
}

/** Goes on with Tab until something has the keyboard. */
async function tabTo(page: Page, selector: string): Promise<void> {
  for (let k = 0; k < 160; k++) {
    if (await page.evaluate((s) => document.activeElement?.matches(s) ?? false, selector)) return;
    await page.keyboard.press('Tab');
  }
  throw new Error(`Tab never came to ${selector}.`);
}

/** Asks, runs with Enter on the button, and waits for the result; the keyboard is there then. */
async function askAndRun(page: Page, question: string): Promise<void> {
  await page.keyboard.press('Control+k');
  await expect(page.getByRole('combobox', { name: 'Ask for a method' })).toBeFocused();
  await page.keyboard.type(question);
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('run-sheet')).toBeVisible();
  await expect(page.getByTestId('run')).toBeEnabled();
  await tabTo(page, '[data-testid=run]');
  await page.keyboard.press('Enter');
  await expect(state(page, 'done')).toBeVisible({ timeout: 60_000 });
  await page.keyboard.press('Escape');
  await expect(page.getByTestId('run-sheet')).toHaveCount(0);
}

test('the first thread is gone by keyboard alone: tiles, mosaic, projected, filled, slope, read, pinned and saved as a picture', async ({
  page,
}) => {
  test.setTimeout(240_000);
  await openBench(page);
  await newProject(page, `Teclado ${Date.now()}`);
  await page.getByTestId('stage-ledger').click();
  await page.getByTestId('stage-gather').click();
  // The window in which files are chosen belongs to the system.
  await page.getByTestId('files').setInputFiles(await tiles());
  for (const name of ['altura-1', 'altura-2'])
    await expect(page.getByText(name, { exact: true }).first()).toBeVisible();

  // From here on no pointer is used.
  await tabTo(page, '[data-testid=stage-ledger]');
  await page.keyboard.press('Enter');
  await expect(page.locator('helk-ledger [data-row]').first()).toBeVisible();
  await tabTo(page, '[data-row]');
  await page.keyboard.press('Home');
  await page.keyboard.press('Enter');
  await askAndRun(page, 'mosaic');
  await askAndRun(page, 'bring to another coordinate system');
  await askAndRun(page, 'fill depressions');
  await askAndRun(page, 'how steep is it?');
  const rows = page.locator('helk-ledger [data-row]');
  for (const name of ['Mosaic', 'Projected', 'Filled', 'Slope'])
    await expect(rows.and(page.getByRole('treeitem', { name }).or(page.getByLabel(name))).first()).toBeVisible();

  // Read in the middle of the map, pinned with a key, and taken away.
  await tabTo(page, '[role=application]');
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('readout')).toContainText('Slope');
  await page.keyboard.press('f');
  await expect(page.getByTestId('notice').last()).toContainText('Pinned');
  await tabTo(page, '[role=application]');
  await page.keyboard.press('i');
  const file = page.waitForEvent('download');
  for (let k = 0; k < 3; k++) await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Enter');
  expect((await file).suggestedFilename()).toMatch(/\.png$/);
});

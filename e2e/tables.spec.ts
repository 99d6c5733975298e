import { readFileSync } from 'node:fs';
import { expect, test } from '@playwright/test';
import { PNG } from 'pngjs';
import { newProject, openBench, takeIn } from './helpers';
import { faults } from './readers';

/** Fields of a farm in the southern hemisphere with sixty columns, as a laboratory sends them. */
function fields(): Buffer {
  const features = Array.from({ length: 40 }, (_, k) => {
    const [x, y] = [-70.6 + 0.003 * (k % 8), -33.5 + 0.003 * Math.floor(k / 8)];
    const side = 0.0025;
    return {
      type: 'Feature',
      properties: Object.fromEntries([
        ['potrero', `P-${String(k + 1).padStart(2, '0')}`],
        ...Array.from({ length: 59 }, (_, j) => [`muestra_${j + 1}`, Math.round(100 * Math.sin(k + j)) / 10]),
      ]),
      geometry: { type: 'Polygon', coordinates: [[[x, y], [x + side, y], [x + side, y + side], [x, y + side], [x, y]]] }, // prettier-ignore
    };
  });
  return Buffer.from(JSON.stringify({ type: 'FeatureCollection', features }));
}

test('a wide table keeps its heads and its key in sight, is walked by keyboard, says a wrong number in words, and gets areas by a click', async ({
  page,
}) => {
  await openBench(page);
  await newProject(page, `Fundo ${Date.now()}`);
  await takeIn(page, 'potreros.geojson', fields());
  await page.getByTestId('stage-ledger').click();
  await page.getByTestId('row-potreros').click();
  await page.getByRole('tab', { name: 'Table' }).click();
  const rows = page.getByRole('group', { name: /^Rows of potreros/ });
  const box = (await rows.boundingBox())!;
  // Far to the right the field is still told, and the head stands over its column.
  await rows.evaluate((el) => (el.scrollLeft = 4000));
  await expect
    .poll(async () => (await page.locator('[data-cell=potrero]').first().boundingBox())!.x - box.x)
    .toBeLessThan(80);
  const [head, cell] = [page.getByTestId('column-muestra_33'), page.locator('[data-cell=muestra_33]').first()];
  await expect
    .poll(async () => Math.abs((await head.boundingBox())!.x - (await cell.boundingBox())!.x))
    .toBeLessThan(2);
  await expect(page.getByTestId('pick-bar').getByRole('button', { name: 'copy' })).toBeInViewport();

  await rows.focus();
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('ArrowDown');
  await expect(page.getByTestId('picked')).toContainText('1 of 40 polygons');
  await page.keyboard.press('Shift+ArrowDown');
  await page.keyboard.press('Shift+PageDown');
  await expect(page.getByTestId('picked')).toContainText('12 of 40 polygons');
  expect(await faults(page, '[data-testid=evidence]')).toEqual([]);

  await cell.dblclick();
  await page.keyboard.type('doce');
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('cell-wrong')).toContainText('"doce" is no number');
  await page.keyboard.press('Escape');
  await expect(page.getByTestId('cell-wrong')).toHaveCount(0);

  // Sorted, left and looked at again, it is as it was.
  await head.click();
  await page.getByRole('menuitem', { name: 'Sort downwards' }).click();
  const first = await page.locator('[data-cell=potrero]').first().textContent();
  await page.getByTestId('add-measure').click();
  const made = page.getByTestId('row-potreros, new area');
  await expect(made).toBeVisible();
  const area = page.locator('[data-cell=area]').first();
  await expect(area).toBeInViewport();
  // 64 415.6 m² on WGS 84, as pyproj 3.4 (Geod) gives it.
  expect(Number(await area.textContent())).toBeCloseTo(6.44, 2);
  await page.getByTestId('row-potreros').first().click();
  await expect(page.locator('[data-cell=potrero]').first()).toHaveText(first!);
});

test('a picture has the size that is asked for, or the reason why not', async ({ page }) => {
  await openBench(page);
  await newProject(page, `Fotos ${Date.now()}`);
  await takeIn(page, 'potreros.geojson', fields());
  await page.getByTestId('stage-ledger').click();
  await page.getByTestId('row-potreros').click();
  await page.getByRole('button', { name: 'Picture of this pane' }).click();
  await page.getByTestId('picture-sized').click();
  const width = page.getByTestId('picture-width');
  await expect(width).toBeFocused();
  await width.fill('40000');
  await expect(page.getByRole('alert')).toContainText('more than are drawn at once');
  await width.fill('1800');
  const [file] = await Promise.all([page.waitForEvent('download'), page.getByTestId('picture-make').click()]);
  expect(file.suggestedFilename()).toContain('potreros');
  expect(PNG.sync.read(readFileSync(await file.path())).width).toBe(1800);
});

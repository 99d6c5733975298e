import { expect, test } from '@playwright/test';
import { askFor, figure, openSample, runSheet } from './helpers';

test('an analyst goes from elevations to streams, their agreement with the map, a watershed and a profile', async ({
  page,
}) => {
  await openSample(page);
  await page.getByTestId('row-Mosaic').first().click();
  await askFor(page, 'coordinate system');
  await runSheet(page);
  await askFor(page, 'depressions');
  await page.getByRole('button', { name: 'Fill the holes first' }).click();
  await expect(page.getByTestId('check-band.enclosedGaps')).toHaveCount(0);
  await runSheet(page);

  await askFor(page, 'where are the streams');
  await expect(page.getByTestId('suggestion').first()).toContainText('km2');
  await runSheet(page);
  await expect(figure(page, 'drainageDensity')).toContainText('km/km²');

  await askFor(page, 'do derived and mapped streams agree');
  await expect(page.getByTestId('input-mapped')).toHaveValue(/.+/);
  await runSheet(page);
  const within = Number(await figure(page, 'derivedWithin').textContent());
  expect(within).toBeGreaterThan(0.6);
  expect(within).toBeLessThan(1);

  await page
    .getByTestId(/^row-Filled/)
    .last()
    .click();
  await askFor(page, 'watersheds');
  await page.getByTestId('input-outlets').selectOption({ label: 'veyra-gauge' });
  await runSheet(page);
  await expect(figure(page, 'movedOutlets')).toHaveText('1');

  await page
    .getByTestId(/^row-Filled/)
    .last()
    .click();
  await askFor(page, 'profile');
  await page.getByTestId('input-line').selectOption({ label: 'veyra-ridge-path' });
  await runSheet(page);
  await expect(figure(page, 'length')).toContainText('10');
  // Moving along the profile moves the mark on the map.
  const chart = page.getByTestId('profile-chart');
  const box = (await chart.boundingBox())!;
  await page.mouse.move(box.x + box.width * 0.4, box.y + box.height * 0.5);
  await page.mouse.move(box.x + box.width * 0.5, box.y + box.height * 0.5);
  await expect(page.getByTestId('cursor-value').first()).toContainText('m');
  await expect(page.getByTestId('coordinates')).toContainText('N');
});

test('a formula and a recode with a forgotten value are caught before they run', async ({ page }) => {
  await openSample(page);
  await page.getByTestId('row-Mosaic').first().click();
  await askFor(page, 'formula');
  await page.getByLabel('Formula').fill('a + nothing');
  await expect(page.getByTestId('refusal')).toContainText('"nothing"');
  await page.getByLabel('Formula').fill('a > 100 ? 1 : 0');
  await runSheet(page);
  await askFor(page, 'recode');
  await page.getByLabel('Rules').fill('1 = 1 high');
  await expect(page.getByTestId('check-recode.range')).toContainText('become missing');
  await page.getByLabel('Rules').fill('0 = 2 low; 1 = 1 high');
  await expect(page.getByTestId('check-recode.range')).toHaveCount(0);
  await runSheet(page);
  await expect(figure(page, 'uncoveredCells')).toHaveText('0');
});

import { expect, test } from '@playwright/test';
import { askFor, chooseInput, figure, openSample, runSheet } from './helpers';

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
  await expect(page.getByTestId('input-mapped')).toHaveAttribute('data-chosen', /.+/);
  await runSheet(page);
  const within = parseFloat((await figure(page, 'derivedWithin').textContent())!);
  expect(within).toBeGreaterThan(60);
  expect(within).toBeLessThan(100);

  await page
    .getByTestId(/^row-Filled/)
    .last()
    .click();
  await askFor(page, 'watersheds');
  await chooseInput(page, 'outlets', 'veyra-gauge');
  await runSheet(page);
  await expect(figure(page, 'movedOutlets')).toHaveText('1');

  await page
    .getByTestId(/^row-Filled/)
    .last()
    .click();
  await askFor(page, 'profile');
  await chooseInput(page, 'line', 'veyra-ridge-path');
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
  // A rule for each value is there at first; one is forgotten, and that is said with its cells.
  await expect(page.getByTestId('rule-1')).toBeVisible();
  await page.getByLabel('Name, rule 2').fill('high moor');
  await page.getByLabel('Remove rule 1').click();
  await expect(page.getByTestId('uncovered')).toContainText('become missing');
  await expect(page.getByTestId('check-recode.forgotten')).toContainText('No rule covers 0');
  await page.getByRole('button', { name: 'Keep them as they are' }).click();
  await expect(page.getByTestId('check-recode.forgotten')).toHaveCount(0);
  await runSheet(page);
  await expect(figure(page, 'uncoveredCells')).not.toHaveText('0');
  await expect(page.getByText('high moor').first()).toBeVisible();
});

test('the stream threshold and contours are previewed before anything is computed', async ({ page }) => {
  await openSample(page);
  await page.getByTestId('row-Filled').first().click();
  const runs = page.getByTestId(/^row-Streams/);
  const before = await runs.count();
  await askFor(page, 'where are the streams');
  const lines = page.getByTestId('preview-lines');
  await expect(lines).toContainText('links');
  const few = Number((await lines.textContent())!.replace(/\D/g, ''));
  await page.getByTestId('threshold-slider').fill('150');
  await expect(async () =>
    expect(Number((await lines.textContent())!.replace(/\D/g, ''))).toBeGreaterThan(2 * few),
  ).toPass();
  await expect(page.getByTestId('preview-note').first()).toContainText('not yet computed');
  expect(await runs.count()).toBe(before);
  await askFor(page, 'contours');
  await expect(page.getByTestId('preview-note').first()).toBeVisible();
});

test('a profile along a line drawn by hand', async ({ page }) => {
  await openSample(page);
  await page.getByTestId('row-Filled').first().click();
  await askFor(page, 'profile');
  await page.getByTestId('draw-line').click();
  await expect(page.getByTestId('sketch').first()).toContainText('double-click');
  const box = (await page.getByTestId('pane-1').boundingBox())!;
  // At a person's pace: clicks that follow each other at once are taken for a double one.
  await page.mouse.click(box.x + box.width * 0.35, box.y + box.height * 0.4);
  await page.waitForTimeout(500);
  await page.mouse.click(box.x + box.width * 0.5, box.y + box.height * 0.5);
  await page.waitForTimeout(500);
  await page.mouse.dblclick(box.x + box.width * 0.6, box.y + box.height * 0.45);
  await expect(page.getByTestId('input-line')).toContainText(/drawn line/);
  await runSheet(page);
  await expect(page.getByTestId('steepest')).toContainText('°');
});

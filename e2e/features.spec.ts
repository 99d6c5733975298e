import { expect, test } from '@playwright/test';
import { askFor, chooseInput, figure, openSample, runSheet, takeIn } from './helpers';

test.use({ permissions: ['clipboard-read', 'clipboard-write'] });

const clipboard = (page: import('@playwright/test').Page): Promise<string> =>
  page.evaluate(() => navigator.clipboard.readText());

test('from two land cover maps to the change matrix in the clipboard', async ({ page }) => {
  await openSample(page);
  await askFor(page, 'too small');
  await chooseInput(page, 'polygons', 'veyra-land-cover-2024');
  // What a size would take is shown before it takes it, with the unit written out.
  await page.getByLabel('Smallest area to keep').fill('6 ha');
  await expect(page.getByTestId('small-preview')).toContainText(/60.000 m² = 6 ha/);
  await runSheet(page);
  await expect(figure(page, 'absorbed')).not.toHaveText('0');

  await askFor(page, 'what became what');
  await chooseInput(page, 'before', 'veyra-land-cover-1978');
  await chooseInput(page, 'after', 'Small ones absorbed');
  await runSheet(page);
  const share = parseFloat((await figure(page, 'unchangedShare').textContent())!);
  expect(share).toBeGreaterThan(70);
  expect(share).toBeLessThan(85);
  await expect(page.getByTestId('unchanged')).toContainText('%');
  await page.getByTestId('copy-matrix').click();
  await page.getByTestId('copy-text').click();
  await expect.poll(() => clipboard(page)).toContain('to \\ from [ha]');
  const lines = (await clipboard(page)).split('\n').map((l) => l.split('\t'));
  expect(lines[0]![0]).toBe('to \\ from [ha]');
  expect(lines.length).toBe(9);
  // Rows and columns add up.
  const total = Number(lines[8]!.at(-1));
  expect(lines.slice(1, 8).reduce((s, l) => s + Number(l.at(-1)), 0)).toBeCloseTo(total, 3);
  // A cell picks its areas on the map.
  await page.getByRole('button', { name: /^arable to meadow/ }).click();
  await page
    .getByTestId(/^row-Overlay/)
    .first()
    .click();
  await expect(page.getByTestId('picked')).toContainText('polygons');
});

test('a choice is made by condition, inverted, kept as a subset and used; labels are drawn', async ({ page }) => {
  await openSample(page);
  await page.getByTestId('row-veyra-parishes').first().click();
  await page.getByRole('button', { name: 'by formula' }).click();
  const field = page.getByLabel('Condition').first();
  await field.click();
  await page.keyboard.type('land == "upland" && solar_2024 > 40');
  await page.getByRole('button', { name: 'Pick', exact: true }).click();
  await expect(page.getByTestId('picked')).toContainText('of 236 polygons');
  const some = Number(/^(\d+)/.exec((await page.getByTestId('picked').textContent())!)![1]);
  await page.getByRole('button', { name: 'invert' }).click();
  await expect(page.getByTestId('picked')).toContainText(`${236 - some} of 236`);
  await expect(page.getByTestId('picked')).toContainText('km²');
  await page.getByTestId('keep-subset').click();
  await page.getByTestId('subset-name').fill('The others');
  await page.getByRole('button', { name: 'Keep', exact: true }).click();
  await expect(page.getByTestId('row-The others')).toBeVisible();
  await expect(page.getByTestId('row-The others')).toContainText(`${236 - some} polygons`);

  // A subset is an input like any other.
  await page.getByTestId('row-The others').click();
  await askFor(page, 'how many lie in each area');
  await chooseInput(page, 'points', 'veyra-newt-sightings');
  await runSheet(page);
  await expect(figure(page, 'counted')).not.toHaveText('0');

  // Labels by a formula, said at once when it cannot be read.
  await page.getByTestId('pane-1').getByRole('button', { name: 'Counts', exact: true }).click();
  const label = page.getByLabel('Label formula');
  await label.click();
  await page.keyboard.type('name + "\\n" + text(count, 0)');
  await expect(page.getByTestId('style-editor')).toBeVisible();
  await page.keyboard.press('Escape');
});

test('a box drawn at a person’s pace picks on the map and keeps what it picked', async ({ page }) => {
  await openSample(page);
  await page.getByTestId('row-veyra-parishes').first().click();
  await page.getByRole('button', { name: 'Pick by a box' }).click();
  const pane = (await page.getByTestId('pane-1').boundingBox())!;
  await page.waitForTimeout(400);
  await page.mouse.click(pane.x + 260, pane.y + 150);
  await page.waitForTimeout(500);
  await page.mouse.move(pane.x + 420, pane.y + 260, { steps: 4 });
  await page.mouse.click(pane.x + 420, pane.y + 260);
  await expect(page.getByTestId('picked')).toContainText('of 236 polygons');
  const some = await page.getByTestId('picked').textContent();
  // A single click is told from a double one only after a while, and must not pick anew.
  await page.waitForTimeout(700);
  await expect(page.getByTestId('picked')).toHaveText(some!);
  expect(Number(/^(\d+)/.exec(some!)![1])).toBeGreaterThan(3);
});

test('files that are wrong are refused in words, and nothing is half taken', async ({ page }) => {
  await openSample(page);
  const rows = page.getByTestId(/^row-/);
  const before = await rows.count();
  await takeIn(page, 'broken.shp', Buffer.from([0, 0, 0x27, 0x0a, ...new Array<number>(60).fill(0)]));
  await expect(page.getByText(/cut off|is not there/).first()).toBeVisible();
  await takeIn(page, 'broken.gpkg', Buffer.concat([Buffer.from('SQLite format 3\0'), Buffer.alloc(200, 7)]));
  await expect(page.getByText(/GeoPackage/).first()).toBeVisible();
  await page.getByTestId('stage-ledger').click();
  await expect(rows).toHaveCount(before);
});

import { expect, test, type Page } from '@playwright/test';
import { askFor, chooseInput, closeSheet, newProject, openBench, runSheet } from './helpers';

/** Small grids as ASCII text, elsewhere than the island, with names as a survey gives them. */
function plots(count: number): { name: string; mimeType: string; buffer: Buffer }[] {
  return Array.from({ length: count }, (_, k) => {
    const rows = Array.from({ length: 6 }, (_, y) =>
      Array.from({ length: 6 }, (_, x) => 12 + ((x * y + k) % 9)).join(' '),
    );
    const head = `ncols 6\nnrows 6\nxllcorner ${311_000 + 60 * (k % 8)}\nyllcorner ${4_102_000 + 60 * Math.floor(k / 8)}\ncellsize 10\nNODATA_value -9\n`;
    const name = `soil-moisture-transect-autumn-plot-${String(k + 1).padStart(2, '0')}.asc`;
    return { name, mimeType: 'text/plain', buffer: Buffer.from(head + rows.join('\n')) };
  });
}
const wells = (name: string) => ({
  name,
  mimeType: 'application/json',
  buffer: Buffer.from(
    JSON.stringify({
      type: 'FeatureCollection',
      features: [0, 1, 2].map((i) => ({
        type: 'Feature',
        properties: { tiefe_ft: 10 + i },
        geometry: { type: 'Point', coordinates: [-5.1 + 0.002 * i, 37.04] },
      })),
    }),
  ),
});

const rows = (page: Page) => page.locator('helk-ledger [data-row]');

test('sixty datasets are taken in, found, folded, chosen together, run on, moved and removed', async ({ page }) => {
  test.setTimeout(300_000);
  await openBench(page);
  await newProject(page, `Plots ${Date.now()}`);
  await page.getByTestId('stage-ledger').click();
  await page.getByTestId('stage-gather').click();
  // One by one, so that they are sixty and no set.
  for (const f of [...plots(60), wells('brunnen.geojson')]) await page.getByTestId('files').setInputFiles(f);
  await page.getByTestId('stage-ledger').click();
  await expect(rows(page)).toHaveCount(61, { timeout: 120_000 });

  // Not all of them are drawn over each other: eight are, one by one or not.
  await expect(page.getByTestId('layers')).toContainText('8 layers');
  await page.getByTestId('find').fill('plot-0');
  await expect(rows(page)).toHaveCount(9);
  await expect(page.getByTestId('found')).toContainText('9 of 61');
  await page.getByTestId('find').fill('');
  await page.getByTestId('listing').click();
  await page.getByRole('menuitemcheckbox', { name: 'feature sets' }).click();
  await expect(rows(page)).toHaveCount(1);
  await page.getByRole('button', { name: 'show all' }).click();
  await page.getByTestId('listing').click();
  await page.getByRole('menuitemradio', { name: 'by name' }).click();
  await expect(rows(page).first()).toHaveAccessibleName('brunnen');
  await page.getByTestId('listing').click();
  await page.getByRole('menuitemcheckbox', { name: 'dense rows' }).click();
  const first = (await rows(page).first().boundingBox())!;
  expect(first.height).toBeLessThan(30);
  // The names are cut in their middle: what they differ by is seen.
  const name = page.getByTestId('row-soil-moisture-transect-autumn-plot-07');
  await expect(name.locator('helk-name span').last()).toHaveText('-plot-07');
  expect((await name.boundingBox())!.width).toBeLessThan(272);

  // Several at once: a run for each, as a table.
  await page.getByTestId('find').fill('plot-1');
  await rows(page)
    .first()
    .click({ modifiers: ['Control'] });
  await rows(page)
    .nth(3)
    .click({ modifiers: ['Shift'] });
  await expect(page.getByTestId('chosen')).toContainText('4 chosen');
  await page.getByTestId('move-to').click();
  await page.getByLabel('Name of the thread').fill('Second ten');
  await page.keyboard.press('Enter');
  await page.getByTestId('find').fill('');
  await page.getByTestId('listing').click();
  await page.getByRole('menuitemradio', { name: 'as it was made' }).click();
  await expect(page.getByTestId('thread-Second ten')).toBeVisible();
  await page.getByTestId('thread-Second ten').click();
  await expect(rows(page)).toHaveCount(57);
  await page.getByTestId('run-on').click();
  await page.keyboard.type('how steep is it');
  await page.keyboard.press('Enter');
  await page.getByTestId('for-each').click();
  await expect(page.getByTestId('run-table')).toBeVisible();
  await expect(page.getByTestId('table-words')).toContainText('4 rows');
  await page.getByTestId('stage-ledger').click();

  // Removed together, brought back together.
  await page.getByTestId('remove-chosen').click();
  await expect(page.getByTestId('notice').last()).toContainText('4 datasets were removed');
  await expect(page.getByTestId('open-bin')).toContainText('4');
  await page.keyboard.press('Control+z');
  await expect(page.getByTestId('open-bin')).toHaveCount(0);
  await page.keyboard.press('Control+Shift+z');
  await expect(page.getByTestId('open-bin')).toContainText('4');
});

test('inputs are found by words; equal names are told apart, the nearest relation stands first', async ({ page }) => {
  await openBench(page);
  await newProject(page, `Pickers ${Date.now()}`);
  await page.getByTestId('stage-ledger').click();
  await page.getByTestId('stage-gather').click();
  for (const f of plots(12)) await page.getByTestId('files').setInputFiles(f);
  await page.getByTestId('stage-ledger').click();
  await expect(rows(page)).toHaveCount(12, { timeout: 60_000 });
  const plot = (k: string) => page.getByTestId(`row-soil-moisture-transect-autumn-plot-${k}`);
  for (const k of ['02', '09']) {
    await plot(k).click();
    await askFor(page, 'how steep is it');
    // What is chosen stands in it; the list has it among the others, and is searched.
    await expect(page.getByTestId('input-elevation')).toContainText(`plot-${k}`);
    await runSheet(page);
    await closeSheet(page);
  }
  await plot('02').click();
  await askFor(page, 'what differs between two grids');
  await page.getByTestId('input-b').click();
  const list = page.getByTestId('choices').getByRole('option');
  // What was made from plot 02 comes before what was not.
  const names = await list.allTextContents();
  expect(names.findIndex((n) => n.includes('Slope'))).toBeLessThan(3);
  await page.keyboard.type('plot-11');
  await expect(list).toHaveCount(1);
  await expect(list).toContainText('6 × 6');
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('input-b')).toContainText('plot-11');
  await expect(page.getByTestId('input-b')).toBeFocused();
  await chooseInput(page, 'b', 'soil-moisture-transect-autumn-plot-03');
  await expect(page.getByTestId('input-b')).toContainText('plot-03');
});

test('removed things wait in the bin over a reload, and go for good only there', async ({ page }) => {
  await openBench(page);
  await newProject(page, `Bin ${Date.now()}`);
  await page.getByTestId('stage-ledger').click();
  await page.getByTestId('stage-gather').click();
  await page.getByTestId('files').setInputFiles(wells('brunnen.geojson'));
  await page.getByTestId('files').setInputFiles(wells('quellen.geojson'));
  await page.getByTestId('stage-ledger').click();
  await expect(rows(page)).toHaveCount(2);
  await page.getByTestId('row-brunnen').focus();
  await page.keyboard.press('Delete');
  await expect(rows(page)).toHaveCount(1);
  await page.reload();
  await page.getByTestId('open-bin').click();
  await expect(page.getByTestId('bin')).toContainText('brunnen');
  await expect(page.getByTestId('bin')).toContainText('3 points');
  await page.getByRole('button', { name: 'Bring back brunnen' }).click();
  await expect(page.getByTestId('bin')).toContainText('Nothing was removed');
  await page.keyboard.press('Escape');
  await expect(rows(page)).toHaveCount(2);
  await page.getByTestId('row-quellen').focus();
  await page.keyboard.press('Delete');
  await page.getByTestId('open-bin').click();
  await page.getByTestId('empty-bin').click();
  await page.getByTestId('empty-bin-now').click();
  await expect(page.getByTestId('bin')).toContainText('Nothing was removed');
  await page.keyboard.press('Escape');
  await expect(page.getByTestId('open-bin')).toHaveCount(0);
  await expect(rows(page)).toHaveCount(1);
});

test('names, drawing, order and what is shown are taken back and done again', async ({ page }) => {
  await openBench(page);
  await newProject(page, `Undo ${Date.now()}`);
  await page.getByTestId('stage-ledger').click();
  await page.getByTestId('stage-gather').click();
  await page.getByTestId('files').setInputFiles(plots(1)[0]!);
  await page.getByTestId('files').setInputFiles(wells('brunnen.geojson'));
  await page.getByTestId('stage-ledger').click();
  await expect(rows(page)).toHaveCount(2);
  await page.getByTestId('row-brunnen').focus();
  await page.keyboard.press('F2');
  await page.getByTestId('dataset-card').getByLabel('Name').fill('wells of 1962');
  await page.getByTestId('dataset-card').getByLabel('Name').press('Enter');
  await page.keyboard.press('Escape');
  await expect(page.getByTestId('row-wells of 1962')).toBeVisible();
  const chips = page.getByTestId('pane-1').locator('helk-pane-chips');
  await chips.getByRole('button', { name: /^Hide wells/ }).click();
  await expect(chips.getByRole('button', { name: /^Show wells/ })).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(page.getByTestId('notice').last()).toContainText('Taken back: “wells of 1962” hidden');
  await expect(chips.getByRole('button', { name: /^Hide wells/ })).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(page.getByTestId('row-brunnen')).toBeVisible();
  await page.keyboard.press('Control+Shift+z');
  await expect(page.getByTestId('row-wells of 1962')).toBeVisible();
  // The buttons say what they would do.
  await expect(page.getByRole('button', { name: 'Undo' })).toHaveAttribute('title', /“brunnen” called “wells of 1962”/);
});

test('the address leads to a dataset, back and forward work, and two tabs keep their own views', async ({
  page,
  context,
}) => {
  await openBench(page);
  await newProject(page, `Address ${Date.now()}`);
  await page.getByTestId('stage-ledger').click();
  await page.getByTestId('stage-gather').click();
  await page.getByTestId('files').setInputFiles(plots(1)[0]!);
  await page.getByTestId('files').setInputFiles(wells('brunnen.geojson'));
  await page.getByTestId('stage-ledger').click();
  await expect(rows(page)).toHaveCount(2);
  const plot = page.getByTestId('row-soil-moisture-transect-autumn-plot-01');
  await plot.click();
  await expect(page).toHaveURL(/\/p\/[a-z0-9]+\/[a-z0-9]+$/);
  const at = page.url();
  await expect(page).toHaveTitle(/^soil-moisture-transect-autumn-plot-01 · Address/);
  await page.getByTestId('row-brunnen').click();
  await expect(page).not.toHaveURL(at);
  await page.goBack();
  await expect(page).toHaveURL(at);
  const chosen = page.locator('helk-ledger-row.bg-act-soft');
  await expect(chosen).toHaveAttribute('data-dataset', at.split('/').pop()!);
  await page.goForward();
  await expect(chosen.locator('[data-row]')).toHaveAccessibleName('brunnen');

  // Another tab opens where the address says; what each shows stays its own, what the data are is shared.
  const other = await context.newPage();
  await other.goto(at);
  await expect(other.locator('helk-ledger-row.bg-act-soft')).toHaveAttribute('data-dataset', at.split('/').pop()!);
  await other.getByRole('button', { name: 'Pane', exact: true }).click();
  await expect(other.getByTestId('pane-2')).toBeVisible();
  await page.getByTestId('row-brunnen').focus();
  await page.keyboard.press('F2');
  await page.getByTestId('dataset-card').getByLabel('Name').fill('wells');
  await page.getByTestId('dataset-card').getByLabel('Name').press('Enter');
  await page.keyboard.press('Escape');
  await expect(other.getByTestId('row-wells')).toBeVisible();
  await page.waitForTimeout(900);
  await page.reload();
  await expect(rows(page)).toHaveCount(2);
  await expect(page.getByTestId('pane-1')).toBeVisible();
  await expect(page.getByTestId('pane-2')).toHaveCount(0);
  await other.reload();
  await expect(other.getByTestId('pane-2')).toBeVisible();
  await other.close();

  // One that is gone is said.
  await page.goto(`${at.replace(/[a-z0-9]+$/, 'abcdef123456')}`);
  await expect(page.getByTestId('notice').last()).toContainText('not in this project any more');
});

test('what is not known of many files, and what is wrong with them, is said and mended for all at once', async ({
  page,
}) => {
  test.setTimeout(180_000);
  const tile = (name: string, k: number) => {
    const cells = Array.from({ length: 40 }, (_, y) =>
      Array.from({ length: 40 }, (_, x) => (k === 1 && y < 2 && x < 9 ? -99 : 300 + ((x * y) % 83))).join(' '),
    );
    const head = `ncols 40\nnrows 40\nxllcorner ${311_000 + 400 * k}\nyllcorner 4102000\ncellsize 10\n`;
    return { name, mimeType: 'text/plain', buffer: Buffer.from(head + cells.join('\n')) };
  };
  await openBench(page);
  await newProject(page, `Feet ${Date.now()}`);
  await page
    .getByTestId('files')
    .setInputFiles([
      tile('relief_a_ft.asc', 0),
      tile('relief_b_ft.asc', 1),
      tile('moss_2011.asc', 3),
      tile('moss_2012.asc', 3),
    ]);
  await page.getByTestId('stage-ledger').click();
  // Each set by its names, though all are of one make.
  await expect(rows(page)).toHaveCount(2, { timeout: 60_000 });
  await expect(page.getByRole('button', { name: 'relief … ft', exact: true })).toBeVisible();
  await expect(page.getByRole('button', { name: 'moss', exact: true })).toBeVisible();

  // The unit in their names is offered, given to both, and can be taken back.
  const offer = page.getByTestId('unit-offer');
  await expect(offer).toContainText('The names of 2 files, relief … ft, end in “ft”');
  await offer.getByRole('button', { name: 'The values are in ft' }).click();
  await expect(offer).toHaveCount(0);
  const reliefs = page.locator('helk-ledger-row').filter({ hasText: 'relief … ft' });
  await expect(reliefs).toContainText('raster · ft');
  await page.keyboard.press('Control+z');
  await expect(offer).toBeVisible();
  await offer.getByRole('button', { name: 'They are not' }).click();
  await expect(offer).toHaveCount(0);

  // Their checks choose all of them; unit and system are said once.
  await reliefs.locator('.tag-look').click();
  const bar = page.getByTestId('chosen');
  await expect(bar).toContainText('2 chosen');
  await bar.getByTestId('unit-of').click();
  await expect(bar.getByLabel('Unit of their values')).toHaveValue('ft');
  await bar.getByRole('button', { name: 'Give it' }).click();
  await expect(reliefs).toContainText('raster · ft');
  await bar.getByRole('button', { name: 'Say their system' }).click();
  await bar.getByLabel('Coordinate system').fill('EPSG:32630');
  await bar.getByLabel('Coordinate system').press('Enter');
  await expect(bar.getByRole('button', { name: 'Say their system' })).toHaveCount(0);

  // A code in one of several inputs is said before the run and mended there, in that one only.
  await bar.getByTestId('run-on').click();
  await page.keyboard.type('join tiles into one grid');
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('check-band.suspectCode')).toContainText(/Number [12]: -99/);
  await page.getByRole('button', { name: 'Make -99 missing in a copy' }).click();
  await expect(page.getByTestId('check-band.suspectCode')).toHaveCount(0);
  await runSheet(page);
  await expect(page.getByTestId('run-result')).toContainText(/Missing cells\s*18/);
});

import { expect, test } from '@playwright/test';
import {
  askFor,
  chooseInput,
  closeSheet,
  figure,
  newProject,
  openBench,
  openSample,
  runSheet,
  state,
  takeIn,
} from './helpers';

test.use({ permissions: ['clipboard-read', 'clipboard-write'] });

test('peat probes: a code is made missing in a copy, a variogram is fitted, surfaces are made and judged', async ({
  page,
}) => {
  await openSample(page);
  await page.getByTestId('row-veyra-peat-probes').first().click();
  await askFor(page, 'how alike are near places');
  await page.getByLabel('Values').selectOption('depth_cm');
  await expect(page.getByTestId('check-column.suspectCode')).toContainText('-99.99');
  await page.getByRole('button', { name: 'Make -99.99 missing in a copy' }).click();
  await expect(page.getByTestId('input-points')).toContainText('veyra-peat-probes, new depth_cm');
  await expect(page.getByTestId('check-column.suspectCode')).toHaveCount(0);
  await runSheet(page);
  await expect(figure(page, 'range')).toContainText('m');
  await expect(page.getByTestId('variogram-chart')).toContainText('nugget');

  await page.getByTestId('row-veyra-peat-probes, new depth_cm').first().click();
  await askFor(page, 'kriging');
  await page.getByLabel('Values').selectOption('depth_cm');
  await expect(page.getByTestId('suggestion').filter({ hasText: 'spacing' })).toBeVisible();
  await runSheet(page);
  await expect(page.getByTestId('row-Standard error')).toBeVisible();

  await page.getByTestId('row-veyra-peat-probes, new depth_cm').first().click();
  await askFor(page, 'which surface is to be trusted');
  await page.getByLabel('Values').selectOption('depth_cm');
  await page.getByLabel('Left out').selectOption('10');
  await runSheet(page);
  await expect(figure(page, 'best')).toHaveText(/kriging|spline|idw/);
  await expect(page.getByText(/least root mean square error/).first()).toBeVisible();
});

test('from the portal to three surfaces, compared on one scale, validated and contoured', async ({ page }) => {
  await openBench(page);
  await newProject(page, `Portal ${Date.now()}`);
  if (!(await page.getByTestId('service-address').count())) await page.getByTestId('stage-gather').click();
  // Nothing answers: said in a sentence, nothing half taken.
  await page.getByTestId('service-address').fill('http://127.0.0.1:4/none');
  await page.getByTestId('service-ask').click();
  await expect(page.getByTestId('service-problem')).toContainText('cannot be reached');
  await page.getByRole('button', { name: 'Leave this service' }).click();

  await page.getByTestId('service-address').fill(`${new URL(page.url()).origin}/portal`);
  await page.getByTestId('service-ask').click();
  await expect(page.getByTestId(/^hit-/)).toHaveCount(7);
  await page.getByTestId('service-words').fill('peat moisture');
  await page.getByTestId('service-search').click();
  await expect(page.getByTestId(/^hit-/)).toHaveCount(1);
  await page.getByTestId('hit-peat-probes').click();
  await expect(page.getByTestId('catalogue')).toContainText('214 points');
  await expect(page.getByTestId('catalogue')).toContainText('Depth of the peat; -99.99 when not measured');
  await page.getByLabel('Take column moisture').click();
  await page.getByTestId('service-take').click();
  await page.getByTestId('stage-ledger').click();
  const row = page.getByTestId('row-Peat survey of the eastern moor');
  await expect(row).toContainText('214 points');
  await expect(row).toContainText('1 check');

  // The code is seen where the values are looked at, and made missing in a copy.
  await row.click();
  await page.getByRole('tab', { name: 'How alike near places are' }).click();
  await page.getByTestId('variogram-value').selectOption('depth_cm');
  await page.getByRole('button', { name: 'Make -99.99 missing in a copy' }).click();
  const clean = page.getByTestId('row-Peat survey of the eastern moor, new depth_cm');
  await expect(clean).toBeVisible();
  await clean.click();

  // The model follows the hand, and goes back to the fit.
  await page.getByRole('tab', { name: 'How alike near places are' }).click();
  const words = page.getByTestId('variogram-words');
  await expect(words).toContainText('R² 0.9');
  const fitted = await words.textContent();
  const handle = page.getByTestId('handle-range');
  const box = (await handle.boundingBox())!;
  await page.mouse.move(box.x + 9, box.y + 9);
  await page.mouse.down();
  await page.mouse.move(box.x + 80, box.y + 9, { steps: 4 });
  await page.mouse.up();
  await expect(words).not.toHaveText(fitted!);
  await page.getByTestId('variogram-release').click();
  await page.getByTestId('variogram-model').selectOption('spherical');
  await expect(words).toContainText('spherical');
  await page.getByTestId('variogram-azimuth').fill('45');
  await page.getByTestId('variogram-azimuth').press('Enter');
  await expect(page.getByTestId('variogram-said')).toContainText('fewer than 30 pairs');
  await page.getByTestId('variogram-azimuth').fill('');
  await page.getByTestId('variogram-azimuth').press('Enter');
  await page.getByTestId('variogram-lag').fill('9 km');
  await page.getByTestId('variogram-lag').press('Enter');
  await expect(page.getByTestId('variogram-said')).toContainText('wider than the greatest distance');
  await page.getByTestId('variogram-lag').fill('');
  await page.getByTestId('variogram-lag').press('Enter');

  // Three surfaces on one grid; the kriging with the model just made.
  for (const question of ['inverse distance', 'nearest measurement']) {
    await clean.click();
    await askFor(page, question);
    await runSheet(page);
    await closeSheet(page);
  }
  await clean.click();
  await page.getByRole('tab', { name: 'How alike near places are' }).click();
  await page.getByTestId('variogram-krige').click();
  await expect(page.getByTestId('run-sheet').getByLabel('Model')).toHaveValue('spherical');
  await runSheet(page);
  await expect(figure(page, 'model')).toHaveText('spherical');
  await page.getByTestId('judge').click();
  await closeSheet(page);
  await expect(page.getByTestId(/^pane-\d$/)).toHaveCount(4);
  for (const pane of [1, 2, 3]) {
    await expect(page.getByTestId(`pane-${pane}`)).toContainText('shared scale');
    await expect(page.getByTestId(`pane-${pane}`)).toContainText('new depth_cm');
  }
  await expect(page.getByTestId('pane-4')).toContainText('Standard error');
  await expect(page.getByTestId('pane-4')).not.toContainText('shared scale');

  await page.getByRole('button', { name: 'Difference' }).click();
  await runSheet(page);
  await expect(figure(page, 'rmse')).toContainText('cm');
  await closeSheet(page);

  await clean.click();
  await askFor(page, 'which surface is to be trusted');
  await page.getByLabel('Left out').selectOption('10');
  await runSheet(page);
  await expect(page.getByText(/least root mean square error/).first()).toBeVisible();
  await expect(page.getByTestId('row-Residuals')).toBeVisible();
  await closeSheet(page);

  await page.getByTestId('row-Kriging').click();
  await askFor(page, 'contours');
  await page.getByLabel('Interval').fill('25');
  await runSheet(page);
  await expect(state(page, 'done')).toBeVisible();
  await expect(figure(page, 'levels')).not.toHaveText('0');
});

test('statistics of cells in parishes become labels; two grids become box plots that pick on the map', async ({
  page,
}) => {
  await openSample(page);
  await askFor(page, 'statistics in polygons');
  await chooseInput(page, 'raster', 'Filled');
  await chooseInput(page, 'zones', 'veyra-parishes');
  await runSheet(page);
  await expect(figure(page, 'zones')).toContainText('236');
  await closeSheet(page);
  const zonal = page.getByTestId(/^row-Zon/).first();
  await zonal.click();
  const name = (await zonal.textContent())!.trim().split(/\d/)[0]!.trim();
  await page.getByTestId('pane-1').getByRole('button', { name, exact: true }).click();
  await page.getByLabel('Label formula').click();
  await page.keyboard.type('name + "\\n" + text(mean, 0) + " m"');
  await page.keyboard.press('Escape');
  await page.keyboard.press('Escape');

  // Charts: a range of the histogram, a group's box and a box over the scatter pick the same rows as the table and map show.
  await page.getByTestId('row-veyra-parishes').first().click();
  await page.getByRole('tab', { name: 'Charts' }).click();
  await page.getByTestId('chart-value').selectOption('solar_2024');
  const brush = page.getByTestId('chart-brush');
  const drag = async (x0: number, y0: number, x1: number, y1: number): Promise<void> => {
    const b = (await brush.boundingBox())!;
    await page.mouse.move(b.x + b.width * x0, b.y + b.height * y0);
    await page.mouse.down();
    await page.mouse.move(b.x + b.width * x1, b.y + b.height * y1, { steps: 4 });
    await page.mouse.up();
  };
  const picked = async (): Promise<string> => {
    await page.getByRole('tab', { name: 'Table' }).click();
    const t = (await page.getByTestId('picked').textContent())!;
    await page.getByRole('tab', { name: 'Charts' }).click();
    return t;
  };
  await drag(0.5, 0.3, 0.9, 0.4);
  const some = await picked();
  expect(some).toContain('of 236 polygons');
  await page.getByRole('button', { name: 'by group' }).click();
  await page.getByTestId('chart-group').selectOption('land');
  await drag(0.3, 0.5, 0.3, 0.5);
  expect(await picked()).not.toBe(some);
  await page.getByRole('button', { name: 'against', exact: true }).click();
  await page.getByTestId('chart-other').selectOption('income');
  await expect(page.getByTestId('chart-words')).toContainText('r = ');
  await drag(0.1, 0.1, 0.95, 0.85);
  expect(await picked()).toContain('of 236 polygons');

  // A range dragged over the bars of a column's head.
  await page.getByRole('tab', { name: 'Table' }).click();
  await page.getByTestId('column-income').click();
  const bars = (await page.getByRole('slider', { name: 'Range to pick' }).boundingBox())!;
  await page.mouse.move(bars.x + 20, bars.y + 10);
  await page.mouse.down();
  await page.mouse.move(bars.x + 100, bars.y + 10, { steps: 3 });
  await page.mouse.up();
  await page.keyboard.press('Escape');
  await expect(page.getByTestId('picked')).toContainText('of 236 polygons');
});

test('two grids become points with their source, and box plots by source', async ({ page }) => {
  await openBench(page);
  await newProject(page, `Boxes ${Date.now()}`);
  for (const [name, low] of [
    ['spring', 2],
    ['autumn', 30],
  ] as const) {
    const cells = Array.from({ length: 12 }, (_, r) =>
      Array.from({ length: 12 }, (_, c) => low + ((r * 7 + c * 3) % 11)).join(' '),
    );
    const grid = `ncols 12\nnrows 12\nxllcorner 535000\nyllcorner 6450000\ncellsize 10\nNODATA_value -9999\n${cells.join('\n')}\n`;
    await takeIn(page, `${name}.asc`, Buffer.from(grid));
    await expect(page.getByText(name, { exact: true }).first()).toBeVisible();
  }
  await page.getByTestId('stage-ledger').click();
  await askFor(page, 'every cell as a point');
  for (const name of ['spring', 'autumn']) {
    const box = page.getByRole('checkbox', { name });
    if (!(await box.isChecked())) await box.check();
  }
  await runSheet(page);
  await expect(figure(page, 'points')).toContainText('288');
  await closeSheet(page);
  await page.getByRole('tab', { name: 'Charts' }).click();
  await page.getByRole('button', { name: 'by group' }).click();
  await expect(page.getByTestId('chart-group')).toHaveValue('source');
  const b = (await page.getByTestId('chart-brush').boundingBox())!;
  await page.mouse.click(b.x + b.width * 0.75, b.y + b.height * 0.5);
  await page.getByRole('tab', { name: 'Table' }).click();
  await expect(page.getByTestId('picked')).toContainText('144 of 288 points');
});

test('a class is typed into a cell, another into all that is picked, and both are kept as a run', async ({ page }) => {
  await openSample(page);
  await page.getByTestId('row-veyra-land-cover-1978').first().click();
  const cell = page.locator('[data-cell=class]').nth(1);
  await cell.dblclick();
  const field = page.getByLabel('class of no. 2');
  await expect(field).toBeFocused();
  await field.fill('fen');
  await page.keyboard.press('Enter');
  await expect(cell).toHaveText('fen');
  await expect(page.getByTestId('edits')).toContainText('1 value typed');
  // A number column takes numbers only.
  await page.locator('[data-cell=id]').nth(2).dblclick();
  await page.getByLabel('id of no. 3').fill('many');
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('cell-wrong')).toContainText('is no number');
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'by formula' }).click();
  await page.getByLabel('Condition').first().click();
  await page.keyboard.type('class == "moor"');
  await page.getByRole('button', { name: 'Pick', exact: true }).click();
  const picked = page.getByTestId('picked');
  await expect(picked).toContainText(/^\s*\d/);
  const n = Number(/(\d+)/.exec((await picked.textContent())!)![1]);
  await page.getByRole('button', { name: 'set a value' }).click();
  await page.getByLabel('Value to set').fill('upland; moor');
  await page.getByRole('button', { name: `Set in ${n}` }).click();
  await expect(page.getByTestId('edits')).toContainText(/values typed/);
  await page.getByRole('button', { name: 'Keep as a new set' }).click();
  const made = page.getByTestId('row-veyra-land-cover-1978 edited');
  await expect(made).toBeVisible();
  await expect(page.getByTestId('edits')).toHaveCount(0);
  await expect(page.locator('[data-cell=class]').nth(1)).toHaveText('fen');
  // The original is as it was.
  await page.getByTestId('row-veyra-land-cover-1978').first().click();
  await expect(page.locator('[data-cell=class]').nth(1)).not.toHaveText('fen');
});

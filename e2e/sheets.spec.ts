import { expect, test, type Download, type Page } from '@playwright/test';
import { openSample } from './helpers';
import { faults, readPdf } from './readers';

test.use({ permissions: ['clipboard-read', 'clipboard-write'] });

const rested = (page: Page) => expect(page.getByTestId('page')).toHaveAttribute('data-busy', 'false');

async function takeAway(page: Page): Promise<Download> {
  const [download] = await Promise.all([
    page.waitForEvent('download', { timeout: 240_000 }),
    page.getByTestId('take-away').click(),
  ]);
  return download;
}

/** Shows the filled terrain with its watershed, and makes a sheet of it. */
async function firstSheet(page: Page): Promise<void> {
  await openSample(page);
  await page.getByTestId('row-Filled').first().click();
  await page.getByTestId('stage-sheets').click();
  await page.getByTestId('first-sheet').click();
  await rested(page);
}

test('from the open demo to a finished page: map, key, scale bar, north, chart and note', async ({ page }) => {
  await openSample(page);
  await page.getByTestId('row-Filled').first().click();
  await expect(page.getByTestId('pane-1')).toContainText('Filled, m');
  // What is seen is pinned with one key; so is the chart that is pointed at.
  await page.keyboard.press('f');
  await expect(page.getByTestId('notice').last()).toContainText('Pinned');
  await page.getByTestId('evidence').hover({ position: { x: 200, y: 120 } });
  await page.keyboard.press('f');
  await expect(page.getByTestId('notice').last()).toContainText('What filling changed');
  await page.getByTestId('stage-sheets').click();
  await expect(page.getByTestId(/^finding-/)).toHaveCount(2);
  await page.getByTestId('first-sheet').click();
  await rested(page);

  await page.getByTestId('sheet-name').fill('Where floods come from');
  await page.getByTestId('sheet-name').press('Enter');
  await page.getByRole('button', { name: /More of What filling changed/ }).click();
  await page.getByRole('menuitem', { name: 'Onto the sheet' }).click();
  await page.getByTestId('add-part').click();
  await page.getByRole('menuitem', { name: /^Text/ }).click();
  await page.getByTestId('words').fill('Filled to the brim at {scale}; see {layers}.');
  await page.locator('[data-part=map1]').click({ position: { x: 20, y: 20 } });
  await page.getByTestId('frame-scale').fill('1:25 000');
  await page.getByTestId('frame-scale').press('Enter');
  await page.getByTestId('frame-grid').selectOption('system');
  await rested(page);
  await expect(page.getByTestId('out-words')).toContainText('A4');
  const [sheet] = await readPdf(await takeAway(page));

  expect(sheet!.size.map((v) => Math.round(v * 100) / 100)).toEqual([841.89, 595.28]);
  for (const words of [
    'Where floods come from',
    'Filled, m',
    'grid north',
    'Filled to the brim at 1:25',
    'What filling changed',
    'EPSG:32627',
  ])
    expect(sheet!.text).toContain(words);
  expect(sheet!.fonts.length).toBeGreaterThan(2);
  for (const f of sheet!.fonts) expect(f.missingFile ?? false).toBe(false);
  // A kilometre of the grid is four centimetres of paper: lines of the coordinates, in pixels of 1/96 inch.
  const upright = sheet!.lines.filter(
    (l) => l.length === 2 && Math.abs(l[0]![0] - l[1]![0]) < 0.01 && Math.abs(l[0]![1] - l[1]![1]) > 300,
  );
  const xs = [...new Set(upright.map((l) => l[0]![0]))].sort((a, b) => a - b);
  expect(xs.length).toBeGreaterThan(3);
  for (let i = 1; i < xs.length; i++) expect(((xs[i]! - xs[i - 1]!) / 96) * 2.54).toBeCloseTo(4, 1);
  // The relief is a picture, in a few parts; bars of the chart and lines are what they are.
  expect(sheet!.images).toBeLessThan(8);
  expect(sheet!.lines.length).toBeGreaterThan(30);
});

test('ten parishes become ten sheets, in one document and as files', async ({ page }) => {
  await openSample(page);
  await page.getByTestId('row-veyra-parishes').first().click();
  await page.getByRole('button', { name: 'by formula' }).click();
  await page.getByLabel('Condition').first().click();
  await page.keyboard.type('parish <= 10');
  await page.getByRole('button', { name: 'Pick', exact: true }).click();
  await expect(page.getByTestId('picked')).toContainText('of 236 polygons');
  const picked = Number(/^(\d+)/.exec((await page.getByTestId('picked').textContent())!)![1]);
  expect(picked).toBe(10);
  await page.getByTestId('stage-sheets').click();
  await page.getByTestId('first-sheet').click();
  await rested(page);
  await page.getByTestId('many-by').selectOption({ label: 'each of 236 in “veyra-parishes”' });
  await page.getByTestId('many-only').check();
  await expect(page.getByTestId('many-example')).toContainText(`${picked} sheets: `);
  await page.locator('[data-part=words2]').click();
  await page.getByTestId('words').fill('{name}, sheet {number} of {of}');
  await page.getByTestId('out-dpi').fill('72');
  await page.getByTestId('out-dpi').press('Enter');
  await expect(page.getByTestId('out-words')).toContainText(`${picked} sheets`);
  const pages = await readPdf(await takeAway(page));
  expect(pages.length).toBe(picked);
  pages.forEach((p, i) => expect(p.text).toContain(`sheet ${i + 1} of ${picked}`));
  // Each at a scale of its own parish.
  expect(new Set(pages.map((p) => /1:\S+/.exec(p.text)?.[0])).size).toBeGreaterThan(1);

  await page.getByTestId('out-format').selectOption('svg');
  const zip = await takeAway(page);
  expect(zip.suggestedFilename()).toMatch(/\.zip$/);
  await page.getByTestId('many-by').selectOption('');
});

test('a finding is shown again as it was seen, and says when what it rests on has changed', async ({ page }) => {
  await openSample(page);
  await page.getByTestId('row-veyra-peat-probes').first().click();
  await page.keyboard.press('f');
  await expect(page.getByTestId('notice').last()).toContainText('Pinned');
  await page.getByTestId('pane-1').getByRole('button', { name: 'Take veyra-peat-probes out of the pane' }).click();
  await page.getByTestId('stage-sheets').click();
  const mine = page.getByTestId(/^finding-.*peat-probes/).last();
  await mine
    .getByRole('button', { name: /as it was seen/ })
    .first()
    .click();
  await expect(page.getByTestId('pane-1')).toContainText('veyra-peat-probes');
  await mine.getByRole('button', { name: /^More of/ }).click();
  await page.getByRole('menuitem', { name: 'Title and note' }).click();
  await mine.getByLabel('Note').fill('Deep in the north.');
  await mine.getByRole('button', { name: 'Done' }).click();
  await expect(mine).toContainText('Deep in the north.');

  // What it shows is removed: the finding says so, until it is back.
  await page.getByTestId('stage-ledger').click();
  await page.getByTestId('row-veyra-peat-probes').first().hover();
  await page.getByRole('button', { name: 'What can be done with veyra-peat-probes', exact: true }).click();
  await page.getByRole('menuitem', { name: 'Remove' }).click();
  await page.getByTestId('stage-sheets').click();
  await expect(mine.getByTestId('outdated')).toContainText('has been removed');
  await page.getByTestId('notice').last().getByRole('button', { name: 'Undo' }).click();
  await expect(mine.getByTestId('outdated')).toHaveCount(0);
});

test('a sheet is made by keyboard, copied as a picture, and keeps what was undone in reach', async ({ page }) => {
  await firstSheet(page);
  const map = page.locator('[data-part=map1]');
  const left = page.getByLabel('left', { exact: true });
  await map.focus();
  await page.keyboard.press('Space');
  await expect(left).toHaveValue('14');
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('Shift+ArrowRight');
  await expect(left).toHaveValue('25');
  await page.keyboard.press('Control+z');
  await expect(left).toHaveValue('14');
  await page.keyboard.press('Control+y');
  await expect(left).toHaveValue('25');
  await page.keyboard.press('Control+z');
  await page.locator('[data-part=bar]').focus();
  await page.keyboard.press('Space');
  await page.keyboard.press('Delete');
  await expect(page.locator('[data-part=bar]')).toHaveCount(0);
  await map.focus();
  await page.keyboard.press('Control+z');
  await expect(page.locator('[data-part=bar]')).toHaveCount(1);
  // Parts are as large as they are on paper; what is small there is chosen from the list of parts as well.
  const small = (f: string): boolean => f.startsWith('target-size: <div tabindex="0" role="button"');
  expect((await faults(page, 'helk-sheet-view')).filter((f) => !small(f))).toEqual([]);

  await page.getByTestId('copy-sheet').click();
  await expect(page.getByTestId('notice').last()).toContainText('Copied');
  const size = await page.evaluate(async () => {
    const [item] = await navigator.clipboard.read();
    const picture = await createImageBitmap(await item!.getType('image/png'));
    return [picture.width, picture.height];
  });
  expect(size[0]! / size[1]!).toBeCloseTo(297 / 210, 1);
  expect(size[0]).toBeGreaterThan(1500);
});

test('what cannot be is refused in a sentence, and nothing of it stays', async ({ page }) => {
  await firstSheet(page);
  await page.locator('[data-part=map1]').click({ position: { x: 20, y: 20 } });
  await page.getByTestId('frame-scale').fill('as large as possible');
  await page.getByTestId('frame-scale').press('Enter');
  await expect(page.getByTestId('notice').last()).toContainText('is no scale');
  await expect(page.getByTestId('frame-scale')).toHaveValue(/^1:\d/);
  await page.getByTestId('stage-methods').click();
  await page.getByTestId('stage-sheets').click();
  await page
    .getByTestId(/^map-sheet-/)
    .last()
    .click();
  await page.getByTestId('sheet-page').selectOption('A0');
  await page.getByTestId('out-format').selectOption('png');
  await page.getByTestId('out-dpi').fill('1200');
  await page.getByTestId('out-dpi').press('Enter');
  await expect(page.getByTestId('out-refused')).toContainText(/pixels at 1200 dpi.*million.*dpi would do/);
  await expect(page.getByTestId('take-away')).toBeDisabled();
  const before = await page.getByTestId(/^map-sheet-/).count();
  await page.getByTestId('sheet-file').setInputFiles({
    name: 'other.json',
    mimeType: 'application/json',
    buffer: Buffer.from('{"format":"helk-sheet","version":1,"name":"x","parts":[{"kind":"frame"}]}'),
  });
  await expect(page.getByTestId('notice').last()).toContainText('The sheet cannot be used');
  expect(await page.getByTestId(/^map-sheet-/).count()).toBe(before);
});

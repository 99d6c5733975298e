import { readFileSync } from 'node:fs';
import { expect, test } from '@playwright/test';
import { readFile } from '@helk/core/formats';
import type { Raster } from '@helk/core';
import { askFor, figure, isPainted, openSample, runSheet } from './helpers';

// One story: the later tests look at what the first one made.
test.describe.configure({ mode: 'serial' });

test('an analyst goes from tiles to a filled, projected terrain with slope, compares, and carries it out', async ({
  page,
}) => {
  await openSample(page);
  await expect.poll(() => isPainted(page, 1)).toBe(true);
  const first = await page.evaluate(() => performance.getEntriesByName('helk-first-picture')[0]?.startTime ?? NaN);
  console.log(`  first picture of the map ${first.toFixed(0)} ms after the page's start`);

  // One mosaic of five tiles: the method takes the set that was gathered together.
  await page.getByTestId('row-veyra-elevation').click();
  await askFor(page, 'tiles');
  await expect(page.getByText('5 chosen')).toBeVisible();
  await runSheet(page);
  await expect(figure(page, 'tiles')).toHaveText('5');
  await expect(page.getByTestId('run-result')).toContainText('lies 5.00 m above');

  // Projected: system and cell size are suggested with their reasons.
  await askFor(page, 'coordinate system');
  await expect(page.getByTestId('suggestion').first()).toContainText('UTM zone 27N');
  await expect(page.getByTestId('suggestion').nth(1)).toContainText('30 m');
  await runSheet(page);
  await expect(page.locator('[data-testid^=pane-]').filter({ hasText: 'Projected' })).toBeVisible();

  // Filling depressions finds the enclosed holes and offers to fill them first, with one click.
  await askFor(page, 'where does water get stuck');
  await expect(page.getByTestId('check-band.enclosedGaps')).toContainText('2 holes');
  await page.getByRole('button', { name: 'Fill the holes first' }).click();
  await expect(page.getByTestId('input-elevation')).toContainText('Gaps filled');
  await expect(page.getByTestId('check-fine')).toBeVisible();
  await runSheet(page);
  await expect(figure(page, 'deepest')).toContainText('m');
  await expect(page.getByRole('tab', { name: 'What filling changed' })).toHaveAttribute('aria-selected', 'true');

  // Before and after stand side by side on one place: the deepest change is visited and read in both.
  await page.getByTestId('evidence').getByRole('button', { name: 'no. 1' }).first().click();
  const values = page.getByTestId('readout-value');
  await expect(values).toHaveCount(2);
  await expect.poll(async () => (await values.allTextContents()).filter((t) => /\d m/.test(t)).length).toBe(2);
  const [a, b] = (await values.allTextContents()).map((t) => Number(t.replace('−', '-').replace(/[^\d.-]/g, '')));
  expect(Math.abs(a! - b!)).toBeGreaterThan(100);

  await askFor(page, 'how steep is it?');
  await runSheet(page);
  await expect(figure(page, 'mean')).toContainText('°');
  await expect.poll(() => isPainted(page, 1)).toBe(true);
  await expect.poll(() => isPainted(page, 2)).toBe(true);

  // Out: the filled grid as a GeoTIFF, the pane as a picture.
  await page.getByTestId('row-Filled').hover();
  await page.getByRole('button', { name: 'What can be done with Filled', exact: true }).click();
  await page.getByRole('menuitem', { name: 'Save as a file' }).click();
  const [tif] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'Save' }).click()]);
  const r = (await readFile('filled.tif', new Uint8Array(readFileSync(await tif.path())))).layers[0]!.data as Raster;
  expect([r.grid.crs?.code, r.grid.dx, r.bands[0]!.unit]).toEqual(['EPSG:32627', 30, 'm']);
  await page.getByRole('button', { name: 'Close', exact: true }).click();
  await page.getByTestId('pane-1').getByRole('button', { name: 'Picture of this pane' }).click();
  const [png] = await Promise.all([
    page.waitForEvent('download'),
    page
      .getByRole('menuitem', { name: /^Picture \(PNG/ })
      .nth(1)
      .click(),
  ]);
  const bytes = readFileSync(await png.path());
  expect(bytes.subarray(1, 4).toString()).toBe('PNG');
  expect(bytes.length).toBeGreaterThan(20_000);

  // It opens as it was left.
  await page.waitForTimeout(900);
  await page.reload();
  await expect(page.locator('[data-testid^=pane-]').filter({ hasText: 'Filled' })).toBeVisible();
  await expect(page.locator('[data-testid^=pane-]').filter({ hasText: 'Slope' })).toBeVisible();
});

test('colours, classes, light, missing cells and swipe are drawn at once, without the server', async ({ page }) => {
  await openSample(page);
  await expect.poll(() => isPainted(page, 1)).toBe(true);
  await page.getByTestId('row-Filled').click();
  await page.waitForLoadState('networkidle');
  const pane = page
    .locator('[data-testid^=pane-]')
    .filter({ has: page.getByRole('button', { name: 'Filled', exact: true }) })
    .first();
  await pane.getByRole('button', { name: 'Filled', exact: true }).click();
  const editor = page.getByTestId('style-editor');
  await expect(editor.getByRole('radio', { name: 'Heather to lichen' })).toBeVisible();
  let asked = 0;
  page.on('request', (r) => (asked += /\/(pieces|whole)\b/.test(r.url()) ? 1 : 0));
  // From the click to the first picture with other colours in it, as the page itself sees it.
  const drawn = await pane.evaluate(async (el) => {
    const sum = (): number => {
      let s = 0;
      for (const c of el.querySelectorAll('canvas')) {
        if (!c.width || !c.height) continue;
        const d = c.getContext('2d')!.getImageData(c.width / 2 - 40, c.height / 2 - 40, 80, 80).data;
        for (let i = 0; i < d.length; i += 16) s += d[i]! + 3 * d[i + 2]!;
      }
      return s;
    };
    const before = sum();
    const radio = [...document.querySelectorAll<HTMLElement>('[role=radio]')].find((r) =>
      r.textContent?.includes('Heather to lichen'),
    )!;
    const start = performance.now();
    radio.click();
    while (sum() === before && performance.now() - start < 5000) await new Promise((r) => requestAnimationFrame(r));
    return performance.now() - start;
  });
  console.log(`  new colours drawn ${drawn.toFixed(0)} ms after the click`);
  await expect(editor.getByRole('radio', { name: 'Heather to lichen' })).toHaveAttribute('aria-checked', 'true');
  await editor.getByLabel('Number of classes').selectOption('5');
  await expect(pane.locator('[data-testid^=key-]').last()).toContainText(' to ');
  await editor.getByLabel('Light from').fill('90');
  await editor.getByLabel('Stretch').selectOption('own');
  await editor.getByLabel('Lowest').fill('900');
  await editor.getByLabel('Lowest').press('Tab');
  await expect(page.getByTestId('notice')).toContainText('must exceed');
  expect(asked).toBe(0);
});

test('a variant opens beside its sibling', async ({ page }) => {
  await openSample(page);
  await page.getByTestId('row-Slope').click();
  await page.getByTestId('row-Slope').hover();
  await page.getByRole('button', { name: 'What can be done with Slope', exact: true }).click();
  await page.getByRole('menuitem', { name: 'Vary its run' }).click();
  await page.getByLabel('Unit').selectOption('percent');
  await runSheet(page);
  await expect(figure(page, 'mean')).toContainText('%');
  await expect(page.getByTestId('row-Slope, percent')).toBeVisible();
  await expect(page.locator('[data-testid^=pane-]').filter({ hasText: 'Slope, percent' })).toBeVisible();
});

import { expect, test, type Page } from '@playwright/test';
import { askFor, newProject, openBench, openSample, runSheet, state } from './helpers';
import { faults } from './readers';

/** The sample project is shared by all stories: one pane, with what it opens with. */
async function tidy(page: Page): Promise<void> {
  const close = page.getByRole('button', { name: 'Close pane' });
  // A pane may go by itself just now, with what was removed.
  while ((await close.count()) > 0)
    await close
      .last()
      .click({ timeout: 3000 })
      .catch(() => undefined);
  await page.getByRole('button', { name: 'Empty pane' }).click();
  await page.getByTestId('row-Filled').first().click();
  await page.waitForTimeout(900);
}

const map = (page: Page) => page.getByRole('application').first();

test('a click reads: what is picked and the open evidence stay; the tool or Ctrl picks', async ({ page }) => {
  await openSample(page);
  await page.getByTestId('row-veyra-parishes').first().click();
  await page.getByRole('tab', { name: 'Table' }).click();
  await page.getByRole('button', { name: 'by formula' }).click();
  await page.getByRole('textbox', { name: 'Condition' }).fill('area(km2) > 1');
  await page.getByRole('button', { name: 'Pick', exact: true }).click();
  await expect(page.getByTestId('picked')).toContainText('of 236 polygons');
  const picked = (await page.getByTestId('picked').textContent())!;
  const box = (await map(page).boundingBox())!;
  const middle = [box.x + box.width / 2, box.y + box.height / 2] as const;
  await page.mouse.click(...middle);
  await expect(page.getByTestId('readout')).toContainText('veyra-parishes');
  await page.waitForTimeout(600);
  await expect(page.getByTestId('picked')).toHaveText(picked);
  await expect(page.getByRole('tab', { name: 'Table' })).toHaveAttribute('aria-selected', 'true');
  await page.getByTestId('click-picks').click();
  await page.mouse.click(...middle);
  await expect(page.getByTestId('picked')).toContainText('1 of 236 polygons');
  await page.getByTestId('click-picks').click();
  await tidy(page);
});

test('points, a line and areas are drawn outside any method, by keyboard and by typed places', async ({ page }) => {
  await openBench(page);
  await newProject(page, `Drawn ${Date.now()}`);
  await page.getByTestId('stage-ledger').click();
  await page.getByTestId('stage-gather').click();
  const collection = (coordinates: number[][]) =>
    JSON.stringify({
      type: 'FeatureCollection',
      features: coordinates.map((c, i) => ({ type: 'Feature', properties: { i }, geometry: { type: 'Point', coordinates: c } })), // prettier-ignore
    });
  await page.getByTestId('files').setInputFiles({
    name: 'pozos.geojson',
    mimeType: 'application/json',
    buffer: Buffer.from(collection([[-70.6, -33.5], [-70.5, -33.4], [-70.55, -33.45]])), // prettier-ignore
  });
  await page.getByTestId('stage-ledger').click();
  await expect(page.getByTestId('row-pozos')).toBeVisible();

  // By the keys of the map: D, the second of three, corners with Space, the end with Enter.
  await map(page).focus();
  await page.keyboard.press('d');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('sketch')).toContainText('corner by corner');
  await expect(map(page)).toBeFocused();
  await page.keyboard.press(' ');
  for (let k = 0; k < 4; k++) {
    await page.keyboard.press('ArrowRight');
    await page.waitForTimeout(250);
  }
  await page.keyboard.press(' ');
  await expect(page.getByTestId('sketch-end')).toBeVisible();
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('row-drawn line')).toContainText('1 line');

  // Typed: what is no place is said; two angles are one.
  await page.getByTestId('draw').click();
  await page.getByRole('menuitem', { name: 'Draw points' }).click();
  const typed = page.getByTestId('typed-place');
  await typed.fill('somewhere');
  await typed.press('Enter');
  await expect(page.getByTestId('sketch')).toContainText('Two numbers are needed');
  for (const place of ['33.45 S 70.52 W', '33°27′S 70°33′W', '33.41 S 70.57 W']) {
    await typed.fill(place);
    await typed.press('Enter');
    await expect(typed).toHaveValue('');
  }
  await page.getByRole('button', { name: 'Take the last back' }).click();
  await page.getByTestId('sketch-done').click();
  await expect(page.getByTestId('row-drawn points')).toContainText('2 points');

  // Asked for in the ask box.
  await page.keyboard.press('Control+k');
  await page.keyboard.type('draw areas');
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('sketch')).toContainText('close the area');
  for (const place of ['33.45 S 70.52 W', '33.46 S 70.52 W', '33.46 S 70.53 W']) {
    await typed.fill(place);
    await typed.press('Enter');
    await expect(typed).toHaveValue('');
  }
  await page.getByTestId('sketch-end').click();
  await page.getByTestId('sketch-done').click();
  await expect(page.getByTestId('row-drawn area')).toContainText('1 polygon');
});

test('the keyboard is where one goes on: first field, result, and back after Escape', async ({ page }) => {
  await openSample(page);
  await page.getByTestId('row-Filled').first().click();
  await askFor(page, 'how steep is it');
  await expect(page.getByTestId('input-elevation')).toBeFocused();
  await expect(page.getByTestId('run')).toBeEnabled();
  await page.getByTestId('run').focus();
  await page.keyboard.press('Enter');
  await expect(state(page, 'done')).toBeVisible();
  await expect(page.getByTestId('run-result')).toBeFocused();
  await page.keyboard.press('Escape');
  await expect(page.getByTestId('run-sheet')).toHaveCount(0);
  await expect(page.locator('helk-ledger [data-row]:focus')).toHaveCount(1);
  const at = page.locator('helk-ledger [data-row]:focus');
  await page.keyboard.press('ArrowUp');
  await expect(at).not.toHaveAccessibleName('Slope');
  // What was filled in and closed can be had again.
  await askFor(page, 'contours');
  await page.locator('#p-interval').fill('37');
  await page.keyboard.press('Escape');
  await expect(page.getByTestId('run-sheet')).toHaveCount(0);
  await page.keyboard.press('Control+z');
  await expect(page.locator('#p-interval')).toHaveValue('37');
  await page.getByRole('button', { name: 'Close the run sheet' }).click();
  await page.getByTestId('row-Slope').last().focus();
  await page.keyboard.press('Delete');
  await tidy(page);
});

test('half a number starts nothing heavy, is no error, and below a cell it is refused with the reason', async ({
  page,
}) => {
  const errors: string[] = [];
  page.on('console', (m) => m.type() === 'error' && errors.push(m.text()));
  page.on('response', (r) => r.status() >= 400 && errors.push(`${r.status()} ${r.url()}`));
  await openSample(page);
  await page.getByTestId('row-Filled').first().click();
  await askFor(page, 'where do streams run');
  await expect(page.getByTestId('preview-lines')).toBeVisible();
  const field = page.locator('#p-threshold');
  await field.fill('');
  const longest = page.evaluate(
    () =>
      new Promise<number>((done) => {
        let [last, most] = [performance.now(), 0];
        const until = last + 3000;
        const step = (t: number): void => {
          most = Math.max(most, t - last);
          last = t;
          if (t < until) requestAnimationFrame(step);
          else done(most);
        };
        requestAnimationFrame(step);
      }),
  );
  await field.pressSequentially('2 ', { delay: 60 });
  await expect(page.getByTestId('check-threshold.cell')).toContainText('2 m² is no more than one cell');
  await expect(page.getByTestId('run')).toBeDisabled();
  await expect(page.getByTestId('preview-refused')).toContainText('too many to show');
  // Nothing blocks the page for seconds, however slow the machine.
  expect(await longest).toBeLessThan(2500);
  await field.pressSequentially('km', { delay: 60 });
  await expect(page.locator('.text-no').first()).toBeVisible();
  await field.pressSequentially('2', { delay: 60 });
  await expect(page.getByTestId('check-threshold.cell')).toHaveCount(0);
  await expect(page.getByTestId('preview-lines')).toContainText('links');
  expect(errors).toEqual([]);
  await page.getByRole('button', { name: 'Close the run sheet' }).click();
  await tidy(page);
});

test('many layers fold into a list, and keys leave the map in sight', async ({ page }) => {
  await openSample(page);
  const names = ['veyra-mapped-streams', 'veyra-ridge-path', 'veyra-parishes', 'veyra-shelters', 'veyra-peat-probes', 'veyra-library-stops']; // prettier-ignore
  await tidy(page);
  await page.getByTestId('row-Filled').first().click();
  for (const n of names) await page.getByTestId(`row-${n}`).first().click();
  await expect(page.getByTestId('layers')).toContainText(/\d+ layers/);
  await page.getByTestId('layers').click();
  const list = page.getByTestId('layer-list');
  await expect(list.getByRole('button', { name: 'Hide Filled' })).toBeVisible();
  await list.getByRole('button', { name: 'Hide veyra-parishes' }).click();
  await page.keyboard.press('Escape');
  await expect(page.getByTestId('layers')).toContainText('1 hidden');
  const keys = page.locator('[data-testid=pane-1] [data-testid^=key-]');
  await expect(keys).toHaveCount(4);
  await page.getByTestId('more-keys').click();
  await expect(keys).not.toHaveCount(4);
  await page.getByTestId('more-keys').click();
  await page.keyboard.press('Control+z');
  await expect(page.getByTestId('layers')).not.toContainText('hidden');
  await tidy(page);
});

test('no main view has a serious fault of accessibility, in both themes', async ({ page }) => {
  test.setTimeout(240_000);
  await openSample(page);
  await page.getByTestId('row-Filled').first().click();
  for (const theme of ['Dark paper', 'Light paper']) {
    for (const stage of ['gather', 'methods', 'recipes', 'sheets', 'ledger']) {
      await page.getByTestId(`stage-${stage}`).click();
      await page.waitForTimeout(400);
      expect.soft(await faults(page, 'helk-app'), `${stage}, before ${theme}`).toEqual([]);
    }
    await askFor(page, 'how steep is it');
    await runSheet(page);
    expect.soft(await faults(page, 'helk-app'), `run sheet, before ${theme}`).toEqual([]);
    await page.getByRole('button', { name: 'Close the run sheet' }).click();
    await page.getByTestId('row-Slope').last().focus();
    await page.keyboard.press('Delete');
    await page.getByTestId('open-bin').click();
    await expect(page.getByTestId('bin')).toContainText('Slope');
    expect.soft(await faults(page, '.cdk-overlay-container'), `bin, before ${theme}`).toEqual([]);
    await page.keyboard.press('Escape');
    await page.getByRole('button', { name: theme }).click();
  }
  await tidy(page);
});

// Pictures of findings and map sheets for screenshots.mjs: the editor with findings beside it, and many sheets from one.

export async function sheets({ page, shot, row, wait }) {
  await page.goto('/');
  await wait(2500);
  await page.getByTestId('project-menu').click();
  await page.getByRole('menuitem', { name: 'Veyra landscape plan' }).click();
  await wait(2000);
  for (let k = 0; k < 3; k++) {
    const close = page.getByRole('button', { name: 'Close pane' }).first();
    if (await close.count()) await close.click();
  }
  await page.getByRole('button', { name: 'Empty pane' }).click();
  await row('Filled').click();
  await wait(600);
  await row('Watersheds').click();
  await row('veyra-gauge').click();
  await wait(1500);
  await page.keyboard.press('f');
  await wait(2500);
  await row('Filled').click();
  await wait(1200);
  await page.getByTestId('evidence').hover({ position: { x: 200, y: 120 } });
  await page.keyboard.press('f');
  await wait(2000);
  await page.getByTestId('stage-sheets').click();
  const rested = () => page.locator('[data-testid=page][data-busy=false]').waitFor();
  await page.getByTestId('first-sheet').click();
  await page.getByTestId('sheet-name').waitFor();
  await page.getByTestId('sheet-name').fill('Watershed of the town gauge');
  await page.getByTestId('sheet-name').press('Tab');
  await page.getByRole('button', { name: /More of What filling changed/ }).click();
  await page.getByRole('menuitem', { name: 'Onto the sheet' }).click();
  await wait(1200);
  await page.locator('[data-part=map1]').click({ position: { x: 20, y: 20 } });
  await page.getByTestId('frame-scale').fill('1:120 000');
  await page.getByTestId('frame-scale').press('Enter');
  await page.getByTestId('frame-grid').selectOption('degrees');
  await rested();
  await shot('sheet', 1500);
  // As it leaves.
  await page.getByTestId('out-format').selectOption('png');
  await page.getByTestId('out-dpi').fill('110');
  await page.getByTestId('out-dpi').press('Enter');
  const [finished] = await Promise.all([page.waitForEvent('download'), page.getByTestId('take-away').click()]);
  await finished.saveAs('docs/screenshots/finished.png');

  await page.getByTestId('stage-ledger').click();
  await row('Watersheds').click();
  await wait(800);
  await page.getByTestId('stage-sheets').click();
  await page.getByTestId('new-report').click();
  await page.getByTestId('report-title').fill('What drains to the town gauge');
  await page.getByTestId('report-title').press('Enter');
  await page.getByTestId('report-by').fill('Survey office of Veyra');
  await page.getByTestId('report-by').press('Enter');
  await page.getByTestId('report-answer').fill('51.9 km² drain past the town gauge, once it is moved to the stream.');
  await shot('report', 2500);

  await page.getByRole('button', { name: 'Back to the panes' }).click();
  await page.getByTestId('stage-ledger').click();
  await row('veyra-parishes').click();
  await wait(1200);
  await page.getByTestId('stage-sheets').click();
  await page.getByTestId('first-sheet').click();
  await page.getByTestId('sheet-name').waitFor();
  await page.getByTestId('many-by').selectOption({ label: 'each of 236 in “veyra-parishes”' });
  await rested();
  await shot('many-sheets', 9000);
}

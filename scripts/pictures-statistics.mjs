// Picture of spatial statistics for screenshots.mjs: clusters with scatter and certainty.

export async function statistics({ page, shot, row, ask, run, closeSheet, wait }) {
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

  const clusters = async (column, prefix) => {
    await row('veyra-parishes').click();
    await ask('where are the clusters and the odd ones out');
    await page.locator('#p-column').selectOption(column);
    await page.locator('#p-correction').selectOption('fdr');
    await page.locator('#p-prefix').fill(prefix);
    await wait(900);
    await run();
    await closeSheet();
  };
  await clusters('solar_1994', 'a_');
  await page.getByRole('button', { name: 'Empty pane' }).click();
  await clusters('solar_2024', 'b_');
  await page.getByTestId('how-sure').click();
  await wait(1200);
  await page.getByTestId('quarter-high-low').click();
  await shot('clusters', 2000);
}

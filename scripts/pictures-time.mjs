// Pictures of histories for screenshots.mjs: a trend beside that of a shorter window, groups that have names.
import { choose } from './pictures-choose.mjs';

export async function histories({ page, shot, row, ask, run, closeSheet, wait }) {
  await page.goto('/');
  await wait(2500);
  await page.getByTestId('project-menu').click();
  await page.getByRole('menuitem', { name: 'Veyra landscape plan' }).click();
  await wait(2000);
  for (let k = 0; k < 3; k++) {
    // The last pane is emptied, not closed.
    const close = page.getByRole('button', { name: 'Close pane' }).first();
    await close.click({ timeout: 2000 }).catch(() => undefined);
  }
  const empty = () => page.getByRole('button', { name: 'Empty pane' }).click();
  await empty();
  await row('veyra-parishes').click();
  await ask('how do these become one history');
  await choose(page, 'events', 'veyra-newt-sightings');
  await wait(900);
  await page.locator('#p-keyColumn').selectOption('name');
  await page.locator('#p-step').fill('quarter');
  await wait(900);
  await run();
  await closeSheet();

  await empty();
  await row('veyra-newt-sightings by quarter').click();
  await ask('is it rising or falling');
  await page.locator('#p-season').fill('4');
  await wait(900);
  await run();
  await page.getByTestId('vary').click();
  await page.locator('#p-to').fill('2019-12');
  await wait(900);
  await run();
  await closeSheet();
  const box = await page.getByTestId('pane-1').boundingBox();
  await page.mouse.click(box.x + box.width * 0.52, box.y + box.height * 0.55);
  await row('Trend of count, by season').click();
  await shot('trend', 2500);

  await page.getByRole('button', { name: 'Close pane' }).last().click();
  await empty();
  await row('veyra-newt-sightings by quarter').click();
  await ask('which places move alike');
  await page.locator('#p-by').selectOption('profile');
  await wait(900);
  await run();
  await closeSheet();
  for (const [k, name] of ['late summer, steady', 'spring, growing'].entries()) {
    await page.getByLabel(`Name of group ${k + 1}`).fill(name);
    await page.getByLabel(`Name of group ${k + 1}`).press('Tab');
  }
  await page
    .locator(':focus')
    .blur()
    .catch(() => undefined);
  await page.mouse.move(400, 60);
  await shot('groups', 2500);
}

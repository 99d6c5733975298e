// Picture of networks for screenshots.mjs: reach on foot and by bus with who is served, over the map of the island.
import { choose } from './pictures-choose.mjs';

const SAMPLES = ['veyra-streets.geojson', 'veyra-buses.zip', 'veyra-shelters.geojson'];

export async function networks({ page, shot, row, ask, run, closeSheet, wait }) {
  await page.goto('/');
  await wait(2500);
  const files = [];
  for (const name of SAMPLES) {
    const answer = await page.request.get(`/api/samples/${name}`);
    files.push({ name, mimeType: 'application/octet-stream', buffer: await answer.body() });
  }
  await page.getByTestId('project-menu').click();
  await page.getByRole('menuitem', { name: 'New project …' }).click();
  await page.getByLabel('Name of the project').fill('Shelters in time');
  await page.getByRole('button', { name: 'Make it' }).click();
  await wait(1000);
  await page.getByTestId('stage-ledger').click();
  await page.getByTestId('stage-gather').click();
  await page.getByTestId('files').setInputFiles(files);
  await page.getByTestId('stage-ledger').click();
  for (const name of ['veyra-streets', 'veyra-buses', 'veyra-shelters']) await row(name).waitFor({ timeout: 60_000 });
  await wait(1500);
  await row('veyra-streets').click();
  await ask('Which streets join where');
  await wait(1200);
  await run();
  await closeSheet();
  for (const name of ['veyra-streets', 'Network'])
    await page
      .getByTestId('pane-1')
      .getByRole('button', { name: `Take ${name} out of the pane` })
      .click();
  await row('veyra-buses').click();
  await page.getByTestId('service').waitFor();

  await page.getByTestId('pane-1').getByRole('button', { name: 'Take veyra-buses out of the pane' }).click();
  await row('Network').click();
  const reach = async () => {
    await ask('Where does one get in this time');
    await wait(1200);
    await choose(page, 'facilities', 'veyra-shelters');
    await page.locator('#p-limits').fill('10, 20, 30 min');
    await page.locator('#p-direction').selectOption('towards');
    await page.locator('#p-merge').selectOption('yes');
    await wait(700);
  };
  await reach();
  await run();
  await page.getByTestId('vary').click();
  await wait(800);
  await page.locator('#p-mode').selectOption('transit');
  await wait(800);
  await page.locator('#p-window').fill('60');
  await wait(800);
  await run();
  await page.locator('[data-testid^="row-Through the window"]').first().click();
  // The survey office's map lies under it.
  await page.getByTestId('background').first().click();
  await page.getByTestId('background-another').click();
  await page.getByTestId('background-offer').click();
  await page.getByTestId('background-keep').click({ timeout: 90_000 });
  await wait(6000);
  await shot('reach', 2500);
  await page.getByTestId('background').first().click();
  await page.getByTestId('background-coasts').check();
  await page.keyboard.press('Escape');
}

// Takes the pictures of docs/screenshots/ anew from a fresh sample project. Usage: node scripts/screenshots.mjs [imagery | clouds | networks | statistics | time | recipes | sheets] (after ./helk start has built).
import { choose } from './pictures-choose.mjs';
import { chromium } from '@playwright/test';
import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { networks } from './pictures-networks.mjs';
import { recipes } from './pictures-recipes.mjs';
import { sheets } from './pictures-sheets.mjs';
import { statistics } from './pictures-statistics.mjs';
import { histories } from './pictures-time.mjs';

const root = join(import.meta.dirname, '..');
const port = 4788;
const data = mkdtempSync(join(tmpdir(), 'helk-pictures-'));
const server = spawn(process.execPath, ['dist/server/main.js'], {
  cwd: root,
  env: { ...process.env, HELK_ROOT: root, HELK_PORT: String(port), HELK_DATA: data },
  stdio: ['ignore', 'pipe', 'inherit'],
});
await new Promise((r) => server.stdout.on('data', (d) => d.toString().includes('Helk is at') && r()));
const browser = await chromium.launch({
  executablePath: process.env.CHROME_BIN ?? '/usr/bin/chromium',
  args: [
    '--no-sandbox',
    '--disable-gpu',
    '--use-gl=angle',
    '--use-angle=swiftshader',
    '--enable-unsafe-swiftshader',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
  ],
});
const page = await (
  await browser.newContext({
    viewport: { width: 1280, height: 800 },
    colorScheme: 'light',
    baseURL: `http://127.0.0.1:${port}`,
  })
).newPage();
const wait = (ms) => page.waitForTimeout(ms);
const shot = async (name, ms = 1200) => {
  await wait(ms);
  await page.screenshot({ path: join(root, 'docs/screenshots', `${name}.png`) });
};
const row = (name) => page.getByTestId(`row-${name}`).first();
const ask = async (text) => {
  await page.keyboard.press('Control+k');
  await page.getByRole('combobox', { name: 'Ask for a method' }).fill(text);
  await wait(200);
  await page.keyboard.press('Enter');
  await page.getByTestId('run-sheet').waitFor();
  await wait(500);
};
const run = async () => {
  await page.getByTestId('run').click();
  await page.locator('[data-testid=run-result][data-state=done]').waitFor({ timeout: 90_000 });
  await wait(600);
};
/** What the clusters of the scene are, from the darkest to the brightest. */
const CLUSTERS = ['water', 'shadow', 'conifer', 'conifer', 'broadleaved', 'moor', 'meadow', 'arable', 'built', 'cloud'];
const closeSheet = () => page.getByRole('button', { name: 'Close the run sheet' }).click();
const takeOut = async (pane, name) =>
  page
    .getByTestId(`pane-${pane}`)
    .getByRole('button', { name: `Take ${name} out of the pane` })
    .click();

try {
  await page.goto(`http://127.0.0.1:${port}/`);
  const only = process.argv[2];
  if (!only) {
    await page.getByTestId('row-Filled').first().waitFor();
    await shot('open', 2500);

    await row('Gaps filled').click();
    await wait(900);
    await row('Filled').dblclick();
    await wait(1200);
    await page.getByTestId('evidence').getByRole('button', { name: 'no. 1', exact: false }).first().click();
    await shot('filled', 2000);

    await row('Filled').click();
    await page.getByTestId('pane-1').getByRole('button', { name: 'All of it' }).click();
    await ask('how steep');
    await run();
    await closeSheet();
    await page.getByTestId('pane-2').getByRole('button', { name: 'Close pane' }).click();

    await row('Filled').click();
    await ask('where are the streams');
    await page.getByTestId('threshold-slider').fill('420');
    await shot('run-sheet', 1800);
    await run();
    await ask('do derived and mapped streams agree');
    await run();
    await closeSheet();

    await row('Filled').click();
    for (const name of ['Streams', 'Partings', 'veyra-gauge', 'Watersheds'])
      await takeOut(1, name).catch(() => undefined);
    await ask('contours');
    await page.getByLabel('Interval').fill('25');
    await run();
    await closeSheet();
    for (let k = 0; k < 2; k++) {
      await page.getByTestId('pane-1').getByRole('button', { name: 'Closer' }).click();
      await wait(300);
    }
    await row('Filled').click();
    await takeOut(1, 'Contours').catch(() => undefined);
    await takeOut(1, 'veyra-ridge-path').catch(() => undefined);
    await row('veyra-land-cover-2024').click();
    await ask('what became what');
    await choose(page, 'before', 'veyra-land-cover-1978');
    await choose(page, 'after', 'veyra-land-cover-2024');
    await run();
    await closeSheet();
    await takeOut(1, 'veyra-land-cover-2024').catch(() => undefined);
    await page.getByTestId('pane-1').getByRole('button', { name: 'All of it' }).click();
    const edge = await page.getByRole('separator', { name: 'Height of the evidence' }).boundingBox();
    await page.mouse.move(edge.x + 200, edge.y + 3);
    await page.mouse.down();
    await page.mouse.move(edge.x + 200, edge.y - 77, { steps: 4 });
    await page.mouse.up();
    await page.getByRole('button', { name: /^arable to meadow/ }).click();
    await takeOut(1, 'Overlay').catch(() => undefined);

    await row('veyra-parishes').click();
    await page.getByTestId('pane-1').getByRole('button', { name: 'veyra-parishes', exact: true }).click();
    await page.getByRole('radio', { name: 'classes' }).click();
    await page.getByLabel('Column to colour by').selectOption('solar_2024');
    await page.getByLabel('Label formula').click();
    await page.keyboard.type('name + "\\n" + text(solar_2024, 0)');
    await page.keyboard.press('Escape');
    await page.keyboard.press('Escape');
    await page.keyboard.press('Escape');
    await wait(300);
    await takeOut(1, 'veyra-parishes').catch(() => undefined);

    await row('veyra-peat-probes').click();
    const alike = async () => {
      await page.getByRole('tab', { name: 'How alike near places are' }).click();
      await wait(800);
    };
    await alike();
    await page.getByRole('button', { name: /missing in a copy/ }).click();
    await wait(1500);
    await takeOut(1, 'veyra-peat-probes').catch(() => undefined);
    await row('veyra-peat-probes, new depth_cm').click();
    await alike();
    await page.getByRole('button', { name: 'by direction' }).click();
    await shot('variogram', 1200);
    for (const question of ['inverse distance', 'nearest measurement']) {
      await row('veyra-peat-probes, new depth_cm').click();
      await ask(question);
      await run();
      await closeSheet();
    }
    await row('veyra-peat-probes, new depth_cm').click();
    await alike();
    await page.getByTestId('variogram-krige').click();
    await run();
    await page.getByTestId('judge').click();
    await closeSheet();
    await page.getByRole('button', { name: 'Evidence' }).click();
    await wait(600);
    await page.getByTestId('pane-1').getByRole('button', { name: 'Closer' }).click();
    await page.getByRole('button', { name: 'Evidence' }).click();

    await page.getByTestId('stage-ledger').click();
    await page.getByRole('button', { name: 'Dark paper' }).click();
    await shot('dark', 2000);
    await page
      .getByRole('button', { name: /[Pp]aper/ })
      .first()
      .click();
  }
  if (!only || only === 'imagery') {
    // The scene of the island: three bands at once, and what was learned from training areas beside it.
    await page.getByTestId('project-menu').click();
    await page.getByRole('menuitem', { name: 'New project …' }).click();
    await page.getByLabel('Name of the project').fill('Veyra from above');
    await page.getByRole('button', { name: 'Make it' }).click();
    await wait(1200);
    const bringIn = async (file) => {
      await page.getByTestId('stage-ledger').click();
      await page.getByTestId('stage-gather').click();
      await page.getByRole('button', { name: `Bring in ${file}` }).click();
      await page.getByTestId('stage-ledger').click();
      await row(file.replace(/\.\w+$/, '')).waitFor({ timeout: 60_000 });
      await wait(800);
    };
    await bringIn('veyra-scene-2024.tif');
    await page
      .getByTestId('pane-1')
      .getByRole('button', { name: /veyra-scene-2024/ })
      .first()
      .click();
    await page.getByTestId('composite').selectOption('plants and moisture');
    await page.keyboard.press('Escape');
    await ask('which kinds of surface');
    await run();
    await page.getByTestId('go-on').click();
    await wait(2500);
    await page.getByTestId('class-list').focus();
    await page.keyboard.press('Enter');
    for (const name of CLUSTERS.slice(0, 6)) {
      await page.keyboard.type(name);
      await page.keyboard.press('Enter');
      await wait(250);
    }
    await page.getByRole('button', { name: 'Go to example place 2 of class 7' }).click();
    await page.locator('[data-class="7"]').dblclick({ position: { x: 200, y: 30 } });
    for (let k = 0; k < 2; k++) {
      await page.getByTestId('pane-1').getByRole('button', { name: 'Farther' }).click();
      await wait(300);
    }
    await page.locator('[data-class="7"] .voice, [data-class="7"] button').first().click();
    await wait(300);
    await page.keyboard.type('bro');
    await shot('interpreting', 1800);
    await page.keyboard.press('Control+a');
    for (const name of CLUSTERS.slice(6)) {
      await page.keyboard.type(name);
      await page.keyboard.press('Enter');
      await wait(250);
    }
    await page.getByRole('button', { name: 'Make the map' }).click();
    await row('Land cover').waitFor({ timeout: 60_000 });
    await wait(800);

    // Places are labelled as the map says, but for one in nine.
    await ask('where should the map be checked');
    await page.locator('#p-n').fill('120');
    await page.locator('#p-leastPerClass').fill('12');
    await run();
    await page.getByTestId('go-on').click();
    await wait(1500);
    const labels = page.getByTestId('label-classes').getByRole('radio');
    const all = (await (await page.request.get('/api/projects')).json()).find((p) => p.name === 'Veyra from above');
    const detail = await (await page.request.get(`/api/projects/${all.id}`)).json();
    const places = detail.datasets.find((d) => d.role === 'places');
    const told = await (
      await page.request.get(`/api/projects/${all.id}/datasets/${places.id}/export?format=geojson`)
    ).json();
    const classes = await labels.allTextContents();
    const key = (i) => '123456789abc'[i];
    const put = async (k) => {
      const at = Number(await page.getByTestId('label-progress').getAttribute('data-row'));
      const own = classes.findIndex((c) => c.includes(told.features[at - 1].properties.label));
      await page.keyboard.press(k % 17 === 16 ? '0' : key(k % 9 === 4 ? (own + 1) % (classes.length - 1) : own));
      await wait(40);
    };
    for (let k = 0; k < 47; k++) await put(k);
    const labelHere = async () =>
      told.features[Number(await page.getByTestId('label-progress').getAttribute('data-row')) - 1].properties.label;
    // A place with something to see around it.
    while (!/moor|meadow|arable/.test(await labelHere())) await put(48);
    await page.getByRole('button', { name: 'In its own light' }).click();
    for (let k = 48; !(await page.getByTestId('label').textContent()).includes('Every place'); k++) await put(k);
    await page.getByTestId('keep-labels').click();
    await page.getByTestId('run-sheet').waitFor();
    await wait(500);
    await run();
    await closeSheet();
    await takeOut(1, 'Wrong places').catch(() => undefined);
    await takeOut(2, 'Wrong places').catch(() => undefined);
    await page
      .getByTestId('error-matrix')
      .getByRole('button', { name: /^[1-9]\d* places mapped conifer, found broadleaved/ })
      .click()
      .catch(() => undefined);
    await page.getByTestId('pane-1').getByRole('button', { name: 'All of it' }).click();

    // The same classes thirty years apart, both learned from examples.
    await bringIn('veyra-training-areas.geojson');
    await bringIn('veyra-scene-1994.tif');
  }

  if (!only || only === 'clouds') {
    await page.goto('/');
    await wait(2500);
    await page.getByTestId('project-menu').click();
    await page.getByRole('menuitem', { name: 'New project …' }).click();
    await page.getByLabel('Name of the project').fill('Riverside quarter');
    await page.getByRole('button', { name: 'Make it' }).click();
    await wait(1000);
    await page.getByTestId('stage-ledger').click();
    await page.getByTestId('stage-gather').click();
    await page.getByRole('button', { name: 'Bring in veyra-riverside-bare.las' }).click();
    await page.getByTestId('stage-ledger').click();
    await row('veyra-riverside-bare').waitFor({ timeout: 60_000 });
    await wait(3000);
    for (const question of ['Which points cannot be', 'Which points are ground', 'What stands on the ground']) {
      await ask(question);
      await run();
      await closeSheet();
    }
    // One pane for the cloud and its section, one for it in space.
    for (const p of [2]) await page.getByTestId(`pane-${p}`).getByRole('button', { name: 'Close pane' }).click();
    await row('Classified').click();
    await wait(1500);
    await page.getByTestId('pane-1').getByRole('button', { name: 'See it in space' }).click();
    await wait(5000);
    await shot('cloud', 1500);
    await page.getByTestId('pane-2').getByRole('button', { name: 'Close pane' }).click();
    for (const question of [
      'Where are the trees',
      'Where are the buildings, how tall',
      'What grid do the points make',
    ]) {
      await row('Classified').click();
      await ask(question);
      await run();
      await closeSheet();
    }
    await page
      .getByTestId('pane-2')
      .getByRole('button', { name: 'Close pane' })
      .click()
      .catch(() => undefined);
    await takeOut(1, 'Classified').catch(() => undefined);
    for (const name of ['Grid', 'Buildings', 'Trees']) await row(name).click();
    await page.getByTestId('pane-1').getByRole('button', { name: 'See it in space' }).click();
    await wait(4000);
    await page.getByTestId('pane-1').getByRole('button', { name: 'Close pane' }).click();
    await wait(1500);
    await page.getByTestId('pane-2').getByRole('button', { name: 'Closer' }).click();
    await page.getByTestId('stage-ledger').click();
    const box = await page.getByTestId('scene').boundingBox();
    await wait(3000);
    await page.mouse.click(box.x + box.width * 0.52, box.y + box.height * 0.42);
    await shot('scene', 4000);
  }
  if (!only || only === 'networks') await networks({ page, shot, row, ask, run, closeSheet, wait });
  if (!only || only === 'statistics') await statistics({ page, shot, row, ask, run, closeSheet, wait });
  if (!only || only === 'time') await histories({ page, shot, row, ask, run, closeSheet, wait });
  if (!only || only === 'recipes') await recipes({ page, shot, row, ask, closeSheet, wait });
  if (!only || only === 'sheets') await sheets({ page, shot, row, wait });
} finally {
  await browser.close();
  server.kill('SIGTERM');
  await pause(500);
  rmSync(data, { recursive: true, force: true });
}

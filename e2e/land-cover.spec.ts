import { expect, test, type Page } from '@playwright/test';
import { crsOfCode, Random } from '@helk/core';
import { writeGeoTiff } from '@helk/core/formats';
import { askFor, chooseInput, closeSheet, figure, newProject, openBench, runSheet, takeIn } from './helpers';

const row = (page: Page, name: string) => page.getByTestId(`row-${name}`).first();

const COLUMNS = 260;
const ROWS = 200;
const BANDS = ['blue', 'green', 'red', 'nir'];
/** Brightness of water, wood, arable and bare ground. */
const KINDS = [
  [90, 70, 50, 20],
  [300, 500, 350, 2600],
  [700, 1000, 1400, 2100],
  [1500, 1800, 2200, 2500],
];

/** Which kind of ground is where, in a land far from the sample; in the second year some wood has become arable. */
function kindAt(i: number, year: number): number {
  const [x, y] = [i % COLUMNS, Math.floor(i / COLUMNS)];
  const k = (Math.floor((x + 12 * Math.sin(y / 17)) / 40) + Math.floor(y / 50)) % 4;
  return year === 2024 && k === 1 && x > 130 ? 2 : k;
}

/** A file of its own for each band. */
async function bandFiles(year: number): Promise<{ name: string; mimeType: string; buffer: Buffer }[]> {
  const r = new Random(year);
  const grid = { crs: crsOfCode(32719), x: 300_000, y: 6_250_000, dx: 30, dy: 30, columns: COLUMNS, rows: ROWS };
  const out = [];
  for (const [k, band] of BANDS.entries()) {
    const cells = Float32Array.from({ length: COLUMNS * ROWS }, (_, i) =>
      Math.max(1, Math.round(KINDS[kindAt(i, year)]![k]! * (1 + 0.06 * r.normal()))),
    );
    const info = { name: 'b', unit: '', kind: 'measure', storedType: 'uint16', missingCode: null } as const;
    const bytes = await writeGeoTiff({ kind: 'raster', grid, bands: [{ ...info, cells }] });
    out.push({ name: `maule_${year}_${band}.tif`, mimeType: 'image/tiff', buffer: Buffer.from(bytes) });
  }
  return out;
}

/** Drops the bands of a year and takes the offer to make one scene of them. */
async function dropScene(page: Page, year: number): Promise<void> {
  await page.getByTestId('stage-ledger').click();
  await page.getByTestId('stage-gather').click();
  await page.getByTestId('files').setInputFiles(await bandFiles(year));
  await page.getByTestId('stage-ledger').click();
  const offer = page.getByTestId('scene-offer').filter({ hasText: `maule ${year}` });
  await expect(offer).toContainText('blue, green, red, nir');
  await offer.getByRole('button', { name: 'Make one scene of them' }).click();
  await expect(row(page, `maule ${year}`)).toContainText('4 bands');
}

/** Clusters what is chosen, and names them from the darkest to the brightest. */
async function interpret(page: Page, names: string[], title: string): Promise<void> {
  await askFor(page, 'which kinds of surface are there');
  await page.locator('#p-k').fill(String(names.length));
  await runSheet(page);
  await page.getByTestId('go-on').click();
  const work = page.getByTestId('work');
  await expect(work).toContainText(`0 of ${names.length} named`);
  const list = page.getByTestId('class-list');
  // Until the order of the clusters is known no row is in hand, and a key has nothing to begin with.
  const first = page.getByLabel('Name of class 1');
  await expect(async () => {
    if (!(await first.isVisible())) {
      await list.focus();
      await page.keyboard.press('Enter');
    }
    await expect(first).toBeFocused({ timeout: 2000 });
  }).toPass();
  for (const [i, name] of names.entries()) {
    await expect(page.getByLabel(`Name of class ${i + 1}`)).toBeFocused();
    await page.keyboard.type(name);
    await page.keyboard.press('Enter');
  }
  await expect(work).toContainText(`${names.length} of ${names.length} named`);
  await page.getByLabel('Name of the map').fill(title);
  await page.getByRole('button', { name: 'Make the map' }).click();
  await expect(row(page, title)).toBeVisible({ timeout: 60_000 });
}

test('from bands in files of their own to a map that says how right it is, and what changed since', async ({
  page,
  context,
}) => {
  test.setTimeout(300_000);
  await context.grantPermissions(['clipboard-read', 'clipboard-write']);
  await openBench(page);
  await newProject(page, `Maule ${Date.now()}`);
  await dropScene(page, 1999);
  const pane = page.getByTestId('pane-1');
  // The words for its bands say what they show, so it is drawn as the eye sees it.
  await expect(pane).toContainText('red ');

  // A part of it, by two corners on the picture.
  await pane.getByRole('button', { name: 'A part of maule 1999' }).click();
  const box = (await page.getByTestId('pane-1').boundingBox())!;
  await page.mouse.click(box.x + 20, box.y + 60);
  await page.mouse.click(box.x + box.width - 60, box.y + box.height - 20);
  await expect(page.getByTestId('check-clip.size')).toContainText(/\d+ columns × \d+ rows/);
  await runSheet(page);
  await closeSheet(page);

  await row(page, 'Clipped').click();
  // Six clusters, of which some are one: names alike are the merge.
  await interpret(page, ['water', 'wood', 'wood', 'arable', 'bare', 'bare'], 'Cover 1999');
  await expect(row(page, 'Cover 1999')).toContainText('4 classes');
  await row(page, 'Cover 1999').click();
  await page.getByRole('tab', { name: 'Classes', exact: true }).click();
  await page.getByTestId('copy-classes').click();
  await page.getByTestId('copy-text').click();
  // The clipboard is shared by all stories, and a copy takes a moment.
  const copied = () => page.evaluate(() => navigator.clipboard.readText());
  await expect.poll(copied).toMatch(/^class\tname\tcells\t(ha|km²)/);
  expect(await copied()).toContain('arable');

  // Places to check, labelled one after the other without the map in sight.
  await askFor(page, 'where should the map be checked');
  await page.locator('#p-n').fill('120');
  await page.locator('#p-leastPerClass').fill('15');
  await runSheet(page);
  await page.getByTestId('go-on').click();
  await expect(page.getByTestId('label-progress')).toContainText('of 120');
  await expect(page.getByTestId('label')).toContainText('Cover 1999 is out of sight');
  await expect(page.getByTestId('pane-1')).not.toContainText('Cover 1999');
  // What is there, in the order of chance in which the places come; one in ten is seen otherwise, one is undecided.
  const truth = await placesOf(page);
  const classes = await page.getByTestId('label-classes').getByRole('radio').allTextContents();
  const keyOf = (name: string): string => String(classes.findIndex((c) => c.includes(name)) + 1);
  const here = async (): Promise<string> =>
    keyOf(truth[Number(await page.getByTestId('label-progress').getAttribute('data-row')) - 1]!);
  for (let k = 0; k < 40; k++) await page.keyboard.press(await here());
  await expect(page.getByTestId('label-progress')).toContainText('40 labelled');
  // What has been labelled is there when one comes back.
  await expect.poll(() => draftOf(page)).toBe(40);
  await page.reload();
  await expect(page.getByTestId('label-progress')).toContainText('40 labelled');
  await page.keyboard.press('0');
  await expect(page.getByTestId('label-progress')).toContainText('1 undecided');
  for (let k = 41; k < 120; k++) await page.keyboard.press(k % 10 === 0 ? keyOf('bare') : await here());
  await expect(page.getByTestId('label')).toContainText('Every place has been looked at');
  await page.getByTestId('keep-labels').click();
  await runSheet(page);
  await expect(figure(page, 'n')).toContainText('119');
  const matrix = page.getByTestId('error-matrix');
  await expect(matrix).toContainText('±');
  await matrix.getByRole('button', { name: /mapped wood, found bare/ }).click();
  await row(page, 'Places to check labelled').click();
  await expect(page.getByTestId('picked')).toContainText(/^\d+ of 120/);
  await closeSheet(page);
  await row(page, 'Cover 1999').click();
  await page.getByRole('tab', { name: 'Classes', exact: true }).click();
  await expect(page.getByTestId('interval').first()).toContainText('±');

  // The second date, and what became what.
  await dropScene(page, 2024);
  await row(page, 'maule 2024').click();
  await interpret(page, ['water', 'wood', 'arable', 'bare'], 'Cover 2024');
  await askFor(page, 'what became what, cell by cell');
  await chooseInput(page, 'before', 'Cover 1999');
  await chooseInput(page, 'after', 'Cover 2024');
  await runSheet(page);
  const change = page.getByTestId('change-matrix');
  await expect(change).toBeVisible();
  await change.getByRole('button', { name: /^wood to arable/ }).click();
  await expect(page.getByTestId('told')).toContainText('wood → arable');
});

/** The open project and its places. */
async function sampled(page: Page): Promise<{ project: string; places: string }> {
  const all = (await (await page.request.get('/api/projects')).json()) as { id: string; name: string }[];
  const name = await page.getByTestId('project-name').textContent();
  const project = all.find((x) => x.name === name)!.id;
  const { datasets } = await (await page.request.get(`/api/projects/${project}`)).json();
  return { project, places: datasets.find((d: { role: string }) => d.role === 'places').id };
}

/** Labels of the map at the places, by row. */
async function placesOf(page: Page): Promise<string[]> {
  const { project, places } = await sampled(page);
  const file = await page.request.get(`/api/projects/${project}/datasets/${places}/export?format=geojson`);
  return (await file.json()).features.map((f: { properties: { label: string } }) => f.properties.label);
}

/** How many labels are kept. */
async function draftOf(page: Page): Promise<number> {
  const { project, places } = await sampled(page);
  const { value } = await (await page.request.get(`/api/projects/${project}/datasets/${places}/drafts/label`)).json();
  return Object.keys(value?.labels ?? {}).length;
}

test('training areas are drawn class by class, told apart while they are, and a class of two cells is refused in words', async ({
  page,
}) => {
  test.setTimeout(180_000);
  await openBench(page);
  await newProject(page, `Examples ${Date.now()}`);
  await dropScene(page, 1999);
  await page.getByRole('button', { name: 'What can be done with maule 1999' }).click();
  await page.getByRole('menuitem', { name: 'Draw examples of classes' }).click();
  await expect(page.getByTestId('train')).toBeVisible();
  const pane = page.getByTestId('pane-1');
  await pane.getByRole('button', { name: 'All of it' }).click();
  await page.waitForTimeout(500);
  // Where a place of the scene is on the screen: the whole of it stands in the pane.
  const areaOf = async (column: number, line: number, cells: number): Promise<void> => {
    const at = await page.evaluate(() => {
      const r = document.querySelector('[data-testid=pane-1]')!.getBoundingClientRect();
      return { x: r.x, y: r.y, width: r.width, height: r.height };
    });
    const scale = Math.min((at.width - 32) / COLUMNS, (at.height - 70) / ROWS);
    const x0 = at.x + 16 + (at.width - 32 - COLUMNS * scale) / 2;
    const y0 = at.y + 40 + (at.height - 70 - ROWS * scale) / 2;
    const [x, y] = [x0 + column * scale, y0 + line * scale];
    const s = cells * scale;
    await page.mouse.click(x, y);
    await page.mouse.click(x + s, y);
    await page.mouse.click(x + s, y + s);
    await page.mouse.dblclick(x, y + s);
    await page.waitForTimeout(400);
  };
  const add = async (label: string): Promise<void> => {
    await page.getByLabel('A new class').fill(label);
    await page.keyboard.press('Enter');
    // Clicks that come faster than a hand's are drawn in what was being drawn before.
    await expect(page.getByTestId('train')).toContainText(`Draw areas of ${label}`);
    await page.waitForTimeout(200);
  };
  // Columns 45 to 75 of the first lines are wood, 5 to 30 water.
  await add('water');
  await areaOf(8, 8, 16);
  await add('wood');
  await areaOf(52, 8, 16);
  await expect(page.getByTestId('separability')).toContainText('wood');
  await expect(page.getByTestId('separability')).toContainText(/[12]\.\d\d/);
  await add('speck');
  await areaOf(100, 8, 1.5);
  await expect(page.getByTestId('train')).toContainText('Too few cells to compare: speck');
  // A step back takes the last area away again.
  await page.getByRole('button', { name: 'Take the last step back' }).click();
  await expect(page.getByTestId('train')).not.toContainText('Too few cells');
  await areaOf(100, 8, 1.5);

  await page.getByTestId('keep-examples').click();
  await expect(page.getByTestId('run-sheet')).toBeVisible();
  await expect(row(page, 'training areas')).toBeVisible();
  await page.locator('#p-method').selectOption('maximumLikelihood');
  await page.getByTestId('run').click();
  await expect(page.getByTestId('run-problem')).toContainText('needs more than 4 cells of every class');
  await page.getByRole('button', { name: 'Change and run again' }).click();
  await page.locator('#p-method').selectOption('minimumDistance');
  await runSheet(page);
  await expect(figure(page, 'classes')).toContainText('3');
  await closeSheet(page);

  // Classes are no scene.
  await row(page, 'Classes').click();
  await page.getByRole('button', { name: 'What can be done with Classes' }).click();
  await expect(page.getByRole('menuitem', { name: 'Draw examples of classes' })).toHaveCount(0);
  await page.keyboard.press('Escape');
});

test('a scene without a value, and bands of lands that do not meet, are refused in words', async ({ page }) => {
  await openBench(page);
  await newProject(page, `Nothing ${Date.now()}`);
  const empty = (x: number, value: number) =>
    `ncols 3\nnrows 3\nxllcorner ${x}\nyllcorner 6450000\ncellsize 10\nNODATA_value -9999\n${Array(3).fill(`${value} ${value} ${value}`).join('\n')}\n`;
  await takeIn(page, 'void.asc', Buffer.from(empty(535_000, -9999)));
  await takeIn(page, 'far.asc', Buffer.from(empty(995_000, 7)));
  await page.getByTestId('stage-ledger').click();
  await row(page, 'void').click();
  await askFor(page, 'which kinds of surface are there');
  await page.getByTestId('run').click();
  await expect(page.getByTestId('run-problem')).toContainText('No cell has a value in every band');
  // Nothing half-made is left.
  await expect(row(page, 'Clusters')).toHaveCount(0);
});

import { expect, test, type Page } from '@playwright/test';
import { crsOfCode, FeaturesBuilder, measureRaster, numberColumn, transformer, wgs84 } from '@helk/core';
import { writeGeoJson, writeGeoTiff } from '@helk/core/formats';
import { writeGeoPackage } from '@helk/core/formats/write';
import { askFor, newProject, openBench, runSheet, takeIn } from './helpers';

/** A hill of 60 by 60 cells of 25 m around a place, in a system or in none. */
async function hill(code: number, lon: number, lat: number, said = true): Promise<Buffer> {
  const crs = crsOfCode(code);
  const at = [0, 0];
  transformer(wgs84(), crs)(lon, lat, at);
  const cells = Float32Array.from({ length: 3600 }, (_, i) => {
    const [x, y] = [(i % 60) - 30, Math.floor(i / 60) - 30];
    return 300 - 0.1 * (x * x + y * y);
  });
  const grid = { crs: said ? crs : null, x: at[0]! - 750, y: at[1]! + 750, dx: 25, dy: 25, columns: 60, rows: 60 };
  return Buffer.from(await writeGeoTiff(measureRaster(grid, cells, { name: 'hill', unit: 'm', role: 'elevation' })));
}

const system = (page: Page) => page.getByTestId('system');
/** Degrees under the middle of the first pane. */
async function middle(page: Page): Promise<number[]> {
  const box = (await page.getByTestId('pane-1').boundingBox())!;
  await page.mouse.move(box.x + box.width / 2 - 3, box.y + box.height / 2);
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
  const text = await page.getByTestId('coordinates').locator('span').last().textContent();
  return [...text!.matchAll(/[\d.]+/g)].map((m) => Number(m[0]));
}
const near = (a: number[], b: number[], off: number): void =>
  a.forEach((v, i) => expect(Math.abs(v - b[i]!)).toBeLessThan(off));
const menuOf = async (page: Page, name: string, item: string): Promise<void> => {
  await page.getByTestId(`row-${name}`).first().hover();
  await page.getByRole('button', { name: `What can be done with ${name}`, exact: true }).click();
  await page.getByRole('menuitem', { name: item }).click();
};

test('a project takes in data of two other systems, loses those it began with, and stays where it was', async ({
  page,
}) => {
  await openBench(page);
  await newProject(page, 'Staying');
  await takeIn(page, 'hill.tif', await hill(25832, 9.2, 48.5));
  await expect(system(page)).toContainText('EPSG:25832');
  await expect(page.getByTestId('pane-1').getByRole('button', { name: 'hill', exact: true })).toBeVisible();
  await page.waitForTimeout(400);
  const before = await middle(page);
  near(before, [48.5, 9.2], 0.01);

  const b = new FeaturesBuilder();
  for (let i = 0; i < 9; i++) b.point(11.5 + 0.01 * (i % 3), 48.1 + 0.01 * Math.floor(i / 3));
  const wells = b.build('point', wgs84(), [
    numberColumn(
      'n',
      Array.from({ length: 9 }, (_, i) => i),
    ),
  ]);
  await takeIn(page, 'wells.geojson', Buffer.from(writeGeoJson(wells)));
  const laea = crsOfCode(3035);
  const c = new FeaturesBuilder();
  for (const [x, y] of [
    [4321000, 2800000],
    [4331000, 2800000],
    [4331000, 2810000],
    [4321000, 2800000],
  ])
    c.coordinate(x!, y!);
  c.endRing();
  c.endPart();
  c.endFeature();
  const parcel = c.build('polygon', laea, [numberColumn('n', [1])]);
  await takeIn(page, 'parcel.gpkg', Buffer.from(writeGeoPackage([{ name: 'parcel', data: parcel }])));
  // Neither the system nor the view has gone to them; what lies elsewhere says so and can be gone to.
  await expect(page.getByTestId('pane-1').getByRole('button', { name: 'parcel', exact: true })).toBeVisible();
  await expect(system(page)).toContainText('EPSG:25832');
  near(await middle(page), before, 1e-4);
  await expect(
    page.getByTestId('pane-1').getByRole('button', { name: 'wells is out of view: go there' }),
  ).toBeVisible();

  // The first ones go, the system stays.
  await page.getByTestId('stage-ledger').click();
  await menuOf(page, 'hill', 'Remove');
  await expect(page.getByTestId('row-hill')).toHaveCount(0);
  await expect(system(page)).toContainText('EPSG:25832');
  near(await middle(page), before, 1e-4);

  // Only the analyst changes it; the place that is looked at stays.
  await system(page).click();
  await page.getByRole('dialog', { name: 'System of the project' }).getByRole('combobox').fill('UTM 32');
  const first = page.getByRole('listbox').getByRole('option');
  await expect(first.filter({ hasText: 'EPSG:32632' })).toBeVisible();
  expect((await first.allTextContents()).findIndex((t) => t.includes('EPSG:32632'))).toBeLessThan(3);
  await first.filter({ hasText: 'EPSG:32632' }).click();
  await expect(system(page)).toContainText('EPSG:32632');
  near(await middle(page), before, 1e-4);
  // What is there already can be gone to.
  await page.getByTestId('pane-1').getByRole('button', { name: 'wells is out of view: go there' }).click();
  await page.waitForTimeout(400);
  near(await middle(page), [48.11, 11.51], 0.02);
  await page.reload();
  await expect(system(page)).toContainText('EPSG:32632');
});

test('a wrong system is set right twice, at once everywhere; what was made with it is marked and made anew', async ({
  page,
}) => {
  await openBench(page);
  await newProject(page, 'Setting right');
  await takeIn(page, 'ridge.tif', await hill(32633, 15.5, 47.1, false));
  await expect(page.getByTestId('pane-1').getByText('system not known')).toBeVisible();
  await page.getByTestId('stage-ledger').click();
  const give = async (code: string): Promise<void> => {
    await menuOf(page, 'ridge', 'About it, and a note');
    const field = page.getByTestId('give-system').getByRole('combobox');
    await field.fill(code);
    await page.keyboard.press('Tab');
    await expect(page.getByTestId('dataset-card')).toContainText(`by hand: ${code}`);
    await page.getByRole('button', { name: 'Close', exact: true }).click();
  };
  // Possible, but wrong.
  await give('EPSG:32631');
  await expect(page.getByTestId('pane-1').getByText('system not known')).toHaveCount(0);
  await expect(system(page)).toContainText('EPSG:32631');
  await page.getByTestId('row-ridge').click();
  await askFor(page, 'how steep');
  await runSheet(page);
  await page.getByRole('button', { name: 'Close the run sheet' }).click();
  await expect(page.getByTestId('row-Slope')).not.toContainText('check');

  for (const code of ['EPSG:32632', 'EPSG:32633']) {
    await give(code);
    await expect(page.getByTestId('row-Slope')).toContainText('check');
    // The project stays in the system it had.
    await expect(system(page)).toContainText('EPSG:32631');
  }
  await page.getByTestId('row-ridge').click();
  await page.getByTestId('pane-1').getByRole('button', { name: 'All of it' }).click();
  await page.waitForTimeout(400);
  near(await middle(page), [47.1, 15.5], 0.05);

  await menuOf(page, 'Slope', 'About it, and a note');
  await expect(page.getByTestId('stale')).toContainText('taken to be in EPSG:32631; it is in EPSG:32633 now');
  await page.getByRole('button', { name: 'Make it anew' }).click();
  await expect(page.getByTestId('row-Slope 2')).toBeVisible();
  await page.getByRole('button', { name: 'Close', exact: true }).click();
  await expect(page.getByTestId('row-Slope 2')).not.toContainText('check');
});

test('a drawing survives removal, a second pane and a second tab; a pane has its own way on wish', async ({
  page,
  context,
}) => {
  await openBench(page);
  await newProject(page, 'Drawing');
  await takeIn(page, 'knoll.tif', await hill(32632, 9.2, 48.5));
  await takeIn(page, 'other.tif', await hill(32632, 9.21, 48.5));
  await page.getByTestId('stage-ledger').click();
  await page.getByTestId('row-knoll').click();
  const editor = async (p: Page, pane: number, name = 'knoll') => {
    await p.getByTestId(`pane-${pane}`).getByRole('button', { name, exact: true }).click();
    await expect(p.getByTestId('style-editor')).toBeVisible();
    return p.getByTestId('style-editor');
  };
  const ramp = (p: Page, name: string) => p.getByTestId('style-editor').getByRole('radio', { name });
  await (await editor(page, 1)).getByRole('radio', { name: 'Heather to lichen' }).click();
  await page.keyboard.press('Escape');

  await page.getByTestId('pane-1').getByRole('button', { name: 'Take knoll out of the pane' }).click();
  await page.getByTestId('row-knoll').click();
  await editor(page, 1);
  await expect(ramp(page, 'Heather to lichen')).toBeChecked();
  await page.keyboard.press('Escape');

  await page.getByRole('button', { name: 'Pane', exact: true }).click();
  await page.getByTestId('row-knoll').click();
  await editor(page, 2);
  await expect(ramp(page, 'Heather to lichen')).toBeChecked();
  // Its own way here leaves the other as it is.
  await page.getByTestId('own-way').check();
  await ramp(page, 'Ink to paper').click();
  await page.keyboard.press('Escape');
  await editor(page, 1);
  await expect(ramp(page, 'Heather to lichen')).toBeChecked();
  await page.keyboard.press('Escape');

  // The workbench is kept a moment after its last change.
  await expect
    .poll(async () => {
      const all = (await (await page.request.get('/api/projects')).json()) as { id: string; name: string }[];
      const id = all.find((p) => p.name === 'Drawing')!.id;
      const { workbench } = await (await page.request.get(`/api/projects/${id}`)).json();
      return workbench?.panes?.map((p: { layers: { own?: object }[] }) => p.layers.map((l) => !!l.own));
    })
    .toEqual([[false], [true]]);
  const tab = await context.newPage();
  await openBench(tab);
  await expect(tab.getByTestId('project-name')).toHaveText('Drawing');
  await editor(tab, 1);
  await expect(ramp(tab, 'Heather to lichen')).toBeChecked();
  // What is changed there is seen here.
  await ramp(tab, 'Dusk to straw').click();
  await editor(page, 1);
  await expect(ramp(page, 'Dusk to straw')).toBeChecked();
  await page.keyboard.press('Escape');
  await tab.close();

  // Another one is drawn like it.
  await page.getByTestId('row-other').click();
  await editor(page, 1, 'other');
  await ramp(page, 'Ink to paper').click();
  await page.getByTestId('draw-like').selectOption({ label: 'knoll' });
  await expect(ramp(page, 'Dusk to straw')).toBeChecked();
});

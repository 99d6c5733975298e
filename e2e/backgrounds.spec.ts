import { readFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { expect, test, type Page } from '@playwright/test';
import { PNG } from 'pngjs';
import { crsOfCode, measureRaster, transformer, wgs84 } from '@helk/core';
import { writeGeoTiff } from '@helk/core/formats';
import { newProject, openBench, openSample, takeIn } from './helpers';
import { faults, readPdf } from './readers';

/** A place far from the island, and how far around it the ground of the service is red, metres. */
const PLACE = [11.4, 47.27] as const;
const AROUND = 1500;
const RADIUS = 6378137;
const onWeb = ([lon, lat]: readonly [number, number]): [number, number] => [
  (RADIUS * lon * Math.PI) / 180,
  RADIUS * Math.log(Math.tan(Math.PI / 4 + (lat * Math.PI) / 360)),
];

/** Tiles of the web that are red around the place and blue elsewhere, worked out here from the formulas of the projection. */
class Tiles {
  asked = 0;
  busy = false;
  address = '';
  private server!: Server;
  async up(): Promise<void> {
    const middle = onWeb(PLACE);
    const reach = AROUND / Math.cos((PLACE[1] * Math.PI) / 180);
    this.server = createServer((req, res) => {
      this.asked++;
      if (this.busy) return void res.writeHead(503).end('Closed for the night');
      const [z, x, y] = /(\d+)\/(\d+)\/(\d+)/.exec(req.url!)!.slice(1).map(Number) as [number, number, number];
      const cell = (2 * Math.PI * RADIUS) / 256 / 2 ** z;
      const png = new PNG({ width: 256, height: 256 });
      for (let k = 0; k < 65536; k++) {
        const east = -Math.PI * RADIUS + (256 * x + (k % 256) + 0.5) * cell;
        const north = Math.PI * RADIUS - (256 * y + Math.floor(k / 256) + 0.5) * cell;
        const red = Math.hypot(east - middle[0], north - middle[1]) < reach;
        png.data.set(red ? [220, 20, 20, 255] : [20, 20, 220, 255], 4 * k);
      }
      res.writeHead(200, { 'Content-Type': 'image/png' }).end(PNG.sync.write(png));
    });
    await new Promise<void>((r) => this.server.listen(0, '127.0.0.1', r));
    this.address = `http://127.0.0.1:${(this.server.address() as AddressInfo).port}/{z}/{x}/{y}.png`;
  }
  down(): void {
    this.server.closeAllConnections();
    this.server.close();
  }
}

const map = (page: Page) => page.getByRole('application').first();

/** Red, green and blue of the map at so many pixels from its middle. */
async function colour(page: Page, dx: number, dy: number): Promise<[number, number, number]> {
  const box = (await map(page).boundingBox())!;
  const x = Math.round(box.x + box.width / 2 + dx);
  const y = Math.round(box.y + box.height / 2 + dy);
  const { data } = PNG.sync.read(await page.screenshot({ clip: { x, y, width: 1, height: 1 } }));
  return [data[0]!, data[1]!, data[2]!];
}
const redder = async (page: Page, dx: number, dy: number): Promise<number> => {
  const [r, , b] = await colour(page, dx, dy);
  return r - b;
};

/** Opens the list of what can lie under the data, by its key. */
async function under(page: Page): Promise<void> {
  await map(page).focus();
  await page.keyboard.press('g');
  await expect(page.getByTestId('background-menu')).toBeVisible();
}

async function layUnder(page: Page, address: string): Promise<void> {
  await under(page);
  await page.getByTestId('background-another').click();
  await page.getByTestId('background-address').fill(address);
  await page.keyboard.press('Enter');
  await page.getByTestId('background-keep').click();
  await expect(page.getByTestId('background-dialog')).toHaveCount(0);
}

test('tiles by address lie where they belong, bent into the system of the project, and go as they came', async ({
  page,
}) => {
  const tiles = new Tiles();
  await tiles.up();
  try {
    await openBench(page);
    const stamp = Date.now();
    await newProject(page, `Messstellen ${stamp}`);
    const points = [-0.05, 0, 0.05].map((d) => ({
      type: 'Feature',
      properties: { tiefe: 3 },
      geometry: { type: 'Point', coordinates: [PLACE[0] + d, PLACE[1] + d / 3] },
    }));
    await takeIn(page, 'brunnen.geojson', Buffer.from(JSON.stringify({ type: 'FeatureCollection', features: points })));
    await page.getByTestId('stage-ledger').click();
    await expect(page.getByTestId('row-brunnen')).toBeVisible();
    await layUnder(page, tiles.address);
    await expect.poll(() => redder(page, 14, 0)).toBeGreaterThan(20);
    expect(await redder(page, 0, 40)).toBeGreaterThan(20);
    expect(await redder(page, 260, 0)).toBeLessThan(-20);
    // Quiet: most of it is paper.
    expect(Math.min(...(await colour(page, 260, 0)))).toBeGreaterThan(90);

    // The same project in zone 32 of UTM: bent on the way to the screen.
    await newProject(page, `Gelände ${stamp}`);
    const grid = crsOfCode(32632);
    const at = [0, 0];
    transformer(wgs84(), grid)(...PLACE, at);
    const dem = measureRaster(
      { crs: grid, x: at[0]! - 5000, y: at[1]! + 5000, dx: 100, dy: 100, columns: 100, rows: 100 },
      Float32Array.from({ length: 10_000 }, (_, i) => 600 + (i % 100)),
      { name: 'hoehe', unit: 'm', role: 'elevation', storedType: 'int16' },
    );
    await takeIn(page, 'hoehe.tif', Buffer.from(await writeGeoTiff(dem, 1)));
    await page.getByTestId('stage-ledger').click();
    await page.getByTestId('row-hoehe').click();
    await layUnder(page, tiles.address);
    // The data hide what lies under them.
    await expect.poll(async () => tiles.asked).toBeGreaterThan(8);
    await page.getByRole('button', { name: 'Hide hoehe' }).click();
    await expect.poll(() => redder(page, 0, 0)).toBeGreaterThan(20);
    expect(await redder(page, -140, 0)).toBeLessThan(-20);
    expect(await redder(page, 140, 0)).toBeLessThan(-20);

    // What does not come is said, and had when it is asked for again.
    tiles.busy = true;
    await map(page).focus();
    await page.keyboard.press('+');
    await expect(page.getByTestId('lost-tiles')).toContainText('answered 503');
    tiles.busy = false;
    await page.getByRole('button', { name: 'Ask again' }).click();
    await expect.poll(() => redder(page, 0, 0)).toBeGreaterThan(20);
    await expect(page.getByTestId('lost-tiles')).toHaveCount(0);

    // Taken away and brought back; then the coasts, which are far from here, then nothing.
    await under(page);
    await page
      .getByTestId('background-menu')
      .getByRole('button', { name: /^Remove/ })
      .click();
    await expect.poll(() => redder(page, 0, 0)).toBeLessThan(20);
    await page.keyboard.press('Escape');
    await page.keyboard.press('Control+z');
    await expect.poll(() => redder(page, 0, 0)).toBeGreaterThan(20);
    await under(page);
    await page.getByTestId('background-none').check();
    await expect.poll(() => redder(page, 0, 0)).toBeLessThan(20);
  } finally {
    tiles.down();
  }
});

test('the map of the portal is laid under the island, said whose it is, goes into a picture and onto a page', async ({
  page,
}) => {
  test.setTimeout(240_000);
  await openSample(page);
  await under(page);
  expect(await faults(page, '[data-testid=background-menu]')).toEqual([]);
  await page.getByTestId('background-another').click();
  await page.getByTestId('background-offer').click();
  await expect(page.getByTestId('background-name')).toHaveValue('Map of the island', { timeout: 60_000 });
  expect(await faults(page, '[data-testid=background-dialog]')).toEqual([]);
  await page.getByTestId('background-keep').click();
  await expect(page.getByTestId('credit')).toContainText('Survey office of Veyra');
  const bare = await colour(page, 0, 0);
  await page.getByRole('button', { name: 'Hide Filled' }).click();
  await page.getByRole('button', { name: 'Hide Watersheds' }).click();
  // Paper has next to no green in it; the map has, and the dark raster is gone.
  await expect.poll(() => colour(page, 0, 0), { timeout: 60_000 }).not.toEqual(bare);
  const [drawn] = await Promise.all([
    page.waitForEvent('download'),
    page
      .getByRole('button', { name: 'Picture of this pane' })
      .click()
      .then(() =>
        page
          .getByRole('menuitem', { name: /^Picture \(PNG/ })
          .first()
          .click(),
      ),
  ]);
  const picture = PNG.sync.read(readFileSync(await drawn.path()));
  const tones = new Set<number>();
  for (let k = 0; k < picture.data.length; k += 400) tones.add(picture.data[k]! >> 2);
  // The relief of the map has many tones; without it there are paper, ink and the colour of a point.
  expect(tones.size).toBeGreaterThan(20);
  await page.reload();
  await expect(page.getByTestId('credit')).toContainText('Map of the island');
  // A page made of the pane has it too, and says whose it is.
  await page.getByTestId('stage-sheets').click();
  await page.getByTestId('first-sheet').click();
  await page.locator('[data-part=map1]').click({ position: { x: 20, y: 20 } });
  await expect(page.getByTestId('frame-ground').locator('option:checked')).toHaveText('Map of the island');
  await expect(page.getByTestId('out-words')).toContainText('A4');
  const [paper] = await Promise.all([
    page.waitForEvent('download', { timeout: 120_000 }),
    page.getByTestId('take-away').click(),
  ]);
  const [sheet] = await readPdf(paper);
  expect(sheet!.text).toContain('Survey office of Veyra');
  await page.getByRole('button', { name: 'Back to the panes' }).click();
  await page.getByRole('button', { name: /^Remove / }).click();
  await page.getByTestId('stage-ledger').click();
  await page.getByRole('button', { name: 'Show Filled' }).click();
  await page.getByRole('button', { name: 'Show Watersheds' }).click();
  await under(page);
  await page.getByTestId('background-menu').getByRole('button', { name: 'Remove Map of the island' }).click();
  await page.getByTestId('background-coasts').check();
  await page.keyboard.press('Escape');
  await expect(page.getByTestId('credit')).toHaveCount(0);
});

test('an address that cannot be is refused in a sentence, and nothing is laid under', async ({ page }) => {
  await openSample(page);
  await under(page);
  await page.getByTestId('background-another').click();
  const said = page.getByTestId('background-problem');
  for (const [typed, words] of [
    ['http://127.0.0.1:9/{z}/{y}.png', 'lacks {x}'],
    ['nowhere', 'names no machine'],
    ['http://127.0.0.1:1/tiles', 'cannot be reached'],
    ['ftp://maps.example/{z}/{x}/{y}', 'http'],
  ] as const) {
    await page.getByTestId('background-address').fill(typed);
    await page.getByTestId('background-ask').click();
    await expect(said).toContainText(words);
    await expect(page.getByTestId('background-keep')).toBeDisabled();
  }
  await page.getByRole('button', { name: 'Leave it' }).click();
  await under(page);
  await expect(page.getByTestId('background-coasts')).toBeChecked();
  await page.keyboard.press('Escape');
});

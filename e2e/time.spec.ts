import { expect, test, type Download, type Page } from '@playwright/test';
import { unzipSync } from 'fflate';
import { readFileSync } from 'node:fs';
import { dataOf, Random } from '@helk/core';
import { readFile } from '@helk/core/formats';
import {
  askFor,
  chooseInput,
  closeSheet,
  figure,
  newProject,
  openBench,
  openSample,
  runSheet,
  takeIn,
} from './helpers';
import { readPdf } from './readers';

const [ACROSS, DOWN, MONTHS] = [8, 6, 48];

/** Wards of a town south of the equator, in degrees. */
function wards(): Buffer {
  const features = Array.from({ length: ACROSS * DOWN }, (_, k) => {
    const [i, j] = [k % ACROSS, Math.floor(k / ACROSS)];
    const [x, y] = [151 + 0.01 * i, -32.9 + 0.008 * j];
    return {
      type: 'Feature',
      properties: { ward: `W${k + 1}`, residents: 1000 + 10 * k },
      geometry: {
        type: 'Polygon',
        coordinates: [
          [
            [x, y],
            [x + 0.01, y],
            [x + 0.01, y + 0.008],
            [x, y + 0.008],
            [x, y],
          ],
        ],
      },
    };
  });
  return Buffer.from(JSON.stringify({ type: 'FeatureCollection', features }));
}

/** Dated calls: in the west more from month to month for two years and fewer after, in the east by the season only. Days stand first. */
function calls(odd: readonly string[] = []): Buffer {
  const random = new Random(12);
  const features: object[] = [];
  const put = (x: number, y: number, when: string): void => {
    features.push({ type: 'Feature', properties: { when }, geometry: { type: 'Point', coordinates: [x, y] } });
  };
  for (let k = 0; k < ACROSS * DOWN; k++) {
    const [i, j] = [k % ACROSS, Math.floor(k / ACROSS)];
    const west = i < ACROSS / 2;
    for (let m = 0; m < MONTHS; m++) {
      const noise = random.below(2);
      const n = west
        ? 1 + Math.round((m < 24 ? m : 48 - m) / 3) + noise
        : 3 + Math.round(3 * Math.cos((2 * Math.PI * (m - 6)) / 12)) + noise;
      for (let c = 0; c < n; c++) {
        const day = 1 + ((c * 7 + k * 3 + m) % 28);
        const date = `${String(day).padStart(2, '0')}/${String((m % 12) + 1).padStart(2, '0')}/${2018 + Math.floor(m / 12)}`;
        put(151 + 0.01 * i + 0.001 + 0.0007 * c, -32.9 + 0.008 * j + 0.001 + 0.0003 * c, date);
      }
    }
  }
  // One far out, one told twice, and what was typed by hand.
  put(140, -20, '01/06/2019');
  for (let c = 0; c < 2; c++) put(151.005, -32.895, '02/06/2019');
  for (const when of odd) put(151.005, -32.895, when);
  return Buffer.from(JSON.stringify({ type: 'FeatureCollection', features }));
}

async function begin(page: Page, name: string, events: Buffer): Promise<void> {
  await openBench(page);
  await newProject(page, `${name} ${Date.now()}`);
  await takeIn(page, 'wards.geojson', wards());
  await takeIn(page, 'calls.geojson', events);
  await page.getByTestId('stage-ledger').click();
  await expect(page.getByTestId('row-calls')).toBeVisible();
  await page.getByTestId('row-wards').click();
}

async function gather(page: Page): Promise<void> {
  await askFor(page, 'how do these become one history');
  await chooseInput(page, 'locations', 'wards');
  await chooseInput(page, 'events', 'calls');
  await expect(page.locator('#p-from')).toHaveValue('events');
  await page.locator('#p-keyColumn').selectOption('ward');
  await page.locator('#p-step').fill('month');
}

test('from dated events to a history, its trend, a shorter window beside it, groups that are named, and out', async ({
  page,
}) => {
  await begin(page, 'Calls', calls());
  await gather(page);
  await runSheet(page);
  await expect(figure(page, 'locations')).toHaveText('48');
  await expect(figure(page, 'steps')).toHaveText('48');
  await expect(figure(page, 'to')).toHaveText('2021-12');
  await expect(page.getByTestId('run-result')).toContainText('lies outside all places');
  await expect(page.getByTestId('run-result')).toContainText('told twice');
  await closeSheet(page);

  // Time stands at the end; it is moved by the bar, and passes by itself.
  await page.getByTestId('row-calls by month').dblclick();
  await expect(page.getByTestId('moment')).toHaveText('2021-12');
  await page.getByLabel('Step', { exact: true }).press('Home');
  await expect(page.getByTestId('moment')).toHaveText('2018-01');
  await page.getByTestId('play').click();
  await expect(page.getByTestId('moment')).not.toHaveText('2018-01');
  await page.getByTestId('play').click();
  await page.getByTestId('time-window').selectOption('12');

  // A place that is clicked is told over the mean of all.
  await expect(page.getByTestId('series')).toContainText('mean of all 48');
  const map = await page.getByTestId('pane-1').boundingBox();
  const middle = [map!.x + map!.width / 2, map!.y + map!.height / 2 - 24] as const;
  await page.mouse.click(...middle);
  await expect(page.getByTestId('series').getByRole('list')).toContainText(/W\d+/);
  await expect(page.getByTestId('told')).toHaveCount(0);
  // It is picked only where that is asked for.
  await page.keyboard.down('Control');
  await page.mouse.click(...middle);
  await page.keyboard.up('Control');
  await expect(page.getByTestId('told')).toContainText('1 of 48 polygons');

  // The whole hides what came and went.
  await page.getByTestId('row-calls by month').click();
  await askFor(page, 'is it rising or falling');
  await page.getByRole('button', { name: 'Hold like seasons against each other' }).click();
  await expect(page.locator('#p-season')).toHaveValue('12');
  await runSheet(page);
  await expect(figure(page, 'rising')).toHaveText('0');
  await closeSheet(page);
  // Picked of the stack is picked of its trend; the place tells its p.
  await expect(page.getByTestId('series')).toContainText(/p \d/);
  const chart = await page.getByTestId('series-brush').boundingBox();
  await page.mouse.move(chart!.x + 60, chart!.y + 60);
  await page.mouse.down();
  await page.mouse.move(chart!.x + chart!.width * 0.5, chart!.y + 60, { steps: 4 });
  await page.mouse.up();
  await expect(page.getByTestId('series-part')).toContainText('2018-');
  await page.getByTestId('test-part').click();
  await expect(page.locator('#p-from')).toHaveValue(/^2018-/);
  await page.locator('#p-from').fill('2018-01');
  await page.locator('#p-to').fill('2019-12');
  await runSheet(page);
  await expect(figure(page, 'rising')).toHaveText('24');
  await closeSheet(page);
  await expect(page.getByTestId('pane-2')).toContainText('2018-01 to 2019-12');

  // Groups by profile are named where they are read, and the key has the names.
  await page.getByTestId('row-calls by month').click();
  await askFor(page, 'which places move alike');
  await page.locator('#p-by').selectOption('profile');
  await runSheet(page);
  await expect(figure(page, 'k')).toHaveText('2');
  await expect(figure(page, 'sizes')).toHaveText('24, 24');
  await closeSheet(page);
  await page.getByLabel('Name of group 1').fill('rose and fell');
  await page.getByLabel('Name of group 1').press('Tab');
  await page.getByLabel('Name of group 2').fill('with the season');
  await page.getByLabel('Name of group 2').press('Tab');
  await expect(page.locator('[data-testid^=key-]').filter({ hasText: 'rose and fell' }).first()).toContainText(
    'with the season',
  );
  await page.getByRole('tab', { name: 'All at once' }).click();
  await expect(page.getByTestId('strip-order')).toHaveValue('=group');
  const strip = await page.getByTestId('strip').locator('canvas').boundingBox();
  // What is told is known once all series are there.
  await expect(async () => {
    await page.mouse.move(strip!.x + 190, strip!.y + 20);
    await page.mouse.move(strip!.x + 200, strip!.y + 20);
    await expect(page.getByTestId('strip-told')).toContainText('2018-', { timeout: 1000 });
  }).toPass();
  await page.mouse.down();
  await page.mouse.move(strip!.x + 200, strip!.y + strip!.height / 2 - 20, { steps: 3 });
  await page.mouse.up();
  await expect(page.getByTestId('told')).toContainText(/of 48 polygons/);

  // Steps side by side, on one key; one of them brings the map there.
  await page.getByTestId('row-calls by month').click();
  await page.getByRole('tab', { name: 'Step by step' }).click();
  await page.getByTestId('every').selectOption('6');
  await expect(page.getByTestId('moments').locator('figure')).toHaveCount(8);

  // Out: long form with the places, wide form, a moving picture.
  const id = await page.evaluate(() => location.pathname);
  expect(id).toBeTruthy();
  const got = async (format: string): Promise<Uint8Array> => {
    const projects = (await (await page.request.get('/api/projects')).json()) as { id: string; name: string }[];
    const name = (await page.getByTestId('project-name').textContent())!.trim();
    const project = projects.find((p) => p.name === name)!.id;
    const all = (await (await page.request.get(`/api/projects/${project}`)).json()) as {
      datasets: { id: string; name: string }[];
    };
    const stack = all.datasets.find((d) => d.name === 'calls by month')!.id;
    const r = await page.request.get(`/api/projects/${project}/datasets/${stack}/export?format=${format}`);
    expect(r.ok()).toBeTruthy();
    return new Uint8Array(await r.body());
  };
  const text = (b: Uint8Array): string => new TextDecoder().decode(b);
  expect(text(await got('csv')).slice(0, 40)).toContain('location,time,count\r\nW1,2018-01,');
  expect(text(await got('csv-wide')).split('\r\n')[0]).toMatch(/^location,residents,2018-01,2018-02/);
  const zip = await got('stack-zip');
  expect(Object.keys(unzipSync(zip)).sort()).toEqual(['calls by month.csv', 'calls by month.geojson']);
  const back = dataOf('stack', (await readFile('calls.zip', zip)).layers[0]!.data)!;
  expect([back.key, back.steps.count, back.variables[0]!.name]).toEqual(['ward', 48, 'count']);
});

test('twelve months of grids from a time axis: by cell, with a gap, drier towards summer, and as a moving picture', async ({
  page,
}) => {
  await openSample(page);
  await page.getByTestId('row-veyra-soil-moisture').click();
  await askFor(page, 'how do these grids become one history');
  await runSheet(page);
  await expect(figure(page, 'steps')).toHaveText('12');
  await expect(figure(page, 'from')).toHaveText('2025-01');
  await closeSheet(page);
  await askFor(page, 'is it rising or falling');
  await page.locator('#p-to').fill('2025-08');
  await runSheet(page);
  await expect(figure(page, 'rising')).toHaveText('0');
  await closeSheet(page);
  await page.getByRole('button', { name: /Take Trend of soil moisture.* out of the pane/ }).click();
  const film = page.waitForEvent('download', { timeout: 180_000 });
  await page.getByTestId('time-more').click();
  await page.getByTestId('gif').click();
  const gif = new Uint8Array(readFileSync(await (await film).path()));
  expect(String.fromCharCode(...gif.subarray(0, 6))).toBe('GIF89a');
  expect(gif.length).toBeGreaterThan(50_000);
});

test('wrong input of histories is refused in a sentence, or taken with what was left out said', async ({ page }) => {
  await begin(page, 'Odd calls', calls(['someday', '', '2019-07-01']));
  await gather(page);
  await runSheet(page);
  const told = page.getByTestId('run-result');
  await expect(told).toContainText('no date that can be read');
  await expect(told).toContainText('"someday"');
  await expect(told).toContainText('written in 2 ways');
  await closeSheet(page);

  // Days first in some and months first in others cannot both be.
  await takeIn(page, 'mixed.geojson', calls(['12/31/2019']));
  await page.getByTestId('stage-ledger').click();
  await page.getByTestId('row-wards').click();
  await askFor(page, 'how do these become one history');
  await chooseInput(page, 'locations', 'wards');
  await chooseInput(page, 'events', 'mixed');
  await page.locator('#p-step').fill('fortnight');
  await expect(page.getByTestId('run-sheet')).toContainText('"fortnight" is no step of time');
  await page.locator('#p-step').fill('month');
  await expect(page.getByTestId('run')).toBeEnabled();
  await page.getByTestId('run').click();
  await expect(page.locator('[data-testid=run-result][data-state=failed]')).toContainText('some the month');

  // A window that lies nowhere, or is too short.
  await page.getByRole('button', { name: 'Close the run sheet' }).click();
  await page.getByTestId('row-calls by month').click();
  await askFor(page, 'is it rising or falling');
  await page.locator('#p-from').fill('2031');
  await expect(page.getByTestId('run-sheet')).toContainText('lies in none of the steps');
  await page.locator('#p-from').fill('2021-11');
  await expect(page.getByTestId('run-sheet')).toContainText('a trend needs three at least');
  await expect(page.getByTestId('run')).toBeDisabled();
});

test('each step of a history becomes a sheet', async ({ page }) => {
  await begin(page, 'Sheets of calls', calls());
  await gather(page);
  await page.locator('#p-step').fill('year');
  await runSheet(page);
  await closeSheet(page);
  await page.getByTestId('row-calls by year').dblclick();
  await expect(page.getByTestId('moment')).toHaveText('2021');
  await page.getByTestId('stage-sheets').click();
  await page.getByTestId('first-sheet').click();
  await expect(page.getByTestId('page')).toHaveAttribute('data-busy', 'false');
  await page.getByTestId('many-by').selectOption({ label: 'each of 4 steps of “calls by year”' });
  await expect(page.getByTestId('many-example')).toContainText('4 sheets: ');
  await page.locator('[data-part=words2]').click();
  await page.getByTestId('words').fill('{name}, {number} of {of}');
  await page.getByTestId('out-dpi').fill('40');
  await page.getByTestId('out-dpi').press('Enter');
  await expect(page.getByTestId('out-words')).toContainText('4 sheets');
  const download = async (): Promise<Download> =>
    (
      await Promise.all([page.waitForEvent('download', { timeout: 240_000 }), page.getByTestId('take-away').click()])
    )[0];
  const pages = await readPdf(await download());
  expect(pages.map((p) => /20\d\d, \d of 4/.exec(p.text)?.[0])).toEqual([
    '2018, 1 of 4',
    '2019, 2 of 4',
    '2020, 3 of 4',
    '2021, 4 of 4',
  ]);
});

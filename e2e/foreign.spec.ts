import { expect, test } from '@playwright/test';
import { figure, newProject, openBench, runSheet, state, takeIn } from './helpers';

test('two foreign grids are looked at and taken in with one factor for both', async ({ page }) => {
  await openBench(page);
  await newProject(page, 'Seabed');
  if (!(await page.getByTestId('files').count())) await page.getByTestId('stage-gather').click();
  const bring = page.getByRole('button', { name: /Bring in veyra-seabed/ });
  await expect(bring).toHaveCount(2);
  await bring.nth(0).click();
  await expect(page.getByTestId('review-row-0')).toBeVisible({ timeout: 60_000 });
  await bring.nth(1).click();
  await expect(page.getByTestId('review-row-1')).toBeVisible();
  await expect(page.getByTestId('high').first()).toContainText('km');
  // A slip is said: the values change, the unit does not.
  await page.getByLabel('Factor for all').fill('-1000');
  await expect(page.getByText('The values change but the unit is still km').first()).toBeVisible();
  await page.getByLabel('Unit for all').fill('m');
  await expect(page.getByText('The values change but the unit is still km')).toHaveCount(0);
  await expect(page.getByTestId('low').first()).toContainText('−1');
  // A factor that is none stops everything.
  await page.getByLabel('Factor for all').fill('x');
  await expect(page.getByTestId('take')).toBeDisabled();
  await page.getByLabel('Factor for all').fill('-1000');
  await page.getByTestId('take').click();
  await page.getByTestId('stage-ledger').click();
  await expect(page.getByTestId(/^row-veyra-seabed/).first()).toBeVisible();
  await expect(page.getByTestId('review')).toHaveCount(0);
  await expect(page.getByText('missing')).toBeVisible();
  await expect(state(page, 'failed')).toHaveCount(0);
});

test('a table finds its place, data without a system theirs, and both stand in a thread of their own name', async ({
  page,
}) => {
  await openBench(page);
  await newProject(page, 'Placing');
  const rows = Array.from({ length: 20 }, (_, i) => `S${i};${530000 + 40 * i},5;${6455000 + 30 * i},25;${i},5`);
  await takeIn(page, 'probes.csv', Buffer.from(['Stelle;Wert A [m];Wert B [m];Tiefe [cm]', ...rows].join('\r\n')));
  await page.locator('summary', { hasText: 'probes' }).click();
  await page.getByRole('button', { name: 'Place its rows' }).click();
  await expect(page.getByTestId('awaited')).toContainText('eastings or longitudes');
  await expect(page.getByTestId('run')).toBeDisabled();
  await page.locator('#p-x').selectOption('Wert A [m]');
  await page.locator('#p-y').selectOption('Wert B [m]');
  await page.getByRole('combobox', { name: 'Coordinate system' }).fill('EPSG:32627');
  await page.keyboard.press('Tab');
  await runSheet(page);
  await expect(figure(page, 'placed')).toHaveText('20');
  await page.getByRole('button', { name: 'Close the run sheet' }).click();

  // Metres in GeoJSON: its standard cannot be meant, but they lie among the points just placed.
  const point = (i: number): object => ({
    type: 'Feature',
    properties: { n: i },
    geometry: { type: 'Point', coordinates: [530100 + i, 6455100] },
  });
  const file = { type: 'FeatureCollection', features: [point(0), point(1)] };
  await takeIn(page, 'wells.geojson', Buffer.from(JSON.stringify(file)));
  await expect(page.getByTestId('pane-1').getByText('system not known')).toBeVisible();
  await page.locator('summary', { hasText: 'wells' }).click();
  await page.getByRole('button', { name: 'Say which it is' }).click();
  await page.getByRole('button', { name: 'EPSG:32627', exact: true }).click();
  await expect(page.getByText('The coordinate system was given by hand').first()).toBeVisible();
  await page.getByRole('combobox', { name: 'Thread' }).fill('Probes of the moor');
  await page.keyboard.press('Tab');
  await page.getByRole('button', { name: 'Close', exact: true }).click();
  await expect(page.getByTestId('pane-1').getByText('system not known')).toHaveCount(0);
  await page.getByTestId('stage-ledger').click();
  const heading = page.getByRole('heading', { name: 'Probes of the moor' });
  await expect(heading).toBeVisible();
  await heading.dblclick();
  await page.getByRole('textbox', { name: 'Name of the thread' }).fill('Wells');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'Wells' })).toBeVisible();
  await page.reload();
  await expect(page.getByRole('heading', { name: 'Wells' })).toBeVisible();
});

import { expect, test, type Page } from '@playwright/test';
import { zipSync } from 'fflate';
import {
  askFor,
  chooseInput,
  closeSheet,
  figure,
  isPainted,
  newProject,
  openBench,
  runSheet,
  state,
  takeIn,
} from './helpers';

const row = (page: Page, name: string) => page.getByTestId(`row-${name}`).first();

/** A sample that ships with Helk. */
async function sample(page: Page, file: string): Promise<Buffer> {
  return (await page.request.get(`/api/samples/${file}`)).body();
}

/** Streets and buses of the island as a network, shelters beside it. */
async function island(page: Page): Promise<void> {
  await openBench(page);
  await newProject(page, `Island ${Date.now()}`);
  for (const file of ['veyra-streets.geojson', 'veyra-buses.zip', 'veyra-shelters.geojson'])
    await takeIn(page, file, await sample(page, file));
  await page.getByTestId('stage-ledger').click();
  for (const name of ['veyra-streets', 'veyra-buses', 'veyra-shelters']) await expect(row(page, name)).toBeVisible();
  await row(page, 'veyra-streets').click();
  await askFor(page, 'Which streets join where');
  // The only timetable there is stands in its role by itself.
  await expect(page.getByTestId('input-timetable')).toContainText('veyra-buses');
  await runSheet(page);
  await expect(page.getByTestId('run-result')).toContainText('All 128 stops lie within 100 m');
  await closeSheet(page);
  await expect.poll(() => isPainted(page, 1)).toBe(true);
}

test('what runs on a day is seen, and where buses get one on a weekday is held against walking', async ({ page }) => {
  await island(page);
  await row(page, 'veyra-buses').click();
  const service = page.getByTestId('service');
  await expect(service).toContainText('435 trips on 6 lines');
  await page.getByTestId('service-day').fill('2026-09-06');
  await page.getByTestId('service-day').blur();
  await expect(service).toContainText('Sun, 6 Sep');
  await expect(service).not.toContainText('435 trips');

  // On foot, towards the shelters; streets are seen before anything is run.
  await row(page, 'Network').click();
  await askFor(page, 'Where does one get in this time');
  await chooseInput(page, 'facilities', 'veyra-shelters');
  await page.getByLabel('Limits').fill('10, 20 min');
  await page.getByLabel('Way', { exact: true }).selectOption('towards');
  await page.getByLabel('Of several facilities').selectOption('yes');
  const told = page.getByTestId('reach-told');
  await expect(told).toContainText('km of streets · from 8 places');
  const at20 = await told.textContent();
  await page.getByTestId('reach-slider').fill('8');
  await expect(told).not.toHaveText(at20!);
  await runSheet(page);
  await expect(figure(page, 'placed')).toHaveText('8');
  await expect(page.getByTestId('pane-1')).toContainText('limit, min');
  const onFoot = await figure(page, 'area').textContent();

  // The same by bus: a variant beside its sibling, leaving where most runs.
  await page.getByTestId('vary').click();
  await page.getByLabel('By', { exact: true }).selectOption('transit');
  await expect(page.getByTestId('check-network.runs')).toContainText('435 trips set out');
  await page.getByLabel('And through').fill('10');
  await runSheet(page);
  await expect(page.getByTestId('pane-2')).toContainText('by public transport');
  await expect(figure(page, 'area')).not.toHaveText(onFoot!);
  await closeSheet(page);
  await page.locator('[data-testid^="row-Through the window"]').first().click();
  await expect(page.getByTestId('through')).toContainText('most leaving at 08:');

  await askFor(page, 'What does one reach and not the other');
  await runSheet(page);
  await expect(figure(page, 'shareBoth')).toContainText('%');
});

test('a street is closed by a line across it, and the answer is a variant', async ({ page }) => {
  await island(page);
  await row(page, 'Network').click();
  await askFor(page, 'Where does one get in this time');
  await chooseInput(page, 'facilities', 'veyra-shelters');
  await page.getByLabel('Limits').fill('15 min');
  await page.getByLabel('Of several facilities').selectOption('yes');
  await runSheet(page);
  const before = await figure(page, 'area').textContent();
  await page.getByTestId('what-if-closed').click();
  // Straight across the middle of the town.
  const box = (await page.getByTestId('pane-1').boundingBox())!;
  const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
  await page.mouse.click(x - 120, y - 120);
  await page.mouse.move(x, y, { steps: 4 });
  await page.mouse.click(x + 120, y + 120);
  await expect(page.getByTestId('run-sheet')).toContainText('1 line');
  await runSheet(page);
  await expect(page.getByTestId('run-result')).toContainText('closed to all; vehicles of the timetable run as before');
  await expect(figure(page, 'area')).not.toHaveText(before!);
  await expect(row(page, 'Reach, closed streets (1)')).toBeVisible();
});

test('a departure outside the calendar, and a feed without its times, are told of in words', async ({ page }) => {
  await island(page);
  await row(page, 'Network').click();
  await askFor(page, 'Where does one get in this time');
  await chooseInput(page, 'facilities', 'veyra-shelters');
  await page.getByLabel('By', { exact: true }).selectOption('transit');
  await page.getByLabel('Leaving').fill('2027-02-01T08:10');
  await page.getByLabel('Leaving').blur();
  await expect(page.getByTestId('check-network.departure')).toContainText('runs from 2026-09-01 to 2026-12-20');
  await expect(page.getByTestId('run')).toBeDisabled();
  await closeSheet(page);

  const text = (s: string): Uint8Array => new TextEncoder().encode(s);
  const files: Record<string, Uint8Array> = {
    'agency.txt': text('agency_name,agency_url,agency_timezone\nBoats,https://example.org,Etc/UTC\n'),
    'stops.txt': text('stop_id,stop_name,stop_lat,stop_lon\na,Quay,58.2,-20.4\nb,Mill,58.21,-20.4\n'),
    'routes.txt': text('route_id,route_short_name,route_type\nr,7,4\n'),
    'trips.txt': text('route_id,service_id,trip_id\nr,all,t\nr,all,u\n'),
    'calendar_dates.txt': text('service_id,date,exception_type\nall,20260908,1\n'),
  };
  await page.getByTestId('stage-ledger').click();
  await page.getByTestId('stage-gather').click();
  const take = (name: string, more: Record<string, Uint8Array>): Promise<void> =>
    page.getByTestId('files').setInputFiles({
      name,
      mimeType: 'application/zip',
      buffer: Buffer.from(zipSync({ ...files, ...more })),
    });
  await take('half.zip', {});
  await expect(page.getByTestId('import-problem').first()).toContainText(
    'is a timetable (GTFS) without stop_times.txt',
  );
  await take('boats.zip', {
    'stop_times.txt': text(
      'trip_id,arrival_time,departure_time,stop_id,stop_sequence\nt,08:00:00,08:00:00,a,1\nt,08:10:00,08:10:00,b,2\nu,09:00:00,09:00:00,b,1\nu,08:50:00,08:50:00,a,2\n',
    ),
  });
  await page.getByTestId('stage-ledger').click();
  await row(page, 'boats').click();
  await page.getByRole('tab', { name: 'What may be wrong' }).click();
  await expect(page.getByTestId('feed-faults')).toContainText('stop_times.txt');
  await expect(page.getByTestId('feed-faults')).toContainText('times of trip "u" run backwards');
  await expect(state(page, 'failed')).toHaveCount(0);
});

import { expect, test, type Page } from '@playwright/test';
import { askFor, chooseInput, closeSheet, figure, isPainted, newProject, openBench, runSheet, takeIn } from './helpers';

const row = (page: Page, name: string) => page.getByTestId(`row-${name}`).first();
const geojson = (features: object[]): Buffer => Buffer.from(JSON.stringify({ type: 'FeatureCollection', features }));
const feature = (type: string, coordinates: unknown, properties: object = {}): object => ({
  type: 'Feature',
  properties,
  geometry: { type, coordinates },
});

/** A town of square blocks in degrees, some 110 m wide; one street is missing, one is one way, a lane hangs together with nothing. */
function streets(): Buffer {
  const [w, s, n] = [-71.5, -33.4, 9];
  const at = (i: number, j: number): [number, number] => [w + 0.0012 * i, s + 0.001 * j];
  const lines: object[] = [];
  for (let i = 0; i < n; i++)
    for (let j = 0; j < n; j++)
      for (const [di, dj] of [
        [1, 0],
        [0, 1],
      ] as const)
        if (i + di < n && j + dj < n && !(i === 4 && j === 4))
          lines.push(
            feature('LineString', [at(i, j), at(i + di, j + dj)], {
              calle: di ? `Row ${j}` : `Column ${i}`,
              oneway: j === 2 && di ? 'yes' : 'no',
              class: 'residential',
            }),
          );
  lines.push(
    feature(
      'LineString',
      [
        [w - 0.01, s],
        [w - 0.009, s],
      ],
      { calle: 'Lost Lane', oneway: 'no', class: 'lane' },
    ),
  );
  return geojson(lines);
}

test('streets become a network, and who is reached on foot and by bicycle is seen, compared and counted', async ({
  page,
}) => {
  await openBench(page);
  await newProject(page, `Town ${Date.now()}`);
  await takeIn(page, 'calles.geojson', streets());
  await page.getByTestId('stage-ledger').click();
  await expect(row(page, 'calles')).toContainText('lines');
  await takeIn(
    page,
    'refuges.geojson',
    geojson([
      feature('Point', [-71.4975, -33.3972], { name: 'North hall' }),
      feature('Point', [-71.4942, -33.3951], { name: 'School' }),
      feature('Point', [-71.47, -33.41], { name: 'Far farm' }),
    ]),
  );
  await takeIn(
    page,
    'blocks.geojson',
    geojson([
      feature(
        'Polygon',
        [
          [
            [-71.5, -33.4],
            [-71.49, -33.4],
            [-71.49, -33.392],
            [-71.5, -33.392],
            [-71.5, -33.4],
          ],
        ],
        { people: 1200 },
      ),
      feature(
        'Polygon',
        [
          [
            [-71.47, -33.4],
            [-71.46, -33.4],
            [-71.46, -33.392],
            [-71.47, -33.392],
            [-71.47, -33.4],
          ],
        ],
        { people: 300 },
      ),
    ]),
  );
  await page.getByTestId('stage-ledger').click();
  await row(page, 'calles').click();

  await askFor(page, 'Which streets join where');
  await expect(page.getByTestId('run-sheet')).toContainText('in degrees');
  await runSheet(page);
  await expect(figure(page, 'components')).toHaveText('2');
  await expect(row(page, 'Network')).toContainText('network');
  await closeSheet(page);
  await expect.poll(() => isPainted(page, 1, 5)).toBe(true);
  await row(page, 'Network').click();
  await expect(page.getByTestId('faults')).toContainText('2 parts that do not hang together');

  for (const mode of ['walk', 'bicycle']) {
    await row(page, 'Network').click();
    await askFor(page, 'Where does one get in this time');
    await chooseInput(page, 'facilities', 'refuges');
    await page.getByLabel('By', { exact: true }).selectOption(mode);
    await page.getByLabel('Limits').fill('2, 4 min');
    await page.getByLabel('Of several facilities').selectOption('yes');
    await runSheet(page);
    await expect(figure(page, 'placed')).toHaveText('2');
    await expect(page.getByTestId('run-result')).toContainText('1 of the 3 facilities lies more than 100 m');
    await closeSheet(page);
  }
  await expect(row(page, 'Left out')).toBeVisible();

  await askFor(page, 'What does one reach and not the other');
  await runSheet(page);
  await expect(figure(page, 'shareBoth')).toContainText('%');
  await closeSheet(page);
  await row(page, 'Reach').click();
  await askFor(page, 'How many people are reached');
  await chooseInput(page, 'people', 'blocks');
  await runSheet(page);
  await expect(figure(page, 'total')).toHaveText(/1\s500/);
  await expect(page.getByTestId('served')).toContainText('areas by the share that is reached');
  await expect(page.getByTestId('served')).toContainText('4 min');
  await closeSheet(page);

  // Ways, with directions to read; what has no way is told of.
  await row(page, 'Network').click();
  await askFor(page, 'Which is the best way');
  await chooseInput(page, 'stops', 'refuges');
  await runSheet(page);
  await expect(page.getByTestId('run-result')).toContainText('1 of the 3 stops');
  await expect(page.getByTestId('evidence')).toContainText('set out');
});

test('limits that cannot be read, and a column that says neither yes nor no, are told of in words', async ({
  page,
}) => {
  await openBench(page);
  await newProject(page, `Odd town ${Date.now()}`);
  await takeIn(
    page,
    'vias.geojson',
    geojson([
      feature(
        'LineString',
        [
          [10, 50],
          [10.01, 50],
        ],
        { oneway: 'perhaps', tempo: 0 },
      ),
    ]),
  );
  await page.getByTestId('stage-ledger').click();
  await row(page, 'vias').click();
  await askFor(page, 'Which streets join where');
  await runSheet(page);
  await expect(page.getByTestId('run-result')).toContainText('"perhaps"');
  await expect(page.getByTestId('run-result')).toContainText('closed to cars');
  await closeSheet(page);
  await takeIn(page, 'place.geojson', geojson([feature('Point', [10.005, 50])]));
  await page.getByTestId('stage-ledger').click();
  await row(page, 'Network').click();
  await askFor(page, 'Where does one get in this time');
  await page.getByLabel('By', { exact: true }).selectOption('car');
  await expect(page.getByTestId('run-sheet')).toContainText('may be gone along by car');
  await expect(page.getByTestId('run')).toBeDisabled();
  await page.getByLabel('By', { exact: true }).selectOption('walk');
  await page.getByLabel('Limits').fill('soon');
  await expect(page.getByTestId('run-sheet')).toContainText('soon');
  await expect(page.getByTestId('run')).toBeDisabled();
});

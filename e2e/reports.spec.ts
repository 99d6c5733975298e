import { readFileSync } from 'node:fs';
import { expect, test, type Download, type Page } from '@playwright/test';
import { strFromU8, unzipSync } from 'fflate';
import { openSample } from './helpers';
import { attachedTo, faults, readPdf } from './readers';

test.use({ permissions: ['clipboard-read', 'clipboard-write'] });

async function taken(page: Page, button: string): Promise<Download> {
  const [download] = await Promise.all([
    page.waitForEvent('download', { timeout: 180_000 }),
    page.getByTestId(button).click(),
  ]);
  return download;
}

/** Shows the filled terrain and begins a report of it, with the map pinned. */
async function beginReport(page: Page): Promise<void> {
  await openSample(page);
  await page.getByTestId('row-Filled').first().click();
  await page
    .locator('helk-pane')
    .first()
    .click({ position: { x: 300, y: 300 } });
  await page.keyboard.press('f');
  await expect(page.getByTestId('notice').last()).toContainText('Pinned');
  await page.getByTestId('stage-sheets').click();
  await page.getByTestId('new-report').click();
  await expect(page.getByTestId('report-view')).toBeVisible();
  await expect(page.frameLocator('[data-testid=report-page]').locator('h1')).toHaveText(/Filled/);
}

/** The project is left as it was. */
async function removeReport(page: Page): Promise<void> {
  const title = await page.getByTestId('report-title').inputValue();
  await page.getByRole('button', { name: `Remove ${title}`, exact: true }).click();
  await expect(page.getByTestId('report-view')).toHaveCount(0);
  await page
    .getByRole('button', { name: /^More of / })
    .last()
    .click();
  await page.getByRole('menuitem', { name: 'Remove' }).click();
}

test('how a result was made becomes a page and a document that others can follow and repeat', async ({
  page,
  context,
}) => {
  await beginReport(page);
  const read = page.frameLocator('[data-testid=report-page]');
  await page.getByTestId('report-title').fill('Hollows of Veyra');
  await page.getByTestId('report-title').press('Enter');
  await page.getByTestId('report-by').fill('A. Surveyor');
  await page.getByTestId('report-by').press('Enter');
  await page.getByTestId('report-answer').fill('Water gets stuck in many places.\n\nMost of them are small.');
  await expect(read.locator('h1')).toHaveText('Hollows of Veyra');
  await expect(read.getByText('Most of them are small.')).toBeVisible();
  await expect(read.locator('figure svg')).toHaveCount(1);
  await expect(read.getByRole('link', { name: 'recipe.json' })).toBeVisible();
  expect(await faults(page, 'helk-report-view')).toEqual([]);

  // What is saved is read without a server, and by those who do not see it.
  const html = await taken(page, 'report-html');
  expect(html.suggestedFilename()).toBe('Hollows of Veyra.html');
  const file = test.info().outputPath('report.html');
  await html.saveAs(file);
  const other = await context.newPage();
  const asked: string[] = [];
  other.on('request', (r) => asked.push(r.url()));
  await other.goto(`file://${file}`);
  expect(asked.filter((u) => !/^(file|data):/.test(u))).toEqual([]);
  for (const words of [
    'What went in',
    'What was done',
    'veyra-elevation-nw.tif',
    'Depressions',
    'Barnes',
    'A. Surveyor',
  ])
    await expect(other.getByText(words).first()).toBeVisible();
  expect(await faults(other, 'html')).toEqual([]);
  await other.close();

  const pdf = await taken(page, 'report-pdf');
  const pages = await readPdf(pdf);
  expect(pages.length).toBeGreaterThan(1);
  const [first] = pages;
  expect(first!.size.map((v) => Math.round(v as number))).toEqual([595, 842]);
  for (const p of pages) for (const f of p.fonts) expect(f.missingFile ?? false).toBe(false);
  const text = pages.map((p) => p.text).join(' ');
  for (const words of ['Hollows of Veyra', 'What went in', 'What was done', 'Barnes', `1 of ${pages.length}`])
    expect(text).toContain(words);

  // The recipe in it is one that the server takes.
  const { 'recipe.json': recipe } = await attachedTo(pdf);
  const answer = await page.request.post('/api/recipes/check', { data: { recipe: JSON.parse(recipe!) as object } });
  expect(answer.status()).toBe(200);
  expect(((await answer.json()) as { method: object | null }).method).not.toBeNull();
  await removeReport(page);
});

test('a report says when what it shows is not so any more, and is kept as it was written', async ({ page }) => {
  await beginReport(page);
  await page.getByTestId('report-answer').fill('Kept through a reload.');
  await expect(page.frameLocator('[data-testid=report-page]').getByText('Kept through a reload.')).toBeVisible();
  const answers = async (): Promise<string[]> => {
    const projects = (await (await page.request.get('/api/projects')).json()) as { id: string; name: string }[];
    const { id } = projects.find((p) => p.name === 'Veyra landscape plan')!;
    const { reports } = (await (await page.request.get(`/api/projects/${id}`)).json()) as {
      reports: { report: { answer: string } }[];
    };
    return reports.map((r) => r.report.answer);
  };
  await expect.poll(answers).toContain('Kept through a reload.');
  await openSample(page);
  await page.getByTestId('stage-sheets').click();
  await page
    .getByTestId(/^report-Filled/)
    .last()
    .click();
  await expect(page.getByTestId('report-answer')).toHaveValue('Kept through a reload.');
  await removeReport(page);
});

test('a project is packed for the next person, with a readme that says what is what', async ({ page }) => {
  await openSample(page);
  await page.getByTestId('stage-sheets').click();
  await page.getByTestId('pack-project').check();
  const zip = unzipSync(readFileSync(await (await taken(page, 'pack')).path()));
  const names = Object.keys(zip);
  expect(names).toContain('data/Filled.tif');
  expect(names).toContain('project.helk');
  expect(strFromU8(zip['data/Filled.tif']!.slice(0, 2))).toMatch(/II|MM/);
  const readme = strFromU8(zip['readme.md']!);
  expect(readme).toContain('EPSG:32627');
  expect(readme).toMatch(/data\/Filled\.tif \| Filled \| raster · m · 30 m/);
  const lineage = JSON.parse(strFromU8(zip['lineage.json']!)) as { runs: { method: string }[] };
  expect(lineage.runs.map((r) => r.method)).toContain('terrain.fill');
});

test('colours are put together, drawn with, and stay when their palette goes', async ({ page }) => {
  await openSample(page);
  await page.getByTestId('row-Filled').first().click();
  await page.locator('helk-pane').first().getByText('Filled', { exact: true }).first().click();
  const editor = page.getByTestId('style-editor');
  await editor.getByTestId('make-palette').click();
  const dialog = page.getByTestId('palette-editor');
  await dialog.getByTestId('palette-name').fill('Heath');
  await dialog.getByLabel('Colour 2 as text').fill('#f0c0a0');
  await dialog.getByLabel('Colour 2 as text').press('Tab');
  await expect(dialog.getByTestId('palette-check').first()).toContainText('up and down');
  await dialog.getByTestId('palette-keep').click();
  await expect(editor.getByRole('radio', { name: 'Heath', exact: true })).toBeChecked();
  await editor.getByRole('button', { name: 'Change Heath' }).click();
  await dialog.getByRole('button', { name: 'Remove' }).click();
  await expect(editor.getByRole('radio', { name: 'Own colours' })).toBeChecked();
  await editor.getByRole('radio', { name: 'Dusk to straw' }).click();
  await expect(editor.getByRole('radio', { name: 'Own colours' })).toHaveCount(0);
});

test('a table is copied as it is wanted elsewhere', async ({ page }) => {
  await openSample(page);
  await page.getByTestId('row-veyra-parishes').first().click();
  await page.getByRole('tab', { name: 'Table', exact: true }).click();
  const copy = page.getByTestId('pick-bar').getByTestId('copy-table');
  await copy.click();
  await page.getByTestId('copy-html').click();
  await expect(page.getByTestId('notice').last()).toContainText('Copied 236 rows');
  const html = await page.evaluate(async () => {
    const [item] = await navigator.clipboard.read();
    return (await item!.getType('text/html')).text();
  });
  expect(html.match(/<tr/g)!.length).toBe(237);
  await copy.click();
  await page.getByTestId('copy-text').click();
  await expect
    .poll(async () => (await page.evaluate(() => navigator.clipboard.readText())).split('\n').length)
    .toBe(237);
  await copy.click();
  await page.getByTestId('copy-picture').click();
  await expect(page.getByTestId('notice').last()).toContainText('takes up to 80');
  await page.getByTestId('row-Gaps').first().click();
  await page.getByRole('tab', { name: 'Table', exact: true }).click();
  await copy.click();
  await page.getByTestId('copy-picture').click();
  await expect
    .poll(() =>
      page.evaluate(async () => {
        const [item] = await navigator.clipboard.read();
        return item!.types.includes('image/png')
          ? (await createImageBitmap(await item!.getType('image/png'))).width
          : 0;
      }),
    )
    .toBeGreaterThan(300);
});

import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import { askFor, newProject, openBench, openSample, roughTiff, runSheet, state, takeIn } from './helpers';

test('a refused setting is named in words, and the run waits for it', async ({ page }) => {
  await openSample(page);
  await page.getByTestId('row-Mosaic').first().click();
  await askFor(page, 'slope');
  await expect(page.getByTestId('run')).toBeEnabled();
  await page.getByLabel('Vertical factor').fill('-2');
  await expect(page.getByTestId('refusal')).toContainText('-2 must be more than 0');
  await expect(page.getByTestId('run')).toBeDisabled();
  await page.getByLabel('Vertical factor').fill('2');
  await expect(page.getByTestId('refusal')).toHaveCount(0);
  await expect(page.getByTestId('run')).toBeEnabled();
});

test('damaged and mislabelled files are refused with a sentence and leave nothing', async ({ page }) => {
  await openBench(page);
  await newProject(page, 'Bad files');
  await takeIn(page, 'cut.tif', (await roughTiff(300)).subarray(0, 20_000));
  await expect(page.getByTestId('import-problem').first()).toContainText('“cut.tif”'.replace(/[“”]/g, '"'));
  await takeIn(page, 'page.tif', Buffer.from('<html>Service unavailable</html>'));
  await expect(page.getByTestId('import-problem').first()).toContainText('error page');
  await takeIn(page, 'empty.tif', Buffer.alloc(0));
  await expect(page.getByTestId('import-problem').first()).toContainText('empty');
  await page.getByTestId('stage-ledger').click();
  await expect(page.getByText('Nothing has been taken in yet.')).toBeVisible();
});

test('a run is cancelled, and the project stays as it was', async ({ page }) => {
  await openBench(page);
  await newProject(page, 'Cancel');
  await takeIn(page, 'rough.tif', await roughTiff(2600));
  await page.getByTestId('stage-ledger').click();
  await page.getByTestId('row-rough').click({ timeout: 120_000 });
  await askFor(page, 'depressions');
  await expect(page.getByTestId('run')).toBeEnabled();
  await page.getByTestId('run').click();
  await page.getByTestId('cancel').click();
  await expect(state(page, 'cancelled')).toBeVisible();
  await expect(page.getByTestId('run-problem')).toContainText('nothing was changed');
  await expect(page.getByTestId('row-Filled')).toHaveCount(0);
});

test('projects are made, saved to a file, opened again and deleted; datasets renamed, removed and brought back', async ({
  page,
}) => {
  await openBench(page);
  const name = `Round trip ${test.info().repeatEachIndex}`;
  // Menus of lists that grow: with fifty projects, saving and deleting are still in sight.
  for (let k = 0; k < 50; k++)
    await page.request.post('/api/projects', {
      data: { name: `Bay ${k + 1}` },
      headers: { origin: new URL(page.url()).origin },
    });
  await newProject(page, name);
  await takeIn(page, 'small.tif', await roughTiff(64));
  await page.getByTestId('stage-ledger').click();
  const row = page.getByTestId('row-small');
  await expect(row).toBeVisible();
  await row.hover();
  await page.getByRole('button', { name: 'What can be done with small' }).click();
  await page.getByRole('menuitem', { name: 'Name it' }).click();
  await page
    .getByTestId('dataset-card')
    .getByLabel('Name')
    .fill('A very long name for a small grid that would not fit into any ledger row');
  await page.getByTestId('dataset-card').getByLabel('Note').fill('from the test');
  await page.getByRole('button', { name: 'Close', exact: true }).click();
  const renamed = page.getByTestId('row-A very long name for a small grid that would not fit into any ledger row');
  await expect(renamed).toBeVisible();
  await renamed.hover();
  await page.getByRole('button', { name: /What can be done with A very long/ }).click();
  await page.getByRole('menuitem', { name: 'Remove' }).click();
  await expect(renamed).toHaveCount(0);
  await page.getByTestId('notice').getByRole('button', { name: 'Undo' }).click();
  await expect(renamed).toBeVisible();

  await page.getByTestId('project-menu').click();
  const [saved] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('menuitem', { name: 'Save as one file' }).click(),
  ]);
  const path = await saved.path();
  // While the menu is still closing, a click on its button would close it again.
  await expect(page.getByRole('menuitem', { name: 'Save as one file' })).toHaveCount(0);
  await page.getByTestId('project-menu').click();
  await page.getByRole('menuitem', { name: 'Delete …' }).click();
  await page.getByRole('button', { name: 'Delete', exact: true }).click();
  await expect(page.getByTestId('project-name')).not.toHaveText(name);
  await page.getByTestId('project-file').setInputFiles(path);
  await expect(page.getByTestId('project-name')).toHaveText(name);
  await expect(renamed).toBeVisible();
});

test('everything on the thread is reached by keyboard', async ({ page }) => {
  await openSample(page);
  await expect(page.getByTestId('pane-1')).toBeVisible();
  await page.keyboard.press('Control+k');
  await page.keyboard.type('statistics');
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('run')).toBeEnabled();
  await page.getByTestId('run').focus();
  await page.keyboard.press('Enter');
  await expect(state(page, 'done')).toBeVisible();
  await expect(page.getByTestId('evidence')).toContainText('median');
  await page.getByTestId('stage-gather').focus();
  await page.keyboard.press('Space');
  await expect(page.getByText('Drop files here')).toBeVisible();
  await page.keyboard.press('Alt+2');
  await expect(page.getByTestId('pane-2')).toBeVisible();
});

test.describe('after SIGKILL during a run', () => {
  const data = mkdtempSync(join(tmpdir(), 'helk-kill-'));
  const port = 4797;
  let server: ChildProcess;
  const up = async (): Promise<void> => {
    server = spawn(process.execPath, ['dist/server/main.js'], {
      cwd: join(import.meta.dirname, '..'),
      env: {
        ...process.env,
        HELK_ROOT: join(import.meta.dirname, '..'),
        HELK_PORT: String(port),
        HELK_DATA: data,
        HELK_DEMO: 'none',
      },
      stdio: 'pipe',
    });
    await new Promise<void>((r) =>
      server.stdout!.on('data', (d: Buffer) => d.toString().includes('Helk is at') && r()),
    );
  };
  test.afterAll(() => server.kill('SIGKILL'));

  test('the project is whole, the run is marked interrupted and can be run again', async ({ page }) => {
    await up();
    const url = `http://127.0.0.1:${port}/`;
    await page.goto(url);
    await page.getByRole('button', { name: 'Make one' }).click();
    await takeIn(page, 'rough.tif', await roughTiff(1800));
    await page.getByTestId('stage-ledger').click();
    await page.getByTestId('row-rough').click({ timeout: 120_000 });
    await askFor(page, 'depressions');
    await expect(page.getByTestId('run')).toBeEnabled();
    await page.getByTestId('run').click();
    await expect(state(page, 'running')).toBeVisible();
    server.kill('SIGKILL');
    await new Promise((r) => server.once('exit', r));
    await up();
    await page.goto(url);
    await expect(page.getByTestId('row-rough')).toBeVisible();
    await expect(page.getByTestId('row-Filled')).toHaveCount(0);
    await expect(page.getByTestId('unfinished')).toContainText('Helk stopped while this run was under way');
    await page.getByRole('button', { name: 'Run again' }).click();
    await runSheet(page);
    await expect(page.getByTestId('row-Filled')).toBeVisible();
    await expect(page.getByTestId('unfinished')).toHaveCount(0);
  });
});

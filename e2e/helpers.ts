import { expect, type Page } from '@playwright/test';
import { crsOfCode, measureRaster } from '@helk/core';
import { writeGeoTiff } from '@helk/core/formats';
import { setupNode } from '@helk/node';

setupNode();

/** Opens the workbench and waits until the first map is painted. */
export async function openBench(page: Page, url = '/'): Promise<void> {
  await page.goto(url);
  await expect(page.getByTestId('project-name')).not.toHaveText('No project');
}

/** Opens the sample project, whatever was opened last. */
export async function openSample(page: Page): Promise<void> {
  await openBench(page);
  const name = page.getByTestId('project-name');
  const sample = 'Veyra landscape plan';
  if ((await name.textContent()) !== sample) {
    await page.getByTestId('project-menu').click();
    await page.getByRole('menuitem', { name: sample }).click();
  }
  await expect(name).toHaveText(sample);
  await expect(page.getByTestId('row-Mosaic').first()).toBeVisible();
}

/** Asks the ask box and takes the first answer. */
export async function askFor(page: Page, text: string): Promise<void> {
  await page.keyboard.press('Control+k');
  const box = page.getByRole('combobox', { name: 'Ask for a method' });
  await expect(box).toBeFocused();
  await box.fill(text);
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('run-sheet')).toBeVisible();
}

export const state = (page: Page, s: string) => page.locator(`[data-testid=run-result][data-state=${s}]`);

/** Runs the open sheet to its end. */
export async function runSheet(page: Page): Promise<void> {
  await expect(page.getByTestId('run')).toBeEnabled();
  await page.getByTestId('run').click();
  await expect(state(page, 'done')).toBeVisible({ timeout: 180_000 });
}

export const closeSheet = (page: Page) => page.getByRole('button', { name: 'Close the run sheet' }).click();

/** A figure of the finished run, as text. */
export const figure = (page: Page, name: string) => page.locator(`[data-figure=${name}]`);

/** Rough ground that keeps depression filling busy for some seconds. */
export async function roughTiff(size: number): Promise<Buffer> {
  const cells = new Float32Array(size * size);
  for (let i = 0; i < cells.length; i++) {
    const x = i % size;
    const y = Math.floor(i / size);
    cells[i] = Math.round(200 * Math.sin(x / 37) * Math.cos(y / 41) + ((x * 7919 + y * 104729) % 97));
  }
  const grid = { crs: crsOfCode(32627), x: 530000, y: 6460000, dx: 5, dy: 5, columns: size, rows: size };
  return Buffer.from(
    await writeGeoTiff(
      measureRaster(grid, cells, { name: 'rough', unit: 'm', role: 'elevation', storedType: 'int16' }),
      1,
    ),
  );
}

/** A new project, through the menu. */
export async function newProject(page: Page, name: string): Promise<void> {
  await page.getByTestId('project-menu').click();
  await page.getByRole('menuitem', { name: 'New project …' }).click();
  await page.getByLabel('Name of the project').fill(name);
  await page.getByRole('button', { name: 'Make it' }).click();
  await expect(page.getByTestId('project-name')).toHaveText(name);
}

export async function takeIn(page: Page, name: string, buffer: Buffer): Promise<void> {
  // A stage that is open folds away when it is asked for again, and a new project may just be opening it.
  await page.getByTestId('stage-ledger').click();
  await page.getByTestId('stage-gather').click();
  await page.getByTestId('files').setInputFiles({ name, mimeType: 'application/octet-stream', buffer });
}

/**
 * Whether a pane's map has painted anything that is not its paper.
 *
 * @param least pixels, of each hundred one is looked at; thin lines in a wide view have few
 */
export async function isPainted(page: Page, pane: number, least = 40): Promise<boolean> {
  return page.getByTestId(`pane-${pane}`).evaluate((el, least) => {
    for (const c of el.querySelectorAll('canvas')) {
      if (!c.width || !c.height) continue;
      const d = c.getContext('2d')!.getImageData(0, 0, c.width, c.height).data;
      let n = 0;
      for (let i = 3; i < d.length; i += 400) if (d[i]! > 200) n++;
      if (n > least) return true;
    }
    return false;
  }, least);
}

/** Puts a dataset, by its name, into an input of the open run sheet. */
export async function chooseInput(page: Page, role: string, name: string): Promise<void> {
  await page.getByTestId(`input-${role}`).click();
  const list = page.getByTestId('choices');
  await list
    .getByRole('option')
    .filter({ has: page.getByTitle(name, { exact: true }) })
    .first()
    .click();
  await expect(list).toHaveCount(0);
}

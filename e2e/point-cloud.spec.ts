import { expect, test, type Page } from '@playwright/test';
import { crsOfCode, wgs84, type Cloud } from '@helk/core';
import { writeDataset } from '@helk/core/formats/write';
import { smallScene } from '@helk/core/methods/cloud/scene-fixture';
import { askFor, closeSheet, figure, isPainted, newProject, openBench, runSheet, takeIn } from './helpers';

const row = (page: Page, name: string) => page.getByTestId(`row-${name}`).first();

/** A quarter of nine houses and nine trees far from the island, in another system, bare of classes. */
const bare = (): Cloud => ({
  ...smallScene(32_400).bare,
  crs: crsOfCode(25832),
  offset: [560_000, 5_930_000, 40],
});

/** Whether the scene shows more than its sky. */
async function sceneColours(page: Page): Promise<number> {
  return page.getByTestId('scene').evaluate((el) => {
    const c = el.querySelector('canvas')!;
    const copy = document.createElement('canvas');
    [copy.width, copy.height] = [c.width, c.height];
    const g = copy.getContext('2d')!;
    g.drawImage(c, 0, 0);
    const d = g.getImageData(0, 0, copy.width, copy.height).data;
    const seen = new Set<number>();
    for (let i = 0; i < d.length; i += 4 * 37) seen.add((d[i]! >> 4) * 256 + (d[i + 1]! >> 4) * 16 + (d[i + 2]! >> 4));
    return seen.size;
  });
}

test('a cloud without classes becomes ground, trees and buildings, seen from above, from the side and in space', async ({
  page,
}) => {
  await openBench(page);
  await newProject(page, `Quarter ${Date.now()}`);
  await takeIn(page, 'harbour side.las', Buffer.from(await writeDataset(bare(), 'las')));
  await expect(page.getByTestId('project-name')).toBeVisible();
  await page.getByTestId('stage-ledger').click();
  await expect(row(page, 'harbour side')).toContainText('point cloud');
  await expect.poll(() => isPainted(page, 1)).toBe(true);

  // Trees want classes; what to run first is offered.
  await askFor(page, 'Where are the trees');
  await expect(page.getByTestId('run-sheet')).toContainText('No ground is classified');
  await expect(page.getByTestId('run')).toBeDisabled();
  await page.getByRole('button', { name: 'Find the ground first' }).click();
  await expect(page.getByTestId('run-sheet')).toContainText('Ground is classified');
  await page.getByRole('button', { name: 'Find what stands on the ground first' }).click();
  await expect(page.getByTestId('run-sheet')).toContainText('times the spacing of the points');
  // What the settings do, in a small window, before the whole is run; they answer at once.
  await expect(page.getByTestId('trial-figures')).toContainText(/trees [1-9]/);
  await page.getByLabel('Smallest height').fill('40');
  await expect(page.getByTestId('trial-figures')).toContainText('trees 0');
  await page.getByLabel('Smallest height').fill('2');
  await expect(page.getByTestId('trial-figures')).toContainText(/trees [1-9]/);
  await runSheet(page);
  await expect(figure(page, 'trees')).toContainText('9');
  await closeSheet(page);

  await row(page, 'Classified').click();
  // The key has the classes with their counts; a click hides one.
  const key = page
    .getByTestId('pane-1')
    .or(page.getByTestId('pane-2'))
    .getByRole('button', { name: /building/ });
  if (!(await key.first().isVisible()))
    await page
      .getByRole('button', { name: /Classified: class/ })
      .last()
      .click();
  await key.last().click();
  await expect(key.last()).toHaveAttribute('aria-pressed', 'false');
  await key.last().click();

  // From the side.
  await expect(page.getByTestId('section-told')).toContainText(/\d points/);
  await page.getByLabel('Width of the strip, m').fill('6');
  await page.getByLabel('Width of the strip, m').press('Enter');
  await expect(page.getByTestId('section-told')).toContainText('from west to east');

  // Points marked by hand where they are seen, then kept as a cloud of their own.
  await page.getByTestId('mark').click();
  await page.getByLabel('Class that points are given').selectOption({ label: 'low noise' });
  const side = (await page.getByTestId('section').boundingBox())!;
  const corner = (x: number, y: number): [number, number] => [side.x + side.width * x, side.y + side.height * y];
  await page.mouse.move(...corner(0.3, 0.02));
  await page.mouse.down();
  for (const [x, y] of [
    [0.9, 0.02],
    [0.9, 0.8],
    [0.3, 0.8],
  ] as const)
    await page.mouse.move(...corner(x, y), { steps: 4 });
  await page.mouse.up();
  await expect(page.getByTestId('marks-told')).toContainText(/1 mark, [1-9][\d\s]* points here/);
  await page.getByTestId('marks-keep').click();
  await expect(row(page, 'Marked')).toBeVisible();
  await page.getByRole('tab', { name: 'How high, and what' }).click();
  await expect(page.getByTestId('spread-classes')).toContainText('low noise');
  await row(page, 'Classified').click();

  await askFor(page, 'Where are the buildings, how tall');
  await runSheet(page);
  await expect(figure(page, 'buildings')).toContainText('9');
  await closeSheet(page);
  await row(page, 'Classified').click();
  await askFor(page, 'What grid do the points make');
  await runSheet(page);
  await closeSheet(page);

  // In space: ground, blocks and trees, read and picked by a click.
  for (const name of ['Grid', 'Buildings', 'Trees']) await row(page, name).click();
  await page.getByRole('button', { name: 'See it in space' }).first().click();
  await expect.poll(() => sceneColours(page), { timeout: 90_000 }).toBeGreaterThan(12);
  const scene = page.getByTestId('scene');
  const box = (await scene.boundingBox())!;
  await page.mouse.click(box.x + box.width / 2, box.y + box.height / 2);
  await expect(page.getByTestId('readout')).toContainText('m');
  await scene.focus();
  await page.keyboard.press('Shift+ArrowRight');
  await page.keyboard.press('Shift+ArrowRight');
  await page.keyboard.press('Shift+ArrowRight');
  await expect(page.getByTestId('scene-state')).toContainText('looks north-east');
  await page.getByTestId('scene-settings').click();
  await page.getByLabel('Heights').fill('2');
  await expect(page.getByTestId('scene-state')).toContainText('2 × height');
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Take it along' }).click();
  const [picture] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('menuitem', { name: 'Picture, 1920 × 1080' }).click(),
  ]);
  expect(picture.suggestedFilename()).toContain('.png');
  await page.getByRole('button', { name: 'Take it along' }).click();
  const [model] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('menuitem', { name: /glTF/ }).click(),
  ]);
  expect(model.suggestedFilename()).toContain('.glb');
  await page.getByRole('button', { name: 'Take it along' }).click();
  const [shapes] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('menuitem', { name: /OBJ/ }).click(),
  ]);
  expect(shapes.suggestedFilename()).toContain('.obj');
});

test('a cloud in degrees, and a file that is cut off, are told of in words', async ({ page }) => {
  await openBench(page);
  await newProject(page, `Odd clouds ${Date.now()}`);
  const degrees: Cloud = { ...smallScene(2500).bare, crs: wgs84(), scale: [1e-7, 1e-7, 0.01], offset: [11, 54, 0] };
  await takeIn(page, 'in degrees.las', Buffer.from(await writeDataset(degrees, 'las')));
  await page.getByTestId('stage-ledger').click();
  await row(page, 'in degrees').click();
  await askFor(page, 'Which points are ground');
  await expect(page.getByTestId('run-sheet')).toContainText('The points are in degrees');
  await expect(page.getByTestId('run')).toBeDisabled();
  await closeSheet(page);
  const whole = await writeDataset(smallScene(2500).bare, 'las');
  await takeIn(page, 'half.las', Buffer.from(whole.slice(0, whole.length >> 1)));
  await page.getByTestId('stage-ledger').click();
  await row(page, 'half').click();
  await takeIn(page, 'no points.laz', Buffer.from('LASF but nothing else'));
  await expect(page.getByText(/ends within its header/).first()).toBeVisible();
});

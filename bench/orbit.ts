// Frames while one goes around a cloud in a scene of the built workbench, without a graphics card: npm run bench:orbit [points]
import { crsOfCode } from '@helk/core';
import { writeDataset } from '@helk/core/formats/write';
import { smallScene } from '@helk/core/methods/cloud/scene-fixture';
import { setupNode } from '@helk/node';
import { framesWhile, told, withWorkbench } from './in-browser';

const COUNT = Number(process.argv[2] ?? 2_000_000);

setupNode();
await withWorkbench(4796, async (workbench) => {
  const cloud = { ...smallScene(COUNT).cloud, crs: crsOfCode(25832), offset: [560_000, 5_930_000, 0] as never };
  const page = await workbench.open('orbit', 'orbit.las', await writeDataset(cloud, 'las'));
  await page.getByTestId('row-orbit').click();
  const start = Date.now();
  await page.getByRole('button', { name: 'See it in space' }).first().click();
  const state = page.getByTestId('scene-state');
  /** Until so many points are shown as before, a second long. */
  const settled = async (): Promise<{ text: string; at: number }> => {
    const from = Date.now();
    let [text, at] = ['', from];
    while (Date.now() - at < 1000) {
      if (Date.now() - from > 120_000) throw new Error(`Still not at rest: ${text}`);
      const now = (await state.textContent()) ?? '';
      if (now !== text || !/[1-9]/.test(now)) [text, at] = [now, Date.now()];
      await page.waitForTimeout(50);
    }
    return { text: text.trim(), at };
  };
  const first = await settled();
  process.stdout.write(`${cloud.x.length} points: all that is wanted after ${first.at - start} ms (${first.text})\n`);
  const box = (await page.getByTestId('scene').boundingBox())!;
  let ended = 0;
  let full = 0;
  const { moving, after } = await framesWhile(
    page,
    async () => {
      await page.mouse.move(box.x + 60, box.y + 300);
      await page.keyboard.down('Shift');
      await page.mouse.down();
      for (let k = 0; k < 60; k++) {
        await page.mouse.move(box.x + 60 + 5 * k, box.y + 300 + (k % 20));
        await page.waitForTimeout(16);
      }
    },
    async () => {
      await page.mouse.up();
      await page.keyboard.up('Shift');
      ended = Date.now();
      full = (await settled()).at;
    },
  );
  process.stdout.write(
    `while one goes around: ${told(moving)}; longest at rest ${Math.max(...after).toFixed(0)} ms, all points back after ${full - ended} ms\n`,
  );
});

// Frames while a map of 100 000 points, lines or polygons is dragged and zoomed in the built workbench: npm run bench:frames
import { crsOfCode, FeaturesBuilder, numberColumn, type Features, type GeometryType } from '@helk/core';
import { writeGeoPackage } from '@helk/core/formats/write';
import { setupNode } from '@helk/node';
import { framesWhile, told, withWorkbench } from './in-browser';

const COUNT = Number(process.argv[2] ?? 100_000);

/** A field of small shapes over 20 x 20 km, each a number to be classed by. */
function field(geometry: GeometryType): Features {
  const b = new FeaturesBuilder();
  const side = Math.ceil(Math.sqrt(COUNT));
  const step = 20_000 / side;
  for (let i = 0; i < COUNT; i++) {
    const x = 525_000 + (i % side) * step;
    const y = 6_440_000 + Math.floor(i / side) * step;
    if (geometry === 'point') b.coordinate(x, y);
    else if (geometry === 'line')
      for (let k = 0; k < 6; k++) b.coordinate(x + (k * step) / 7, y + step * 0.4 * Math.sin(i + k));
    else
      for (const [u, v] of [
        [0, 0],
        [0.9, 0],
        [0.9, 0.9],
        [0, 0.9],
        [0, 0],
      ] as const)
        b.coordinate(x + u * step, y + v * step);
    b.endRing();
    b.endPart();
    b.endFeature();
  }
  return b.build(geometry, crsOfCode(32627), [
    numberColumn(
      'v',
      Float64Array.from({ length: COUNT }, (_, i) => (i * 7919) % 1000),
    ),
  ]);
}

setupNode();
await withWorkbench(4797, async (workbench) => {
  for (const geometry of ['point', 'line', 'polygon'] as const) {
    const bytes = writeGeoPackage([{ name: geometry, data: field(geometry) }]);
    const page = await workbench.open(geometry, `${geometry}.gpkg`, bytes);
    const start = Date.now();
    await page.getByTestId(`row-${geometry}`).click();
    // Every tenth of a second is too coarse for the first picture, so painted pixels are asked for.
    await page.waitForFunction(
      () =>
        [...document.querySelectorAll<HTMLCanvasElement>('[data-testid=pane-1] canvas')].some((c) => {
          if (!c.width || !c.height) return false;
          const d = c.getContext('2d')!.getImageData(0, 0, c.width, c.height).data;
          let n = 0;
          for (let i = 3; i < d.length; i += 40) if (d[i]! > 30) n++;
          return n > 200;
        }),
      undefined,
      { timeout: 60_000, polling: 50 },
    );
    const first = Date.now() - start;
    const box = (await page.getByTestId('pane-1').boundingBox())!;
    for (const zoomed of [false, true]) {
      if (zoomed) {
        await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
        for (let k = 0; k < 8; k++) {
          await page.mouse.wheel(0, -300);
          await page.waitForTimeout(120);
        }
        await page.waitForTimeout(1500);
      }
      const { moving, after } = await framesWhile(
        page,
        async () => {
          await page.mouse.move(box.x + 400, box.y + 250);
          await page.mouse.down();
          for (let k = 0; k < 40; k++) {
            await page.mouse.move(box.x + 400 + 4 * k, box.y + 250 + 2 * k);
            await page.waitForTimeout(16);
          }
        },
        async () => {
          await page.mouse.up();
          await page.waitForTimeout(2500);
        },
      );
      process.stdout.write(
        `${COUNT} ${geometry}s, ${zoomed ? 'zoomed in' : 'all in view'}: first picture ${first} ms; while dragged ${told(moving)}; longest after ${Math.max(...after).toFixed(0)} ms\n`,
      );
    }
    await page.close();
  }
});

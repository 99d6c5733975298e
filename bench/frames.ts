// Frames while a map of 100 000 points, lines or polygons is dragged and zoomed in the built workbench: npm run bench:frames
import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium } from '@playwright/test';
import { crsOfCode, FeaturesBuilder, numberColumn, type Features, type GeometryType } from '@helk/core';
import { writeGeoPackage } from '@helk/core/formats/write';
import { setupNode } from '@helk/node';

const COUNT = Number(process.argv[2] ?? 100_000);
const PORT = 4797;
const ROOT = join(import.meta.dirname, '..');

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
const data = mkdtempSync(join(tmpdir(), 'helk-frames-'));
const server = spawn(process.execPath, ['dist/server/main.js'], {
  cwd: ROOT,
  env: { ...process.env, HELK_ROOT: ROOT, HELK_PORT: String(PORT), HELK_DATA: data, HELK_DEMO: 'none' },
  stdio: ['ignore', 'pipe', 'inherit'],
});
await new Promise<void>((r) => server.stdout.on('data', (d: Buffer) => d.toString().includes('Helk is at') && r()));
const browser = await chromium.launch({
  executablePath: process.env['CHROME_BIN'] ?? '/usr/bin/chromium',
  args: [
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-sync',
  ],
});
const base = `http://127.0.0.1:${PORT}`;
const send = async (path: string, body: unknown): Promise<{ id: string; state?: string }> => {
  const raw = body instanceof Uint8Array;
  const r = await fetch(base + path, {
    method: 'POST',
    body: (raw ? body : JSON.stringify(body)) as never,
    headers: { 'Content-Type': raw ? 'application/octet-stream' : 'application/json' },
  });
  return (await r.json()) as { id: string };
};
try {
  for (const geometry of ['point', 'line', 'polygon'] as const) {
    const project = (await send('/api/projects', { name: geometry })).id;
    const bytes = writeGeoPackage([{ name: geometry, data: field(geometry) }]);
    const run = (await send(`/api/projects/${project}/imports?name=${geometry}.gpkg`, bytes)).id;
    for (let state = ''; state !== 'done';) {
      state = ((await (await fetch(`${base}/api/projects/${project}/runs/${run}`)).json()) as { state: string }).state;
      if (state === 'failed') throw new Error('It was not taken in.');
      await new Promise((r) => setTimeout(r, 100));
    }
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    await page.addInitScript((p) => localStorage.setItem('helk.project', p), project);
    await page.goto(base);
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
      // As text: the loader of this script marks functions with a helper that pages do not have.
      await page.evaluate(
        'window.frames_ = []; window.stop_ = false; { let last = performance.now(); requestAnimationFrame(function tick(t) { frames_.push(t - last); last = t; if (!stop_) requestAnimationFrame(tick); }); }',
      );
      await page.mouse.move(box.x + 400, box.y + 250);
      await page.mouse.down();
      for (let k = 0; k < 40; k++) {
        await page.mouse.move(box.x + 400 + 4 * k, box.y + 250 + 2 * k);
        await page.waitForTimeout(16);
      }
      const moving = (await page.evaluate('frames_.slice(2)')) as number[];
      await page.mouse.up();
      await page.waitForTimeout(2500);
      const all = (await page.evaluate('stop_ = true; frames_.slice(2)')) as number[];
      const sorted = moving.sort((a, b) => a - b);
      const at = (p: number): string => sorted[Math.min(sorted.length - 1, Math.floor(p * sorted.length))]!.toFixed(0);
      process.stdout.write(
        `${COUNT} ${geometry}s, ${zoomed ? 'zoomed in' : 'all in view'}: first picture ${first} ms; while dragged ${moving.length} frames, median ${at(0.5)} ms, 95 % ${at(0.95)} ms, longest ${at(1)} ms; longest after ${Math.max(...all.slice(moving.length)).toFixed(0)} ms\n`,
      );
    }
    await page.close();
  }
} finally {
  await browser.close();
  server.kill();
  rmSync(data, { recursive: true, force: true });
}

// The built server and a browser of one bench, and frames counted while something is done.
import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium, type Page } from '@playwright/test';

const ROOT = join(import.meta.dirname, '..');

export interface Workbench {
  /** A project with one file in it, in a page of its own. */
  open(name: string, file: string, bytes: Uint8Array): Promise<Page>;
}

/** Does something with the built workbench, on a machine without a graphics card. */
export async function withWorkbench(port: number, use: (w: Workbench) => Promise<void>): Promise<void> {
  const data = mkdtempSync(join(tmpdir(), 'helk-frames-'));
  const server = spawn(process.execPath, ['dist/server/main.js'], {
    cwd: ROOT,
    env: { ...process.env, HELK_ROOT: ROOT, HELK_PORT: String(port), HELK_DATA: data, HELK_DEMO: 'none' },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  await new Promise<void>((r) => server.stdout.on('data', (d: Buffer) => d.toString().includes('Helk is at') && r()));
  const browser = await chromium.launch({
    executablePath: process.env['CHROME_BIN'] ?? '/usr/bin/chromium',
    args: [
      '--no-sandbox',
      '--disable-gpu',
      '--use-gl=angle',
      '--use-angle=swiftshader',
      '--enable-unsafe-swiftshader',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-sync',
    ],
  });
  const base = `http://127.0.0.1:${port}`;
  const send = async (path: string, body: unknown): Promise<{ id: string }> => {
    const raw = body instanceof Uint8Array;
    const r = await fetch(base + path, {
      method: 'POST',
      body: (raw ? body : JSON.stringify(body)) as never,
      headers: { 'Content-Type': raw ? 'application/octet-stream' : 'application/json' },
    });
    return (await r.json()) as { id: string };
  };
  try {
    await use({
      async open(name, file, bytes) {
        const project = (await send('/api/projects', { name })).id;
        const run = (await send(`/api/projects/${project}/imports?name=${file}`, bytes)).id;
        for (let state = ''; state !== 'done';) {
          const r = await fetch(`${base}/api/projects/${project}/runs/${run}`);
          state = ((await r.json()) as { state: string }).state;
          if (state === 'failed') throw new Error('It was not taken in.');
          await new Promise((go) => setTimeout(go, 100));
        }
        const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
        await page.addInitScript((p) => localStorage.setItem('helk.project', p), project);
        await page.goto(base);
        return page;
      },
    });
  } finally {
    await browser.close();
    server.kill();
    rmSync(data, { recursive: true, force: true });
  }
}

/** Milliseconds between pictures while something is done, and in the rest after it. */
export async function framesWhile(
  page: Page,
  act: () => Promise<void>,
  rest: () => Promise<void>,
): Promise<{ moving: number[]; after: number[] }> {
  // As text: the loader of this script marks functions with a helper that pages do not have.
  await page.evaluate(
    'window.frames_ = []; window.stop_ = false; { let last = performance.now(); requestAnimationFrame(function tick(t) { frames_.push(t - last); last = t; if (!stop_) requestAnimationFrame(tick); }); }',
  );
  await act();
  const moving = (await page.evaluate('frames_.slice(2)')) as number[];
  await rest();
  const all = (await page.evaluate('stop_ = true; frames_.slice(2)')) as number[];
  return { moving, after: all.slice(moving.length) };
}

/** Number, median, 95 % and longest of times. */
export function told(times: readonly number[]): string {
  const sorted = [...times].sort((a, b) => a - b);
  const at = (p: number): string => sorted[Math.min(sorted.length - 1, Math.floor(p * sorted.length))]!.toFixed(0);
  return `${sorted.length} frames, median ${at(0.5)} ms, 95 % ${at(0.95)} ms, longest ${at(1)} ms`;
}

import { defineConfig } from '@playwright/test';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const port = 4799;
process.env['HELK_E2E_DATA'] ??= mkdtempSync(join(tmpdir(), 'helk-e2e-'));

/** The real interface on the real server, with the sample project, in Debian's Chromium. */
export default defineConfig({
  testDir: '.',
  outputDir: '../test-results',
  workers: 1,
  // A machine may be slower by far than the one a story was written on, and have other things to do for a minute.
  timeout: 300_000,
  expect: { timeout: 60_000 },
  retries: 0,
  reporter: [['list']],
  use: {
    baseURL: `http://127.0.0.1:${port}`,
    viewport: { width: 1280, height: 800 },
    acceptDownloads: true,
    colorScheme: 'light',
    launchOptions: {
      executablePath: process.env['CHROME_BIN'] ?? '/usr/bin/chromium',
      args: [
        '--no-sandbox',
        '--disable-gpu',
        // Scenes are drawn without a graphics card.
        '--use-gl=angle',
        '--use-angle=swiftshader',
        '--enable-unsafe-swiftshader',
        '--disable-quic',
        '--no-first-run',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
      ],
    },
  },
  webServer: {
    command: 'node ../dist/server/main.js',
    url: `http://127.0.0.1:${port}/api/health`,
    timeout: 120_000,
    env: {
      HELK_ROOT: join(import.meta.dirname, '..'),
      HELK_PORT: String(port),
      HELK_DATA: process.env['HELK_E2E_DATA'],
    },
  },
});

import { createServer } from 'node:http';
import { dirname, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import { setupNode } from '@helk/node';
import { makeApp } from './app';
import { makeContext } from './context';
import { configFrom } from './config';
import { makeDemo } from './demo-project';
import { holdFolder } from './store/hold';

const here = dirname(fileURLToPath(import.meta.url));
// dist/server/main.js and apps/server/src/main.ts both know the repository's root from the script that starts them.
const root = process.env['HELK_ROOT'] ?? resolve(here, '../..');

async function main(): Promise<void> {
  setupNode();
  const config = configFrom(process.env, root);
  await holdFolder(config.dataDir);
  const context = await makeContext(config);
  const print = (s: string): void => void process.stdout.write(`${s}\n`);
  if (context.interrupted)
    print(
      `${context.interrupted} unfinished ${context.interrupted === 1 ? 'run was' : 'runs were'} marked interrupted; nothing was lost.`,
    );
  if (config.demo && (await context.projects.list()).length === 0)
    await makeDemo(context, print).catch((e: unknown) => print((e as Error).message));
  const server = createServer(makeApp(context));
  server.requestTimeout = 0;
  await new Promise<void>((ready, failed) => {
    server.once('error', failed);
    server.listen(config.port, config.host, ready);
  });
  const at = server.address();
  const port = typeof at === 'object' && at ? at.port : config.port;
  print(`Helk is at http://${config.host === '::1' ? '[::1]' : config.host}:${port}/`);
  let stopping = false;
  const stop = (): void => {
    if (stopping) return;
    stopping = true;
    server.close();
    server.closeAllConnections();
    // Whatever is under way is ended; nothing may keep the server from stopping.
    setTimeout(() => process.exit(0), 5000).unref();
    void context.pool
      .close()
      .then(() => context.projects.close())
      .finally(() => process.exit(0));
  };
  process.on('SIGINT', stop);
  process.on('SIGTERM', stop);
}

main().catch((e: unknown) => {
  const code = (e as NodeJS.ErrnoException).code;
  const why =
    code === 'EADDRINUSE'
      ? 'The port is in use: another Helk may be running. Set HELK_PORT to another one.'
      : (e as Error).message;
  process.stderr.write(`${why}\n`);
  process.exit(1);
});

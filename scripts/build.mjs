// Bundles the server, its worker and the command line with esbuild; builds the web client with Angular's builder.
// Usage: node scripts/build.mjs [node] [web] [bench]; without arguments node and web.
import { execFileSync } from 'node:child_process';
import { build } from 'esbuild';

const wanted = process.argv.slice(2);
const all = wanted.length === 0;

/** Helk's own packages go into the bundle, everything from the registry stays outside. */
const outside = {
  name: 'outside',
  setup(b) {
    // geotiff pulls in a worker shim that cannot load inside a worker thread; we decode on our own pool and never use it.
    b.onResolve({ filter: /^web-worker$/ }, () => ({ path: 'web-worker', namespace: 'nothing' }));
    b.onLoad({ filter: /.*/, namespace: 'nothing' }, () => ({ contents: 'export default class {}' }));
    b.onResolve({ filter: /^[^./]/ }, (a) =>
      a.kind === 'entry-point' || a.path.startsWith('@helk/') || a.path === 'geotiff'
        ? undefined
        : { path: a.path, external: true },
    );
  },
};

if (all || wanted.includes('node')) {
  await build({
    entryPoints: {
      'server/main': 'apps/server/src/main.ts',
      'server/host': 'apps/server/src/work/host.ts',
      'server/worker': 'apps/server/src/work/worker.ts',
      'server/thread': 'packages/node/src/thread.ts',
      'cli/main': 'apps/cli/src/main.ts',
      'cli/thread': 'packages/node/src/thread.ts',
    },
    outdir: 'dist',
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    sourcemap: 'linked',
    plugins: [outside],
    logLevel: 'warning',
  });
}
// Timed as it is shipped: what runs sources adds names to every function.
if (wanted.includes('bench')) {
  await build({
    entryPoints: {
      'bench/main': 'bench/main.ts',
      'bench/imagery': 'bench/imagery.ts',
      'bench/cloud': 'bench/cloud.ts',
      'bench/stats': 'bench/stats.ts',
      'bench/time': 'bench/time.ts',
      'bench/thread': 'packages/node/src/thread.ts',
    },
    outdir: 'dist',
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    plugins: [outside],
    logLevel: 'warning',
  });
}
if (all || wanted.includes('web')) {
  execFileSync(process.execPath, ['node_modules/@angular/cli/bin/ng.js', 'build'], {
    stdio: ['ignore', process.env.HELK_QUIET ? 'ignore' : 'inherit', 'inherit'],
    // One file for what is needed at once: it is read while it comes, instead of being found chunk by chunk.
    env: { ...process.env, NG_CLI_ANALYTICS: 'false', NG_BUILD_OPTIMIZE_CHUNKS: '1' },
  });
}

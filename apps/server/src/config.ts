import { totalmem } from 'node:os';
import { join, resolve } from 'node:path';

export interface Config {
  host: string;
  port: number;
  dataDir: string;
  /** Folder of the built web client, or null to serve the API only. */
  webDir: string | null;
  /** Needed when listening beyond loopback; null on loopback. */
  token: string | null;
  /** Runs at the same time. */
  threads: number;
  /** Takings from services at the same time. */
  services: number;
  /** Seconds a taking from a service may last. */
  serviceSeconds: number;
  /** Seconds the reading of a file may last, beside what its size allows. */
  importSeconds: number;
  /** Bytes the data of one run may take: refused beforehand by its estimate, and kept by the system. */
  memoryLimit: number;
  maxUpload: number;
  maxUnpacked: number;
  maxCells: number;
  demo: boolean;
}

const GIB = 2 ** 30;

const LOOPBACK = new Set(['127.0.0.1', 'localhost', '::1']);
export const isLoopback = (host: string): boolean => LOOPBACK.has(host);

/** Settings from the environment; listening beyond loopback without a token is refused. */
export function configFrom(env: NodeJS.ProcessEnv, root: string): Config {
  const host = env['HELK_HOST'] ?? '127.0.0.1';
  const token = env['HELK_TOKEN'] ?? null;
  if (!isLoopback(host) && (!token || token.length < 16)) {
    throw new Error(
      `Listening on ${host} lets others in: set HELK_TOKEN to a secret of at least 16 characters, or leave HELK_HOST unset.`,
    );
  }
  const number = (name: string, fallback: number, least = 0): number => {
    const v = Number(env[name] ?? fallback);
    if (!(v >= least && Number.isFinite(v)))
      throw new Error(`${name} must be a number of at least ${least}, not "${env[name]}".`);
    return v;
  };
  return {
    host,
    port: number('HELK_PORT', 4780),
    dataDir: resolve(env['HELK_DATA'] ?? join(root, '.helk')),
    webDir: env['HELK_WEB'] === 'none' ? null : resolve(env['HELK_WEB'] ?? join(root, 'dist/web/browser')),
    token,
    threads: number('HELK_THREADS', 2, 1),
    services: number('HELK_SERVICES', 2, 1),
    serviceSeconds: number('HELK_SERVICE_SECONDS', 3600, 1),
    importSeconds: number('HELK_IMPORT_SECONDS', 300, 1),
    memoryLimit: number('HELK_MEMORY_GIB', Math.min(8, (totalmem() / GIB) * 0.4), 0.25) * GIB,
    maxUpload: number('HELK_MAX_UPLOAD_GIB', 2) * GIB,
    maxUnpacked: 8 * GIB,
    maxCells: number('HELK_MAX_CELLS', 2_000_000_000),
    demo: env['HELK_DEMO'] !== 'none',
  };
}

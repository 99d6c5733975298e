import { mkdir, rename, stat } from 'node:fs/promises';
import { join } from 'node:path';
import type { Express } from 'express';
import { HelkError } from '@helk/core';
import type { Context } from '../context';
import { SAMPLES } from '../samples';
import { download } from './bytes';
import { hang } from './hang';

export function sampleRoutes(app: Express, { config, temp, pool }: Context): void {
  const folder = join(config.dataDir, 'samples');
  const making = new Map<string, Promise<string>>();

  /** The file; made by a worker when first asked for, and there only once it is whole. */
  const have = (file: string): Promise<string> => {
    const path = join(folder, file);
    const job =
      making.get(file) ??
      (async () => {
        if (await stat(path).catch(() => null)) return path;
        await mkdir(folder, { recursive: true });
        await temp.use(async (part) => {
          await pool.result({ kind: 'sample', sample: file, target: part.path });
          await rename(part.path, path);
        });
        return path;
      })();
    making.set(file, job);
    job.catch(() => making.delete(file));
    return job;
  };

  hang(app, 'samples', () =>
    Promise.all(
      SAMPLES.map(async ({ file, set, about }) => ({
        file,
        set,
        about,
        bytes: (await stat(join(folder, file)).catch(() => null))?.size ?? null,
      })),
    ),
  );
  hang(app, 'sample', async ({ params, res }) => {
    const s = SAMPLES.find((x) => x.file === params['sample']);
    if (!s)
      throw new HelkError('dataset.unknown', `There is no sample file "${params['sample']!.slice(0, 60)}".`, 'sample');
    await download(res, await have(s.file), s.file, 'application/octet-stream');
  });
}

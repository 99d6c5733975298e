import { stat } from 'node:fs/promises';
import type { Express, Response } from 'express';
import { HelkError, parseCrs } from '@helk/core';
import type { LayerChoice } from '@helk/core/formats';
import type { ApiReview } from '@helk/core/api/schemas';
import type { Context } from '../context';
import type { Project } from '../projects';
import { newId } from '../store/ids';
import type { TempFile } from '../store/temp';
import { readBounds, readingTime } from '../work/bounds';
import { receive } from './bytes';
import { hang } from './hang';
import { resultOf } from './waiting';

interface Held {
  project: string;
  upload: TempFile;
  name: string;
  crs: string | null;
  bytes: number;
  timer: NodeJS.Timeout;
}

/** How long an upload that nobody decides on is kept. */
const PATIENCE = 60 * 60 * 1000;
/** More than these undecided uploads push the oldest out. */
const MOST = 64;

/** Files that were uploaded to be looked at first. They live in the upload folder, never in the project. */
export function reviewRoutes(app: Express, { projects, runs, temp, config }: Context): void {
  const held = new Map<string, Held>();

  const drop = async (id: string): Promise<void> => {
    const h = held.get(id);
    held.delete(id);
    if (!h) return;
    clearTimeout(h.timer);
    await h.upload.remove();
  };
  const find = (id: string, project: Project): Held => {
    const h = held.get(id);
    if (!h || h.project !== project.id)
      throw new HelkError('dataset.unknown', 'That file is no longer held for review; choose it again.', 'review');
    return h;
  };
  const look = async (
    p: Project,
    id: string,
    h: Held,
    steps: Record<string, number>,
    res: Response,
  ): Promise<ApiReview> => {
    const { name, crs } = h;
    const upload = h.upload.path;
    const task = { kind: 'review' as const, upload, name, crs, steps, bounds: readBounds(config) };
    const result = await resultOf(p.start(task, undefined, await readingTime(upload, config)), res);
    return { id, file: name, bytes: h.bytes, layers: result.review! };
  };

  hang(app, 'review', async ({ params, query, req, res }) => {
    const p = await projects.get(params['project']!);
    if (query.crs) parseCrs(query.crs);
    const upload = await receive(req, temp, config.maxUpload);
    const id = newId();
    const timer = setTimeout(() => void drop(id), PATIENCE).unref();
    const h = {
      project: p.id,
      upload,
      name: query.name,
      crs: query.crs ?? null,
      bytes: (await stat(upload.path)).size,
      timer,
    };
    held.set(id, h);
    p.deleted.addEventListener('abort', () => void drop(id), { once: true });
    const oldest = held.keys().next().value;
    if (held.size > MOST && oldest) await drop(oldest);
    try {
      return await look(p, id, h, {}, res);
    } catch (e) {
      await drop(id);
      throw e;
    }
  });

  hang(app, 'reviewAgain', async ({ params, body, res }) => {
    const p = await projects.get(params['project']!);
    return look(p, params['review']!, find(params['review']!, p), body.steps, res);
  });

  hang(app, 'takeReview', async ({ params, body }) => {
    const p = await projects.get(params['project']!);
    const h = find(params['review']!, p);
    if (body.crs) parseCrs(body.crs);
    for (const l of body.layers) if (l.crs) parseCrs(l.crs);
    for (const l of body.layers)
      if (l.factor === 0)
        throw new HelkError('method.parameter', `A factor of 0 makes every value of ${l.layer} the same.`, 'factor');
    // From here on the run owns the upload and removes it at its end.
    held.delete(params['review']!);
    clearTimeout(h.timer);
    const choices: LayerChoice[] = body.layers;
    return runs.takeIn(p, h.upload, { name: h.name, batch: body.batch, crs: body.crs ?? h.crs, choices });
  });

  hang(app, 'dropReview', async ({ params }) => {
    const p = await projects.get(params['project']!);
    find(params['review']!, p);
    await drop(params['review']!);
  });
}

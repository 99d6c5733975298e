import { createHash } from 'node:crypto';
import { createReadStream, closeSync, openSync } from 'node:fs';
import { pipeline } from 'node:stream/promises';
import { kindOf, parseCrs } from '@helk/core';
import { applyChoices, openFile, reviewOf, type FileFormat, type OpenLayer, type ReviewRow } from '@helk/core/formats';
import { fileSource } from '@helk/node';
import { begin, publish, stageHandle } from '../../store/project-store';
import type { ImportTask, ReadBounds, ReviewTask } from '../tasks';
import { slice, type Hands, type Progress } from './hands';

interface Reading {
  upload: string;
  name: string;
  crs: string | null;
  bounds: ReadBounds;
  choices?: ImportTask['choices'];
  steps?: Record<string, number>;
}

/** What is in a file, for as long as it is worked on. */
async function reading<T>(
  task: Reading,
  progress: Progress,
  then: (found: { format: FileFormat; layers: OpenLayer[]; size: number }) => Promise<T>,
): Promise<T> {
  progress(0, 'reading');
  const steps = task.steps ?? stepsOf(task.choices);
  const file = openSync(task.upload, 'r');
  try {
    const source = fileSource(file);
    const found = await openFile(task.name, source, {
      crs: task.crs ? parseCrs(task.crs) : null,
      ...task.bounds,
      progress: slice(progress, 0.02, 0.5),
      ...(task.choices ? { only: task.choices.map((c) => c.layer) } : {}),
      ...(steps ? { steps } : {}),
    });
    return await then({ ...found, size: source.size });
  } finally {
    closeSync(file);
  }
}

const stepsOf = (choices: ImportTask['choices'] | undefined): Record<string, number> | undefined =>
  choices ? Object.fromEntries(choices.flatMap((c) => (c.step === undefined ? [] : [[c.layer, c.step]]))) : undefined;

/** Reads a file and tells what is in it; nothing is stored. */
export const look = (task: ReviewTask, { progress }: Hands): Promise<{ outputs: string[]; review: ReviewRow[] }> =>
  reading(task, progress, async ({ layers }) => ({ outputs: [], review: await reviewOf(layers) }));

/** Takes in a file: every layer of it, or those that were chosen. */
export async function take(task: ImportTask, { db, progress }: Hands): Promise<{ outputs: string[] }> {
  await begin(db, task.runId);
  const staged = await reading(task, progress, async ({ format, layers: found, size }) => {
    const layers = task.choices ? applyChoices(found, task.choices) : found;
    const sha256 = await hashOf(task.upload);
    const ids: string[] = [];
    for (const [k, l] of layers.entries()) {
      const share = (i: number): number => 0.5 + (0.5 * i) / layers.length;
      const source = {
        file: task.name,
        format: format.id,
        bytes: size,
        sha256,
        ...(task.crs ? { crs: task.crs } : {}),
        ...(task.choices ? { choices: task.choices[k] } : {}),
      };
      const batch = task.batch ?? (layers.length > 1 ? task.runId : null);
      const made = { name: l.name, runId: task.runId, role: null, batch, source, crs: task.choices?.[k]?.crs };
      const notes = async () => [...l.notes, ...((await kindOf(l.handle).remarks?.(l.handle)) ?? [])];
      ids.push(await stageHandle(db, made, l.handle, slice(progress, share(k), share(k + 1)), notes));
    }
    return ids;
  });
  await publish(db, task.runId, staged, { params: {}, figures: {}, notes: [] });
  return { outputs: staged };
}

async function hashOf(file: string): Promise<string> {
  const hash = createHash('sha256');
  await pipeline(createReadStream(file), hash);
  return hash.digest('hex');
}

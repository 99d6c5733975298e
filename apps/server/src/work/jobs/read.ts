import { createHash } from 'node:crypto';
import { readFile as readBytes } from 'node:fs/promises';
import { parseCrs } from '@helk/core';
import { applyChoices, readFile, reviewOf, type Layer, type ReviewRow } from '@helk/core/formats';
import { validityNotes } from '@helk/core/methods/features/validity';
import { begin, publish, stageDataset } from '../../store/project-store';
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

async function read(task: Reading, progress: Progress) {
  progress(0, 'reading');
  const bytes = new Uint8Array(await readBytes(task.upload));
  const steps = task.steps ?? stepsOf(task.choices);
  const { format, layers } = await readFile(task.name, bytes, {
    crs: task.crs ? parseCrs(task.crs) : null,
    ...task.bounds,
    progress: slice(progress, 0.02, 0.5),
    ...(task.choices ? { only: task.choices.map((c) => c.layer) } : {}),
    ...(steps ? { steps } : {}),
  });
  return { format, layers, bytes };
}

const stepsOf = (choices: ImportTask['choices'] | undefined): Record<string, number> | undefined =>
  choices ? Object.fromEntries(choices.map((c) => [c.layer, c.step ?? 0])) : undefined;

/** Reads a file and tells what is in it; nothing is stored. */
export async function look(task: ReviewTask, { progress }: Hands): Promise<{ outputs: string[]; review: ReviewRow[] }> {
  const { layers }: { layers: Layer[] } = await read(task, progress);
  return { outputs: [], review: reviewOf(layers) };
}

/** Takes in a file: every layer of it, or those that were chosen. */
export async function take(task: ImportTask, { db, progress }: Hands): Promise<{ outputs: string[] }> {
  await begin(db, task.runId);
  const { format, layers: found, bytes } = await read(task, progress);
  const layers = task.choices ? applyChoices(found, task.choices) : found;
  const sha256 = createHash('sha256').update(bytes).digest('hex');
  const staged: string[] = [];
  for (const [k, l] of layers.entries()) {
    const share = (i: number): number => 0.5 + (0.5 * i) / layers.length;
    const source = {
      file: task.name,
      format: format.id,
      bytes: bytes.length,
      sha256,
      ...(task.crs ? { crs: task.crs } : {}),
      ...(task.choices ? { choices: task.choices[k] } : {}),
    };
    const notes = l.data.kind === 'features' ? [...l.notes, ...(await validityNotes(l.data))] : l.notes;
    const batch = task.batch ?? (layers.length > 1 ? task.runId : null);
    const made = { name: l.name, data: l.data, runId: task.runId, role: null, batch, source, notes };
    staged.push(await stageDataset(db, made, slice(progress, share(k), share(k + 1))));
  }
  await publish(db, task.runId, staged, { params: {}, figures: {}, notes: [] });
  return { outputs: staged };
}

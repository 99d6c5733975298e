import { LocalJob, type AnyHandle } from '@helk/core';
import { glanceAt } from '@helk/core/glance/glance';
import { glanceOf } from '@helk/core/glance/registry';
import { openDataset } from '../../store/project-store';
import type { GlanceTask } from '../tasks';
import type { Hands } from './hands';

export async function glance(
  task: GlanceTask,
  { db, progress, isCancelled }: Hands,
): Promise<{ outputs: string[]; answer: unknown }> {
  const handles: Record<string, AnyHandle> = {};
  for (const [role, id] of Object.entries(task.inputs)) handles[role] = (await openDataset(db, id)).handle;
  const job = new LocalJob({ isCancelled, onProgress: progress });
  return { outputs: [], answer: await glanceAt(glanceOf(task.glance), handles, task.params, job) };
}

import { stat } from 'node:fs/promises';
import type { Config } from '../config';
import type { TimeLimit } from './pool';
import type { ReadBounds } from './tasks';

/** Bytes that even the slowest reader gets through in a second, on a slow machine (measured: the slowest takes ten times as many). */
const SLOWEST = 100_000;

/** What bounds the reading of a file that comes from outside. */
export const readBounds = ({ maxCells, maxUnpacked, memoryLimit }: Config): ReadBounds => ({
  maxCells,
  maxUnpacked,
  maxBytes: memoryLimit,
});

/** When the reading of a file is ended: after the patience of the settings, and later for a large file. */
export async function readingTime(file: string, { importSeconds }: Config): Promise<TimeLimit> {
  const seconds = importSeconds + (await stat(file)).size / SLOWEST;
  const message = `It was not done after ${Math.round(seconds)} s, longer than a file of this size may take; it may be made so that reading it never ends. Nothing was changed.`;
  return { seconds, problem: { code: 'file.endless', message, path: null } };
}

/** When a taking from a service is ended, however busily it sends. */
export function takingTime({ serviceSeconds: seconds }: Config): TimeLimit {
  const message = `The service had not given everything after ${Math.round(seconds)} s; it sends too slowly. Nothing was taken; ask for fewer columns or a smaller extent.`;
  return { seconds, problem: { code: 'service.slow', message, path: 'address' } };
}

import { stat } from 'node:fs/promises';
import type { Config } from '../config';
import type { ReadBounds } from './tasks';

/** Bytes that even the slowest reader gets through in a second, on a slow machine (measured: the slowest takes ten times as many). */
const SLOWEST = 100_000;

/** What bounds the reading of a file that comes from outside. */
export const readBounds = ({ maxCells, maxUnpacked, memoryLimit }: Config): ReadBounds => ({
  maxCells,
  maxUnpacked,
  maxBytes: memoryLimit,
});

/** Seconds after which the reading of a file is ended: the patience of the settings, and more for a large file. */
export async function readingTime(file: string, { importSeconds }: Config): Promise<number> {
  return importSeconds + (await stat(file)).size / SLOWEST;
}

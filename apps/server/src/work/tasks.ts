import type { MessagePort } from 'node:worker_threads';
import type { LayerChoice, ReviewRow } from '@helk/core/formats';

interface Common {
  /** Project file the worker opens itself. */
  file: string;
  /** One Int32 in shared memory; 1 asks the task to stop. */
  cancel: SharedArrayBuffer;
  port: MessagePort;
}

export interface RunTask extends Common {
  kind: 'run';
  runId: string;
  memoryLimit: number;
}

export interface ImportTask extends Common {
  kind: 'import';
  runId: string;
  upload: string;
  name: string;
  batch: string | null;
  crs: string | null;
  maxCells: number;
  maxUnpacked: number;
  /** Layers to take, as decided in a review; null for all as they are. */
  choices: LayerChoice[] | null;
}

/** Looks into an upload without taking it in. */
export interface ReviewTask extends Common {
  kind: 'review';
  upload: string;
  name: string;
  crs: string | null;
  steps: Record<string, number>;
  maxCells: number;
  maxUnpacked: number;
}

export interface ExportTask extends Common {
  kind: 'export';
  /** One in the given format, or several as one GeoPackage. */
  datasets: string[];
  format: string | null;
  target: string;
}

export type Task = RunTask | ImportTask | ReviewTask | ExportTask;

export interface ProgressMessage {
  share: number;
  stage: string;
}

/** What a worker answers; errors travel as plain problems so that their kind survives the thread. */
export type TaskResult =
  | { ok: true; outputs: string[]; format?: string; review?: ReviewRow[] }
  | { ok: false; problem: import('@helk/core').Problem };

import type { MessagePort } from 'node:worker_threads';
import type { Extent } from '@helk/core';
import type { LayerChoice, ReviewRow } from '@helk/core/formats';

interface Threaded {
  /** One Int32 in shared memory; 1 asks the task to stop. */
  cancel: SharedArrayBuffer;
  port: MessagePort;
}

interface Common extends Threaded {
  /** Project file the worker opens itself. */
  file: string;
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

/** Takes features from a service. */
export interface ServiceTask extends Common {
  kind: 'service';
  runId: string;
  address: string;
  collection: string;
  columns: string[] | null;
  bbox: Extent | null;
  crs: string | null;
  name: string | null;
  token: { origin: string; value: string } | null;
}

/** Makes the data of the stand-in portal. */
export interface PortalTask extends Threaded {
  kind: 'portal';
  target: string;
}

export type Task = RunTask | ImportTask | ReviewTask | ExportTask | ServiceTask | PortalTask;

export interface ProgressMessage {
  share: number;
  stage: string;
}

/** What a worker answers; errors travel as plain problems so that their kind survives the thread. */
export type TaskResult =
  | { ok: true; outputs: string[]; format?: string; review?: ReviewRow[] }
  | { ok: false; problem: import('@helk/core').Problem };

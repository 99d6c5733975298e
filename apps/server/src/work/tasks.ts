import type { MessagePort } from 'node:worker_threads';
import type { Extent, Problem } from '@helk/core';
import type { LayerChoice, ReviewRow } from '@helk/core/formats';

/** What every task can say and hear while it is under way. */
export interface Threaded {
  /** One Int32 in shared memory; 1 asks the task to stop. */
  cancel: SharedArrayBuffer;
  port: MessagePort;
}

interface Common {
  /** Project file the worker opens itself. */
  file: string;
}

export interface RunTask extends Common {
  kind: 'run';
  runId: string;
  memoryLimit: number;
}

/** What bounds the reading of a file that comes from outside. */
export interface ReadBounds {
  maxCells: number;
  maxUnpacked: number;
  /** Bytes a reader may ask for at once. */
  maxBytes: number;
}

export interface ImportTask extends Common {
  kind: 'import';
  runId: string;
  upload: string;
  name: string;
  batch: string | null;
  crs: string | null;
  bounds: ReadBounds;
  /** Layers to take, as decided in a review; null for all as they are. */
  choices: LayerChoice[] | null;
}

/** Looks into an upload without taking it in. */
export interface ReviewTask {
  kind: 'review';
  upload: string;
  name: string;
  crs: string | null;
  steps: Record<string, number>;
  bounds: ReadBounds;
}

export interface ExportTask extends Common {
  kind: 'export';
  /** One in the given format, or several as one GeoPackage. */
  datasets: string[];
  format: string | null;
  target: string;
}

/** Writes a whole copy of a project into one file. */
export interface SaveTask extends Common {
  kind: 'save';
  target: string;
}

/** Writes a project as one zip that others can read. */
export interface PackTask extends Common {
  kind: 'pack';
  /** Those whose data go into it. */
  datasets: string[];
  /** Whether the whole project lies in it as well. */
  project: boolean;
  target: string;
}

/** Makes a project of ours from a saved one: every row looked at, then copied into a file with our own tables. */
export interface AdoptTask {
  kind: 'adopt';
  upload: string;
  target: string;
  id: string;
  name: string;
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

/** Makes sample data: a file to try things on, or what the stand-in portal offers. */
export interface SampleTask {
  kind: 'sample';
  sample: string;
  target: string;
}

/** Answers a small question to data; nothing is made. */
export interface GlanceTask extends Common {
  kind: 'glance';
  glance: string;
  /** Datasets by role. */
  inputs: Record<string, string>;
  params: Record<string, unknown>;
}

export type Task =
  | RunTask
  | ImportTask
  | ReviewTask
  | ExportTask
  | SaveTask
  | PackTask
  | AdoptTask
  | ServiceTask
  | SampleTask
  | GlanceTask;

/**
 * Tasks that wait for other machines stand in a queue of their own, so that they hold up no computing; so does the making of samples,
 * for which tasks of both other queues may be waiting, and what somebody wants to see at once.
 */
export const LANES = ['work', 'services', 'samples', 'glances'] as const;
export type Lane = (typeof LANES)[number];
const LANE: Partial<Record<Task['kind'], Lane>> = { service: 'services', sample: 'samples', glance: 'glances' };
export const laneOf = (t: Task): Lane => LANE[t.kind] ?? 'work';

export interface ProgressMessage {
  share: number;
  stage: string;
}

/** What a worker answers; errors travel as plain problems so that their kind survives the process. */
export type TaskResult =
  | { ok: true; outputs: string[]; format?: string; review?: ReviewRow[]; answer?: unknown }
  | { ok: false; problem: Problem };

/** From the pool to a host, and back. */
export type ToHost = { say: 'do'; task: Task } | { say: 'cancel' };
export type FromHost =
  /** The task is under way: its time counts from now. */
  | { say: 'begun' }
  | { say: 'progress'; message: ProgressMessage }
  | { say: 'done'; result: TaskResult; resident: number };

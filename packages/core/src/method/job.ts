import { HelkError } from '../errors';
import { Random } from '../numeric/random';

export interface Note {
  level: 'info' | 'look' | 'refused';
  code: string;
  message: string;
}

/** What a running method may use of the world: progress, cancel, notes, randomness. */
export interface Job {
  /** Says how far the run is; throws `run.cancelled` when it has been cancelled. Cheap: call it once a row block. */
  progress(share: number, stage: string): void;
  note(level: Note['level'], code: string, message: string): void;
  readonly cancelled: boolean;
  readonly random: Random;
}

export interface JobHooks {
  onProgress?: (share: number, stage: string) => void;
  isCancelled?: () => boolean;
  seed?: number;
}

/** A job that keeps its notes and forwards progress. */
export class LocalJob implements Job {
  readonly notes: Note[] = [];
  readonly random: Random;
  constructor(private readonly hooks: JobHooks = {}) {
    this.random = new Random(hooks.seed ?? 1);
  }
  get cancelled(): boolean {
    return this.hooks.isCancelled?.() ?? false;
  }
  progress(share: number, stage: string): void {
    if (this.cancelled) throw new HelkError('run.cancelled', 'The run was cancelled; nothing was changed.');
    this.hooks.onProgress?.(share, stage);
  }
  note(level: Note['level'], code: string, message: string): void {
    this.notes.push({ level, code, message });
  }
}

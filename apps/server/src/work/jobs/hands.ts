import type { Knex } from 'knex';

export type Progress = (share: number, stage: string) => void;

/** What a task works with. */
export interface Hands {
  /** The project, where the task has one. */
  db: Knex;
  /** Throws when the task has been cancelled. */
  progress: Progress;
  isCancelled: () => boolean;
}

/** The part of a progress between two shares. */
export const slice =
  (p: Progress, from: number, to: number): Progress =>
  (share, stage) =>
    p(from + (to - from) * Math.min(1, Math.max(0, share)), stage);

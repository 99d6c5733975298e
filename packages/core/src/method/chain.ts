import type { Note } from '../data/check';
import type { AnyHandle } from '../data/kinds';
import type { Figures } from './define';
import type { Made, RunHooks } from './run';

/** What a step of a method did that is made of several. */
export interface StepDone {
  id: string;
  method: string;
  version: number;
  title: string;
  /** By role: an input of the whole, `STEP.ROLE` for what a step before it made, with `#2` for a band. */
  inputs: Record<string, string[]>;
  params: Record<string, unknown>;
  seed: number;
  figures: Figures;
  /** What its results are called, by role. */
  makes: Record<string, string>;
  /** Unit of each figure that has one. */
  units: Record<string, string>;
  notes: Note[];
  seconds: number;
}

/** Runs a method that is made of others, step by step. @param plain its settings, resolved, in plain form */
export type Chain = (
  handles: Record<string, AnyHandle[]>,
  plain: Record<string, unknown>,
  hooks: RunHooks,
) => Promise<Made<{ handle: AnyHandle }>>;

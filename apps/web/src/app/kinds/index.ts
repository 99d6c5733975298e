import type { DatasetKind } from '@helk/core';
import { cloud } from './cloud';
import { features } from './features';
import { network } from './network';
import type { ClientKind } from './kind';
import { raster } from './raster';
import { stack } from './stack';
import { table } from './table';
import { timetable } from './timetable';
import { weights } from './weights';

/** How the client deals with each kind there is. A new one is its file and a line here. */
export const CLIENT_KINDS: { [N in DatasetKind]: ClientKind<N, never> } = {
  raster,
  features,
  table,
  cloud,
  network,
  timetable,
  weights,
  stack,
} as never;

/** The record of a kind, for whoever does not know which it is. */
export const clientKind = (of: { kind: DatasetKind }): ClientKind<DatasetKind, object> =>
  CLIENT_KINDS[of.kind] as unknown as ClientKind<DatasetKind, object>;

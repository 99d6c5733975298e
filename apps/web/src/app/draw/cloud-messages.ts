import type { Crs, Triple } from '@helk/core';
import type { PointValues } from '@helk/core/data/cloud';
import type { ChunkList } from '@helk/core/data/cloud-store';
import type { DrawnPoints } from '@helk/core/render/cloud-paint';
import type { StoredType } from '@helk/core/data/raster';

/** Where a cloud lies, and how its whole numbers become places. */
export interface CloudSource {
  project: string;
  dataset: string;
  scale: Triple;
  offset: Triple;
}

export interface ChunkAt {
  level: number;
  key: number;
  count: number;
}

export type CloudRequest = { id: number; source: CloudSource } & (
  | { kind: 'list' }
  | { kind: 'places'; chunk: ChunkAt; from: Crs | null; to: Crs }
  | { kind: 'values'; chunk: ChunkAt; array: string; type: StoredType }
);

export type CloudAnswer =
  | { id: number; list: ChunkList }
  | { id: number; places: DrawnPoints }
  | { id: number; values: PointValues }
  | { id: number; error: string };

import type { Object3D, PerspectiveCamera } from 'three';
import type { Crs } from '@helk/core';
import type { LayerState, Tools } from '../kinds/kind';
import type { Ground } from './ground';

/** What the bodies of a scene are made with. */
export interface BodyMadeOf<L> {
  /** Added to the world: metres from the scene's origin, heights as they are. */
  add: (o: Object3D) => void;
  remove: (o: Object3D) => void;
  /** Place of the origin in the system of the project, and metres in its unit. */
  origin: [number, number];
  unit: number;
  crs: Crs;
  tools: Tools;
  ground: Ground;
  first: LayerState<L>;
  /** The column that heights are taken from, where one has been chosen. */
  lift: string | null;
  /** To be called when a new picture is wanted. */
  changed: () => void;
  failed: (e: unknown) => void;
}

/** One dataset as a thing in a scene. */
export interface Body<L = object> {
  update(state: LayerState<L>): void;
  /** Before each picture: shows less while one moves. */
  prepare?(camera: PerspectiveCamera, height: number, moving: boolean, exaggeration: number): void;
  /** The ground has become another. */
  settle?(): void;
  symbols?(): unknown;
  /** What can be pointed at, and the row that a hit means. */
  readonly targets: Object3D[];
  rowOf?(hit: { object: Object3D; faceIndex?: number | null | undefined; instanceId?: number | undefined }): number;
  /** Points that are shown now. */
  readonly points?: number;
  dispose(): void;
}

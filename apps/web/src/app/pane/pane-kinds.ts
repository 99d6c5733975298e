import type { Type } from '@angular/core';
import { MAP, SCENE } from '../state/panes';
import { MapPane } from './map-pane';

/** One way to look at things in a pane: its component takes the pane as input `pane`. */
export interface PaneKind {
  id: string;
  load: () => Promise<Type<unknown>>;
  /** One that is there from the start: the first picture waits for nothing. */
  now?: Type<unknown>;
}

/** The kinds of panes there are. A new one is its component and a line here. */
export const PANE_KINDS: readonly PaneKind[] = [
  { id: MAP, now: MapPane, load: () => Promise.resolve(MapPane) },
  { id: SCENE, load: () => import('../scene/scene-pane').then((m) => m.ScenePane) },
  { id: 'panel', load: () => import('./panel-pane').then((m) => m.PanelPane) },
];

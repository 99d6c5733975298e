import type { Layer } from './looks';

/** The kind of pane that shows places. */
export const MAP = 'map';

export interface Pane {
  id: number;
  /** What kind of pane it is, by the id of its record. */
  kind: string;
  /** Of a map: what it shows, the last on top. */
  layers: Layer[];
  /** Share of the width at which the top layer begins; null when not swiping. */
  swipe: number | null;
  /** A panel of evidence, where it shows one. */
  panel: { id: string; dataset: string } | null;
}

export const emptyPane = (id: number): Pane => ({ id, kind: MAP, layers: [], swipe: null, panel: null });

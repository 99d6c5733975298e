import type { Layer } from './looks';

/** The kind of pane that shows places. */
export const MAP = 'map';

/** The kind of pane that shows places from the side, in space. */
export const SCENE = 'scene';

/** How a scene is looked at; the place and how much of it is seen is that of the pane's view, as of a map. */
export interface SceneView {
  /** Towards where one looks, degrees clockwise from north; 0 straight down to 90 along the ground. */
  heading: number;
  tilt: number;
  /** Heights are drawn so many times. */
  exaggeration: number;
  /** From where the light comes, and how high it stands, degrees. */
  azimuth: number;
  altitude: number;
  /** The raster that is the ground; the uppermost one of heights where none is named. */
  ground: string | null;
  /** By dataset the column that lifts its features; empty for none. */
  lift: Record<string, string>;
}

export const START_VIEW: SceneView = {
  heading: 20,
  tilt: 58,
  exaggeration: 1,
  azimuth: 315,
  altitude: 45,
  ground: null,
  lift: {},
};

/** Where time stands in a pane that shows what has steps. */
export interface PaneTime {
  /** Seconds since 1970; each dataset shows the step that holds it. */
  at: number;
  /** Steps that are shown together, by their mean. */
  window: number;
}

export interface Pane {
  id: number;
  /** What kind of pane it is, by the id of its record. */
  kind: string;
  /** Of a map: what it shows, the last on top. */
  layers: Layer[];
  /** Share of the width at which the top layer begins; null when not swiping. */
  swipe: number | null;
  /** Of a scene: from where it is looked at, in what light. */
  scene?: SceneView;
  /** Where time stands; at the end of what it shows when not given. */
  time?: PaneTime;
  /** A panel of evidence, where it shows one. */
  panel: { id: string; dataset: string } | null;
}

export const emptyPane = (id: number): Pane => ({ id, kind: MAP, layers: [], swipe: null, panel: null });

import View from 'ol/View';
import type { Crs, Extent } from '@helk/core';
import type { Theme } from '../draw/theme';
import type { Tools } from '../kinds/kind';
import { mapImage } from '../pane/picture';
import type { Stacked } from '../pane/map-layers';
import { projectionOf } from '../state/views';

/** Side of the picture that is laid on a patch of ground, before it is made twice as fine. */
const SIDE = 512;

/** What lies on the ground within a square extent, drawn as maps draw it; null where nothing does. */
export async function drape(
  stack: readonly Stacked[],
  [w, s, e, n]: Extent,
  o: { crs: Crs; theme: Theme; tools: Tools },
): Promise<HTMLCanvasElement | null> {
  if (!stack.length) return null;
  const view = new View({
    projection: projectionOf(o.crs),
    center: [(w + e) / 2, (s + n) / 2],
    resolution: (e - w) / SIDE,
    minResolution: 1e-9,
    maxResolution: 1e9,
    constrainResolution: false,
    multiWorld: true,
  });
  return mapImage(stack, view, [SIDE, SIDE], { ...o, swipe: null });
}

import OlMap from 'ol/Map';
import type View from 'ol/View';
import type { Crs } from '@helk/core';
import type { DisplayList } from '../draw/display';
import { GroundLayer, type Ground } from '../draw/ground/layer';
import { paint } from '../draw/paint';
import { toSvg } from '../draw/svg';
import type { Theme } from '../draw/theme';
import { pngOf } from '../parts/save';
import type { PaneTime } from '../state/panes';
import type { Tools } from '../kinds/kind';
import { MapLayers, type Stacked } from './map-layers';

/** How much finer than the screen pictures are, unless told otherwise. */
const FINER = 2;
/** Longest wait for what is still to come, ms. */
const PATIENCE = 20_000;

/** The layers of a map as they would be drawn on a finer screen. The map is one of its own, so that nothing moves on the screen. */
export async function mapImage(
  stack: readonly Stacked[],
  view: View,
  size: [number, number],
  o: {
    crs: Crs;
    theme: Theme;
    swipe: number | null;
    time?: PaneTime | null;
    tools: Tools;
    finer?: number;
    /** What lies under the data; `lost` is told of tiles of it that did not come, and why. */
    ground?: Ground | null;
    lost?: (tiles: number, why: unknown) => void;
    /** Nothing lies beneath. */
    clear?: boolean;
    /** What of the stack is drawn; all of it where not given. */
    only?: ReadonlySet<string>;
    patience?: number;
  },
): Promise<HTMLCanvasElement> {
  const finer = o.finer ?? FINER;
  const [w, h] = size;
  const target = document.createElement('div');
  target.style.cssText = `position:fixed;left:-${w + 100}px;top:0;width:${w}px;height:${h}px`;
  document.body.append(target);
  const map = new OlMap({ target, controls: [], interactions: [], layers: [], view, pixelRatio: finer });
  let failed: unknown = null;
  const layers = new MapLayers(
    map,
    o.tools,
    () => undefined,
    (e) => (failed = e),
    finer,
  );
  let lost: [number, unknown] = [0, null];
  const ground = new GroundLayer(
    map,
    () => undefined,
    (...l) => (lost = l),
  );
  try {
    ground.sync(o.ground ?? null, o.crs, o.theme);
    layers.sync(stack, o.crs, o.theme, o.swipe, o.time ?? null, o.only);
    await Promise.all([layers.ready(), ground.ready]);
    if (failed) throw failed instanceof Error ? failed : new Error('A layer could not be drawn.');
    await new Promise<void>((done) => {
      map.once('rendercomplete', () => done());
      setTimeout(done, o.patience ?? PATIENCE);
      map.render();
    });
    if (lost[0]) o.lost?.(...lost);
    const canvas = document.createElement('canvas');
    canvas.width = Math.round(w * finer);
    canvas.height = Math.round(h * finer);
    const g = canvas.getContext('2d')!;
    if (!o.clear) {
      g.fillStyle = o.theme.ground;
      g.fillRect(0, 0, canvas.width, canvas.height);
    }
    for (const layer of target.querySelectorAll<HTMLCanvasElement>('.ol-layer canvas, canvas.ol-layer')) {
      if (layer.width === 0) continue;
      const opacity = layer.parentElement!.style.opacity || layer.style.opacity;
      g.globalAlpha = opacity === '' ? 1 : Number(opacity);
      const m = /^matrix\(([^)]+)\)$/.exec(layer.style.transform)?.[1]?.split(',').map(Number) ?? [
        parseFloat(layer.style.width) / layer.width || 1,
        0,
        0,
        parseFloat(layer.style.height) / layer.height || 1,
        0,
        0,
      ];
      const [a, b, c, d, e, f] = m.map((v) => v * finer);
      g.setTransform(a!, b!, c!, d!, e!, f!);
      g.drawImage(layer, 0, 0);
    }
    return canvas;
  } finally {
    ground.clear();
    layers.dispose();
    map.setTarget(undefined);
    map.dispose();
    target.remove();
  }
}

export type PictureFormat = 'png' | 'svg' | 'pdf';

/** A display list in a format for files. */
export async function pictureFile(
  list: DisplayList,
  format: PictureFormat,
  about: { title: string; finer?: number },
): Promise<Blob> {
  if (format === 'pdf') {
    const { toPdf } = await import('../draw/pdf');
    return new Blob([await toPdf(list, about)], { type: 'application/pdf' });
  }
  if (format === 'svg') return new Blob([toSvg(list)], { type: 'image/svg+xml' });
  return pngOf(paint(list, about.finer ?? FINER));
}

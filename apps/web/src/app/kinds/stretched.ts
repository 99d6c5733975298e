import { limitsIn, type Crs, type Extent, type RasterInfo, type RasterStyle, type Stretch } from '@helk/core';
import { drawnBand } from '../draw/messages';
import type { DatasetItem } from '../state/project.store';
import type { Tools } from './kind';

/** Places along the longer side of what is seen whose values are looked at. */
const SIDE = 160;
const USUAL: Stretch = { kind: 'percentile', cut: 2 };

const rounded = (v: number): number => Number(v.toPrecision(4));

/**
 * A way of drawing with the limits of what lies within a box, kept as limits of its own: they stay while one looks around. Null where nothing
 * does, or all of it is alike.
 */
export async function stretchedTo(
  item: DatasetItem,
  look: RasterStyle,
  box: Extent,
  crs: Crs,
  tools: Tools,
): Promise<Partial<RasterStyle> | null> {
  const info = item.info as RasterInfo;
  const [w, s, e, n] = box;
  const resolution = Math.max(e - w, n - s) / SIDE;
  const limits = async (band: number, by: Stretch): Promise<Stretch | null> => {
    const values = await tools.drawing.sample({
      source: drawnBand(tools.project(), item.id, info, band),
      crs,
      x: w,
      y: n,
      resolution,
      width: Math.max(1, Math.round((e - w) / resolution)),
      height: Math.max(1, Math.round((n - s) / resolution)),
    });
    const found = limitsIn(by.kind === 'own' ? USUAL : by, values);
    return found && { kind: 'own', low: rounded(found[0]), high: rounded(found[1]) };
  };
  if (!look.composite) {
    const stretch = await limits(look.band, look.stretch);
    return stretch && { stretch };
  }
  const { composite } = look;
  const found = await Promise.all(composite.channels.map((c) => limits(c.band, c.stretch)));
  if (found.some((f) => !f)) return null;
  const channels = composite.channels.map((c, k) => ({ ...c, stretch: found[k]! })) as typeof composite.channels;
  return { composite: { ...composite, channels } };
}

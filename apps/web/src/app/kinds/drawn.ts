import { limitsOf, scaleOf, type Channel, type RasterInfo, type RasterStyle, type Scale } from '@helk/core';
import { drawnBand, type TileRequest } from '../draw/messages';

/** The band that is drawn; the first where the way of drawing names one that there is not. */
export const drawnOf = (info: RasterInfo, look: RasterStyle): { band: RasterInfo['bands'][number]; index: number } => {
  const index = look.band < info.bands.length ? look.band : 0;
  return { band: info.bands[index]!, index };
};

/** A channel of a composite with its band and the values between which it brightens. */
export interface Mixed extends Channel {
  info: RasterInfo['bands'][number];
  limits: [number, number];
}

/** The channels of a composite; null where one band is drawn, or one of the three is not there or holds nothing. */
export function mixedOf(info: RasterInfo, look: RasterStyle): [Mixed, Mixed, Mixed] | null {
  const mixed = look.composite?.channels.map((c): Mixed | null => {
    const band = info.bands[c.band];
    if (!band?.facts || band.kind !== 'measure' || band.facts.summary.count === 0) return null;
    const [low, high] = limitsOf(c.stretch, band.facts);
    return { ...c, info: band, limits: high > low ? [low, high] : [low - 0.5, low + 0.5] };
  });
  return mixed?.every((m) => m !== null) ? (mixed as [Mixed, Mixed, Mixed]) : null;
}

/**
 * What a raster's cells are painted by, three bands at once or one by its scale; null where there is nothing to paint by.
 *
 * @param scale of the one band, where another than its own is shared
 */
export function paintedBy(
  project: string,
  dataset: string,
  info: RasterInfo,
  look: RasterStyle,
  scale: Scale | null = null,
): { source: TileRequest['source']; by: TileRequest['by'] } | null {
  const mixed = mixedOf(info, look);
  if (mixed) {
    const bands = mixed.map((m) => drawnBand(project, dataset, info, m.band)) as [
      TileRequest['source'],
      TileRequest['source'],
      TileRequest['source'],
    ];
    const limits = mixed.map((m) => m.limits) as [[number, number], [number, number], [number, number]];
    return { source: bands[0], by: { bands, mix: { limits, gamma: look.composite!.gamma } } };
  }
  const { band, index } = drawnOf(info, look);
  const own = scale ?? (band.facts && band.facts.summary.count > 0 ? scaleOf(look, band.facts, band) : null);
  return own && { source: drawnBand(project, dataset, info, index), by: { scale: own, relief: look.relief } };
}

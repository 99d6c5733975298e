import TileLayer from 'ol/layer/Tile';
import ImageTile from 'ol/source/ImageTile';
import TileGrid from 'ol/tilegrid/TileGrid';
import type { Crs, RasterInfo, RasterStyle, Scale } from '@helk/core';
import { projectionOf } from '../state/cursor';
import type { Drawing } from './drawing';
import { drawnBand, type TileRequest } from './messages';

const TILE = 256;

/** Halving resolutions from the whole earth to centimetres, the same for every dataset in a system. */
function tileGridOf(crs: Crs): TileGrid {
  const top = crs.geographic ? 1 : 65536;
  return new TileGrid({
    origin: crs.geographic ? [-180, 90] : [-2e7, 2e7],
    resolutions: Array.from({ length: 24 }, (_, k) => top / 2 ** k),
    tileSize: TILE,
  });
}

const clear = (): HTMLCanvasElement => {
  const c = document.createElement('canvas');
  c.width = c.height = 1;
  return c;
};

export interface Drawn {
  scale: Scale;
  style: RasterStyle;
  missing: { ink: number[]; ground: number[]; faint: number[] } | null;
  /** Enclosed holes, once they are known. */
  gaps: TileRequest['gaps'];
  pick: TileRequest['pick'];
}

/** Tiles that can be painted anew: the old ones stay until the new ones are there. */
class PaintedTiles extends ImageTile {
  repaint(key: string): void {
    this.setKey(key);
  }
}

/** A raster as a tile layer whose pictures are painted from its cells in a worker; a new `drawn` is a repaint, not a request. */
export class RasterLayer {
  readonly layer: TileLayer<PaintedTiles>;
  private readonly source: PaintedTiles;
  private drawn: Drawn;

  constructor(drawing: Drawing, project: string, dataset: string, info: RasterInfo, crs: Crs, drawn: Drawn) {
    this.drawn = drawn;
    const grid = tileGridOf(crs);
    this.source = new PaintedTiles({
      projection: projectionOf(crs),
      tileGrid: grid,
      wrapX: false,
      // Finer tiles are taken and shrunk, so that cells stay crisp and far views smooth.
      zDirection: -1,
      interpolate: true,
      transition: 0,
      loader: async (z, x, y, { signal }) => {
        const resolution = grid.getResolution(z);
        const [ox, oy] = grid.getOrigin(z) as [number, number];
        const { scale, style, missing, gaps, pick } = this.drawn;
        const image = await drawing.tile(
          {
            kind: 'tile',
            source: drawnBand(project, dataset, info),
            crs,
            x: ox + x * TILE * resolution,
            y: oy - y * TILE * resolution,
            resolution,
            width: TILE,
            height: TILE,
            scale,
            relief: style.relief,
            missing: style.showMissing ? missing : null,
            gaps: style.showMissing ? gaps : [],
            pick,
          },
          signal,
        );
        if (image && performance.getEntriesByName('helk-first-picture').length === 0)
          performance.mark('helk-first-picture');
        return image ?? clear();
      },
    });
    this.source.repaint(keyOf(drawn));
    this.layer = new TileLayer({ source: this.source, preload: 1 });
  }

  update(drawn: Drawn): void {
    const before = keyOf(this.drawn);
    this.drawn = drawn;
    const key = keyOf(drawn);
    if (key !== before) this.source.repaint(key);
  }
}

const keyOf = (d: Drawn): string =>
  JSON.stringify([d.scale, d.style.relief, d.style.showMissing, d.missing, d.gaps.length, d.pick]);

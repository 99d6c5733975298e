import TileLayer from 'ol/layer/Tile';
import ImageTile from 'ol/source/ImageTile';
import type { NearestDirectionFunction } from 'ol/array';
import TileGrid from 'ol/tilegrid/TileGrid';
import { getRenderPixel } from 'ol/render';
import type RenderEvent from 'ol/render/Event';
import type { Crs, RasterInfo, RasterStyle } from '@helk/core';
import type { LayerDriver, LayerState, MadeOf } from '../kinds/kind';
import { drawnOf, paintedBy } from '../kinds/drawn';
import { projectionOf } from '../state/views';
import type { TileRequest } from './messages';
import { rgbOf, type Theme } from './theme';

const TILE = 256;
/** Pixels to one place that is looked at when cells are fetched beforehand. */
const WARM = 16;

/** Tiles as fine as the pixels of a picture are, which may be many to one of the map. */
class FineGrid extends TileGrid {
  constructor(
    private readonly finer: number,
    options: ConstructorParameters<typeof TileGrid>[0],
  ) {
    super(options);
  }

  override getZForResolution(resolution: number, direction?: number | NearestDirectionFunction): number {
    return super.getZForResolution(resolution / this.finer, direction);
  }
}

/** Halving resolutions from beyond the whole earth to centimetres, the same for every dataset in a system. */
function tileGridOf(crs: Crs, finer: number): TileGrid {
  // As far as views go: where none is coarse enough, thousands of the coarsest would be asked for.
  const top = crs.geographic ? 4096 : 65536;
  const levels = crs.geographic ? 36 : 24;
  return new FineGrid(finer, {
    origin: crs.geographic ? [-180, 90] : [-2e7, 2e7],
    resolutions: Array.from({ length: levels }, (_, k) => top / 2 ** k),
    tileSize: TILE,
  });
}

const clear = (): HTMLCanvasElement => {
  const c = document.createElement('canvas');
  c.width = c.height = 1;
  return c;
};

/** What decides how its tiles are painted. */
interface Painted {
  /** Null where there is nothing to paint by. */
  what: ReturnType<typeof paintedBy>;
  missing: Theme['missing'] | null;
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

/** A raster as a tile layer whose pictures are painted from its cells in a worker; a new way of drawing is a repaint, not a request. */
export class RasterLayer implements LayerDriver<RasterStyle> {
  private readonly layer: TileLayer<PaintedTiles>;
  private readonly source: PaintedTiles;
  private painted: Painted;
  private swipe: number | null = null;

  constructor(private readonly made: MadeOf<RasterStyle>) {
    const { crs, tools, map, first, finer } = made;
    // A power of two, so that patterns go on from tile to tile.
    const coarse = 2 ** Math.max(0, Math.round(Math.log2(finer)));
    this.painted = this.painting(first);
    const grid = tileGridOf(crs, finer);
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
        const { what, missing, gaps, pick } = this.painted;
        if (!what) return clear();
        const image = await tools.drawing.tile(
          {
            kind: 'tile',
            ...what,
            crs,
            x: ox + x * TILE * resolution,
            y: oy - y * TILE * resolution,
            resolution,
            width: TILE,
            height: TILE,
            missing,
            coarse,
            gaps,
            pick,
          },
          signal,
        );
        if (image && performance.getEntriesByName('helk-first-picture').length === 0)
          performance.mark('helk-first-picture');
        return image ?? clear();
      },
    });
    this.source.repaint(JSON.stringify(this.painted));
    this.layer = new TileLayer({ source: this.source, preload: finer === 1 ? 1 : 0 });
    this.layer.on('prerender', (e) => this.clip(e));
    this.layer.on('postrender', (e) => {
      if (this.swipe !== null) (e.context as CanvasRenderingContext2D).restore();
    });
    map.addLayer(this.layer);
    this.update(first);
    this.warm(grid);
  }

  /** The map asks for its first tiles a frame or two from now: the cells can be on their way meanwhile. */
  private warm(grid: TileGrid): void {
    const { map, crs, tools, first } = this.made;
    const view = map.getView();
    const size = map.getSize();
    if (!size || !view.isDef() || !first.visible) return;
    const seen = view.getResolution()!;
    const resolution = grid.getResolution(grid.getZForResolution(seen, -1)) * WARM;
    const [x, , , y] = view.calculateExtent(size) as [number, number, number, number];
    const [width, height] = size.map((n) => Math.ceil((n * seen) / resolution)) as [number, number];
    const { what } = this.painted;
    for (const source of !what ? [] : 'bands' in what.by ? what.by.bands : [what.source])
      tools.drawing.warm({ source, crs, x, y, resolution, width, height }, WARM);
  }

  private painting({ item, look, scale, theme, over }: LayerState<RasterStyle>): Painted {
    const { band, index } = drawnOf(item.info as RasterInfo, look);
    const range = this.made.tools.picks.range();
    const mine = range?.dataset === item.id && range.band === index;
    const info = item.info as RasterInfo;
    return {
      what: paintedBy(this.made.tools.project(), item.id, info, look, scale),
      missing: look.showMissing ? theme.missing : null,
      gaps: look.showMissing ? (band.facts?.gapBoxes ?? []) : [],
      pick: mine
        ? {
            low: range.low,
            high: range.high,
            ink: rgbOf(theme.pick),
            ...(range.alone && { rest: over ? ('clear' as const) : { faded: rgbOf(theme.ground) } }),
          }
        : null,
    };
  }

  update(state: LayerState<RasterStyle>): void {
    const painted = this.painting(state);
    const key = JSON.stringify(painted);
    const repaint = key !== JSON.stringify(this.painted);
    this.painted = painted;
    if (repaint) this.source.repaint(key);
    this.layer.setOpacity(state.look.opacity);
    this.layer.setVisible(state.visible);
    this.layer.setZIndex(state.z);
    if (this.swipe !== state.swipe) this.layer.changed();
    this.swipe = state.swipe;
  }

  /** Leaves out what lies left of the swipe. */
  private clip(e: RenderEvent): void {
    if (this.swipe === null) return;
    const g = e.context as CanvasRenderingContext2D;
    const [w, h] = this.made.map.getSize() as [number, number];
    const x = w * this.swipe;
    const corners = [
      [x, 0],
      [w, 0],
      [w, h],
      [x, h],
    ].map((p) => getRenderPixel(e, p));
    g.save();
    g.beginPath();
    corners.forEach((p, i) => (i ? g.lineTo(p[0]!, p[1]!) : g.moveTo(p[0]!, p[1]!)));
    g.closePath();
    g.clip();
  }

  /** Taken out only: a tile that comes later still looks for its layer. */
  dispose(): void {
    this.made.map.removeLayer(this.layer);
  }
}

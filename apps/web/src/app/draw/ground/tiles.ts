import type ImageTile from 'ol/ImageTile';
import TileLayer from 'ol/layer/Tile';
import type RenderEvent from 'ol/render/Event';
import TileImage from 'ol/source/TileImage';
import TileGrid from 'ol/tilegrid/TileGrid';
import type Tile from 'ol/Tile';
import TileState from 'ol/TileState';
import type { Background } from '@helk/core/render/background';
import { projectionOf } from '../../state/views';

/** Pictures of a service, and where they come from. */
export interface Tiles {
  /** One for each background of each project: a copied project has the backgrounds of the first under the same names. */
  id: string;
  background: Background;
  /** A tile; null where there is none. */
  tile: (level: number, row: number, column: number) => Promise<Blob | null>;
}

/** Fills a tile with what comes for it; that there is none is told apart from that it does not come. */
async function fill(tile: ImageTile, { tile: fetched }: Tiles): Promise<void> {
  const [z, x, y] = tile.getTileCoord() as [number, number, number];
  const blob = await fetched(z, y, x);
  if (!blob) return tile.setState(TileState.EMPTY);
  const image = tile.getImage() as HTMLImageElement;
  const url = URL.createObjectURL(blob);
  for (const end of ['load', 'error']) image.addEventListener(end, () => URL.revokeObjectURL(url), { once: true });
  image.src = url;
}

const nameOf = (tile: Tile): string => tile.getTileCoord().join();

/**
 * A layer of them with little colour, as colour belongs to the data.
 * @param lost told of every tile why it did not come, and null when it came
 */
export function tileLayer(
  tiles: Tiles,
  className: string,
  zIndex: number,
  lost: (tile: string, why: unknown) => void,
): TileLayer<TileImage> {
  const b = tiles.background;
  const grid = new TileGrid({
    origins: b.levels.map((l) => [l.x, l.y]),
    resolutions: b.levels.map((l) => l.resolution),
    tileSizes: b.levels.map((l) => [l.width, l.height]),
    sizes: b.levels.map((l) => [l.columns, l.rows]),
    ...(b.extent ? { extent: b.extent } : {}),
  });
  const source = new TileImage({
    projection: projectionOf(b.crs),
    tileGrid: grid,
    wrapX: false,
    // Only a name to hold it by: what is fetched goes the way of all that is asked of the server.
    tileUrlFunction: (at) => at.join(),
    tileLoadFunction: (tile) =>
      void fill(tile as ImageTile, tiles).then(
        () => lost(nameOf(tile), null),
        (e: unknown) => {
          tile.setState(TileState.ERROR);
          lost(nameOf(tile), e);
        },
      ),
  });
  const layer = new TileLayer({ source, className, zIndex });
  const filter = (value: string) => (e: { context?: unknown }) => {
    const g = (e as RenderEvent).context;
    if (g instanceof CanvasRenderingContext2D) g.filter = value;
  };
  layer.on('prerender', filter('grayscale(0.55)'));
  layer.on('postrender', filter('none'));
  return layer;
}

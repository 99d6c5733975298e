import Feature from 'ol/Feature';
import { LineString, MultiLineString, MultiPoint, MultiPolygon, Point, Polygon } from 'ol/geom';
import TileLayer from 'ol/layer/Tile';
import VectorLayer from 'ol/layer/Vector';
import ImageTile from 'ol/source/ImageTile';
import VectorSource from 'ol/source/Vector';
import { Circle, Fill, Stroke, Style } from 'ol/style';
import TileGrid from 'ol/tilegrid/TileGrid';
import {
  featureCount,
  transformer,
  valueOf,
  type Crs,
  type Features,
  type RasterInfo,
  type RasterStyle,
  type Scale,
} from '@helk/core';
import type { VectorStyle } from '../state/bench.store';
import { projectionOf } from '../state/cursor';
import type { Drawing } from './drawing';

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
        const { scale, style, missing } = this.drawn;
        const image = await drawing.tile(
          {
            kind: 'tile',
            source: { project, dataset, band: 0, info },
            crs,
            x: ox + x * TILE * resolution,
            y: oy - y * TILE * resolution,
            resolution,
            width: TILE,
            height: TILE,
            scale,
            relief: style.relief,
            missing: style.showMissing ? missing : null,
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

const keyOf = (d: Drawn): string => JSON.stringify([d.scale, d.style.relief, d.style.showMissing, d.missing]);

/** Features as map geometries in a system; the index leads back to the columns. */
export function vectorSource(f: Features, crs: Crs): VectorSource {
  const t = transformer(f.crs ?? crs, crs);
  const out = [0, 0];
  const ring = (r: number): number[][] => {
    const pts: number[][] = [];
    for (let i = f.ringOffsets[r]!; i < f.ringOffsets[r + 1]!; i++) {
      t(f.xy[2 * i]!, f.xy[2 * i + 1]!, out);
      pts.push([out[0]!, out[1]!]);
    }
    return pts;
  };
  const features: Feature[] = [];
  for (let i = 0; i < featureCount(f); i++) {
    const parts: number[][][][] = [];
    for (let p = f.featureOffsets[i]!; p < f.featureOffsets[i + 1]!; p++) {
      const rings: number[][][] = [];
      for (let r = f.partOffsets[p]!; r < f.partOffsets[p + 1]!; r++) rings.push(ring(r));
      parts.push(rings);
    }
    if (parts.length === 0) continue;
    const one = parts.length === 1;
    const geometry =
      f.geometry === 'polygon'
        ? one
          ? new Polygon(parts[0]!)
          : new MultiPolygon(parts)
        : f.geometry === 'line'
          ? one
            ? new LineString(parts[0]![0]!)
            : new MultiLineString(parts.map((p) => p[0]!))
          : one
            ? new Point(parts[0]![0]![0]!)
            : new MultiPoint(parts.map((p) => p[0]![0]!));
    const feature = new Feature({ geometry });
    feature.setId(i);
    features.push(feature);
  }
  return new VectorSource({ features });
}

export function vectorLayer(source: VectorSource, style: VectorStyle): VectorLayer {
  return new VectorLayer({ source, style: symbol(style), updateWhileInteracting: true });
}

export function symbol(s: VectorStyle): Style {
  const stroke = new Stroke({ color: s.colour, width: s.width });
  const fill = new Fill({
    color:
      s.colour +
      Math.round(s.fill * 255)
        .toString(16)
        .padStart(2, '0'),
  });
  return new Style({
    stroke,
    fill,
    image: new Circle({
      radius: 3 + s.width,
      fill: new Fill({ color: s.colour }),
      stroke: new Stroke({ color: '#ffffff', width: 1 }),
    }),
  });
}

/** The columns of one feature as name and text. */
export function attributesOf(f: Features, i: number): { name: string; value: string; unit: string | null }[] {
  return f.columns.map((c) => ({ name: c.name, value: String(valueOf(c, i) ?? '–'), unit: c.unit }));
}

import type OlMap from 'ol/Map';
import Feature from 'ol/Feature';
import { LineString, MultiLineString, MultiPoint, MultiPolygon, Point, Polygon } from 'ol/geom';
import type Geometry from 'ol/geom/Geometry';
import VectorLayer from 'ol/layer/Vector';
import VectorImageLayer from 'ol/layer/VectorImage';
import VectorSource from 'ol/source/Vector';
import { Circle, Fill, Stroke, Style, Text } from 'ol/style';
import {
  featureCount,
  formatNumber,
  symbolsOf,
  transformer,
  type Crs,
  type Features,
  type Scale,
  type Symbols,
  type VectorStyle,
} from '@helk/core';
import type { LayerDriver, LayerState, MadeOf, OnPaper } from '../kinds/kind';
import { labelItems, shapeItems, type PaperView } from './vector-items';
import { StampLayer } from './stamps';
import { onPaper, symbolsOnPaper, type Theme } from './theme';

/** From here on points are stamped by hand instead of by one object each. */
const MANY_POINTS = 4000;
/** From here on shapes are drawn into a picture that moves with the map and is made anew when it rests. */
const MANY_SHAPES = 1500;
/** Side of that picture to the side of the map: how far one can drag before its edge is seen. */
const PICTURE = 1.6;

/** Geometries of features in a system, null where a feature has none; the index leads back to the columns. */
function geometries(f: Features, crs: Crs): (Geometry | null)[] {
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
  return Array.from({ length: featureCount(f) }, (_, i) => {
    const parts: number[][][][] = [];
    for (let p = f.featureOffsets[i]!; p < f.featureOffsets[i + 1]!; p++) {
      const rings: number[][][] = [];
      for (let r = f.partOffsets[p]!; r < f.partOffsets[p + 1]!; r++) rings.push(ring(r));
      parts.push(rings);
    }
    if (parts.length === 0) return null;
    const one = parts.length === 1;
    if (f.geometry === 'polygon') return one ? new Polygon(parts[0]!) : new MultiPolygon(parts);
    if (f.geometry === 'line')
      return one ? new LineString(parts[0]![0]!) : new MultiLineString(parts.map((p) => p[0]!));
    return one ? new Point(parts[0]![0]![0]!) : new MultiPoint(parts.map((p) => p[0]![0]!));
  });
}

const alpha = (hex: string, a: number): string =>
  hex +
  Math.round(a * 255)
    .toString(16)
    .padStart(2, '0');

/** What decides how features are drawn. */
export interface Look {
  style: VectorStyle;
  picked: Uint8Array | null;
  theme: Theme;
  /** Of the raster below, for features that wear its colours. */
  scale: Scale | null;
}

/**
 * Features of one dataset in one map: shapes, labels above them, picked ones on top. Styles are made once for each class and shared; many
 * points are stamped straight onto a canvas.
 */
export class VectorDrawn implements LayerDriver<VectorStyle> {
  private readonly map: OlMap;
  private features: Features | null = null;
  private worked: Symbols | null = null;
  private key = '';
  private look: Look;
  private readonly source: VectorSource;
  private shapes: VectorLayer | VectorImageLayer;
  private many = false;
  private gone = false;
  readonly ready: Promise<void>;
  private readonly labels: VectorLayer;
  private readonly stamps: StampLayer;
  private readonly styles = new Map<number, Style[]>();
  private readonly texts = new Map<string, Style>();

  /** @param load where the features come from; those of the dataset when not given */
  constructor(
    private readonly made: MadeOf<VectorStyle>,
    load?: () => Promise<Features>,
  ) {
    const { map, crs, tools, first } = made;
    this.map = map;
    this.look = this.lookOf(first);
    // One world, as for rasters: coordinates of no known system may lie so far beyond its ends that thousands of copies would be drawn.
    this.source = new VectorSource({ wrapX: false });
    this.shapes = new VectorLayer({ source: this.source, style: (f) => this.styleOf(f as Feature) });
    this.labels = new VectorLayer({
      source: this.source,
      style: (f) => this.labelOf(f as Feature),
      declutter: true,
      visible: false,
    });
    this.stamps = new StampLayer({});
    for (const l of [this.shapes, this.labels, this.stamps]) map.addLayer(l);
    this.update(first);
    this.ready = (load ? load() : tools.data.get(first.item.id)).then((f) => {
      // The layer may have been taken out while its features were on their way.
      if (f.kind === 'features' && !this.gone) this.fill(f, crs);
    }, made.failed);
  }

  private lookOf({ item, look, below, theme }: LayerState<VectorStyle>): Look {
    const outline = look.outline && onPaper(look.outline, theme.dark);
    return { style: { ...look, outline }, picked: this.made.tools.picks.of(item.id), theme, scale: below };
  }

  /** Hands over the features; nothing is drawn before. */
  private fill(f: Features, crs: Crs): void {
    this.features = f;
    const many = featureCount(f);
    this.source.clear();
    const shapes = geometries(f, crs);
    if (f.geometry === 'point' && many > MANY_POINTS) this.stamps.place(shapes);
    else
      this.source.addFeatures(
        shapes.flatMap((geometry, i) => {
          if (!geometry) return [];
          const feature = new Feature({ geometry });
          feature.setId(i);
          return [feature];
        }),
      );
    this.many = f.geometry !== 'point' && many >= MANY_SHAPES;
    if (this.many) {
      const z = this.shapes.getZIndex();
      this.map.removeLayer(this.shapes);
      this.shapes.dispose();
      this.shapes = new VectorImageLayer({
        source: this.source,
        style: (x) => this.styleOf(x as Feature),
        imageRatio: PICTURE,
        ...(z === undefined ? {} : { zIndex: z }),
      });
      this.map.addLayer(this.shapes);
    } else {
      // Options of the constructor only, so set where the renderer looks them up.
      (this.shapes as unknown as { updateWhileInteracting_: boolean }).updateWhileInteracting_ = true;
      (this.shapes as unknown as { updateWhileAnimating_: boolean }).updateWhileAnimating_ = true;
    }
    this.key = '';
    this.wear(this.look);
  }

  /** The same shapes with other values in their columns; worn with the next update. */
  value(f: Features): void {
    this.features = f;
    this.key = '';
  }

  update(state: LayerState<VectorStyle>): void {
    const { look, visible, z } = state;
    for (const l of [this.shapes, this.labels, this.stamps]) l.setOpacity(look.opacity);
    this.shapes.setVisible(visible);
    this.stamps.setVisible(visible);
    this.labels.setVisible(visible && !!look.label);
    this.shapes.setZIndex(z);
    this.stamps.setZIndex(z);
    this.labels.setZIndex(800 + z);
    this.wear(this.lookOf(state));
  }

  private wear(look: Look): void {
    const { style, picked, theme } = look;
    const was = this.look;
    this.look = look;
    if (!this.features) return;
    const scale = style.by.kind === 'raster' ? look.scale : null;
    const key = JSON.stringify({ ...style, opacity: 0, scale, dark: theme.dark });
    if (key === this.key && was.picked === picked && was.theme.dark === theme.dark) return;
    if (key !== this.key)
      this.worked = symbolsOnPaper(
        symbolsOf(style, this.features, (v, range = 1000) => formatNumber(v, range), scale),
        theme.dark,
      );
    const told = key !== this.key;
    this.key = key;
    this.styles.clear();
    this.texts.clear();
    this.shapes.changed();
    this.labels.changed();
    this.stamps.wear(this.worked!, look);
    if (told) this.made.changed();
  }

  symbols(): Symbols | null {
    return this.worked;
  }

  /** The feature under a pixel, or -1. */
  hit(pixel: number[]): number {
    const hit = this.map.forEachFeatureAtPixel(pixel, (f) => f.getId() as number, {
      layerFilter: (l) => l === this.shapes,
      hitTolerance: 4,
    });
    return hit ?? this.stamps.at(this.map, pixel);
  }

  items(view: PaperView): OnPaper | null {
    if (!this.features || !this.worked) return null;
    if (this.features.geometry === 'point' && this.source.isEmpty()) {
      const shapes = this.stamps.items(view);
      return shapes && { shapes, labels: () => [] };
    }
    // In the order in which they came, as a map draws them.
    const seen = this.source.getFeaturesInExtent(view.extent).sort((a, b) => Number(a.getId()) - Number(b.getId()));
    const shapes = shapeItems(seen, (f) => this.styleOf(f), view);
    if (!shapes) return null;
    const told = this.look.style.label !== null;
    return { shapes, labels: (taken) => (told ? labelItems(seen, (f) => this.labelOf(f), view, taken) : []) };
  }

  dispose(): void {
    this.gone = true;
    for (const l of [this.shapes, this.labels, this.stamps]) {
      this.map.removeLayer(l);
      l.dispose();
    }
  }

  private styleOf(feature: Feature): Style[] | undefined {
    const s = this.worked;
    if (!s) return undefined;
    const i = feature.getId() as number;
    const size = s.size ? Math.round(s.size[i]! * 24) : 24;
    const picked = this.look.picked?.[i] ?? 0;
    const emphasised = s.emphasised?.[i] ?? 0;
    const key = ((s.index[i]! * 32 + size) * 2 + picked) * 2 + emphasised;
    let found = this.styles.get(key);
    if (!found)
      this.styles.set(key, (found = this.make(s.colours[s.index[i]!]!, size / 24, picked === 1, emphasised === 1)));
    return found;
  }

  private make(colour: string, size: number, picked: boolean, emphasised: boolean): Style[] {
    const {
      style,
      theme: { pick, paper },
    } = this.look;
    const kind = this.features!.geometry;
    const growth = style.size ? 0.15 + 0.85 * size : 1;
    if (kind === 'point') {
      const radius = style.size ? Math.max(1.5, style.size.largest * size) : 3 + style.width;
      return [
        new Style({
          image: new Circle({
            radius: picked ? radius + 1.5 : radius,
            fill: new Fill({ color: colour }),
            stroke: new Stroke({ color: picked ? pick : (style.outline ?? paper), width: picked ? 3 : 1 }),
          }),
          zIndex: picked ? 1 : 0,
        }),
      ];
    }
    if (kind === 'line') {
      const width = (style.size ? style.size.largest * growth : style.width) * (emphasised ? 2 : 1);
      // Beside emphasised lines the others step back.
      const plain = style.emphasis && !emphasised ? alpha(colour, 0.6) : colour;
      const line = new Style({
        stroke: new Stroke({
          color: picked ? pick : plain,
          width: picked ? width + 1.5 : width,
          // Round ends and corners of very many short lines take most of the time.
          ...(this.many ? { lineCap: 'butt' as const, lineJoin: 'bevel' as const } : {}),
        }),
        zIndex: picked ? 1 : 0,
      });
      return style.ends ? [line, this.dots(picked ? pick : colour)] : [line];
    }
    const out = [
      new Style({
        fill: new Fill({ color: alpha(colour, style.fill) }),
        stroke:
          style.width > 0
            ? new Stroke({ color: style.outline ?? colour, width: style.width * (emphasised ? 2 : 1) })
            : undefined!,
      }),
    ];
    if (picked)
      out.push(
        new Style({
          fill: new Fill({ color: alpha(pick, 0.18) }),
          stroke: new Stroke({ color: pick, width: 2.5 }),
          zIndex: 1,
        }),
      );
    return out;
  }

  /** A dot at both ends of a line. */
  private dots(colour: string): Style {
    return new Style({
      geometry: (f) => {
        const g = f.getGeometry();
        return g instanceof LineString ? new MultiPoint([g.getFirstCoordinate(), g.getLastCoordinate()]) : undefined!;
      },
      image: new Circle({
        radius: 3,
        fill: new Fill({ color: this.look.theme.paper }),
        stroke: new Stroke({ color: colour, width: 1.5 }),
      }),
      zIndex: 2,
    });
  }

  private labelOf(feature: Feature): Style | undefined {
    const i = feature.getId() as number;
    const text = this.worked?.labels?.[i];
    const {
      style,
      theme: { ink, paper },
    } = this.look;
    if (!text || !style.label) return undefined;
    const kind = this.features!.geometry;
    const key = kind === 'line' ? `${text}/${this.worked!.emphasised?.[i] ?? 1}` : text;
    let s = this.texts.get(key);
    if (!s) {
      const strong = kind === 'line' && this.worked!.emphasised?.[i] === 1;
      s = new Style({
        text: new Text({
          text: text.replace(/\\n/g, '\n'),
          font: `${strong ? 600 : 450} ${style.label.size}px "Instrument Sans Variable", sans-serif`,
          fill: new Fill({ color: ink }),
          stroke: new Stroke({ color: alpha(paper, 0.75), width: 3 }),
          // Along lines, turned so that they stay upright.
          placement: kind === 'line' ? 'line' : 'point',
          keepUpright: true,
          maxAngle: Math.PI / 5,
          repeat: kind === 'line' ? 380 : undefined!,
          overflow: kind === 'polygon' ? false : undefined!,
          offsetY: kind === 'point' ? -(9 + (style.size?.largest ?? style.width)) : 0,
        }),
      });
      this.texts.set(key, s);
    }
    return s;
  }
}

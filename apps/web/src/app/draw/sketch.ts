import { computed, effect, inject, Injectable, signal } from '@angular/core';
import type OlMap from 'ol/Map';
import Draw, { createBox } from 'ol/interaction/Draw';
import VectorSource from 'ol/source/Vector';
import VectorLayer from 'ol/layer/Vector';
import { Circle, Fill, Stroke, Style } from 'ol/style';
import { LineString, Point, Polygon } from 'ol/geom';
import Feature from 'ol/Feature';
import { systemOf, systemText, transformExtent, type Crs, type Extent, type GeometryType } from '@helk/core';
import { ProjectStore, type DatasetItem } from '../state/project.store';

/** What draws on one map. */
interface Hand {
  draw: Draw;
  source: VectorSource;
  /** Middle of the map, in the panes' system. */
  middle: () => number[] | null;
}

interface Wish {
  geometry: GeometryType | 'box';
  /** What becomes of a dataset that is drawn … */
  done?: (dataset: string) => void;
  /** … or of the corners of an area that only points at something. */
  ring?: (corners: number[][]) => void;
}

const TYPE = { point: 'Point', line: 'LineString', polygon: 'Polygon', box: 'Circle' } as const;
const WORDS = {
  point: 'Click to place points.',
  line: 'Click corner by corner; double-click to end the line.',
  polygon: 'Click corner by corner; double-click to close the area.',
  box: 'Click two corners of a box.',
};

/** The box about corners of the panes' system, in a dataset's own, to digits that a screen can show. */
export function boundsOf(corners: readonly number[][], crs: Crs, item: DatasetItem | undefined): Extent {
  const x = corners.map((c) => c[0]!);
  const y = corners.map((c) => c[1]!);
  const box: Extent = [Math.min(...x), Math.min(...y), Math.max(...x), Math.max(...y)];
  const own = (item && systemOf(item.info)) ?? crs;
  const digits = own.geographic ? 7 : 2;
  return transformExtent(box, crs, own).map((v) => Number(v.toFixed(digits))) as Extent;
}

/** Drawing by hand in any pane; what is drawn becomes a source of the project like a file that was taken in. */
@Injectable({ providedIn: 'root' })
export class Sketch {
  private readonly project = inject(ProjectStore);
  readonly wish = signal<Wish | null>(null);
  readonly count = signal(0);
  private shapes: number[][][] = [];
  /** Corners of what is being drawn, as far as it is. */
  readonly corners = signal(0);
  /** Maps that are drawn on, the one that was drawn on last in front. */
  private readonly hands: Hand[] = [];
  private firstCorner: number[] | null = null;

  readonly words = (): string => {
    const w = this.wish();
    return w
      ? w.ring && w.geometry === 'line'
        ? 'Click where the line begins and where it ends.'
        : w.ring && w.geometry === 'point'
          ? 'Click where it is.'
          : WORDS[w.geometry]
      : '';
  };

  begin(geometry: GeometryType, done: (dataset: string) => void): void {
    this.fresh();
    this.wish.set({ geometry, done });
  }

  private fresh(): void {
    this.shapes = [];
    this.count.set(0);
    this.corners.set(0);
    this.firstCorner = null;
  }

  /** Asks for an area, or the two ends of a line, whose corners, in the panes' system, are handed on at once. */
  pick(geometry: 'box' | 'polygon' | 'line' | 'point', ring: (corners: number[][]) => void): void {
    this.fresh();
    this.wish.set({ geometry, ring });
  }

  cancel(): void {
    this.fresh();
    this.wish.set(null);
  }

  /** A corner (or a point) without the pointer: typed, or where the middle of the map is. @param at in the panes' system */
  add(at: number[] | null = this.hands[0]?.middle() ?? null): void {
    const wish = this.wish();
    const [hand] = this.hands;
    if (!wish || !hand || !at) return;
    if (wish.geometry === 'point') {
      if (wish.ring) this.point(wish, [at]);
      else {
        hand.source.addFeature(new Feature(new Point(at)));
        this.shapes.push([at]);
        this.count.set(this.shapes.length);
      }
    } else if (wish.geometry === 'box') {
      if (!this.firstCorner) {
        this.firstCorner = at;
        this.corners.set(1);
      } else {
        const [[x0, y0], [x1, y1]] = [this.firstCorner as [number, number], at as [number, number]];
        this.point(wish, [
          [x0, y0],
          [x1, y0],
          [x1, y1],
          [x0, y1],
        ]);
      }
    } else {
      hand.draw.appendCoordinates([at]);
      if (wish.ring && wish.geometry === 'line' && this.corners() === 2) hand.draw.finishDrawing();
    }
  }

  /** Takes the last corner back, or the last of several that are whole. */
  back(): void {
    const [hand] = this.hands;
    if (this.corners() > 0 && this.wish()?.geometry !== 'box') {
      hand?.draw.removeLastPoint();
    } else if (this.firstCorner) {
      this.firstCorner = null;
      this.corners.set(0);
    } else if (this.shapes.length) {
      this.shapes.pop();
      this.count.set(this.shapes.length);
      const last = hand?.source.getFeatures().at(-1);
      if (last) hand!.source.removeFeature(last);
    }
  }

  /** Whether what is being drawn has corners enough to end with. */
  readonly closes = computed(() => {
    const g = this.wish()?.geometry;
    return (g === 'line' && this.corners() >= 2) || (g === 'polygon' && this.corners() >= 3);
  });

  /** Ends what is being drawn by its last corner; or, where nothing is, all. */
  end(): void {
    if (this.closes()) this.hands[0]?.draw.finishDrawing();
    else if (this.count()) void this.finish();
  }

  private point(wish: Wish, corners: number[][]): void {
    this.cancel();
    wish.ring!(corners);
  }

  constructor() {
    addEventListener('keydown', (e) => {
      if (e.key === 'Escape' && this.wish()) this.cancel();
    });
  }

  /** Lets a map be drawn on while there is a wish. To be called where effects may be made. */
  attach(map: () => OlMap | null): void {
    const css = (name: string): string => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
    effect((done) => {
      const wish = this.wish();
      const on = map();
      if (!wish || !on) return;
      const source = new VectorSource({ wrapX: false });
      const style = new Style({
        stroke: new Stroke({ color: css('--pick'), width: 2.5 }),
        fill: new Fill({ color: `${css('--pick')}22` }),
        image: new Circle({
          radius: 5,
          fill: new Fill({ color: css('--pick') }),
          stroke: new Stroke({ color: '#fff', width: 1.5 }),
        }),
      });
      const layer = new VectorLayer({ source, style, zIndex: 960 });
      const draw = new Draw({
        source,
        type: TYPE[wish.geometry],
        style,
        ...(wish.geometry === 'box' ? { geometryFunction: createBox() } : {}),
        ...(wish.geometry === 'line' && wish.ring ? { maxPoints: 2 } : {}),
      });
      const hand: Hand = { draw, source, middle: () => on.getView().getCenter() ?? null };
      this.hands.unshift(hand);
      draw.on('drawstart', (e) => {
        // The map that is drawn on takes typed corners as well.
        this.hands.sort((a, b) => Number(b === hand) - Number(a === hand));
        const g = e.feature.getGeometry();
        g?.on('change', () => {
          if (g instanceof LineString) this.corners.set(Math.max(0, g.getCoordinates().length - 1));
          else if (g instanceof Polygon) this.corners.set(Math.max(0, (g.getCoordinates()[0]?.length ?? 0) - 2));
        });
      });
      draw.on('drawend', (e) => {
        this.corners.set(0);
        const g = e.feature.getGeometry() as Point | LineString | Polygon;
        const shape =
          wish.geometry === 'point'
            ? [(g as Point).getCoordinates()]
            : wish.geometry === 'line'
              ? (g as LineString).getCoordinates()
              : (g as Polygon).getCoordinates()[0]!;
        if (wish.ring) {
          setTimeout(() => {
            // Another wish may have come meanwhile: what was drawn for this one is not its.
            if (this.wish() !== wish) return;
            this.cancel();
            wish.ring!(['line', 'point'].includes(wish.geometry) ? shape : shape.slice(0, -1));
          });
          return;
        }
        this.shapes.push(shape);
        this.count.set(this.shapes.length);
        // A line is one; points and areas may be several. After the event, so that the double-click does not zoom.
        if (wish.geometry === 'line') setTimeout(() => void this.finish());
      });
      on.addLayer(layer);
      on.addInteraction(draw);
      done(() => {
        this.hands.splice(this.hands.indexOf(hand), 1);
        on.removeInteraction(draw);
        on.removeLayer(layer);
      });
    });
  }

  /** Takes what was drawn into the project and hands it on. */
  async finish(): Promise<void> {
    const wish = this.wish();
    const shapes = this.shapes;
    this.cancel();
    if (!wish?.done || wish.geometry === 'box' || shapes.length === 0) return;
    // In the project's own system: what was drawn lies where it was drawn.
    const crs = this.project.system();
    // A centimetre, or what is one in degrees.
    const digits = crs && !crs.geographic ? 2 : 7;
    const place = (c: number[]): number[] => c.map((v) => Number(v.toFixed(digits)));
    const geometry = (s: number[][]): object => {
      const c = s.map(place);
      return wish.geometry === 'point'
        ? { type: 'Point', coordinates: c[0] }
        : wish.geometry === 'line'
          ? { type: 'LineString', coordinates: c }
          : { type: 'Polygon', coordinates: [c] };
    };
    const text = JSON.stringify({
      type: 'FeatureCollection',
      features: shapes.map((s, i) => ({ type: 'Feature', properties: { no: i + 1 }, geometry: geometry(s) })),
    });
    const name = { point: 'drawn points', line: 'drawn line', polygon: 'drawn area' }[wish.geometry];
    const [made] = await this.project.takeInNow([new File([text], `${name}.geojson`)], crs && systemText(crs));
    if (made) wish.done(made);
  }
}

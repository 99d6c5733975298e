import type OlMap from 'ol/Map';
import type { FrameState } from 'ol/Map';
import { MultiPoint, Point } from 'ol/geom';
import type Geometry from 'ol/geom/Geometry';
import Layer from 'ol/layer/Layer';
import type { Symbols } from '@helk/core';
import type { DisplayItem } from './display';
import { MOST_CORNERS, type PaperView } from './vector-items';
import type { Look } from './vectors';

/** Points as stamps on one canvas: a hundred thousand in some tens of milliseconds. */
export class StampLayer extends Layer {
  private readonly canvas = document.createElement('canvas');
  private xy = new Float64Array();
  private row = new Uint32Array();
  private symbols: Symbols | null = null;
  private look: Look | null = null;

  place(points: (Geometry | null)[]): void {
    const xy: number[] = [];
    const row: number[] = [];
    points.forEach((g, i) => {
      const all = g instanceof Point ? [g.getCoordinates()] : g instanceof MultiPoint ? g.getCoordinates() : [];
      for (const [x, y] of all) {
        xy.push(x!, y!);
        row.push(i);
      }
    });
    this.xy = Float64Array.from(xy);
    this.row = Uint32Array.from(row);
  }

  wear(symbols: Symbols, look: Look): void {
    this.symbols = symbols;
    this.look = look;
    this.changed();
  }

  private radius(i: number): number {
    const s = this.look!.style;
    return s.size
      ? Math.max(1.2, s.size.largest * (this.symbols!.size?.[i] ?? 0))
      : Math.min(3 + s.width, this.row.length > 50_000 ? 2.5 : 4);
  }

  /** The points of a page as discs, picked ones on top; null where there are too many. */
  items(view: PaperView): DisplayItem[] | null {
    const { symbols, look } = this;
    if (!symbols || !look) return [];
    const below: DisplayItem[] = [];
    const above: DisplayItem[] = [];
    const { box } = view;
    for (let p = 0; p < this.row.length; p++) {
      const i = this.row[p]!;
      const [x, y] = view.toPage(this.xy[2 * p]!, this.xy[2 * p + 1]!);
      const radius = this.radius(i);
      if (x < box.x - radius || y < box.y - radius) continue;
      if (x > box.x + box.width + radius || y > box.y + box.height + radius) continue;
      if (below.length + above.length > MOST_CORNERS / 4) return null;
      const picked = look.picked?.[i] === 1;
      (picked ? above : below).push({
        kind: 'disc',
        x,
        y,
        radius,
        fill: symbols.colours[symbols.index[i]!]!,
        ...(picked || radius > 2.5
          ? { stroke: picked ? look.theme.pick : look.theme.paper, line: picked ? 2.5 : 0.8 }
          : {}),
      });
    }
    return [...below, ...above];
  }

  override render(frame: FrameState): HTMLElement {
    const ratio = frame.pixelRatio;
    const [w, h] = frame.size as [number, number];
    const c = this.canvas;
    c.className = 'ol-layer';
    c.style.position = 'absolute';
    c.style.width = `${w}px`;
    c.style.height = `${h}px`;
    c.style.opacity = String(this.getOpacity());
    if (c.width !== Math.round(w * ratio) || c.height !== Math.round(h * ratio)) {
      c.width = Math.round(w * ratio);
      c.height = Math.round(h * ratio);
    }
    const g = c.getContext('2d')!;
    g.clearRect(0, 0, c.width, c.height);
    const { symbols, look } = this;
    if (!symbols || !look || this.row.length === 0) return c;
    const [cx, cy] = frame.viewState.center as [number, number];
    const k = ratio / frame.viewState.resolution;
    const stamps = new Map<number, { image: HTMLCanvasElement; half: number }>();
    const draw = (onlyPicked: boolean): void => {
      for (let p = 0; p < this.row.length; p++) {
        const i = this.row[p]!;
        const picked = look.picked?.[i] === 1;
        if (picked !== onlyPicked) continue;
        const x = c.width / 2 + (this.xy[2 * p]! - cx) * k;
        const y = c.height / 2 - (this.xy[2 * p + 1]! - cy) * k;
        if (x < -20 || y < -20 || x > c.width + 20 || y > c.height + 20) continue;
        const step = symbols.size ? Math.round(symbols.size[i]! * 24) : 24;
        const key = (symbols.index[i]! * 32 + step) * 2 + (picked ? 1 : 0);
        let s = stamps.get(key);
        if (!s)
          stamps.set(
            key,
            (s = stamp(
              symbols.colours[symbols.index[i]!]!,
              this.radius(i) * ratio,
              picked ? look.theme.pick : null,
              look.theme.paper,
              ratio,
            )),
          );
        g.drawImage(s.image, Math.round(x - s.half), Math.round(y - s.half));
      }
    };
    draw(false);
    if (look.picked) draw(true);
    return c;
  }

  /** The nearest point within some pixels, or -1. */
  at(map: OlMap, pixel: number[]): number {
    const r = map.getView().getResolution();
    const c = map.getCoordinateFromPixel(pixel);
    if (!r || !c || !this.getVisible()) return -1;
    let best = (7 * r) ** 2;
    let found = -1;
    for (let p = 0; p < this.row.length; p++) {
      const d = (this.xy[2 * p]! - c[0]!) ** 2 + (this.xy[2 * p + 1]! - c[1]!) ** 2;
      if (d < best) {
        best = d;
        found = this.row[p]!;
      }
    }
    return found;
  }
}

function stamp(
  colour: string,
  radius: number,
  pick: string | null,
  paper: string,
  ratio: number,
): { image: HTMLCanvasElement; half: number } {
  const half = Math.ceil(radius + 3 * ratio);
  const image = document.createElement('canvas');
  image.width = image.height = 2 * half;
  const g = image.getContext('2d')!;
  g.beginPath();
  g.arc(half, half, radius, 0, 2 * Math.PI);
  g.fillStyle = colour;
  g.fill();
  if (pick || radius > 2.5 * ratio) {
    g.lineWidth = (pick ? 2.5 : 0.8) * ratio;
    g.strokeStyle = pick ?? paper;
    g.stroke();
  }
  return { image, half };
}

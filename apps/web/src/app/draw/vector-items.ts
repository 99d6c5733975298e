import type Feature from 'ol/Feature';
import { lineStringLength } from 'ol/geom/flat/length';
import { lineChunk } from 'ol/geom/flat/linechunk';
import { matchingChunk } from 'ol/geom/flat/straightchunk';
import { drawTextOnPath } from 'ol/geom/flat/textpath';
import { LineString, MultiLineString, MultiPoint, MultiPolygon, Point as OlPoint, Polygon } from 'ol/geom';
import type Geometry from 'ol/geom/Geometry';
import { Circle, type Style } from 'ol/style';
import type { Extent } from '@helk/core';
import { addAll, fontOf, type DisplayItem, type Point, type Rect, type TextItem } from './display';

/** How a map lies on a page: what a driver needs to draw itself as lines and letters in place of pixels. */
export interface PaperView {
  /** Where on the page, pixels. */
  box: Rect;
  /** Units of the map's system to a pixel. */
  resolution: number;
  /** Turned clockwise, radians. */
  rotation: number;
  /** What is seen, at least, in the map's system. */
  extent: Extent;
  toPage(x: number, y: number): Point;
}

/** Corners beyond which a layer is drawn as a picture: documents with more of them are of no use to anybody. */
export const MOST_CORNERS = 600_000;
/** Corners nearer to the last one than this are left out, pixels. */
const NEAR = 0.12;
/** How far out lines are drawn beyond what is seen, pixels. */
const BEYOND = 40;
const LINE_HEIGHT = 1.22;

const css = (c: unknown): string => (Array.isArray(c) ? `rgb(${c.slice(0, 3).join(' ')} / ${c[3] ?? 1})` : String(c));

/** Points of a line on the page, without those that nobody could tell from the last. */
function onPage(line: readonly number[][], view: PaperView, closed: boolean): Point[] {
  const out: Point[] = [];
  for (const [i, [x, y]] of line.entries()) {
    const p = view.toPage(x!, y!);
    const last = out.at(-1);
    const end = i === line.length - 1;
    if (last && !end && Math.abs(p[0] - last[0]) < NEAR && Math.abs(p[1] - last[1]) < NEAR) continue;
    out.push(p);
  }
  // A closed line says so; its last point is its first.
  if (closed && out.length > 1) out.pop();
  return out;
}

/** A line in the parts that pass near what is seen: what is far outside is nobody's business. */
function seen(points: Point[], { box }: PaperView): Point[][] {
  const [l, t] = [box.x - BEYOND, box.y - BEYOND];
  const [r, b] = [box.x + box.width + BEYOND, box.y + box.height + BEYOND];
  const out: Point[][] = [];
  let part: Point[] = [];
  for (let i = 1; i < points.length; i++) {
    const [p, q] = [points[i - 1]!, points[i]!];
    const away = (p[0] < l && q[0] < l) || (p[0] > r && q[0] > r) || (p[1] < t && q[1] < t) || (p[1] > b && q[1] > b);
    if (away) {
      if (part.length) out.push(part);
      part = [];
      continue;
    }
    if (part.length === 0) part.push(p);
    part.push(q);
  }
  if (part.length) out.push(part);
  return out;
}

function linesOf(g: Geometry): { lines: number[][][]; closed: boolean }[] {
  if (g instanceof Polygon) return [{ lines: g.getCoordinates(), closed: true }];
  if (g instanceof MultiPolygon) return [{ lines: g.getCoordinates().flat(), closed: true }];
  if (g instanceof LineString) return [{ lines: [g.getCoordinates()], closed: false }];
  if (g instanceof MultiLineString) return [{ lines: g.getCoordinates(), closed: false }];
  return [];
}

const pointsOf = (g: Geometry): number[][] =>
  g instanceof OlPoint ? [g.getCoordinates()] : g instanceof MultiPoint ? g.getCoordinates() : [];

/** One geometry as it is styled. */
function drawn(g: Geometry, style: Style, view: PaperView): DisplayItem[] {
  const [fill, stroke] = [style.getFill()?.getColor(), style.getStroke()];
  const image = style.getImage();
  const out: DisplayItem[] = [];
  for (const { lines, closed } of linesOf(g)) {
    const look = {
      ...(closed && fill ? { fill: css(fill) } : {}),
      ...(stroke?.getColor() ? { stroke: css(stroke.getColor()), line: stroke.getWidth() ?? 1 } : {}),
    };
    const rings = lines.map((l) => onPage(l, view, closed)).flatMap((l) => (closed ? [l] : seen(l, view)));
    const some = rings.filter((r) => r.length > 1);
    if (some.length && Object.keys(look).length) out.push({ kind: 'shape', rings: some, closed, ...look });
  }
  if (image instanceof Circle) {
    const edge = image.getStroke();
    for (const [x, y] of pointsOf(g)) {
      const [px, py] = view.toPage(x!, y!);
      const { box } = view;
      if (px < box.x - BEYOND || py < box.y - BEYOND) continue;
      if (px > box.x + box.width + BEYOND || py > box.y + box.height + BEYOND) continue;
      out.push({
        kind: 'disc',
        x: px,
        y: py,
        radius: image.getRadius(),
        fill: css(image.getFill()?.getColor() ?? 'none'),
        ...(edge ? { stroke: css(edge.getColor()), line: edge.getWidth() ?? 1 } : {}),
      });
    }
  }
  return out;
}

const corners = (i: DisplayItem): number =>
  i.kind === 'shape' ? i.rings.reduce((n, r) => n + r.length, 0) : i.kind === 'disc' ? 4 : 0;

/**
 * Features as they are styled on a map, as lines and areas of a page, in the order in which a map draws them.
 *
 * @returns null where they have too many corners to be told one by one
 */
export function shapeItems(
  features: readonly Feature[],
  styleOf: (f: Feature) => Style[] | undefined,
  view: PaperView,
): DisplayItem[] | null {
  const levels = new Map<number, DisplayItem[]>();
  let count = 0;
  for (const f of features)
    for (const style of styleOf(f) ?? []) {
      const own = style.getGeometryFunction()(f);
      const g = own ?? f.getGeometry();
      if (!g || !('getType' in g)) continue;
      const items = drawn(g as Geometry, style, view);
      for (const i of items) count += corners(i);
      if (count > MOST_CORNERS) return null;
      const z = style.getZIndex() ?? 0;
      const level = levels.get(z);
      if (level) addAll(level, items);
      else levels.set(z, items);
    }
  return [...levels].sort(([a], [b]) => a - b).flatMap(([, items]) => items);
}

let ruler: CanvasRenderingContext2D | null = null;
/** From the middle of letters down to the line they stand on, as a share of their size. */
function middleOf(t: TextItem): number {
  ruler ??= document.createElement('canvas').getContext('2d')!;
  ruler.font = fontOf(t);
  ruler.textBaseline = 'alphabetic';
  const low = ruler.measureText('x').actualBoundingBoxAscent;
  ruler.textBaseline = 'middle';
  const high = ruler.measureText('x').actualBoundingBoxAscent;
  return low - high;
}

const measured = new Map<string, number>();
function widthIn(font: string, text: string): number {
  const key = `${font} ${text}`;
  let w = measured.get(key);
  if (w === undefined) {
    ruler ??= document.createElement('canvas').getContext('2d')!;
    ruler.font = font;
    w = ruler.measureText(text).width;
    measured.set(key, w);
  }
  return w;
}

/** What labels have taken of a page: none is laid over another. */
export class Taken {
  private readonly boxes: Rect[] = [];
  /** Takes some boxes together, where all of them are free. */
  take(wanted: readonly Rect[]): boolean {
    const free = wanted.every((w) =>
      this.boxes.every(
        (b) => w.x >= b.x + b.width || b.x >= w.x + w.width || w.y >= b.y + b.height || b.y >= w.y + w.height,
      ),
    );
    if (free) this.boxes.push(...wanted);
    return free;
  }
}

/** Labels of features, each where a map would lay it, while there is room. */
export function labelItems(
  features: readonly Feature[],
  labelOf: (f: Feature) => Style | undefined,
  view: PaperView,
  taken: Taken,
): DisplayItem[] {
  const out: DisplayItem[] = [];
  for (const f of features) {
    const style = labelOf(f);
    const t = style?.getText();
    const g = f.getGeometry();
    const words = t?.getText();
    if (!t || !g || typeof words !== 'string' || !words) continue;
    const [, weight, size] = /^(\d+) ([\d.]+)px/.exec(t.getFont() ?? '') ?? [];
    const base: TextItem = {
      kind: 'text',
      x: 0,
      y: 0,
      text: '',
      size: Number(size ?? 11),
      weight: Number(weight ?? 450),
      fill: css(t.getFill()?.getColor() ?? '#000'),
      anchor: 'middle',
    };
    const edge = t.getStroke();
    if (edge) base.halo = { colour: css(edge.getColor()), width: edge.getWidth() ?? 0 };
    const laid =
      t.getPlacement() === 'line'
        ? alongLines(g, words, base, { repeat: t.getRepeat(), maxAngle: t.getMaxAngle() ?? Math.PI / 4 }, view)
        : atPlaces(g, words, base, { offset: t.getOffsetY(), overflow: t.getOverflow() ?? false }, view);
    for (const l of laid) if (taken.take(l.boxes)) addAll(out, l.items);
  }
  return out;
}

interface Laid {
  items: TextItem[];
  boxes: Rect[];
}

const within = ([x, y]: Point, { box }: PaperView): boolean =>
  x >= box.x && y >= box.y && x <= box.x + box.width && y <= box.y + box.height;

/** Labels at points, and within areas that are wide enough for them. */
function atPlaces(
  g: Geometry,
  words: string,
  base: TextItem,
  o: { offset: number; overflow: boolean },
  view: PaperView,
): Laid[] {
  const lines = words.split('\n');
  const width = Math.max(...lines.map((l) => widthIn(fontOf(base), l)));
  const height = lines.length * base.size * LINE_HEIGHT;
  const inner = (p: Polygon): [number[], number][] => {
    const [x, y, room] = p.getFlatInteriorPoint() as [number, number, number];
    return [[[x, y], o.overflow ? Infinity : room / view.resolution]];
  };
  const places: [number[], number][] =
    g instanceof Polygon
      ? inner(g)
      : g instanceof MultiPolygon
        ? g.getPolygons().flatMap(inner)
        : pointsOf(g).map((p) => [p, Infinity]);
  return places.flatMap(([[x, y], room]) => {
    const [px, middle] = view.toPage(x!, y!);
    const py = middle + o.offset;
    if (width > room || !within([px, middle], view)) return [];
    const top = py - height / 2;
    const items = lines.map((text, i): TextItem => ({
      ...base,
      text,
      x: px,
      y: top + (i + 0.5) * base.size * LINE_HEIGHT + middleOf(base),
    }));
    const edge = base.halo?.width ?? 0;
    return [
      { items, boxes: [{ x: px - (width + edge) / 2, y: top - edge / 2, width: width + edge, height: height + edge }] },
    ];
  });
}

/** Labels along lines, turned with them, again and again on long ones. */
function alongLines(
  g: Geometry,
  words: string,
  base: TextItem,
  o: { repeat: number | undefined; maxAngle: number },
  view: PaperView,
): Laid[] {
  const font = fontOf(base);
  const text = words.replace(/\n/g, ' ');
  const length = widthIn(font, text);
  const parts = linesOf(g)
    .flatMap(({ lines, closed }) => lines.map((l) => onPage(l, view, closed)))
    .flatMap((l) => seen(l, view));
  return parts.flatMap((part) => {
    const flat = part.flat();
    const chunks = o.repeat ? lineChunk(o.repeat, flat, 0, flat.length, 2) : [flat];
    return chunks.flatMap((chunk): Laid[] => {
      const [from, to] = matchingChunk(o.maxAngle, chunk, 0, chunk.length, 2) as [number, number];
      const path = chunk.slice(from, to);
      const room = lineStringLength(path, 0, path.length, 2);
      if (length > room) return [];
      const start = (room - length) / 2;
      const measure = (f: string, t: string): number => widthIn(f, t);
      const letters = drawTextOnPath(path, 0, path.length, 2, text, start, o.maxAngle, 1, measure, font, {}, 0, true);
      if (!letters) return [];
      const down = middleOf(base);
      const items = (letters as [number, number, number, number, string][]).map(([x, y, , angle, chars]): TextItem => ({
        ...base,
        text: chars,
        // The line runs through the middle of the letters.
        x: x - down * Math.sin(angle),
        y: y + down * Math.cos(angle),
        turn: (angle * 180) / Math.PI,
      }));
      const mids = letters as [number, number, number, number, string][];
      if (!mids.every(([x, y]) => within([x, y], view))) return [];
      const boxes = mids.map(([x, y, , angle, chars]): Rect => {
        const [w, h] = [widthIn(font, chars) + 4, base.size * LINE_HEIGHT];
        const [c, s] = [Math.abs(Math.cos(angle)), Math.abs(Math.sin(angle))];
        const [bw, bh] = [w * c + h * s, w * s + h * c];
        return { x: x - bw / 2, y: y - bh / 2, width: bw, height: bh };
      });
      return [{ items, boxes }];
    });
  });
}

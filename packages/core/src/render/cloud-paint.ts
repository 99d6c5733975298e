import type { CloudInfo, PointValues } from '../data/cloud';
import type { CloudChunk } from '../data/cloud-octree';
import { classColour, cloudRange, type CloudStyle } from './cloud-style';
import { rampTable } from './ramps';

/** Points of a chunk as they are drawn: places from a corner of their own, in a system of the map. */
export interface DrawnPoints {
  x0: number;
  y0: number;
  dx: Float32Array;
  dy: Float32Array;
  /** Heights in the unit of the cloud. */
  z: Float32Array;
}

/** The attributes that a way of drawing needs. */
export function neededAttributes(style: CloudStyle, info: CloudInfo): string[] {
  const names = style.by === 'colours' ? ['red', 'green', 'blue'] : style.by === 'attribute' ? [style.attribute] : [];
  // Classes that are switched off are, whatever the colours.
  if (style.by === 'class' || style.hidden.length) names.push('classification');
  return names.filter((n) => info.attributes.some((a) => a.name === n));
}

const packed = (r: number, g: number, b: number): number => ((255 << 24) | (b << 16) | (g << 8) | r) >>> 0;
const ofHex = (hex: string): number => {
  const v = parseInt(hex.slice(1), 16);
  return packed(v >> 16, (v >> 8) & 255, v & 255);
};

/**
 * Colour of each point, as the bytes of a picture have it (red first in memory); 0 for those that are not drawn.
 *
 * @param values of the attributes that are needed, by name
 */
export function pointColours(
  style: CloudStyle,
  info: CloudInfo,
  z: Float32Array,
  values: ReadonlyMap<string, PointValues>,
): Uint32Array {
  const n = z.length;
  const out = new Uint32Array(n);
  const range = cloudRange(style, info);
  const attribute = values.get(style.attribute);
  const classes = values.get('classification');
  const [red, green, blue] = ['red', 'green', 'blue'].map((k) => values.get(k));
  if (style.by === 'class' && classes) {
    const table = Uint32Array.from({ length: 256 }, (_, k) => ofHex(classColour(style, k)));
    for (let i = 0; i < n; i++) out[i] = table[classes[i]!]!;
  } else if (style.by === 'colours' && red && green && blue) {
    // Some files hold colours of a byte in fields of two.
    const most = Math.max(...info.attributes.filter((a) => /^(red|green|blue)$/.test(a.name)).map((a) => a.max));
    const shift = most > 255 ? 8 : 0;
    for (let i = 0; i < n; i++) out[i] = packed(red[i]! >> shift, green[i]! >> shift, blue[i]! >> shift);
  } else if (range && (style.by === 'height' || attribute)) {
    const of = style.by === 'height' ? z : attribute!;
    const bytes = rampTable(style.ramp, style.reversed);
    const table = Uint32Array.from({ length: 256 }, (_, k) =>
      packed(bytes[3 * k]!, bytes[3 * k + 1]!, bytes[3 * k + 2]!),
    );
    const [low, high] = range;
    const k = 255 / (high - low);
    for (let i = 0; i < n; i++) {
      const v = of[i]!;
      if (v === v) out[i] = table[v <= low ? 0 : v >= high ? 255 : ((v - low) * k + 0.5) | 0]!;
    }
  } else out.fill(ofHex(style.colour));
  if (style.hidden.length && classes) {
    const hidden = new Uint8Array(256);
    for (const k of style.hidden) hidden[k] = 1;
    for (let i = 0; i < n; i++) if (hidden[classes[i]!]) out[i] = 0;
  }
  return out;
}

/** A picture that points are painted into from above, the highest on top. */
export interface PointPicture {
  width: number;
  height: number;
  pixels: Uint32Array;
  /** Height of what is seen in each pixel; -Infinity where nothing is. */
  depth: Float32Array;
}

export const pointPicture = (width: number, height: number): PointPicture => ({
  width,
  height,
  pixels: new Uint32Array(width * height),
  depth: new Float32Array(width * height).fill(-Infinity),
});

/**
 * Paints points as squares of `size` pixels.
 *
 * @param west, north of the picture's upper left corner, and `resolution`, the side of a pixel, in the system of the points
 */
export function paintPoints(
  to: PointPicture,
  { x0, y0, dx, dy, z }: DrawnPoints,
  colours: Uint32Array,
  west: number,
  north: number,
  resolution: number,
  size: number,
): void {
  const { width, height, pixels, depth } = to;
  const k = 1 / resolution;
  const ox = (x0 - west) * k;
  const oy = (north - y0) * k;
  const back = (size - 1) >> 1;
  for (let i = 0; i < z.length; i++) {
    const colour = colours[i]!;
    if (colour === 0) continue;
    const u = Math.floor(ox + dx[i]! * k) - back;
    const v = Math.floor(oy - dy[i]! * k) - back;
    if (u <= -size || v <= -size || u >= width || v >= height) continue;
    const h = z[i]!;
    const b1 = Math.min(height, v + size);
    const a1 = Math.min(width, u + size);
    for (let b = Math.max(0, v); b < b1; b++)
      for (let a = Math.max(0, u), p = b * width + a; a < a1; a++, p++)
        if (h > depth[p]!) {
          depth[p] = h;
          pixels[p] = colour;
        }
  }
}

/**
 * Darkens pixels beside which others stand higher, so that edges of roofs and crowns are seen (Boucheny 2009, eye-dome lighting).
 *
 * @param reach height difference, in the unit of the heights, that darkens most
 */
export function shadeEdges({ width, height, pixels, depth }: PointPicture, reach: number): void {
  const k = 0.55 / reach;
  for (let y = 0, p = 0; y < height; y++)
    for (let x = 0; x < width; x++, p++) {
      const colour = pixels[p]!;
      if (colour === 0) continue;
      const h = depth[p]!;
      let rise = 0;
      if (x > 0) rise += Math.min(reach, Math.max(0, depth[p - 1]! - h));
      if (x + 1 < width) rise += Math.min(reach, Math.max(0, depth[p + 1]! - h));
      if (y > 0) rise += Math.min(reach, Math.max(0, depth[p - width]! - h));
      if (y + 1 < height) rise += Math.min(reach, Math.max(0, depth[p + width]! - h));
      if (rise <= 0) continue;
      const light = Math.exp(-k * rise);
      pixels[p] = packed((colour & 255) * light, ((colour >> 8) & 255) * light, ((colour >> 16) & 255) * light);
    }
}

/** Points drawn in a picture at most: more than there are pixels tell nothing more. */
export const POINT_BUDGET = 1_500_000;

/**
 * The chunks that a view wants, coarse ones first: those that reach into it, down to the level whose points are as near to each other as its
 * pixels, as long as the budget lasts.
 *
 * @param resolution side of a pixel at a chunk, by its number, in the unit of the spacing
 * @param inView whether a chunk, by its number, reaches into the view
 */
export function wantedChunks(
  chunks: readonly CloudChunk[],
  spacing: number,
  resolution: (key: number) => number,
  inView: (key: number) => boolean,
  budget = POINT_BUDGET,
): number[] {
  const wanted: number[] = [];
  let points = 0;
  // In the order of their levels, as they are stored.
  for (let k = 0; k < chunks.length; k++) {
    const c = chunks[k]!;
    if (c.level > 0 && spacing / 2 ** (c.level - 1) < resolution(k)) continue;
    if (!inView(k)) continue;
    points += c.count;
    if (points > budget && wanted.length) break;
    wanted.push(k);
  }
  return wanted;
}

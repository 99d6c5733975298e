import type { Features } from '@helk/core';
import { makeMappedStreams } from './features';
import type { Landscape } from './landscape';
import { makeStreets } from './streets';

/** A drawn map: four bytes a pixel, rows from the north; nothing is drawn in the sea. */
export interface MapPicture {
  width: number;
  height: number;
  /** The upper left corner, and metres to a pixel. */
  x: number;
  y: number;
  cell: number;
  rgba: Uint8ClampedArray;
}

/** Metres to a pixel. */
const CELL = 12;
const CONTOURS = 50;
/** From where up, m: the ground's colour. */
const TINTS: [number, [number, number, number]][] = [
  [0, [222, 231, 207]],
  [60, [232, 234, 208]],
  [160, [238, 228, 200]],
  [320, [228, 208, 182]],
  [520, [238, 230, 222]],
];
const STREAM: [number, number, number] = [86, 140, 178];
const STREET: [number, number, number] = [164, 108, 78];
const COAST: [number, number, number] = [70, 104, 122];

function tint(h: number): [number, number, number] {
  const k = Math.max(
    1,
    TINTS.findIndex(([from]) => h < from),
  );
  const [[a, low], [b, high]] = [TINTS[k - 1]!, TINTS[h >= TINTS.at(-1)![0] ? TINTS.length - 1 : k]!];
  const t = b === a ? 0 : Math.min(1, Math.max(0, (h - a) / (b - a)));
  return [0, 1, 2].map((c) => low[c]! * (1 - t) + high[c]! * t) as [number, number, number];
}

/** The survey office's map of the island: tints, relief, contours, streams and streets. No names. */
export function makeMapPicture(land: Landscape): MapPicture {
  const { grid, height: h } = land;
  const f = grid.dx / CELL;
  const [width, height] = [Math.floor(grid.columns * f), Math.floor(grid.rows * f)];
  const z = new Float32Array(width * height);
  for (let r = 0; r < height; r++)
    for (let c = 0; c < width; c++) {
      const [u, v] = [(c + 0.5) / f - 0.5, (r + 0.5) / f - 0.5];
      const [i, j] = [Math.floor(u), Math.floor(v)];
      let [sum, weight] = [0, 0];
      for (const [di, dj] of [
        [0, 0],
        [1, 0],
        [0, 1],
        [1, 1],
      ] as const) {
        const at = h[(j + dj) * grid.columns + i + di];
        if (at === undefined || Number.isNaN(at) || i + di < 0 || i + di >= grid.columns) continue;
        const w = (di ? u - i : 1 - u + i) * (dj ? v - j : 1 - v + j);
        sum += w * at;
        weight += w;
      }
      z[r * width + c] = weight > 0.5 ? sum / weight : NaN;
    }
  const rgba = new Uint8ClampedArray(4 * width * height);
  const put = (k: number, [R, G, B]: readonly number[]): void => {
    rgba[4 * k] = R!;
    rgba[4 * k + 1] = G!;
    rgba[4 * k + 2] = B!;
    rgba[4 * k + 3] = 255;
  };
  for (let r = 1; r + 1 < height; r++)
    for (let c = 1; c + 1 < width; c++) {
      const k = r * width + c;
      const [o, w, e, n, s] = [z[k]!, z[k - 1]!, z[k + 1]!, z[k - width]!, z[k + width]!];
      if (Number.isNaN(o)) continue;
      if ([w, e, n, s].some(Number.isNaN)) {
        put(k, COAST);
        continue;
      }
      const [dx, dy] = [(e - w) / (2 * CELL), (n - s) / (2 * CELL)];
      // Light from the north-west, halfway up.
      const light = (1 - 1.6 * (-dx + dy) * -1) / Math.hypot(1, dx, dy);
      const shade = Math.min(1.12, Math.max(0.62, 0.55 + 0.45 * light));
      const line = [w, n].some((x) => Math.floor(x / CONTOURS) !== Math.floor(o / CONTOURS)) ? 0.86 : 1;
      put(
        k,
        tint(o).map((x) => x * shade * line),
      );
    }
  const picture: MapPicture = { width, height, x: grid.x, y: grid.y, cell: CELL, rgba };
  trace(picture, makeMappedStreams(land), STREAM, 1);
  trace(picture, makeStreets(land).features, STREET, 1);
  return picture;
}

/** Draws lines so many pixels to each side thick. */
function trace(p: MapPicture, lines: Features, colour: readonly number[], half: number): void {
  for (let r = 0; r + 1 < lines.ringOffsets.length; r++)
    for (let i = lines.ringOffsets[r]!; i + 1 < lines.ringOffsets[r + 1]!; i++) {
      const at = (k: number): [number, number] => [
        (lines.xy[2 * k]! - p.x) / p.cell,
        (p.y - lines.xy[2 * k + 1]!) / p.cell,
      ];
      const [[x0, y0], [x1, y1]] = [at(i), at(i + 1)];
      const steps = Math.max(1, Math.ceil(2 * Math.hypot(x1 - x0, y1 - y0)));
      for (let s = 0; s <= steps; s++) {
        const [x, y] = [x0 + ((x1 - x0) * s) / steps, y0 + ((y1 - y0) * s) / steps];
        for (let v = Math.round(y) - half; v < Math.round(y) + half; v++)
          for (let u = Math.round(x) - half; u < Math.round(x) + half; u++) {
            if (!(u >= 0 && u < p.width && v >= 0 && v < p.height)) continue;
            for (let c = 0; c < 3; c++) p.rgba[4 * (v * p.width + u) + c] = colour[c]!;
            p.rgba[4 * (v * p.width + u) + 3] = 255;
          }
      }
    }
}

import { featureCount, type Features } from '../../data/features';
import type { Seconds } from '../../data/network';
import { unitFactor } from '../../data/quantity';
import type { Raster } from '../../data/raster';
import { valuesAt } from '../raster/sample';

/** Metres between two places where the height is read. */
const STEP = 20;

/**
 * How much faster one walks on a slope than on level ground, after Tobler 1993 ("Three presentations on geographical analysis and modeling",
 * NCGIA report 93-1): 6 exp(-3.5 |s + 0.05|) km/h, fastest a little downhill.
 *
 * @param s rise by run, downhill below 0
 */
export const toblerFactor = (s: number): number => Math.exp(-3.5 * (Math.abs(s + 0.05) - 0.05));

/**
 * Seconds on foot along lines over ground, each way; heights between cells are interpolated. Where there is no height the ground counts as level.
 *
 * @param length metres of each line
 * @param speed on level ground, m/s
 * @param metres in a unit of the coordinates
 * @returns and the share of the length without heights
 */
export function walkedOver(
  lines: Features,
  length: Float64Array,
  elevation: Raster,
  speed: number,
  metres: number,
): Seconds & { lacking: number } {
  const band = elevation.bands[0]!;
  const rise = unitFactor(band.unit) ?? 1;
  const x: number[] = [];
  const y: number[] = [];
  const first = new Uint32Array(featureCount(lines) + 1);
  const { xy, ringOffsets } = lines;
  for (let i = 0; i < featureCount(lines); i++) {
    for (let c = ringOffsets[i]!; c < ringOffsets[i + 1]!; c++) {
      const [ax, ay] = [xy[2 * c]!, xy[2 * c + 1]!];
      x.push(ax);
      y.push(ay);
      if (c + 1 === ringOffsets[i + 1]) break;
      const [dx, dy] = [xy[2 * c + 2]! - ax, xy[2 * c + 3]! - ay];
      const n = Math.ceil((Math.hypot(dx, dy) * metres) / STEP);
      for (let k = 1; k < n; k++) {
        x.push(ax + (k * dx) / n);
        y.push(ay + (k * dy) / n);
      }
    }
    first[i + 1] = x.length;
  }
  const places = { crs: lines.crs, x: Float64Array.from(x), y: Float64Array.from(y) };
  const { values } = valuesAt(band, elevation.grid, places, 'bilinear');
  const [there, back] = [new Float64Array(length.length), new Float64Array(length.length)];
  let [all, lacking] = [0, 0];
  for (let i = 0; i < length.length; i++) {
    let plane = 0;
    for (let k = first[i]!; k + 1 < first[i + 1]!; k++) plane += Math.hypot(x[k + 1]! - x[k]!, y[k + 1]! - y[k]!);
    for (let k = first[i]!; k + 1 < first[i + 1]!; k++) {
      // Shares of the length that is told, which may be geodesic.
      const d = plane > 0 ? (Math.hypot(x[k + 1]! - x[k]!, y[k + 1]! - y[k]!) / plane) * length[i]! : 0;
      const h = (values[k + 1]! - values[k]!) * rise;
      const s = h === h && d > 0 ? h / d : 0;
      if (h !== h) lacking += d;
      all += d;
      there[i]! += d / (speed * toblerFactor(s));
      back[i]! += d / (speed * toblerFactor(-s));
    }
  }
  return { there, back, lacking: all > 0 ? lacking / all : 0 };
}

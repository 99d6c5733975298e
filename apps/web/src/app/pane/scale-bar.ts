import { formatNumber, metresPerDegree, metresPerUnit, type Crs } from '@helk/core';

/**
 * A round length that takes up to 84 pixels.
 * @param resolution units of the system to a pixel
 * @param crs null where it is not known: the length is in whatever units the numbers have
 * @param y of the middle
 */
export function barOf(resolution: number, crs: Crs | null, y: number): { width: number; text: string } {
  const metres = resolution * (!crs ? 1 : crs.geographic ? metresPerDegree(y)[0] : metresPerUnit(crs));
  const most = 84 * metres;
  const power = 10 ** Math.floor(Math.log10(most));
  const length = [5, 2, 1].map((m) => m * power).find((l) => l <= most)!;
  if (!crs) return { width: length / metres, text: `${formatNumber(length)} units` };
  return { width: length / metres, text: length >= 1000 ? `${length / 1000} km` : `${length} m` };
}

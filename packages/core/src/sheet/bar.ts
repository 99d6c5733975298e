import type { FrameGeometry } from './ground';
import { paperFor } from './ground';

/** Units of scale bars: metres to each of the larger and the smaller one. */
const UNITS = {
  metric: [
    { name: 'km', metres: 1000 },
    { name: 'm', metres: 1 },
  ],
  miles: [
    { name: 'mi', metres: 1609.344 },
    { name: 'ft', metres: 0.3048 },
  ],
  nautical: [{ name: 'nmi', metres: 1852 }],
} as const;
export type BarUnit = keyof typeof UNITS;

export interface ScaleBar {
  /** Paper that it takes, mm. */
  width: number;
  /** Ground that it stands for, m. */
  ground: number;
  /** Texts at the ends of its parts, the first one 0. */
  ticks: string[];
  unit: string;
}

/**
 * A scale bar of a frame: a round length that takes no more than some paper, right along the middle of the frame.
 *
 * @param most mm
 * @param parts how many parts it has
 */
export function scaleBar(f: FrameGeometry, most: number, parts: number, unit: BarUnit): ScaleBar {
  const longest = (most / 1000) * f.scale;
  const units = UNITS[unit];
  const of = units.find((u) => longest / parts >= u.metres * 0.99) ?? units.at(-1)!;
  const each = longest / parts / of.metres;
  const power = 10 ** Math.floor(Math.log10(each));
  const fits = (step: number): number => paperFor(f, step * parts * of.metres);
  const steps = [5, 2.5, 2, 1, 0.5].map((m) => m * power);
  const step = steps.find((s) => s <= each * 1.02 && fits(s) <= most * (1 + 1e-9)) ?? steps.at(-1)!;
  const ticks = Array.from({ length: parts + 1 }, (_, i) => String(Number((i * step).toPrecision(10))));
  return { width: fits(step), ground: step * parts * of.metres, ticks, unit: of.name };
}

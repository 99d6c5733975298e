import { rampTable, type Scale } from '@helk/core';
import { colourTable } from '@helk/core/render/paint';

type Ramped = Pick<Scale, 'ramp' | 'reversed' | 'breaks'>;

/** Colours from the low to the high end: one a class, or enough to blend between. */
export function rampColoursOf(scale: Ramped): string[] {
  const n = scale.breaks.length + 1;
  const steps = n > 1 ? colourTable({ ...scale, low: 0, high: 1 }).table : rampTable(scale.ramp, scale.reversed);
  const of = (i: number): string => `rgb(${steps[3 * i]},${steps[3 * i + 1]},${steps[3 * i + 2]})`;
  return n > 1
    ? Array.from({ length: n }, (_, i) => of(i))
    : Array.from({ length: 17 }, (_, i) => of(Math.round((i * 255) / 16)));
}

/** Colours side by side, in steps or blended, as a background. */
export function coloursCss(colours: readonly string[], stepped: boolean): string {
  const n = colours.length;
  const stops = stepped ? colours.map((c, i) => `${c} ${(100 * i) / n}% ${(100 * (i + 1)) / n}%`) : colours;
  return `linear-gradient(90deg,${stops.join(',')})`;
}

export const rampCss = (scale: Ramped): string => coloursCss(rampColoursOf(scale), scale.breaks.length > 0);

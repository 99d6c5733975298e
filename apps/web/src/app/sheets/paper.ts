import type { DisplayItem, TextItem } from '../draw/display';
import { PAPER_THEME } from '../draw/theme';

/** Pixels of a display list to a millimetre and to a point of type: 96 and 72 to the inch. */
export const MM = 96 / 25.4;
export const PT = 96 / 72;
export const INK = PAPER_THEME.ink;
export const QUIET = PAPER_THEME.quiet;

/** A line of letters. @param size points */
export const letters = (
  text: string,
  x: number,
  y: number,
  size: number,
  look: Partial<Omit<TextItem, 'kind' | 'text' | 'x' | 'y' | 'size'>> = {},
): DisplayItem => ({ kind: 'text', text, x, y, size: size * PT, fill: INK, ...look });

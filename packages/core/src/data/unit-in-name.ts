import { findUnit } from './quantity';

/** Letters that end names for other reasons too: tile D, block S, sheet H. Only brackets make units of them. */
const LETTERS = new Set(['s', 'h', 'd']);

/**
 * The unit that a name ends in, as files are named whose format keeps no units: `dem_ft` and `depth (ft)` are in `ft`. Common practice, no
 * source: to be proposed, never taken.
 *
 * @example unitInName('S43E171_A_ft') // 'ft'
 * @returns the symbol of the unit, or null
 */
export function unitInName(name: string): string | null {
  const bracketed = /[([]\s*([^()[\]]+?)\s*[)\]]\s*$/u.exec(name)?.[1];
  if (bracketed) return findUnit(bracketed)?.symbol ?? null;
  const last = /[-_ .]([\p{L}²³°]+\d?)$/u.exec(name)?.[1];
  return last && !LETTERS.has(last.toLowerCase()) ? (findUnit(last)?.symbol ?? null) : null;
}

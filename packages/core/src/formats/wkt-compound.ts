import { HelkError } from '../errors';
import type { Note } from '../data/check';
import type { Crs } from '../data/crs';
import { crsFromWkt } from './wkt';

/** The element of one of some names, with everything in its brackets; null where there is none. */
function element(text: string, names: RegExp): string | null {
  const at = names.exec(text);
  if (!at) return null;
  let depth = 0;
  let quoted = false;
  for (let i = at.index; i < text.length; i++) {
    const c = text[i];
    if (c === '"') quoted = !quoted;
    else if (!quoted && (c === '[' || c === '(')) depth++;
    else if (!quoted && (c === ']' || c === ')') && --depth === 0) return text.slice(at.index, i + 1);
  }
  return null;
}

/**
 * The horizontal system of well-known text, which may be a compound of a horizontal and a vertical one, and the unit of the heights: that of
 * the vertical system, metres where none is told.
 */
export function systemsOfWkt(wkt: string, path: string, notes: Note[]): { crs: Crs | null; heightUnit: string } {
  const compound = /^\s*(COMPD_CS|COMPOUNDCRS)\b/i.test(wkt);
  const flat = compound
    ? element(wkt, /\b(PROJCS|PROJCRS|PROJECTEDCRS|GEOGCS|GEOGCRS|GEODCRS|BASEGEOGCRS)\s*[[(]/i)
    : wkt;
  const vertical = element(wkt, /\b(VERT_CS|VERTCRS|VERTICALCRS)\s*[[(]/i);
  const unit = /\b(?:LENGTH)?UNIT\s*\[\s*"[^"]*"\s*,\s*([\d.eE+-]+)/i.exec(vertical ?? '')?.[1];
  const metres = Number(unit ?? 1);
  const heightUnit = Math.abs(metres - 0.3048) < 1e-9 ? 'ft' : Math.abs(metres - 1200 / 3937) < 1e-8 ? 'us-ft' : 'm';
  try {
    return { crs: crsFromWkt(flat ?? wkt, path), heightUnit };
  } catch (e) {
    if (!(e instanceof HelkError)) throw e;
    notes.push({ level: 'look', code: 'crs.unknown', message: e.message });
    return { crs: null, heightUnit };
  }
}

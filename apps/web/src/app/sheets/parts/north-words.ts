import { trueNorth } from '@helk/core/sheet/ground';
import type { Frame } from '@helk/core/sheet/shape';

/** How far true north is from grid north in the middle of a frame, in words; null where there is no north. */
export function northWords(f: Frame): string | null {
  const by = trueNorth(f.crs, f.centre);
  if (!Number.isFinite(by)) return null;
  const size = Math.abs(by);
  if (f.crs.geographic || size < 0.005) return 'true and grid north agree here';
  const text = size < 1 ? `${size.toFixed(2)}°` : `${size.toFixed(1)}°`;
  return `true north is ${text} ${by < 0 ? 'west' : 'east'} of grid north`;
}

/** Clockwise from the top of the page to north, degrees. */
export const northOnPaper = (f: Frame, of: 'true' | 'grid'): number =>
  f.turn + (of === 'true' ? trueNorth(f.crs, f.centre) || 0 : 0);

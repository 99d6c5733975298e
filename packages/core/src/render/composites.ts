import { roleOf, type BandRole } from '../data/band-roles';
import type { BandInfo, StoredType } from '../data/raster';
import type { Channel, Composite, Stretch } from './style';

/** Composites as they are usually made, each with what it is good for (common practice, no source). */
const USUAL: { name: string; roles: [BandRole, BandRole, BandRole] }[] = [
  { name: 'as the eye sees it', roles: ['red', 'green', 'blue'] },
  { name: 'plants stand out', roles: ['nir', 'red', 'green'] },
  { name: 'plants and moisture', roles: ['swir1', 'nir', 'red'] },
  { name: 'bare, built and burnt land', roles: ['swir2', 'nir', 'green'] },
  { name: 'water and wet land', roles: ['nir', 'swir1', 'red'] },
];

type Named = Pick<BandInfo, 'name' | 'kind' | 'storedType' | 'role' | 'wavelength'>;

/** The middle 96 % of the values: what is rare neither darkens nor pales the rest. */
const MIDDLE: Stretch = { kind: 'percentile', cut: 2 };

export interface NamedComposite {
  name: string;
  bands: [number, number, number];
}

/** Usual composites that the roles of some bands allow. */
export function compositesOf(bands: readonly Named[]): NamedComposite[] {
  const at = new Map<BandRole, number>();
  bands.forEach((b, k) => {
    const role = b.kind === 'measure' ? roleOf(b) : null;
    if (role && !at.has(role)) at.set(role, k);
  });
  return USUAL.flatMap(({ name, roles }) => {
    const found = roles.map((r) => at.get(r));
    return found.every((k) => k !== undefined) ? [{ name, bands: found as [number, number, number] }] : [];
  });
}

export const compositeOf = (bands: readonly [number, number, number], stretch: Stretch = MIDDLE): Composite => ({
  channels: bands.map((band): Channel => ({ band, stretch })) as Composite['channels'],
  gamma: 1,
});

const BYTE: StoredType = 'uint8';

/** How a scene is first drawn: in three bands where their roles are known, or where it is a picture of three or four bytes; else in one. */
export function usualComposite(bands: readonly Named[]): Composite | null {
  const known = compositesOf(bands)[0];
  if (known) return compositeOf(known.bands);
  const picture =
    (bands.length === 3 || bands.length === 4) && bands.every((b) => b.kind === 'measure' && b.storedType === BYTE);
  return picture ? compositeOf([0, 1, 2], { kind: 'own', low: 0, high: 255 }) : null;
}

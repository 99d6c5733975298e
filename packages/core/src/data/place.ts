import { transformExtent, wgs84, type Crs, type Extent } from './crs';

/** Longitude and latitude of the middle of an extent, or null when it lies nowhere on the earth. */
export function placeOfExtent(crs: Crs | null, extent: Extent | null): [number, number] | null {
  if (!crs || !extent) return null;
  try {
    const e = transformExtent(extent, crs, wgs84());
    return [(e[0] + e[2]) / 2, (e[1] + e[3]) / 2];
  } catch {
    return null;
  }
}

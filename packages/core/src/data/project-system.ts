import { suggestUtm, systemText, transformExtent, wgs84, type Crs, type Extent } from './crs';
import { extentOf, systemOf, type DatasetInfo } from './kinds';

export interface SuggestedSystem {
  crs: Crs;
  /** Why, in words. */
  reason: string;
}

/** Wider than this, in degrees, a project is a view of the earth: no zone of a projection holds it. */
const WIDE = 12;
const TALL = 30;

/**
 * Systems in which a project of these data is well drawn, the best first: the projected ones that the data are in, by how many are; the UTM
 * zone of the place; longitude and latitude. Nothing where nothing lies anywhere.
 */
export function suggestSystems(infos: readonly DatasetInfo[]): SuggestedSystem[] {
  const own = new Map<string, { crs: Crs; count: number }>();
  let around: Extent | null = null;
  let degrees = 0;
  for (const info of infos) {
    const [crs, extent] = [systemOf(info), extentOf(info)];
    if (!crs) continue;
    if (crs.geographic) degrees++;
    else {
      const key = systemText(crs);
      own.set(key, { crs, count: (own.get(key)?.count ?? 0) + 1 });
    }
    if (!extent) continue;
    try {
      const e = transformExtent(extent, crs, wgs84());
      around = around
        ? [Math.min(around[0], e[0]), Math.min(around[1], e[1]), Math.max(around[2], e[2]), Math.max(around[3], e[3])]
        : e;
    } catch {
      // What lies nowhere on the earth says nothing of the place.
    }
  }
  const out: SuggestedSystem[] = [...own.values()]
    .sort((a, b) => b.count - a.count)
    .map(({ crs, count }) => ({ crs, reason: count === 1 ? 'one dataset is in it' : `${count} datasets are in it` }));
  const put = (crs: Crs, reason: string): void => {
    if (!out.some((s) => systemText(s.crs) === systemText(crs))) out.push({ crs, reason });
  };
  if (around && around[2] - around[0] < WIDE && around[3] - around[1] < TALL)
    put(suggestUtm((around[0] + around[2]) / 2, (around[1] + around[3]) / 2), 'the zone of the place, in metres');
  if (around || degrees) put(wgs84(), degrees ? 'longitude and latitude, as in the data' : 'longitude and latitude');
  return out;
}

import { round } from './raster-checks';
import type { Check } from './check';
import { sameCrs, transformExtent, wgs84, type Crs } from './crs';
import { extentOf, kindOf, systemOf, type DatasetInfo } from './kinds';
import { placeOfExtent } from './place';

/** Longitude and latitude of the middle of a dataset, or null when it has no CRS or lies nowhere. */
export const placeOf = (info: DatasetInfo): [number, number] | null => placeOfExtent(systemOf(info), extentOf(info));

/**
 * Systems in which data whose own is not known, or cannot be, would lie where the others lie: those of the others, and WGS 84.
 */
export function likelySystems(info: DatasetInfo, others: readonly DatasetInfo[]): Crs[] {
  const own = extentOf(info);
  if (!own) return [];
  const placed = others.flatMap((o) => {
    const [crs, extent] = [systemOf(o), extentOf(o)];
    return crs && extent && !implausible(crs, o) ? [{ crs, extent }] : [];
  });
  const candidates: Crs[] = [];
  for (const { crs } of [...placed, { crs: wgs84() }])
    if (!candidates.some((c) => sameCrs(c, crs))) candidates.push(crs);
  return candidates.filter((c) =>
    placed.some(({ crs, extent }) => {
      try {
        const e = transformExtent(extent, crs, c);
        return own[0] <= e[2] && own[2] >= e[0] && own[1] <= e[3] && own[3] >= e[1];
      } catch {
        return false;
      }
    }),
  );
}

/**
 * What an analyst should know of data before using them: no CRS, one that cannot be, degrees, codes that look like missing values, enclosed
 * gaps, deep single-cell outliers' telltale range, classes dressed as numbers. Ordered by weight.
 */
export function arrivalChecks(info: DatasetInfo): Check[] {
  const checks: Check[] = [];
  const kind = kindOf(info);
  const crs = kind.system(info);
  if (!crs && kind.placed) {
    checks.push({
      level: 'look',
      code: 'crs.missing',
      message: 'No coordinate reference system is given; set it before measuring or comparing places.',
    });
  }
  const odd = crs && implausible(crs, info);
  if (odd) checks.push({ level: 'look', code: 'crs.implausible', message: odd });
  if (crs?.caution) checks.push({ level: 'look', code: 'crs.caution', message: `${crs.name}: ${crs.caution}.` });
  return [...checks, ...kind.checks(info)];
}

/** Why coordinates cannot be in the system they are said to be in, in words; null when they can. */
function implausible(crs: Crs, info: DatasetInfo): string | null {
  const e = extentOf(info);
  if (!e) return null;
  const spare = kindOf(info).grain?.(info) ?? 1e-6;
  const corner = `${round(e[0])}, ${round(e[1])} to ${round(e[2])}, ${round(e[3])}`;
  const name = crs.code ?? crs.name;
  if (crs.geographic)
    return e[0] < -360 - spare || e[2] > 360 + spare || e[1] < -90 - spare || e[3] > 90 + spare
      ? `The coordinates (${corner}) are no longitudes and latitudes, but the system is said to be ${name}; set the right one.`
      : null;
  const degrees = e[0] >= -180 && e[2] <= 180 && e[1] >= -90 && e[3] <= 90 && (e[2] > e[0] || e[3] > e[1]);
  // Ground of less than a few hundred metres at the very origin of a system is rare, longitudes and latitudes are not.
  return degrees && (e[0] % 1 !== 0 || e[1] % 1 !== 0)
    ? `The coordinates (${corner}) look like longitudes and latitudes, but the system is said to be ${name}, in ${crs.unit}.`
    : null;
}

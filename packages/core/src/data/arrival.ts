import type { Check, Mend } from '../method/define';
import { sameCrs, suggestUtm, transformExtent, wgs84, type Crs, type Extent } from './crs';
import type { BandFacts, DatasetInfo, RasterInfo } from './dataset';
import type { ColumnInfo } from './features';
import { gridExtent } from './raster';

/** Longitude and latitude of the middle of a dataset, or null when it has no CRS or lies nowhere. */
export function placeOf(info: DatasetInfo): [number, number] | null {
  const [crs, extent] = [systemOf(info), extentOf(info)];
  if (!crs || !extent) return null;
  try {
    const e = transformExtent(extent, crs, wgs84());
    return [(e[0] + e[2]) / 2, (e[1] + e[3]) / 2];
  } catch {
    return null;
  }
}

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

/** System of a dataset; null when it is not known, and for tables. */
export const systemOf = (info: DatasetInfo): Crs | null =>
  info.kind === 'raster' ? info.grid.crs : info.kind === 'features' ? info.crs : null;
/** Extent of a dataset in its own system; null for tables and empty sets. */
export const extentOf = (info: DatasetInfo): Extent | null =>
  info.kind === 'raster' ? gridExtent(info.grid) : info.kind === 'features' ? info.extent : null;

/**
 * What an analyst should know of data before using them: no CRS, degrees, codes that look like missing values, enclosed
 * gaps, deep single-cell outliers' telltale range, classes dressed as numbers. Ordered by weight.
 */
export function arrivalChecks(info: DatasetInfo): Check[] {
  const checks: Check[] = [];
  const crs = systemOf(info);
  if (!crs && info.kind !== 'table') {
    checks.push({
      level: 'look',
      code: 'crs.missing',
      message: 'No coordinate reference system is given; set it before measuring or comparing places.',
    });
  }
  const odd = crs && implausible(crs, info);
  if (odd) checks.push({ level: 'look', code: 'crs.implausible', message: odd });
  if (crs?.caution) checks.push({ level: 'look', code: 'crs.caution', message: `${crs.name}: ${crs.caution}.` });
  if (info.kind === 'raster') rasterChecks(info, checks);
  if (info.kind === 'features') checks.push(...codeChecks(info.columns));
  // The mend makes a copy of features; a table has none.
  if (info.kind === 'table') checks.push(...codeChecks(info.columns).map(({ mend: _, ...c }) => c));
  if (info.kind === 'features' && info.count === 0)
    checks.push({ level: 'look', code: 'features.none', message: 'There is no feature in it.' });
  if (info.kind === 'features' && info.doubled)
    checks.push({
      level: 'look',
      code: 'points.doubled',
      message: `${plural(info.doubled, 'point')} ${info.doubled === 1 ? 'lies' : 'lie'} exactly where another lies: measured again, or taken in twice?`,
    });
  return checks;
}

/** Why coordinates cannot be in the system they are said to be in, in words; null when they can. */
function implausible(crs: Crs, info: DatasetInfo): string | null {
  const e = extentOf(info);
  if (!e) return null;
  // A grid may reach half a cell beyond the poles.
  const spare = info.kind === 'raster' ? info.grid.dy : 1e-6;
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

function rasterChecks(info: RasterInfo, checks: Check[]): void {
  const { crs } = info.grid;
  for (const b of info.bands) {
    const f = b.facts;
    if (!f) continue;
    const of = info.bands.length > 1 ? ` in ${b.name}` : '';
    if (f.summary.count === 0) {
      checks.push({ level: 'look', code: 'band.allMissing', message: `Every cell${of} is missing.` });
      continue;
    }
    if (f.suspectCode) {
      const { value, count } = f.suspectCode;
      checks.push({
        level: 'look',
        code: 'band.suspectCode',
        message: `${value} stands apart from all other values${of} and looks like a missing-value code (${plural(count, 'cell')}).`,
        ...(info.bands.length === 1 ? { mend: makeMissing(value, b.unit) } : {}),
      });
    }
    if (f.zeros) {
      checks.push({
        level: 'look',
        code: 'band.zeros',
        message: `0 stands apart from all other values${of} (${round(f.zeros.low)} to ${round(f.zeros.high)}): measured, or where nothing was measured (${plural(f.zeros.count, 'cell')})?`,
        ...(info.bands.length === 1 ? { mend: makeMissing(0, b.unit) } : {}),
      });
    }
    // Orders and counts are missing where there is nothing to count.
    if (b.role === 'order') continue;
    if (f.enclosedCells > 0) {
      checks.push({
        level: 'look',
        code: 'band.enclosedGaps',
        message: `${plural(f.enclosedGaps, 'hole')} inside the data${of}, ${plural(f.enclosedCells, 'cell')}: they stop or bend water.`,
        mend: { label: 'Fill them', run: { method: 'raster.fillGaps', role: 'raster', input: 'raster' } },
      });
    }
    for (const odd of b.role === 'depth' || b.role === 'difference' ? [] : strays(f)) {
      const unit = b.unit ? ` ${b.unit}` : '';
      checks.push({
        level: 'look',
        code: 'band.range',
        message: `${odd.value}${unit}${of} lies far ${odd.side} the rest (98 % are between ${round(f.percentiles['1']!)} and ${round(f.percentiles['99']!)}${unit}): single wrong cells?`,
      });
    }
    if (b.kind === 'measure' && f.distinct <= 24 && f.summary.count > 2000 && /int/.test(b.storedType)) {
      checks.push({
        level: 'look',
        code: 'band.classes',
        message: `Only ${f.distinct} different whole numbers${of}: these may be classes rather than measures.`,
      });
    }
  }
  if (crs?.geographic) {
    const place = placeOf(info);
    const utm = place ? suggestUtm(place[0], place[1]) : null;
    checks.push({
      level: 'look',
      code: 'crs.degrees',
      message: `Cells are in degrees; distances, slopes and areas want metres${utm ? `: ${utm.name} fits this place` : ''}.`,
      mend: utm
        ? {
            label: `Project to ${utm.code}`,
            run: { method: 'raster.reproject', role: 'raster', input: 'raster', params: { crs: utm.code } },
          }
        : undefined,
    });
  }
}

const makeMissing = (value: number, unit: string | null): Mend => ({
  label: `Make ${value} missing in a copy`,
  run: {
    method: 'raster.formula',
    role: 'rasters',
    input: 'raster',
    params: { formula: `a == ${value} ? 0 / 0 : a`, ...(unit ? { unit } : {}) },
  },
});

/** Columns in which a value looks like a missing-value code, with the way to a copy without it. True zeros are never taken for one. */
export function codeChecks(columns: readonly ColumnInfo[], role = 'features'): Check[] {
  return columns.flatMap((c): Check[] => {
    const value = c.suspect?.value ?? 0;
    const name = /^[A-Za-z_$][\w$]*$/.test(c.name) ? c.name : `[${c.name}]`;
    const mend = {
      label: `Make ${value} missing in a copy`,
      run: {
        method: 'features.calculate',
        role: 'features',
        input: role,
        params: {
          column: c.name,
          formula: `${name} == ${value} ? 0 / 0 : ${name}`,
          ...(c.unit ? { unit: c.unit } : {}),
        },
      },
    };
    if (c.suspect)
      return [
        {
          level: 'look',
          code: 'column.suspectCode',
          about: role,
          message: `${c.name}: ${value} stands apart from all other values and looks like a missing-value code (${plural(c.suspect.count, 'value')}).`,
          mend,
        },
      ];
    if (c.zeros)
      return [
        {
          level: 'look',
          code: 'column.zeros',
          about: role,
          message: `${c.name}: 0 stands apart from all other values (${round(c.zeros.low)} to ${round(c.zeros.high)}): measured, or where nothing was measured (${plural(c.zeros.count, 'value')})?`,
          mend,
        },
      ];
    return [];
  });
}

/** Ends of the range that stand off from the middle 98 % by more than its whole width (common practice, no source). */
function strays(f: BandFacts): { value: number; side: 'below' | 'above' }[] {
  const low = f.percentiles['1']!;
  const high = f.percentiles['99']!;
  const width = high - low;
  if (f.suspectCode || !(width > 0)) return [];
  return [
    ...(low - f.summary.min > 1.5 * width ? [{ value: round(f.summary.min), side: 'below' as const }] : []),
    ...(f.summary.max - high > 3 * width ? [{ value: round(f.summary.max), side: 'above' as const }] : []),
  ];
}

const round = (v: number): number => Number(v.toPrecision(4));

/** The cell size as people say it: 30 m, 1″. */
export function cellText(info: RasterInfo): string {
  const { dx, dy, crs } = info.grid;
  const one = (v: number): string => {
    if (!crs) return String(Number(v.toPrecision(4)));
    if (!crs.geographic) return `${Number(v.toPrecision(4))} ${crs.unit}`;
    return v < 1 / 60
      ? `${Number((v * 3600).toPrecision(3))}″`
      : v < 1
        ? `${Number((v * 60).toPrecision(3))}′`
        : `${Number(v.toPrecision(3))}°`;
  };
  return Math.abs(dx - dy) < 0.01 * dx ? one(dx) : `${one(dx)} × ${one(dy)}`;
}

export function plural(n: number, noun: string): string {
  return `${n.toLocaleString('en').replaceAll(',', ' ')} ${noun}${n === 1 ? '' : 's'}`;
}

import type { BandFacts } from './band-facts';
import { plural, type Check, type Mend } from './check';
import { suggestUtm } from './crs';
import { placeOfExtent } from './place';
import { gridExtent, type RasterInfo } from './raster';

/** What an analyst should know of a raster: gaps, codes, single wrong cells, classes dressed as numbers, degrees. */
export function rasterChecks(info: RasterInfo): Check[] {
  const checks: Check[] = [];

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
        message: `${plural(f.enclosedGaps, 'hole')} inside the data${of}, ${plural(f.enclosedCells, 'cell')}${b.role === 'elevation' ? ': they stop or bend water' : ' without a value'}.`,
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
    const place = placeOfExtent(crs, gridExtent(info.grid));
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
  return checks;
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

export const round = (v: number): number => Number(v.toPrecision(4));

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

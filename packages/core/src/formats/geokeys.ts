import { crsFromProj4, crsOfCode, wgs84, type Crs } from '../data/crs';
import type { Note } from '../data/check';

type Keys = Record<string, unknown>;

const num = (v: unknown): number | undefined => {
  const x = ArrayBuffer.isView(v) || Array.isArray(v) ? (v as ArrayLike<number>)[0] : v;
  return typeof x === 'number' ? x : undefined;
};

/**
 * The CRS of GeoTIFF keys (OGC 19-008r4): by EPSG code, or built from the parameters of a user-defined projection for the
 * usual methods; null with a note when it cannot be known.
 */
export function crsOfGeoKeys(keys: Keys | null, notes: Note[]): Crs | null {
  if (!keys) return null;
  const projected = num(keys['ProjectedCSTypeGeoKey']);
  const geographic = num(keys['GeographicTypeGeoKey']);
  const tryCode = (code: number | undefined): Crs | null => {
    if (code === undefined || code === 0 || code === 32767) return null;
    try {
      return crsOfCode(code);
    } catch {
      notes.push({
        level: 'look',
        code: 'crs.unknown',
        message: `The file names EPSG:${code}, which Helk does not know; set the coordinate system by hand.`,
      });
      return null;
    }
  };
  const known = tryCode(projected);
  if (known) return known;
  if (projected === 32767) return userDefined(keys, geographic, notes);
  const base = tryCode(geographic);
  if (base) return base;
  if (geographic === 32767) return geographicFromAxes(keys) ?? wgs84();
  return null;
}

/** Ellipsoids by EPSG code, as PROJ names them. */
const ELLIPSOIDS: Record<number, string> = {
  7001: 'airy',
  7002: 'mod_airy',
  7003: 'aust_SA',
  7004: 'bessel',
  7008: 'clrk66',
  7012: 'clrk80',
  7019: 'GRS80',
  7022: 'intl',
  7024: 'krass',
  7030: 'WGS84',
  7043: 'WGS72',
};

/** The figure of the earth by its axes, or by its code; null when neither is told. */
function figureOf(keys: Keys): string | null {
  const a = num(keys['GeogSemiMajorAxisGeoKey']);
  const f = num(keys['GeogInvFlatteningGeoKey']);
  const b = num(keys['GeogSemiMinorAxisGeoKey']);
  const shift = Array.from((keys['GeogTOWGS84GeoKey'] as ArrayLike<number> | undefined) ?? []);
  if (a !== undefined) {
    if (!shift.some((v) => v !== 0) && Math.abs(a - 6378137) < 0.5 && (f === undefined || Math.abs(f - 298.257) < 0.01))
      return '+datum=WGS84';
    return `+a=${a} ${f ? `+rf=${f}` : `+b=${b ?? a}`}${shift.length ? ` +towgs84=${shift.join(',')}` : ''}`;
  }
  const named = ELLIPSOIDS[num(keys['GeogEllipsoidGeoKey']) ?? 0];
  return named ? `+ellps=${named}` : null;
}

function geographicFromAxes(keys: Keys): Crs | null {
  const figure = figureOf(keys);
  if (!figure) return null;
  return figure === '+datum=WGS84'
    ? wgs84()
    : crsFromProj4(`+proj=longlat ${figure} +no_defs`, String(keys['GeogCitationGeoKey'] ?? 'geographic').slice(0, 60));
}

/** Metres of the linear units that are read, and PROJ's name of each. */
const LINEAR: Record<number, [number, string]> = {
  9001: [1, 'm'],
  9002: [0.3048, 'ft'],
  9003: [1200 / 3937, 'us-ft'],
};

function userDefined(keys: Keys, geographic: number | undefined, notes: Note[]): Crs | null {
  const k = (...names: string[]): number => {
    for (const n of names) {
      const v = num(keys[n]);
      if (v !== undefined) return v;
    }
    return 0;
  };
  let ellipsoid = figureOf(keys) ?? '+datum=WGS84';
  if (geographic !== undefined && geographic !== 32767 && geographic !== 4326) {
    try {
      ellipsoid = crsOfCode(geographic)
        .proj4.replace(/\+proj=\S+|\+no_defs|\+lon_0=\S+/g, '')
        .trim();
    } catch {
      notes.push({
        level: 'look',
        code: 'crs.datum',
        message: `The datum EPSG:${geographic} is not known; WGS 84 is taken.`,
      });
    }
  }
  const unitCode = num(keys['ProjLinearUnitsGeoKey']) ?? 9001;
  const [metres, symbol] = LINEAR[unitCode] ?? [NaN, ''];
  if (!(metres > 0)) {
    notes.push({
      level: 'look',
      code: 'crs.unknown',
      message: `The file's coordinates are in a unit Helk does not know (EPSG:${unitCode}); set the coordinate system by hand.`,
    });
    return null;
  }
  // The keys give false eastings in the unit of the coordinates, PROJ wants metres.
  const fe = `+x_0=${metres * k('ProjFalseEastingGeoKey', 'ProjFalseOriginEastingGeoKey', 'ProjCenterEastingGeoKey')}`;
  const fn = `+y_0=${metres * k('ProjFalseNorthingGeoKey', 'ProjFalseOriginNorthingGeoKey', 'ProjCenterNorthingGeoKey')}`;
  const lon = `+lon_0=${k('ProjNatOriginLongGeoKey', 'ProjFalseOriginLongGeoKey', 'ProjCenterLongGeoKey', 'ProjStraightVertPoleLongGeoKey')}`;
  const lat = `+lat_0=${k('ProjNatOriginLatGeoKey', 'ProjFalseOriginLatGeoKey', 'ProjCenterLatGeoKey')}`;
  const scale = `+k=${k('ProjScaleAtNatOriginGeoKey', 'ProjScaleAtCenterGeoKey') || 1}`;
  const p12 = `+lat_1=${k('ProjStdParallel1GeoKey')} +lat_2=${k('ProjStdParallel2GeoKey')}`;
  const parallel = k('ProjStdParallel1GeoKey', 'ProjNatOriginLatGeoKey', 'ProjCenterLatGeoKey');
  // The origin of the polar aspect is the pole; the key holds the latitude of true scale.
  const origin = k('ProjNatOriginLatGeoKey');
  const polar = `+lat_0=${origin < 0 ? -90 : 90} ${Math.abs(origin) === 90 ? scale : `+lat_ts=${origin}`}`;
  const parts: Record<number, string> = {
    1: `+proj=tmerc ${lat} ${lon} ${scale}`,
    7: `+proj=merc ${lon} ${num(keys['ProjStdParallel1GeoKey']) === undefined ? scale : `+lat_ts=${k('ProjStdParallel1GeoKey')}`}`,
    8: `+proj=lcc ${lat} ${lon} ${p12}`,
    9: `+proj=lcc ${lat} ${lat.replace('lat_0', 'lat_1')} ${lon} ${scale}`,
    10: `+proj=laea ${lat} ${lon}`,
    11: `+proj=aea ${lat} ${lon} ${p12}`,
    15: `+proj=stere ${polar} ${lon}`,
    16: `+proj=sterea ${lat} ${lon} ${scale}`,
    17: `+proj=eqc +lat_ts=${parallel} ${lon}`,
    24: `+proj=sinu ${lon}`,
  };
  const base = parts[num(keys['ProjCoordTransGeoKey']) ?? 0];
  if (!base) {
    notes.push({
      level: 'look',
      code: 'crs.unknown',
      message: 'The file describes a projection of its own that Helk cannot read; set the coordinate system by hand.',
    });
    return null;
  }
  const name = String(keys['PCSCitationGeoKey'] ?? keys['GTCitationGeoKey'] ?? 'projection of the file')
    .replace(/\|.*$/, '')
    .slice(0, 60);
  return crsFromProj4(`${base} ${fe} ${fn} ${ellipsoid} +units=${symbol} +no_defs`, name);
}

import { crsFromProj4, crsOfCode, wgs84, type Crs } from '../data/crs';
import type { Note } from '../method/job';

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

function geographicFromAxes(keys: Keys): Crs | null {
  const a = num(keys['GeogSemiMajorAxisGeoKey']);
  const f = num(keys['GeogInvFlatteningGeoKey']);
  const b = num(keys['GeogSemiMinorAxisGeoKey']);
  if (a === undefined) return null;
  if (Math.abs(a - 6378137) < 0.5) return wgs84();
  const shape = f ? `+rf=${f}` : b ? `+b=${b}` : `+b=${a}`;
  return crsFromProj4(
    `+proj=longlat +a=${a} ${shape} +no_defs`,
    String(keys['GeogCitationGeoKey'] ?? 'geographic').slice(0, 60),
  );
}

function userDefined(keys: Keys, geographic: number | undefined, notes: Note[]): Crs | null {
  const k = (...names: string[]): number => {
    for (const n of names) {
      const v = num(keys[n]);
      if (v !== undefined) return v;
    }
    return 0;
  };
  let ellipsoid = '+datum=WGS84';
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
  const fe = `+x_0=${k('ProjFalseEastingGeoKey', 'ProjFalseOriginEastingGeoKey', 'ProjCenterEastingGeoKey')}`;
  const fn = `+y_0=${k('ProjFalseNorthingGeoKey', 'ProjFalseOriginNorthingGeoKey', 'ProjCenterNorthingGeoKey')}`;
  const lon = `+lon_0=${k('ProjNatOriginLongGeoKey', 'ProjFalseOriginLongGeoKey', 'ProjCenterLongGeoKey', 'ProjStraightVertPoleLongGeoKey')}`;
  const lat = `+lat_0=${k('ProjNatOriginLatGeoKey', 'ProjFalseOriginLatGeoKey', 'ProjCenterLatGeoKey')}`;
  const scale = `+k=${k('ProjScaleAtNatOriginGeoKey', 'ProjScaleAtCenterGeoKey') || 1}`;
  const p12 = `+lat_1=${k('ProjStdParallel1GeoKey')} +lat_2=${k('ProjStdParallel2GeoKey')}`;
  const unit =
    num(keys['ProjLinearUnitsGeoKey']) === 9003
      ? '+units=us-ft'
      : num(keys['ProjLinearUnitsGeoKey']) === 9002
        ? '+units=ft'
        : '+units=m';
  const parts: Record<number, string> = {
    1: `+proj=tmerc ${lat} ${lon} ${scale}`,
    7: `+proj=merc ${lon} ${scale}`,
    8: `+proj=lcc ${lat} ${lon} ${p12}`,
    9: `+proj=lcc ${lat} ${lat.replace('lat_0', 'lat_1')} ${lon} ${scale}`,
    10: `+proj=laea ${lat} ${lon}`,
    11: `+proj=aea ${lat} ${lon} ${p12}`,
    15: `+proj=stere ${lat} ${lon} ${scale}`,
    16: `+proj=sterea ${lat} ${lon} ${scale}`,
    17: `+proj=eqc ${lat.replace('lat_0', 'lat_ts')} ${lon}`,
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
  return crsFromProj4(`${base} ${fe} ${fn} ${ellipsoid} ${unit} +no_defs`, name);
}

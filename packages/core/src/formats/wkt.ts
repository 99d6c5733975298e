import proj4 from 'proj4';
import { HelkError } from '../errors';
import { crsByName, crsFromProj4, crsOfCode, LONGEST_TEXT, wgs84, type Crs } from '../data/crs';
import { projOfWkt } from './wkt-projection';

/**
 * The system that a WKT definition (versions 1 and 2, with or without authority) means: by its EPSG code, else by its name, else by
 * its own parameters.
 *
 * @throws HelkError `crs.unknown` when none of these works
 */
export function crsFromWkt(wkt: string, path: string): Crs {
  if (wkt.length > LONGEST_TEXT)
    throw new HelkError('crs.unknown', 'The definition of the coordinate system is too long to be one.', path);
  // Without runs of blanks none of the patterns below can be walked over twice.
  const text = wkt.replace(/\s+/g, ' ').trim();
  const code = /(?:AUTHORITY|ID)\s*\[\s*"EPSG"\s*,\s*"?(\d{4,6})"?\s*\]\s*\]\s*$/i.exec(text)?.[1];
  if (code) {
    try {
      return crsOfCode(Number(code), path);
    } catch {
      // Not in the list: the definition itself may do.
    }
  }
  const name = /^\s*\w+\s*\[\s*"([^"]+)"/.exec(text)?.[1] ?? '';
  if (/^(GCS_)?WGS_?\s?(19)?84$/i.test(name)) return wgs84();
  const named = crsByName(name);
  if (named) return named;
  // The usual projections are read here: what they mean must not depend on a spelling that the library does not know.
  const own = projOfWkt(text);
  if (own) return crsFromProj4(own, name || 'own definition');
  try {
    proj4(wgs84().proj4, text);
  } catch {
    throw new HelkError(
      'crs.unknown',
      `The coordinate system "${name || text.slice(0, 60)}" is not one that can be used; give it by its EPSG code.`,
      path,
    );
  }
  const geographic = /^\s*GEO(G|GRAPHIC|DETIC)/i.test(text);
  const metres = Number(
    /UNIT\s*\[\s*"[^"]*"\s*,\s*([\d.eE+-]+)[^\]]*\]\s*(?:,\s*AUTHORITY[^\]]*\])?\s*\]\s*$/i.exec(text)?.[1] ?? 1,
  );
  const unit = geographic
    ? '°'
    : Math.abs(metres - 0.3048) < 1e-9
      ? 'ft'
      : Math.abs(metres - 1200 / 3937) < 1e-9
        ? 'us-ft'
        : 'm';
  return { code: null, name: name || 'own definition', proj4: text, geographic, unit };
}

const DATUMS: Record<string, [gcs: string, datum: string, ellipsoid: string]> = {
  WGS84: ['GCS_WGS_1984', 'D_WGS_1984', '"WGS_1984",6378137.0,298.257223563'],
  NAD83: ['GCS_North_American_1983', 'D_North_American_1983', '"GRS_1980",6378137.0,298.257222101'],
  NAD27: ['GCS_North_American_1927', 'D_North_American_1927', '"Clarke_1866",6378206.4,294.9786982'],
};
const ELLIPSOIDS: Record<string, string> = {
  GRS80: '"GRS_1980",6378137.0,298.257222101',
  WGS84: '"WGS_1984",6378137.0,298.257223563',
  bessel: '"Bessel_1841",6377397.155,299.1528128',
  intl: '"International_1924",6378388.0,297.0',
  clrk66: '"Clarke_1866",6378206.4,294.9786982',
  clrk80ign: '"Clarke_1880_IGN",6378249.2,293.4660212936269',
  airy: '"Airy_1830",6377563.396,299.3249646',
  krass: '"Krasovsky_1940",6378245.0,298.3',
};
const METHODS: Record<string, string> = {
  utm: 'Transverse_Mercator',
  tmerc: 'Transverse_Mercator',
  lcc: 'Lambert_Conformal_Conic',
  laea: 'Lambert_Azimuthal_Equal_Area',
  aea: 'Albers',
  merc: 'Mercator',
  sterea: 'Double_Stereographic',
  stere: 'Stereographic',
  eqc: 'Equidistant_Cylindrical',
  sinu: 'Sinusoidal',
};

/** A figure of the earth given by its axes. */
function axesOf(p: ReadonlyMap<string, string>): string | null {
  const sphere = p.get('R');
  if (sphere !== undefined) return `"Own_sphere",${sphere},0.0`;
  const a = p.get('a');
  if (a === undefined) return null;
  const [major, minor] = [Number(a), Number(p.get('b') ?? a)];
  return `"Own_axes",${a},${p.get('rf') ?? (major === minor ? '0.0' : major / (major - minor))}`;
}

/** A system as WKT 1, as `.prj` files hold it; null for projections that this does not write. */
export function wktOf(crs: Crs): string | null {
  if (!/^\+proj/.test(crs.proj4)) return crs.proj4;
  const p = new Map([...crs.proj4.matchAll(/\+(\w+)(?:=(\S+))?/g)].map((m) => [m[1]!, m[2] ?? '']));
  const num = (k: string, other = 0): number => (p.has(k) ? Number(p.get(k)) : other);
  const datum = DATUMS[p.get('datum') ?? ''];
  const ellipsoid = datum?.[2] ?? axesOf(p) ?? ELLIPSOIDS[p.get('ellps') ?? 'WGS84'];
  // Meridians by name and feet of their own are not written: whoever reads them would have to guess.
  if (!ellipsoid || p.get('pm')?.match(/[a-z]/i) || p.has('to_meter')) return null;
  const shift = p.get('towgs84');
  const towgs =
    !datum && shift && /[1-9]/.test(shift)
      ? `,TOWGS84[${[...shift.split(','), 0, 0, 0, 0].slice(0, 7).join(',')}]`
      : '';
  // A name would say more than the axes do.
  const own = axesOf(p) ? 'unknown' : crs.name.split(' / ')[0]!.replace(/\W+/g, '_');
  const gcs = `GEOGCS["${datum?.[0] ?? `GCS_${own}`}",DATUM["${datum?.[1] ?? `D_${own}`}",SPHEROID[${ellipsoid}]${towgs}],PRIMEM[${p.has('pm') ? `"Own",${num('pm')}` : '"Greenwich",0.0'}],UNIT["Degree",0.0174532925199433]`;
  const authority = crs.code ? `,AUTHORITY["EPSG","${crs.code.slice(5)}"]` : '';
  if (crs.geographic) return `${gcs}${authority}]`;
  const proj = p.get('proj') ?? '';
  const utm = proj === 'utm';
  const polar = proj === 'stere' && Math.abs(num('lat_0')) === 90;
  const method = polar ? `Stereographic_${num('lat_0') < 0 ? 'South' : 'North'}_Pole` : METHODS[proj];
  if (!method) return null;
  const zone = num('zone');
  const k = num('k_0', num('k', 1));
  const parallel = (n: 1 | 2, key: string): [string, number][] =>
    p.has(key) ? [[`Standard_Parallel_${n}`, num(key)]] : [];
  const trueScale = ['merc', 'eqc'].includes(proj) || polar;
  const values: [string, number][] = utm
    ? [
        ['False_Easting', 500000],
        ['False_Northing', p.has('south') ? 1e7 : 0],
        ['Central_Meridian', 6 * zone - 183],
        ['Scale_Factor', 0.9996],
        ['Latitude_Of_Origin', 0],
      ]
    : [
        ['False_Easting', num('x_0')],
        ['False_Northing', num('y_0')],
        ['Central_Meridian', num('lon_0')],
        ...(trueScale ? parallel(1, 'lat_ts') : [...parallel(1, 'lat_1'), ...parallel(2, 'lat_2')]),
        // A polar aspect that is true at the pole has a scale; another its parallel.
        ...(polar && !p.has('lat_ts') ? ([['Standard_Parallel_1', num('lat_0')]] as [string, number][]) : []),
        ...(k !== 1 || ['tmerc', 'sterea', 'stere'].includes(proj)
          ? ([['Scale_Factor', k]] as [string, number][])
          : []),
        ...(trueScale || proj === 'sinu' ? [] : ([['Latitude_Of_Origin', num('lat_0')]] as [string, number][])),
      ];
  const unit = { 'us-ft': '"Foot_US",0.3048006096012192', ft: '"Foot",0.3048' }[crs.unit] ?? '"Meter",1.0';
  // False origins are in the unit of the system there, in metres in the definition.
  const scale = crs.unit === 'us-ft' ? 3937 / 1200 : crs.unit === 'ft' ? 1 / 0.3048 : 1;
  const text = values.map(([k, v]) => `PARAMETER["${k}",${/^False/.test(k) && !utm ? v * scale : v}]`).join(',');
  return `PROJCS["${crs.name.replace(/[ /]+/g, '_')}",${gcs}],PROJECTION["${method}"],${text},UNIT[${unit}]${authority}]`;
}

import { crsFromProj4, crsOfCode, LONGEST_TEXT, wgs84, type Crs } from '../../data/crs';
import { numbersOf, textOf, type NcFile, type NcVariable } from './container';
import type { Note } from '../../data/check';

/**
 * The coordinate system of a variable by its grid mapping (CF conventions, section 5.6 and appendix F): an EPSG code where the
 * mapping's text names one, else from its parameters. Null, with a note, when it cannot be told.
 */
export function crsOfVariable(file: NcFile, v: NcVariable, degrees: boolean, notes: Note[]): Crs | null {
  const named = textOf(v.attributes['grid_mapping']).split(/[:\s]/)[0]!;
  const folder = v.name.includes('/') ? v.name.replace(/[^/]+$/, '') : '';
  const m = named ? file.variables.find((x) => x.name === folder + named || x.name === named) : undefined;
  if (m) {
    const crs = fromText(m) ?? fromParameters(m);
    if (crs) return crs;
    notes.push({
      level: 'look',
      code: 'crs.mapping',
      message: `The projection "${textOf(m.attributes['grid_mapping_name']) || named}" of ${v.name} cannot be used; give the system by hand.`,
    });
    return null;
  }
  if (!degrees) return null;
  notes.push({
    level: 'info',
    code: 'crs.assumed',
    message: 'The file gives longitudes and latitudes without a datum; they were taken as WGS 84.',
  });
  return wgs84();
}

/** The code that the well-known text ends with; codes of its parts stand further in. */
function fromText(m: NcVariable): Crs | null {
  const epsg = numbersOf(m.attributes['epsg_code'])[0] ?? /\d{4,6}/.exec(textOf(m.attributes['epsg_code']))?.[0];
  const wkt = (textOf(m.attributes['crs_wkt']) || textOf(m.attributes['spatial_ref']))
    .slice(-LONGEST_TEXT)
    .replace(/\s+/g, ' ');
  const code = epsg ?? /(?:AUTHORITY|ID)\["EPSG",\s*"?(\d{4,6})"?\]\s*\]\s*$/i.exec(wkt)?.[1];
  if (code === undefined) return null;
  try {
    return crsOfCode(Number(code));
  } catch {
    return null;
  }
}

function fromParameters(m: NcVariable): Crs | null {
  const a = m.attributes;
  const n = (key: string): number | undefined => numbersOf(a[key])[0];
  const put = (key: string, v: number | undefined): string => (v === undefined ? '' : ` +${key}=${v}`);
  const parallels = numbersOf(a['standard_parallel']);
  const radius = n('earth_radius');
  const flattening = n('inverse_flattening');
  const major = n('semi_major_axis');
  const minor = n('semi_minor_axis');
  const body =
    radius || (major && minor === major)
      ? `+R=${radius ?? major}`
      : major && flattening && Math.abs(flattening - 298.257223563) > 1e-3
        ? `+a=${major} +rf=${flattening}`
        : '+datum=WGS84';
  const falsely = `${put('x_0', n('false_easting') ?? 0)}${put('y_0', n('false_northing') ?? 0)}`;
  const lat0 = put('lat_0', n('latitude_of_projection_origin'));
  const lon0 = put('lon_0', n('longitude_of_projection_origin') ?? n('longitude_of_central_meridian'));
  const two = `${put('lat_1', parallels[0])}${put('lat_2', parallels[1] ?? parallels[0])}`;
  const scale = n('scale_factor_at_projection_origin');
  const name = textOf(a['grid_mapping_name']);
  const shapes: Record<string, string | undefined> = {
    latitude_longitude: '+proj=longlat',
    transverse_mercator: `+proj=tmerc${lat0}${lon0}${put('k', n('scale_factor_at_central_meridian') ?? 1)}${falsely}`,
    lambert_azimuthal_equal_area: `+proj=laea${lat0}${lon0}${falsely}`,
    lambert_conformal_conic: `+proj=lcc${two}${lat0 || put('lat_0', parallels[0])}${lon0}${falsely}`,
    albers_conical_equal_area: `+proj=aea${two}${lat0}${lon0}${falsely}`,
    mercator: `+proj=merc${scale === undefined ? put('lat_ts', parallels[0]) : put('k', scale)}${lon0}${falsely}`,
    polar_stereographic: `+proj=stere${lat0 || ` +lat_0=${(parallels[0] ?? 90) < 0 ? -90 : 90}`}${parallels.length ? put('lat_ts', parallels[0]) : put('k', scale)}${put('lon_0', n('straight_vertical_longitude_from_pole'))}${falsely}`,
    stereographic: `+proj=stere${lat0}${lon0}${falsely}`,
    sinusoidal: `+proj=sinu${lon0}${falsely}`,
  };
  const shape = shapes[name];
  if (!shape) return null;
  const zone = utmZone(n('longitude_of_central_meridian'), n('scale_factor_at_central_meridian'), n('false_easting'));
  const north = n('false_northing') ?? 0;
  if (name === 'transverse_mercator' && zone && body === '+datum=WGS84' && n('latitude_of_projection_origin') === 0)
    if (north === 0 || north === 1e7) return crsOfCode((north ? 32700 : 32600) + zone);
  if (name === 'latitude_longitude' && body === '+datum=WGS84') return wgs84();
  try {
    return crsFromProj4(`${shape} ${body} +units=m +no_defs`, textOf(a['long_name']) || name.replaceAll('_', ' '));
  } catch {
    return null;
  }
}

function utmZone(meridian = NaN, scale = NaN, easting = NaN): number | null {
  const zone = (meridian + 183) / 6;
  return scale === 0.9996 && easting === 500000 && Number.isInteger(zone) && zone >= 1 && zone <= 60 ? zone : null;
}

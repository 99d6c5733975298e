import { crsByName } from '../data/crs';
import { own } from '../data/own';

/** Methods by their names in well-known text, letters only, as PROJ names them. */
const METHODS: Record<string, string> = {
  transversemercator: 'tmerc',
  gausskruger: 'tmerc',
  mercator: 'merc',
  mercator1sp: 'merc',
  mercator2sp: 'merc',
  mercatorvarianta: 'merc',
  mercatorvariantb: 'merc',
  lambertconformalconic: 'lcc',
  lambertconformalconic1sp: 'lcc',
  lambertconformalconic2sp: 'lcc',
  lambertconicconformal1sp: 'lcc',
  lambertconicconformal2sp: 'lcc',
  lambertazimuthalequalarea: 'laea',
  albers: 'aea',
  albersequalarea: 'aea',
  albersconicequalarea: 'aea',
  polarstereographic: 'polar',
  polarstereographicvarianta: 'polar',
  polarstereographicvariantb: 'polar',
  stereographicnorthpole: 'polar',
  stereographicsouthpole: 'polar',
  obliquestereographic: 'sterea',
  doublestereographic: 'sterea',
  equirectangular: 'eqc',
  equidistantcylindrical: 'eqc',
  platecarree: 'eqc',
  sinusoidal: 'sinu',
};

/** Parameters by their names, letters and digits only, as PROJ names them. */
const PARAMETERS: Record<string, 'lat_0' | 'lon_0' | 'k' | 'lat_1' | 'lat_2' | 'x_0' | 'y_0'> = {
  latitudeoforigin: 'lat_0',
  latitudeofnaturalorigin: 'lat_0',
  latitudeoffalseorigin: 'lat_0',
  latitudeofcenter: 'lat_0',
  latitudeofcentre: 'lat_0',
  centralmeridian: 'lon_0',
  longitudeoforigin: 'lon_0',
  longitudeofnaturalorigin: 'lon_0',
  longitudeoffalseorigin: 'lon_0',
  longitudeofcenter: 'lon_0',
  longitudeofcentre: 'lon_0',
  scalefactor: 'k',
  scalefactoratnaturalorigin: 'k',
  standardparallel1: 'lat_1',
  latitudeof1ststandardparallel: 'lat_1',
  latitudeofstandardparallel: 'lat_1',
  standardparallel2: 'lat_2',
  latitudeof2ndstandardparallel: 'lat_2',
  falseeasting: 'x_0',
  eastingatfalseorigin: 'x_0',
  falsenorthing: 'y_0',
  northingatfalseorigin: 'y_0',
};

const DEGREE = Math.PI / 180;
const plain = (s: string): string => s.toLowerCase().replace(/[^a-z0-9]/g, '');
const NUMBER = '([-+\\d.eE]+)';

/**
 * A projected system of well-known text (versions 1, with or without an authority, and 2) as a PROJ definition, for the usual methods;
 * null for others. False eastings come in the unit of the system, angles in that of its base.
 *
 * Sources: OGC 01-009 (version 1), ISO 19162:2019 (version 2).
 */
export function projOfWkt(text: string): string | null {
  const proj = own(METHODS, plain(/(?:PROJECTION|METHOD)\s*\[\s*"([^"]+)"/i.exec(text)?.[1] ?? ''));
  if (!proj) return null;
  const meridian = new RegExp(`PRIMEM\\s*\\[\\s*"[^"]*"\\s*,\\s*${NUMBER}`, 'i').exec(text)?.[1];
  const [metres, unit] = unitOf(text);
  if (unit === null) return null;
  const angle =
    Number(
      new RegExp(`(?:GEOGCS|BASEGEOG\\w*)\\s*\\[[\\s\\S]*?\\bUNIT\\s*\\[\\s*"[^"]*"\\s*,\\s*${NUMBER}`, 'i').exec(
        text,
      )?.[1] ?? DEGREE,
    ) / DEGREE;
  const pm = rounded(Number(meridian ?? 0) * angle);
  const p: Partial<Record<(typeof PARAMETERS)[string], number>> = {};
  const each = new RegExp(`PARAMETER\\s*\\[\\s*"([^"]+)"\\s*,\\s*${NUMBER}([^\\]]*\\[[^\\]]*\\])?`, 'gi');
  for (const [, name, value, more] of text.matchAll(each)) {
    const key = own(PARAMETERS, plain(name!));
    if (!key) return null;
    // Version 2 gives each value its own unit.
    const given = new RegExp(`(LENGTHUNIT|ANGLEUNIT)\\s*\\[\\s*"[^"]*"\\s*,\\s*${NUMBER}`, 'i').exec(more ?? '');
    const length = key === 'x_0' || key === 'y_0';
    const factor = key === 'k' ? 1 : given ? Number(given[2]) / (length ? 1 : DEGREE) : length ? metres : angle;
    p[key] = rounded(Number(value) * factor);
  }
  const figure = figureOf(text);
  if (!figure) return null;
  const at = (k: keyof typeof p, as: string = k): string => (p[k] === undefined ? '' : ` +${as}=${p[k]}`);
  let shape: string;
  if (proj === 'polar') {
    const scale = p.lat_1 ?? p.lat_0 ?? 90;
    const south = scale < 0 || /south/i.test(/(?:PROJECTION|METHOD)\s*\[\s*"([^"]+)"/i.exec(text)![1]!);
    shape = `stere +lat_0=${south ? -90 : 90}${at('lon_0')}${Math.abs(scale) === 90 ? at('k') : ` +lat_ts=${scale}`}`;
  } else if (proj === 'merc') shape = `merc${at('lon_0')}${p.lat_1 === undefined ? at('k') : at('lat_1', 'lat_ts')}`;
  else if (proj === 'eqc') shape = `eqc${at('lon_0')}${at(p.lat_1 === undefined ? 'lat_0' : 'lat_1', 'lat_ts')}`;
  else if (proj === 'lcc' && p.lat_2 === undefined)
    shape = `lcc +lat_1=${p.lat_1 ?? p.lat_0 ?? 0} +lat_0=${p.lat_0 ?? p.lat_1 ?? 0}${at('lon_0')}${at('k')}`;
  else shape = `${proj}${at('lat_0')}${at('lon_0')}${at('lat_1')}${at('lat_2')}${at('k')}`;
  return `+proj=${shape} +x_0=${p.x_0 ?? 0} +y_0=${p.y_0 ?? 0} ${figure}${pm ? ` +pm=${pm}` : ''} +units=${unit} +no_defs`;
}

/** Without the dust of a unit's factor. */
const rounded = (v: number): number => Number(v.toPrecision(14));

/** Metres of the system's own linear unit, and PROJ's name of it; null for units that are not read. */
function unitOf(text: string): [number, string | null] {
  const two = /\bCS\s*\[/i.exec(text);
  const all = [
    ...text.matchAll(new RegExp(`${two ? 'LENGTHUNIT' : '\\bUNIT'}\\s*\\[\\s*"[^"]*"\\s*,\\s*${NUMBER}`, 'gi')),
  ].filter((m) => !two || m.index > two.index);
  const metres = Number((two ? all[0] : all.at(-1))?.[1] ?? 1);
  for (const [factor, name] of [
    [1, 'm'],
    [0.3048, 'ft'],
    [1200 / 3937, 'us-ft'],
  ] as const)
    if (Math.abs(metres - factor) < 1e-9) return [factor, name];
  return [metres, null];
}

/** Datum or figure of the base: by its name where it is known, else by the axes, with a shift where one is given. */
function figureOf(text: string): string | null {
  const base = /(?:GEOGCS|BASEGEOG\w*)\s*\[\s*"([^"]+)"/i.exec(text)?.[1] ?? '';
  const datum = /DATUM\s*\[\s*"([^"]+)"/i.exec(text)?.[1] ?? '';
  if (/wgs.?(19)?84|worldgeodeticsystem1984/.test(plain(datum))) return '+datum=WGS84';
  const known = base ? crsByName(base) : null;
  if (known)
    return known.proj4
      .replace(/\+proj=\S+|\+no_defs|\+lon_0=\S+|\+type=\S+|\+pm=\S+/g, '')
      .replace(/\s+/g, ' ')
      .trim();
  const axes = new RegExp(`(?:SPHEROID|ELLIPSOID)\\s*\\[\\s*"[^"]*"\\s*,\\s*${NUMBER}\\s*,\\s*${NUMBER}`, 'i').exec(
    text,
  );
  if (!axes) return null;
  const shift = /TOWGS84\s*\[([-+\d.eE,\s]+)\]/i.exec(text)?.[1];
  const flat = Number(axes[2]);
  return `+a=${Number(axes[1])} ${flat ? `+rf=${flat}` : `+b=${Number(axes[1])}`}${shift ? ` +towgs84=${shift.replace(/\s/g, '')}` : ''}`;
}

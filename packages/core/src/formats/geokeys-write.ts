import proj4 from 'proj4';
import type { Crs } from '../data/crs';

/** GeoTIFF keys: whole numbers, lengths and angles, texts, each by its number. */
export interface GeoKeys {
  shorts: [key: number, value: number][];
  doubles: [key: number, values: number[]][];
  texts: [key: number, text: string][];
}

const USER_DEFINED = 32767;
const DATUMS: Record<string, number> = { WGS84: 4326, NAD83: 4269, NAD27: 4267 };
const LINEAR: Record<string, [code: number, metres: number]> = {
  m: [9001, 1],
  ft: [9002, 0.3048],
  'us-ft': [9003, 1200 / 3937],
};

/** The method's code, the key that each parameter of a PROJ definition goes to, and those of false easting and northing. */
interface Method {
  code: number;
  origin: [number, number];
  keys: [key: number, parameter: string, otherwise?: number][];
}

const method = (code: number, origin: Method['origin'], ...keys: Method['keys']): Method => ({ code, origin, keys });
const FALSE: [number, number] = [3082, 3083];
const METHODS: Record<string, Method> = {
  tmerc: method(1, FALSE, [3081, 'lat_0'], [3080, 'lon_0'], [3092, 'k', 1]),
  merc: method(7, FALSE, [3081, ''], [3080, 'lon_0'], [3092, 'k', 1]),
  merc2: method(7, FALSE, [3081, ''], [3080, 'lon_0'], [3078, 'lat_ts']),
  lcc: method(8, [3086, 3087], [3085, 'lat_0'], [3084, 'lon_0'], [3078, 'lat_1'], [3079, 'lat_2']),
  lcc1: method(9, FALSE, [3081, 'lat_1'], [3080, 'lon_0'], [3092, 'k', 1]),
  laea: method(10, FALSE, [3089, 'lat_0'], [3088, 'lon_0']),
  aea: method(11, FALSE, [3081, 'lat_0'], [3080, 'lon_0'], [3078, 'lat_1'], [3079, 'lat_2']),
  polar: method(15, FALSE, [3081, 'lat_ts'], [3095, 'lon_0'], [3092, 'k', 1]),
  sterea: method(16, FALSE, [3081, 'lat_0'], [3080, 'lon_0'], [3092, 'k', 1]),
  eqc: method(17, FALSE, [3089, ''], [3088, 'lon_0'], [3078, 'lat_ts']),
  sinu: method(24, FALSE, [3088, 'lon_0']),
};

/**
 * A coordinate system as GeoTIFF keys (OGC 19-008r4): its EPSG code, or the method, parameters, figure of the earth and datum shift
 * of a definition without one. Key 2062, the shift, is a widespread addition to the standard.
 *
 * @returns null for definitions whose method or meridian the keys cannot tell
 */
export function geoKeysOf(crs: Crs): GeoKeys | null {
  const texts: GeoKeys['texts'] = [[1026, crs.name]];
  const shorts: GeoKeys['shorts'] = [
    [1024, crs.geographic ? 2 : 1],
    [1025, 1],
  ];
  const [unit, metres] = LINEAR[crs.unit] ?? [9001, 1];
  if (crs.code) {
    const code = Number(crs.code.replace('EPSG:', ''));
    if (crs.geographic) shorts.push([2048, code], [2054, 9102]);
    else shorts.push([3072, code], [3076, unit]);
    return { shorts, doubles: [], texts };
  }
  if (!/^\+proj=/.test(crs.proj4)) return null;
  const given = new Map([...crs.proj4.matchAll(/\+(\w+)(?:=(\S+))?/g)].map((m) => [m[1]!, m[2] ?? '']));
  if (given.has('k_0')) given.set('k', given.get('k_0')!);
  if (Number(given.get('pm') ?? 0) !== 0 || given.has('to_meter') || given.has('axis')) return null;
  const doubles: GeoKeys['doubles'] = [];
  figure(crs, given, shorts, doubles);
  if (crs.geographic) {
    texts.push([2049, crs.name]);
    return { shorts, doubles, texts };
  }
  const way = methodOf(given);
  if (!way) return null;
  shorts.push([3072, USER_DEFINED], [3074, USER_DEFINED], [3075, way.code], [3076, unit]);
  texts.push([3073, crs.name]);
  for (const [key, parameter, otherwise] of way.keys)
    doubles.push([key, [Number(given.get(parameter) ?? otherwise ?? 0)]]);
  // The keys give false eastings in the unit of the coordinates, PROJ in metres.
  doubles.push(
    [way.origin[0], [Number(given.get('x_0') ?? 0) / metres]],
    [way.origin[1], [Number(given.get('y_0') ?? 0) / metres]],
  );
  return { shorts, doubles, texts };
}

/** The method of a definition; zones and poles are put as what they stand for. */
function methodOf(given: Map<string, string>): Method | undefined {
  const number = (name: string): number => Number(given.get(name) ?? 0);
  const proj = given.get('proj') ?? '';
  if (proj === 'utm') {
    const zone = number('zone');
    if (!(zone >= 1 && zone <= 60)) return undefined;
    for (const [name, value] of [
      ['lat_0', 0],
      ['lon_0', 6 * zone - 183],
      ['k', 0.9996],
      ['x_0', 500000],
      ['y_0', given.has('south') ? 1e7 : 0],
    ] as const)
      given.set(name, String(value));
    return METHODS['tmerc'];
  }
  if (proj === 'stere') {
    if (Math.abs(number('lat_0')) !== 90) return undefined;
    // One key holds the pole, or the latitude of true scale.
    if (!given.has('lat_ts')) given.set('lat_ts', given.get('lat_0')!);
    return METHODS['polar'];
  }
  if (proj === 'lcc' && !given.has('lat_2')) {
    // With one parallel the keys know no second latitude of origin.
    return number('lat_0') === number('lat_1') ? METHODS['lcc1'] : undefined;
  }
  if (proj === 'lcc' && number('k') !== 0 && number('k') !== 1) return undefined;
  return METHODS[proj === 'merc' && given.has('lat_ts') ? 'merc2' : proj];
}

function figure(crs: Crs, given: Map<string, string>, shorts: GeoKeys['shorts'], doubles: GeoKeys['doubles']): void {
  const known = DATUMS[given.get('datum') ?? ''];
  if (known && !crs.geographic) {
    shorts.push([2048, known], [2054, 9102]);
    return;
  }
  const { a, b } = proj4.Proj(crs.proj4) as unknown as { a: number; b: number };
  const sphere = Math.abs(a - b) < 1e-9 * a;
  shorts.push([2048, USER_DEFINED], [2050, USER_DEFINED], [2054, 9102], [2056, USER_DEFINED]);
  doubles.push([2057, [a]], sphere ? [2058, [b]] : [2059, [a / (a - b)]]);
  const shift = (given.get('towgs84') ?? '').split(',').map(Number);
  if (shift.some((v) => v !== 0)) doubles.push([2062, Array.from({ length: 7 }, (_, i) => shift[i] ?? 0)]);
}

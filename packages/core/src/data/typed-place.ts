import { HelkError } from '../errors';
import { transformer, wgs84, type Crs } from './crs';

/** One angle with the letter of its side: `58° 16′ 12″ N`, `58.27N`, `20 28.5 W`. */
const ANGLE =
  /(\d+(?:[.,]\d+)?)\s*[°d]?\s*(?:(\d+(?:[.,]\d+)?)\s*['′m]?\s*)?(?:(\d+(?:[.,]\d+)?)\s*(?:"|″|''|s)?\s*)?([NSEWnsew])/g;

const number = (text: string | undefined): number => (text ? Number(text.replace(',', '.')) : 0);

/**
 * A place as somebody types it: two numbers, east then north, of a system; or two angles with the letters of their sides, in any order, as
 * degrees with decimals, or with minutes and seconds.
 *
 * @param crs of the two numbers, and of what comes out; null where nobody knows it, so that only two numbers are a place
 * @returns x and y in `crs`
 * @throws HelkError `request.invalid` for what is no place
 */
export function readPlace(text: string, crs: Crs | null): [number, number] {
  const no = (why: string): never => {
    throw new HelkError('request.invalid', why, null);
  };
  const angles = [...text.matchAll(ANGLE)];
  if (angles.length) {
    if (!crs) return no('The system of these data is not known, so angles lead nowhere in it. Two numbers are needed.');
    let [lon, lat]: [number | null, number | null] = [null, null];
    for (const [, d, m, s, side] of angles) {
      const v = number(d) + number(m) / 60 + number(s) / 3600;
      if (number(m) >= 60 || number(s) >= 60) no('Minutes and seconds go up to 60.');
      if (/[ns]/i.test(side!)) lat = /s/i.test(side!) ? -v : v;
      else lon = /w/i.test(side!) ? -v : v;
    }
    if (lon === null || lat === null)
      return no('Both a north or south and an east or west are needed, like 58.27 N 20.47 W.');
    if (Math.abs(lat) > 90 || Math.abs(lon) > 180) return no('Latitudes go to 90°, longitudes to 180°.');
    const out = [0, 0];
    transformer(wgs84(), crs)(lon, lat, out);
    if (!out.every(Number.isFinite)) return no('This place cannot be expressed in the system of the project.');
    return [out[0]!, out[1]!];
  }
  const split = (t: string): string[] => t.split(/\s*[;\s]\s*|,\s+|,(?=[^,]*$)/).filter(Boolean);
  // Digits may stand in groups of three; what stands apart otherwise is another number.
  const grouped = split(text.trim().replace(/(\d)[\u00a0\u202f' ](?=\d{3}(?!\d))/g, '$1'));
  const parts = grouped.length === 2 ? grouped : split(text.trim());
  const [x, y] = parts.map((p) => Number(p.replace(/[^\d.+\-eE]/g, '')));
  if (parts.length !== 2 || !Number.isFinite(x) || !Number.isFinite(y))
    return no(
      !crs
        ? 'Two numbers are needed, like those of the data.'
        : crs.geographic
          ? 'Two numbers are needed, east and north in degrees; or angles like 58.27 N 20.47 W.'
          : `Two numbers are needed, east and north in ${crs.unit}; or angles like 58.27 N 20.47 W.`,
    );
  if (crs?.geographic && (Math.abs(y!) > 90 || Math.abs(x!) > 360))
    return no('Latitudes go to 90°, longitudes to 180°.');
  return [x!, y!];
}

import { crsOfCode, wgs84 } from './crs';
import { readPlace } from './typed-place';
import { setupNode } from '@helk/node';

setupNode();

describe('a place as it is typed', () => {
  const utm = crsOfCode(32627);
  it('is two numbers, east and north, however they are set apart', () => {
    for (const text of [
      '530123.5 6460123',
      '530123.5, 6460123',
      '530123.5;6460123',
      '  530 123.5  6 460 123 ',
      '530\u202f123.5, 6\u202f460\u202f123',
      "530'123.5 6'460'123",
      '530123.5 E 6460123 N m'.replace(/ [ENm]/g, ''),
    ])
      expect(readPlace(text, utm)).withContext(text).toEqual([530_123.5, 6_460_123]);
    expect(readPlace('-20.47, 58.27', wgs84())).toEqual([-20.47, 58.27]);
    expect(readPlace('12 345', utm)).toEqual([12, 345]);
  });
  it('is two angles with the letters of their sides, in any order and form', () => {
    for (const text of [
      '58.5 N 20.25 W',
      '20.25W 58.5N',
      '58°30′N 20°15′ W',
      '58 30 0 N, 20 15 0 W',
      "58° 30' 0\" n 20° 15' w",
    ])
      expect(readPlace(text, wgs84())).withContext(text).toEqual([-20.25, 58.5]);
    // UTM zone 27: on the central meridian it is 500 000 E; northing of pyproj 3.4, to the millimetre.
    const [x, y] = readPlace('58.5 N 21 W', utm);
    expect(x).toBeCloseTo(500_000, 3);
    expect(y).toBeCloseTo(6_484_378.904, 3);
  });
  it('of data in no known system is two numbers, whatever they are, and no angle', () => {
    expect(readPlace('-350, 2500.5', null)).toEqual([-350, 2500.5]);
    expect(readPlace('120 98', null)).toEqual([120, 98]);
    expect(() => readPlace('58.5 N 20.25 W', null)).toThrowError(/not known/);
    expect(() => readPlace('58.5', null)).toThrowError(/like those of the data/);
  });
  it('is refused with what is needed', () => {
    const why = (text: string, crs = utm): string => {
      try {
        return String(readPlace(text, crs));
      } catch (e) {
        return (e as Error).message;
      }
    };
    expect(why('')).toContain('Two numbers are needed, east and north in m');
    expect(why('530123')).toContain('Two numbers');
    expect(why('1 2 3')).toContain('Two numbers');
    expect(why('here, there')).toContain('Two numbers');
    expect(why('58.5 N')).toContain('Both a north or south');
    expect(why('98 N 20 W')).toContain('go to 90°');
    expect(why('58 75 N 20 W')).toContain('up to 60');
    expect(why('20, 98', wgs84())).toContain('go to 90°');
  });
});

import { crsFromProj4, metresPerDegree, wgs84 } from '@helk/core';
import { barOf } from './scale-bar';

describe('the scale bar of a pane', () => {
  it('is the longest round length that fits', () => {
    const utm = crsFromProj4('+proj=utm +zone=27 +datum=WGS84 +units=m +no_defs', 'UTM 27');
    expect(barOf(10, utm, 0)).toEqual({ width: 50, text: '500 m' });
    expect(barOf(30, utm, 0).text).toBe('2 km');
  });
  it('follows the latitude in degrees', () => {
    const along = (y: number): number => {
      const { width, text } = barOf(0.001, wgs84(), y);
      return Number(text.split(' ')[0]) / width;
    };
    // Kilometres to a pixel of a thousandth of a degree, by the length of a degree there.
    expect(along(0)).toBeCloseTo(metresPerDegree(0)[0] / 1e6, 8);
    expect(along(60)).toBeCloseTo(metresPerDegree(60)[0] / 1e6, 8);
  });
  it('claims no metres where the system is not known', () => {
    expect(barOf(30, null, 5_200_000)).toEqual({ width: 2000 / 30, text: '2\u202f000 units' });
  });
});

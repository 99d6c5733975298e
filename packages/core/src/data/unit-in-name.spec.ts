import { unitInName } from './unit-in-name';

describe('a unit in a name', () => {
  it('is the last word of it, or stands in brackets', () => {
    expect(['S43E171_A_ft', 'dem (m)', 'Depth [feet]', 'area_km2', 'slope-deg', 'rain.mm'].map(unitInName)).toEqual([
      'ft',
      'm',
      'ft',
      'km2',
      '°',
      'mm',
    ]);
  });

  it('is not a letter that tells tiles apart, a part of a word, or a word that is no unit', () => {
    expect(['tile_d', 'block-S', 'dem', 'grid_2019', 'ft', 'soft', 'depth (north)', ''].map(unitInName)).toEqual(
      Array<null>(8).fill(null),
    );
    expect(unitInName('series [d]')).toBe('d');
  });
});

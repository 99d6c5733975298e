import { nameSets } from './name-sets';

describe('names that belong together', () => {
  it('are those of tiles, of bands and of months, each by themselves', () => {
    expect(
      nameSets(['A1_ft', 'tm_201601', 'LX_2019_red', 'B1_ft', 'tm_201602', 'LX_2019_nir', 'A2_ft', 'tm_201701']),
    ).toEqual([0, 1, 2, 0, 1, 2, 0, 1]);
  });

  it('reach over steps: two tiles that differ in row and column belong together where a third stands between', () => {
    expect(nameSets(['t_1_1', 't_2_2', 't_1_2'])).toEqual([0, 0, 0]);
    expect(nameSets(['t_1_1', 't_2_2'])).toEqual([0, 1]);
  });

  it('are bands of which some have a number', () => {
    expect(nameSets(['S_red', 'S_swir1', 'S_swir2', 'T_red_1', 'T_red_2'])).toEqual([0, 0, 0, 1, 1]);
  });

  it('of one word belong together, and of another number of words do not', () => {
    expect(nameSets(['blue', 'green', 'soil depth', 'n41', 'n42', 's42'])).toEqual([0, 0, 1, 2, 2, 2]);
  });

  it('do so in other scripts and whatever their case', () => {
    expect(nameSets(['Höhe_Nord', 'HÖHE_süd', '標高_北', '標高_南'])).toEqual([0, 0, 1, 1]);
  });
});

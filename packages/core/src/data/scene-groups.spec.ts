import { gridOf } from '../testing';
import type { Grid, RasterInfo } from './raster';
import { sceneGroups } from './scene-groups';

const one = (name: string, grid: Grid = gridOf(30, 20), kind: 'measure' | 'category' = 'measure') => ({
  id: name,
  name,
  info: {
    kind: 'raster',
    grid,
    bands: [{ name: 'band 1', unit: null, kind, storedType: 'uint16', missingCode: null }],
  } as RasterInfo,
});
const fine = gridOf(60, 40, 5);

describe('files of single bands', () => {
  it('belong together when their names differ in the band only, in the order of the bands', () => {
    const all = ['LT_198_022_B10', 'LT_198_022_B2', 'LT_198_022_B8A', 'LT_198_022_B8'].map((n) => one(n));
    expect(sceneGroups(all)).toEqual([
      {
        name: 'LT 198 022',
        ids: ['LT_198_022_B2', 'LT_198_022_B8', 'LT_198_022_B8A', 'LT_198_022_B10'],
        bands: ['B2', 'B8', 'B8A', 'B10'],
      },
    ]);
  });

  it('are ordered by what part of the spectrum they show, where all say so, whatever the size of their cells', () => {
    const all = [one('june-nir_10m', fine), one('june-blue_20m'), one('june-swir1_20m'), one('june-red_10m', fine)];
    expect(sceneGroups(all)).toEqual([
      {
        name: 'june',
        ids: ['june-blue_20m', 'june-red_10m', 'june-nir_10m', 'june-swir1_20m'],
        bands: ['blue', 'red', 'nir', 'swir1'],
      },
    ]);
    expect(sceneGroups(['red', 'green', 'blue'].map((n) => one(n)))).toEqual([
      { name: 'scene', ids: ['blue', 'green', 'red'], bands: ['blue', 'green', 'red'] },
    ]);
  });

  it('of two scenes are two groups; what lies elsewhere, is of classes or has another name is in none', () => {
    const two = ['a_B1', 'a_B2', 'b_B1', 'b_B2'].map((n) => one(n));
    expect(sceneGroups(two).map((g) => g.ids)).toEqual([
      ['a_B1', 'a_B2'],
      ['b_B1', 'b_B2'],
    ]);
    expect(sceneGroups([one('t_1'), one('t_2', gridOf(30, 20, 10, { x: 400_300 }))])).toEqual([]);
    expect(sceneGroups([one('c_B1'), one('c_B2', gridOf(30, 20), 'category')])).toEqual([]);
    expect(sceneGroups([one('elevation'), one('slope'), one('dem filled')])).toEqual([]);
    expect(sceneGroups([one('same_B1'), { ...one('same_B1'), id: 'again' }])).toEqual([]);
  });
});

import { crsOfCode, FeaturesBuilder, numberColumn, wgs84, type Crs, type Features } from '@helk/core';
import type { DatasetItem } from '../state/project.store';
import { datasetOf } from '../testing';
import { measureFor } from './measure';

/** A row of squares with sides of so many units. */
function squares(side: number, crs: Crs | null, columns: string[] = []): Features {
  const b = new FeaturesBuilder();
  for (let k = 0; k < 9; k++) {
    const [x, y] = [(k % 3) * side, Math.floor(k / 3) * side];
    for (const [u, v] of [[0, 0], [0, 1], [1, 1], [1, 0], [0, 0]] as const) b.coordinate(x + u * side, y + v * side); // prettier-ignore
    b.endRing();
    b.endPart();
    b.endFeature();
  }
  return b.build('polygon', crs, columns.map((c) => numberColumn(c, new Array<number>(9).fill(1)))); // prettier-ignore
}
const of = (data: Features) => measureFor(datasetOf('a', { data }) as unknown as DatasetItem);

describe('the size of shapes as a column', () => {
  it('has the unit in which its numbers are short', () => {
    const utm = crsOfCode(32719);
    expect([20, 300, 40_000].map((side) => of(squares(side, utm))?.unit)).toEqual(['m2', 'ha', 'km2']);
    expect(of(squares(300, utm))).toEqual({ noun: 'area', column: 'area', formula: 'area(ha)', unit: 'ha' });
  });

  it('is told of degrees by the ground, not by degrees', () => {
    expect(of(squares(0.1, wgs84()))?.unit).toBe('km2');
  });

  it('has a name that none has yet', () => {
    expect(of(squares(300, crsOfCode(32719), ['area', 'area_2']))?.column).toBe('area_3');
  });

  it('is nothing for points, and where it is not known where things lie', () => {
    const b = new FeaturesBuilder();
    b.point(1, 1);
    expect(of(b.build('point', crsOfCode(32719), []))).toBeNull();
    expect(of(squares(300, null))).toBeNull();
  });
});

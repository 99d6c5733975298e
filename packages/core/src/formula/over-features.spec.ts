import { crsOfCode } from '../data/crs';
import { FeaturesBuilder, type Column, type Features } from '../data/features';
import { numberColumn, textColumn } from '../data/table';
import { evaluateOver, labelsOver, rowsWhere } from './over-features';

/** Squares of 100 m in a row, in UTM. */
function squares(columns: Column[], n = 3): Features {
  const b = new FeaturesBuilder();
  for (let i = 0; i < n; i++) {
    const x = 400000 + 200 * i;
    for (const [dx, dy] of [
      [0, 0],
      [100, 0],
      [100, 100],
      [0, 100],
      [0, 0],
    ])
      b.coordinate(x + dx!, 6460000 + dy!);
    b.endRing();
    b.endPart();
    b.endFeature();
  }
  return b.build('polygon', crsOfCode(32627), columns);
}

const name: Column = { ...textColumn('name', ['moor', 'reed', '']), missing: Uint8Array.of(0, 0, 1) };
const f = squares([name, numberColumn('depth cm', [12.345, NaN, 0])]);

describe('formulas over features', () => {
  it('compute with columns, texts and places', () => {
    expect([...(evaluateOver(f, 'area(ha)') as Float64Array)]).toEqual([1, 1, 1]);
    expect([...(evaluateOver(f, 'length(km) * 10') as Float64Array)]).toEqual([4, 4, 4]);
    expect([...(evaluateOver(f, 'x() - 400000') as Float64Array)]).toEqual([50, 250, 450]);
    expect(evaluateOver(f, 'upper(name) + ": " + text([depth cm], 1) + " cm"')).toEqual(['MOOR: 12.3 cm', null, null]);
    expect(labelsOver(f, '[depth cm]')).toEqual(['12.345', null, '0']);
    expect(evaluateOver(f, 'coalesce(name, "none")')).toEqual(['moor', 'reed', 'none']);
    expect(evaluateOver(f, '[depth cm] > 1 ? "deep" : "thin"')).toEqual(['deep', null, 'thin']);
  });
  it('choose rows; a missing condition is no', () => {
    expect([...rowsWhere(f, 'name == "moor"')]).toEqual([1, 0, 0]);
    expect([...rowsWhere(f, '[depth cm] >= 0')]).toEqual([1, 0, 1]);
    expect([...rowsWhere(f, 'isMissing([depth cm]) || isMissing(name)')]).toEqual([0, 1, 1]);
    expect([...rowsWhere(f, 'area(m2) > 9999 && name != "moor"')]).toEqual([0, 1, 0]);
  });
  it('refuse what does not fit, in words', () => {
    for (const [text, why] of [
      ['name * 2', 'takes numbers'],
      ['name == 3', 'compares a number with a text'],
      ['area(cm)', 'no unit of area'],
      ['sqrt(name)', 'takes numbers'],
      ['nothing', 'There is nothing called'],
      ['text(1, 99)', 'whole number'],
    ])
      expect(() => evaluateOver(f, text!))
        .withContext(text!)
        .toThrowError(new RegExp(why!));
    expect(() => rowsWhere(f, 'name + "x"')).toThrowError(/condition/);
  });
});

import * as fc from 'fast-check';
import { gridOf } from '../testing';
import { infoOf, KINDS } from '../data/kinds';
import { measureRaster, type RasterInfo } from '../data/raster';
import { rasterLook, vectorLook } from './look-shapes';
import { defaultStyle } from './style';
import { PLAIN_VECTOR } from './symbols';

const info = infoOf(measureRaster(gridOf(2, 1), Float32Array.of(1, 2), { name: 'z', unit: 'm' })) as RasterInfo;

describe('ways of drawing as they are kept', () => {
  it('are those that there are: what is drawn by itself can be kept', () => {
    expect(rasterLook.parse(defaultStyle(info))).toEqual(defaultStyle(info));
    expect(vectorLook.parse(PLAIN_VECTOR)).toEqual(PLAIN_VECTOR);
    expect(KINDS.raster.lookShape).toBe(rasterLook);
    expect(KINDS.features.lookShape).toBe(vectorLook);
    expect(KINDS.table.lookShape).toBeUndefined();
  });

  it('of an older Helk take the usual value of what has come since', () => {
    const { band: _, ...older } = defaultStyle(info);
    expect(rasterLook.parse(older)).toEqual(defaultStyle(info));
    const { label: __, emphasis: ___, size: ____, ...vector } = PLAIN_VECTOR;
    expect(vectorLook.parse(vector)).toEqual(PLAIN_VECTOR);
  });

  it('with anything in them that is not one are refused', () => {
    const odd: [object, object][] = [
      [rasterLook, { ...defaultStyle(info), opacity: 7 }],
      [rasterLook, { ...defaultStyle(info), stretch: { kind: 'magic' } }],
      [rasterLook, { ...defaultStyle(info), band: -1 }],
      [rasterLook, { ...defaultStyle(info), ramp: 'x'.repeat(301) }],
      [vectorLook, { ...PLAIN_VECTOR, colour: 'red; background: url(http://elsewhere)' }],
      [vectorLook, { ...PLAIN_VECTOR, by: { kind: 'category', column: 'c', colours: { a: 'javascript:0' } } }],
      [vectorLook, { ...PLAIN_VECTOR, label: { formula: 'x'.repeat(5000), size: 11 } }],
      [vectorLook, { ...PLAIN_VECTOR, size: { column: 'c', largest: -4 } }],
    ];
    for (const [shape, look] of odd)
      expect((shape as typeof rasterLook).safeParse(look).success)
        .withContext(JSON.stringify(look).slice(0, 80))
        .toBeFalse();
  });

  it('never throw, whatever is given', () => {
    fc.assert(
      fc.property(fc.jsonValue(), (v) => {
        rasterLook.safeParse(v);
        vectorLook.safeParse(v);
      }),
    );
  });
});

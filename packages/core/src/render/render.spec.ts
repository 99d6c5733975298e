import { FeaturesBuilder } from '../data/features';
import { numberColumn } from '../data/table';
import { rasterOf } from '../testing';
import { colourTable, paintRow, type Paint, type Window } from './paint';
import { RAMPS, rampTable } from './ramps';
import { breaksOf, defaultStyle, rangeOf, scaleOf, sharedScale } from './style';
import { MISSING_COLOUR, PLAIN_VECTOR, symbolsOf } from './symbols';
import { formatBytes, formatDuration, formatLength, formatNumber } from '../data/number-words';
import { bandFacts } from '../data/band-facts';
import { infoOf } from '../data/kinds';
import type { RasterInfo } from '../data/raster';

/** Lightness L* of a colour (CIE 1976, from sRGB). */
function lightness(r: number, g: number, b: number): number {
  const lin = (c: number): number => (c / 255 <= 0.04045 ? c / 255 / 12.92 : ((c / 255 + 0.055) / 1.055) ** 2.4);
  const y = 0.2126 * lin(r) + 0.7152 * lin(g) + 0.0722 * lin(b);
  return y > 0.008856 ? 116 * Math.cbrt(y) - 16 : 903.3 * y;
}

describe('ramps', () => {
  it('that are sequential only ever get lighter or only darker', () => {
    for (const r of RAMPS.filter((x) => x.kind === 'sequential')) {
      const t = rampTable(r.id, false);
      const l = Array.from({ length: 256 }, (_, i) => lightness(t[3 * i]!, t[3 * i + 1]!, t[3 * i + 2]!));
      const up = l[255]! > l[0]!;
      // Rounding to whole colour values may stand still or slip by a fraction of a step.
      for (let i = 1; i < 256; i++)
        expect(up ? l[i]! - l[i - 1]! : l[i - 1]! - l[i]!)
          .withContext(`${r.id} at ${i}`)
          .toBeGreaterThan(-0.8);
      expect(Math.abs(l[255]! - l[0]!))
        .withContext(r.id)
        .toBeGreaterThan(45);
    }
  });
  it('reverse', () => {
    const a = rampTable('tide', false);
    const b = rampTable('tide', true);
    expect([...b.slice(0, 3)]).toEqual([...a.slice(765)]);
  });
});

const elevation = rasterOf(
  10,
  Array.from({ length: 100 }, (_, i) => i),
);
elevation.bands[0]!.role = 'elevation';
const facts = bandFacts(elevation.bands[0]!, elevation.grid);
const style = defaultStyle(infoOf(elevation) as RasterInfo);

describe('styles', () => {
  it('begin by role: elevations with light, differences diverging around zero', () => {
    expect(style.relief).not.toBeNull();
    const d = rasterOf(2, [-3, 0, 5, 1]);
    d.bands[0]!.role = 'difference';
    const s = defaultStyle(infoOf(d) as RasterInfo);
    expect(s.ramp).toBe('scales');
    const [low, high] = rangeOf({ ...s, stretch: { kind: 'minmax' } }, bandFacts(d.bands[0]!, d.grid));
    expect([low, high]).toEqual([-5, 5]);
  });
  it('stretch by limits, percentiles and standard deviations', () => {
    expect(rangeOf(style, facts)).toEqual([0, 99]);
    expect(rangeOf({ ...style, stretch: { kind: 'percentile', cut: 5 } }, facts)).toEqual([4.95, 94.05]);
    const [low] = rangeOf({ ...style, stretch: { kind: 'sd', times: 1 } }, facts);
    expect(low).toBeCloseTo(49.5 - 29.0115, 3);
    const flat = rasterOf(2, [7, 7, 7, 7]);
    expect(rangeOf(style, bandFacts(flat.bands[0]!, flat.grid))).toEqual([6.5, 7.5]);
  });
  it('break classes in equal steps and in equal counts', () => {
    expect(breaksOf({ ...style, classes: 4 }, facts, 0, 100)).toEqual([25, 50, 75]);
    const q = breaksOf({ ...style, classes: 2, rule: 'quantile' }, facts, 0, 99);
    expect(q[0]!).toBeCloseTo(49.5, 0);
  });
  it('share one scale from the lowest to the highest', () => {
    const s = scaleOf(style, facts);
    expect(sharedScale([s, { ...s, low: -20, high: 50 }])).toEqual({ ...s, low: -20, high: 99 });
  });
});

describe('painting', () => {
  const w: Window = {
    cells: Float32Array.from([0, 0, 0, 0, 0, 50, NaN, 0, 0, 100, NaN, 0, 0, 0, 0, 0]),
    width: 4,
    height: 4,
    column: -1,
    row: -1,
  };
  const paint: Paint = {
    scale: { ...scaleOf(style, facts), low: 0, high: 100 },
    light: null,
    gaps: [[1, 0, 1, 0]],
    missing: { ink: [1, 2, 3], ground: [4, 5, 6], faint: [7, 8, 9] },
    columns: 2,
    rows: 2,
  };
  const row = (y: number): number[] => {
    const out = new Uint8ClampedArray(12);
    paintRow(
      out,
      0,
      y,
      3,
      Float64Array.from([0.5, 1.5, 2.5]),
      Float64Array.from([y + 0.5, y + 0.5, y + 0.5]),
      w,
      paint,
      colourTable(paint.scale),
    );
    return [...out];
  };
  it('gives the colour of the very cell, a hatch inside gaps, little outside them, and nothing beyond the grid', () => {
    const table = rampTable(style.ramp, false);
    expect(row(0).slice(0, 4)).toEqual([table[3 * 127]!, table[3 * 127 + 1]!, table[3 * 127 + 2]!, 255]);
    expect(row(0).slice(4, 8)).toEqual([1, 2, 3, 255]);
    expect(row(1)[7]).toBe(0);
    expect(row(0)[11]).toBe(0);
  });
  it('lets picked values stand out, ends of the range among them', () => {
    const out = new Uint8ClampedArray(12);
    const one = Float64Array.from([0.5, 1.5, 2.5]);
    const at = Float64Array.from([1.5, 1.5, 1.5]);
    const ink: [number, number, number] = [214, 36, 110];
    for (const [low, high, hit] of [
      [100, 120, true],
      [50, 99.9, false],
    ] as const) {
      paintRow(out, 0, 1, 3, one, at, w, { ...paint, pick: { low, high, ink } }, colourTable(paint.scale));
      expect([...out.slice(0, 3)].every((v, i) => v === ink[i])).toBe(hit);
    }
  });
  it('puts values on a break into the upper class', () => {
    const { index } = colourTable({ ...paint.scale, breaks: [25, 50] });
    expect([0, 24.9, 25, 50, 99].map(index)).toEqual([0, 0, 1, 2, 2]);
  });
});

describe('points over a raster', () => {
  const b = new FeaturesBuilder();
  for (let i = 0; i < 4; i++) b.point(i, 0);
  const f = b.build('point', null, [numberColumn('v', [-5, 0, 10, NaN])]);
  it('wear its very colours, with or without classes; missing ones a grey', () => {
    for (const breaks of [[], [2, 6]]) {
      const scale = { ramp: 'viridis', reversed: false, low: 0, high: 10, breaks };
      const s = symbolsOf({ ...PLAIN_VECTOR, by: { kind: 'raster', column: 'v' } }, f, String, scale);
      const { table, index } = colourTable(scale);
      [-5, 0, 10].forEach((v, i) => {
        const k = 3 * index(v);
        const rgb = [1, 3, 5].map((at) => parseInt(s.colours[s.index[i]!]!.slice(at, at + 2), 16));
        expect(rgb).toEqual([table[k]!, table[k + 1]!, table[k + 2]!]);
      });
      expect(s.colours[s.index[3]!]).toBe(MISSING_COLOUR);
    }
  });
  it('say when there is no raster, and have classes that lie alike around zero when wished', () => {
    expect(symbolsOf({ ...PLAIN_VECTOR, by: { kind: 'raster', column: 'v' } }, f).problem).toContain('no raster');
    const by = {
      kind: 'classes',
      column: 'v',
      rule: 'equal',
      classes: 4,
      own: [],
      ramp: 'scales',
      reversed: false,
      around: 0,
    };
    expect(symbolsOf({ ...PLAIN_VECTOR, by: by as never }, f).breaks).toEqual([-5, 0, 5]);
  });
});

describe('numbers for people', () => {
  it('have digits that fit their range', () => {
    expect(formatNumber(0)).toBe('0');
    expect(formatNumber(1234567.89)).toBe('1\u202f234\u202f568');
    expect(formatNumber(-0.04123, 0.1)).toBe('−0.041');
    expect(formatNumber(NaN)).toBe('–');
    expect(formatNumber(12.3456)).toBe('12.35');
    expect(formatDuration(0.2)).toBe('under 1 s');
    expect(formatDuration(200)).toBe('3 min');
    expect(formatBytes(7_600_000)).toBe('7.6 MB');
    expect(formatLength(4200)).toBe('4.20 km');
  });
});

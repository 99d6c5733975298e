import fc from 'fast-check';
import { PaletteShape, rampIdOf } from './palette';
import { RAMPS, rampOf, rampTable, CATEGORY_COLOURS } from './ramps';
import { apart, APART, channels, contrast, greySteps, hexOf, nearest, oklab, seenBy, EYES } from './seen';

const hex = fc.integer({ min: 0, max: 0xffffff }).map((v) => `#${v.toString(16).padStart(6, '0')}`);

describe('how colours are seen', () => {
  it('has the contrast of WCAG 2.2: 21 at most, and 4.54 for the lightest grey that is read on white', () => {
    expect(contrast(channels('#000000'), channels('#ffffff'))).toBeCloseTo(21, 6);
    // Technique G18 of WCAG: #767676 passes 4.5 on white, #777777 does not.
    expect(contrast(channels('#767676'), channels('#ffffff'))).toBeCloseTo(4.54, 2);
    expect(contrast(channels('#777777'), channels('#ffffff'))).toBeLessThan(4.5);
  });

  it('has the OKLab of CSS Color 4 (red, lime and blue; values from memory)', () => {
    const lab = (h: string): number[] => oklab(channels(h)).map((v) => Math.round(v * 1000) / 1000);
    expect(lab('#ffffff')[0]).toBe(1);
    expect(lab('#ff0000')).toEqual([0.628, 0.225, 0.126]);
    expect(lab('#00ff00')).toEqual([0.866, -0.234, 0.179]);
    expect(lab('#0000ff')).toEqual([0.452, -0.032, -0.312]);
  });

  it('leaves greys as they are for every eye', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 255 }), (v) => {
        for (const { id } of EYES) for (const c of seenBy(id, [v, v, v])) expect(c).toBeCloseTo(v, 0);
      }),
    );
  });

  it('brings red and green together for eyes without red or green cones, not for others', () => {
    const [red, green] = ['#c0392b', '#6e8b3d'].map(channels) as [never, never];
    const d = (eyes: (typeof EYES)[number]['id']): number => apart(seenBy(eyes, red), seenBy(eyes, green));
    expect(d('deutan')).toBeLessThan(d('all') / 2);
    expect(d('tritan')).toBeGreaterThan(d('all') / 2);
  });

  it('finds the two that are nearest', () => {
    expect(nearest(['#ff0000', '#0000ff', '#fe0101'], 'all')).toEqual(jasmine.objectContaining({ a: 0, b: 2 }));
    expect(nearest(['#ff0000'], 'all')).toBeNull();
    // The first five of our own for classes are told apart by all eyes.
    for (const { id } of EYES.filter((e) => e.id !== 'grey'))
      expect(nearest(CATEGORY_COLOURS.slice(0, 5), id)!.apart)
        .withContext(id)
        .toBeGreaterThan(APART);
  });

  it('gives classes greys in even steps, in the order in which they were light', () => {
    fc.assert(
      fc.property(fc.uniqueArray(hex, { minLength: 2, maxLength: 9 }), (colours) => {
        const greys = [...greySteps(colours)].sort((x, y) => oklab(channels(y[0]))[0] - oklab(channels(x[0]))[0]);
        const l = greys.map(([, g]) => oklab(channels(g))[0]);
        for (let i = 1; i < l.length; i++) expect(l[i - 1]! - l[i]!).toBeCloseTo(0.62 / (l.length - 1), 1);
      }),
    );
    const close = ['#b6483a', '#6f9b3c', '#4f9fc4'];
    expect(nearest([...greySteps(close).values()], 'grey')!.apart).toBeGreaterThan(0.25);
  });
});

describe('a palette', () => {
  const palette = PaletteShape.parse({
    format: 'helk-palette',
    version: 1,
    name: 'Moor',
    kind: 'diverging',
    colours: ['#102030', '#f0e0d0', '#703010'],
  });

  it('is a ramp by its own colours, wherever a ramp is named', () => {
    const ramp = rampOf(rampIdOf(palette));
    expect([ramp.kind, ramp.stops]).toEqual(['diverging', palette.colours]);
    const table = rampTable(rampIdOf(palette), false);
    const at = (i: number): string => hexOf([table[3 * i]!, table[3 * i + 1]!, table[3 * i + 2]!]);
    expect([at(0), at(255)]).toEqual(['#102030', '#703010']);
  });

  it('is none where a name is no palette', () => {
    for (const id of ['own:sequential:#102030', 'own:sequential:red,blue', 'own:odd:#102030,#203040', 'nothing'])
      expect(rampOf(id)).toBe(RAMPS[0]!);
  });
});

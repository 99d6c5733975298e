import {
  crsOfCode,
  FeaturesBuilder,
  infoOf,
  numberColumn,
  PLAIN_VECTOR,
  symbolsOf,
  type VectorStyle,
} from '@helk/core';
import type { StackInfo } from '@helk/core/data/stack-facts';
import { overAllSteps, spreadOf, steadyLegend } from './stack-layer';

function infoOfValues(values: number[], unit: string | null, steps: number): StackInfo {
  const n = values.length / steps;
  const b = new FeaturesBuilder();
  for (let i = 0; i < n; i++) b.point(i, i);
  return infoOf({
    kind: 'stack',
    places: b.build('point', crsOfCode(32627), []),
    key: null,
    steps: { unit: 'month', every: 12, start: 360, count: steps },
    variables: [{ name: 'v', unit, values: Float64Array.from(values) }],
    grid: null,
    made: 'by hand',
  }) as StackInfo;
}

const classes = (over: object): VectorStyle => ({
  ...PLAIN_VECTOR,
  by: { kind: 'classes', column: 'v', rule: 'equal', classes: 4, own: [], ramp: 'tide', reversed: false, ...over },
});
const points = (values: number[]) => {
  const b = new FeaturesBuilder();
  values.forEach((_, i) => b.point(i, i));
  return b.build('point', null, [numberColumn('v', values)]);
};
const texts = (look: VectorStyle, info: StackInfo, now: number[], window = 1): string[] =>
  steadyLegend(symbolsOf(look, points(now)), look, info, window).legend.map((e) => e.text);

describe('classes over all steps', () => {
  const info = infoOfValues(
    Array.from({ length: 400 }, (_, k) => k / 4),
    '%',
    4,
  );

  it('have breaks from all steps, whatever is seen now, rounded as far as their steps allow', () => {
    const look = overAllSteps(classes({}), info);
    expect(look.by.kind === 'classes' && [look.by.rule, look.by.own]).toEqual(['own', [26, 50, 74]]);
    const now = [1, 2, 3];
    expect(symbolsOf(look, points(now)).index).toEqual(Uint16Array.of(0, 0, 0));
  });

  it('leave out the outermost values, which would flatten all others', () => {
    const wild = infoOfValues([...Array.from({ length: 399 }, (_, k) => k / 4), 1e6], '%', 4);
    expect(spreadOf(wild, 'v', 'equal')!.at(-1)).toBeLessThan(100);
    expect(spreadOf(wild, 'v')!.at(-1)).toBe(1e6);
    expect(spreadOf(wild, 'w')).toBeNull();
  });

  it('keep own breaks and other ways of drawing as they are', () => {
    const own = classes({ rule: 'own', own: [1, 2] });
    expect(overAllSteps(own, info)).toBe(own);
    const one = { ...PLAIN_VECTOR };
    expect(overAllSteps(one, info)).toBe(one);
  });

  it('are told by the ends of all steps, whole numbers one by one', () => {
    const look = overAllSteps(classes({}), info);
    expect(texts(look, info, [1, 2, 3])).toEqual(['0 to 26', '26 to 50', '50 to 74', '74 to 99.8'].map(rounded));
    const counts = infoOfValues([0, 0, 1, 2, 3, 4, 5, 13], '', 4);
    const few = classes({ rule: 'own', own: [1, 2, 3, 5] });
    expect(texts(few, counts, [0, 1])).toEqual(['0', '1', '2', '3 to 4', '5 to 13']);
    // The mean of several steps is no whole number.
    expect(texts(few, counts, [0, 1], 3)).toEqual(['0 to 1', '1 to 2', '2 to 3', '3 to 5', '5 to 13']);
  });

  it('say what is missing now', () => {
    const look = overAllSteps(classes({}), info);
    expect(texts(look, info, [1, NaN]).at(-1)).toBe('missing');
  });
});

/** Ends are told with as many digits as the steps between breaks need. */
const rounded = (s: string): string => s.replace('99.8', '100');

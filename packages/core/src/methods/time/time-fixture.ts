import { FeaturesBuilder, type Features } from '../../data/features';
import type { Dataset } from '../../data/kinds';
import type { TimeStack } from '../../data/stack';
import { textColumn, type Table } from '../../data/table';
import { methodOf } from '../../method/registry';
import { runMethod, type Outcome } from '../../method/run';

/** Squares in a row, 10 wide, with columns. */
export function squares(n: number, ...columns: Features['columns']): Features {
  const b = new FeaturesBuilder();
  for (let i = 0; i < n; i++) {
    for (const [x, y] of [
      [0, 0],
      [10, 0],
      [10, 10],
      [0, 10],
      [0, 0],
    ])
      b.coordinate(10 * i + x!, y!);
    b.endRing();
    b.endPart();
    b.endFeature();
  }
  return b.build('polygon', null, columns);
}

export function points(all: [x: number, y: number][], ...columns: Features['columns']): Features {
  const b = new FeaturesBuilder();
  for (const [x, y] of all) b.point(x, y);
  return b.build('point', null, columns);
}

export const run = (
  id: string,
  data: Record<string, Dataset[]>,
  params: Record<string, unknown> = {},
): Promise<Outcome> => runMethod(methodOf(id), data, params, { names: {} });
export const only = async (id: string, data: Record<string, Dataset[]>, params: Record<string, unknown> = {}) => {
  const o = await run(id, data, params);
  return { ...o, stack: o.outputs[0]!.data as TimeStack, features: o.outputs[0]!.data as Features };
};
export const values = (f: Features | Table, name: string): unknown[] => {
  const c = f.columns.find((o) => o.name === name)!;
  return Array.from(c.values as ArrayLike<unknown>, (v, i) => (c.missing?.[i] ? null : v));
};
export const said = (o: Outcome, code: string): string | undefined => o.notes.find((n) => n.code === code)?.message;
export const series = (s: TimeStack, place: number, variable = 0): number[] =>
  Array.from(s.variables[variable]!.values.slice(place * s.steps.count, (place + 1) * s.steps.count));

/** Places whose series rise, fall, stay and are zero. */
export function histories(steps: number): TimeStack {
  const make = [
    (t: number) => t,
    (t: number) => -2 * t || 0,
    (t: number) => (t * 7) % 3,
    () => 0,
    (t: number) => (t < 2 ? t : NaN),
  ];
  const out = new Float64Array(make.length * steps);
  make.forEach((f, i) => {
    for (let t = 0; t < steps; t++) out[i * steps + t] = f(t);
  });
  return {
    kind: 'stack',
    places: squares(make.length, textColumn('key', ['up', 'down', 'about', 'nought', 'few'])),
    key: 'key',
    steps: { unit: 'month', every: 12, start: 240, count: steps },
    variables: [{ name: 'n', unit: 'kg', values: out }],
    grid: null,
    made: 'by hand',
  };
}

import type { Stretch } from '@helk/core';

/** Ways of stretching by the words they are offered in. */
export const STRETCHES: readonly { key: string; title: string; stretch: Stretch }[] = [
  { key: 'minmax', title: 'lowest to highest', stretch: { kind: 'minmax' } },
  { key: 'p1', title: '1 to 99 %', stretch: { kind: 'percentile', cut: 1 } },
  { key: 'p2', title: '2 to 98 %', stretch: { kind: 'percentile', cut: 2 } },
  { key: 'p5', title: '5 to 95 %', stretch: { kind: 'percentile', cut: 5 } },
  { key: 'sd1', title: 'mean ± 1 s.d.', stretch: { kind: 'sd', times: 1 } },
  { key: 'sd2', title: 'mean ± 2 s.d.', stretch: { kind: 'sd', times: 2 } },
];

export const stretchKey = (s: Stretch): string =>
  s.kind === 'percentile' ? `p${s.cut}` : s.kind === 'sd' ? `sd${s.times}` : s.kind;

/** The stretch that a word means; `own` begins at the limits there are. */
export const stretchOf = (key: string, [low, high]: [number, number]): Stretch =>
  STRETCHES.find((s) => s.key === key)?.stretch ?? { kind: 'own', low, high };

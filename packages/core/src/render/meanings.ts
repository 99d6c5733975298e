import { greySteps } from './seen';
/** Classes that mean the same wherever they come from, each with a colour of ours and a grey for print; what is not significant is paper. In the order in which they are told. */
export const MEANT: Readonly<Record<string, { colour: string; grey: string; words?: string }>> = {
  'high-high': { colour: '#6d2f5c', grey: '#1f1f1f', words: 'high among high' },
  'low-low': { colour: '#2f6f5e', grey: '#8c8c8c', words: 'low among low' },
  'high-low': { colour: '#c98b2f', grey: '#565656', words: 'high among low' },
  'low-high': { colour: '#7fb0a6', grey: '#b8b8b8', words: 'low among high' },
  high: { colour: '#6d2f5c', grey: '#1f1f1f' },
  low: { colour: '#2f6f5e', grey: '#8c8c8c' },
  same: { colour: '#8a8f7c', grey: '#8c8c8c', words: 'the same' },
  other: { colour: '#c98b2f', grey: '#565656', words: 'of another kind' },
  came: { colour: '#6d2f5c', grey: '#1f1f1f' },
  went: { colour: '#7fb0a6', grey: '#b8b8b8' },
  'rising strongly': { colour: '#8a4a0c', grey: '#2b2b2b' },
  rising: { colour: '#d6a25a', grey: '#6b6b6b' },
  'no trend': { colour: '#ebe4d6', grey: '#f3f3f3' },
  falling: { colour: '#a79dd0', grey: '#a5a5a5' },
  'falling strongly': { colour: '#463a80', grey: '#c9c9c9' },
  'too few values': { colour: '#b9b4aa', grey: '#d8d8d8' },
  'not significant': { colour: '#ebe4d6', grey: '#f3f3f3' },
  'no neighbours': { colour: '#b9b4aa', grey: '#d8d8d8' },
};

/** What a class is called in a key. */
export const meantWords = (label: string): string =>
  (Object.hasOwn(MEANT, label) ? MEANT[label]!.words : undefined) ?? label;

/** Labels in the order of their meaning, where most of them have one; else as they are. */
export function inOrder<T>(all: readonly T[], label: (one: T) => string): T[] {
  const order = Object.keys(MEANT);
  const rank = (one: T): number => (order.indexOf(label(one)) + order.length + 1) % (order.length + 1);
  const meant = all.filter((one) => order.includes(label(one))).length * 2 > all.length;
  return meant ? [...all].sort((a, b) => rank(a) - rank(b)) : [...all];
}

/** Colours of some of them, as a way of drawing has them. */
export const meantColours = (...words: (keyof typeof MEANT)[]): Record<string, string> =>
  Object.fromEntries(words.map((w) => [w, MEANT[w]!.colour]));

/** Greys of classes for print, in their order: those that are meant by their names, else even steps in the order in which their colours are light. */
export function greysOf(labels: readonly string[], colours: readonly string[]): string[] {
  const steps = greySteps(colours);
  return labels.map((label, i) => (Object.hasOwn(MEANT, label) ? MEANT[label]!.grey : steps.get(colours[i]!)!));
}

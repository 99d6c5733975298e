/** Classes that mean the same wherever they come from, each with a colour of ours and a grey for print; what is not significant is paper. */
export const MEANT: Readonly<Record<string, { colour: string; grey: string }>> = {
  'high-high': { colour: '#6d2f5c', grey: '#1f1f1f' },
  'low-low': { colour: '#2f6f5e', grey: '#8c8c8c' },
  'high-low': { colour: '#c98b2f', grey: '#565656' },
  'low-high': { colour: '#7fb0a6', grey: '#b8b8b8' },
  high: { colour: '#6d2f5c', grey: '#1f1f1f' },
  low: { colour: '#2f6f5e', grey: '#8c8c8c' },
  'not significant': { colour: '#ebe4d6', grey: '#f3f3f3' },
  'no neighbours': { colour: '#b9b4aa', grey: '#d8d8d8' },
  same: { colour: '#8a8f7c', grey: '#8c8c8c' },
  other: { colour: '#c98b2f', grey: '#565656' },
  came: { colour: '#6d2f5c', grey: '#1f1f1f' },
  went: { colour: '#7fb0a6', grey: '#b8b8b8' },
};

/** Colours of some of them, as a way of drawing has them. */
export const meantColours = (...words: (keyof typeof MEANT)[]): Record<string, string> =>
  Object.fromEntries(words.map((w) => [w, MEANT[w]!.colour]));

/** Greys of classes for print: those that are meant, else evenly from dark to light. */
export const greysOf = (labels: readonly string[]): Record<string, string> =>
  Object.fromEntries(
    labels.map((label, i) => {
      const v = Math.round(40 + (i * 200) / Math.max(1, labels.length - 1))
        .toString(16)
        .padStart(2, '0');
      return [label, Object.hasOwn(MEANT, label) ? MEANT[label]!.grey : `#${v}${v}${v}`];
    }),
  );

import type { Palette } from '@helk/core/render/palette';
import { APART, channels, EYES, nearest, oklab, seenBy } from '@helk/core/render/seen';

/** Lightness by which a ramp may turn back without anybody being misled. */
const TURN = 0.02;

/** What should be known of colours before they are used: which can't be told apart, by whom; whether a ramp is read in grey. */
export function paletteChecks({ kind, colours }: Pick<Palette, 'kind' | 'colours'>): string[] {
  if (kind === 'classes')
    return EYES.flatMap(({ id, label }) => {
      const near = nearest(colours, id);
      return near && near.apart < APART
        ? [
            `${label === 'as it is' ? 'For every eye' : sentence(label)}, colours ${near.a + 1} and ${near.b + 1} can hardly be told apart.`,
          ]
        : [];
    });
  const light = colours.map((c) => oklab(channels(c))[0]);
  const out: string[] = [];
  if (kind === 'sequential' && !rises(light) && !rises([...light].reverse()))
    out.push('Lightness goes up and down along it: in grey, and for some eyes, high and low are confused.');
  if (kind === 'diverging') {
    const middle = Math.floor(light.length / 2);
    const half = [light.slice(0, middle + 1), light.slice(middle).reverse()];
    if (!half.every(rises) && !half.every((h) => rises([...h].reverse())))
      out.push('The middle is not the lightest or the darkest: where it turns cannot be seen.');
    const ends = [colours[0]!, colours.at(-1)!];
    for (const { id, label } of EYES.filter((e) => e.id !== 'grey')) {
      const near = nearest(ends, id);
      if (near && near.apart < 2 * APART) out.push(`${sentence(label)}, both ends look alike.`);
    }
  }
  return out;
}

const rises = (l: readonly number[]): boolean => l.every((v, i) => !i || v >= l[i - 1]! - TURN);
const sentence = (s: string): string => s[0]!.toUpperCase() + s.slice(1);

/** Colours as some eyes see them, as a background. */
export const seenColours = (colours: readonly string[], eyes: (typeof EYES)[number]['id']): string[] =>
  colours.map((c) => {
    const [r, g, b] = seenBy(eyes, channels(c));
    return `rgb(${r.toFixed(0)} ${g.toFixed(0)} ${b.toFixed(0)})`;
  });

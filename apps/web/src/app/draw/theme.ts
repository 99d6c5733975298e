import type { Symbols } from '@helk/core';

/** Colours of the furniture that drawing needs, as they are at this moment. */
export interface Theme {
  dark: boolean;
  pick: string;
  ink: string;
  paper: string;
  /** What lies under everything. */
  ground: string;
  quiet: string;
  missing: { ink: number[]; ground: number[]; faint: number[] };
}

const LIGHT = { ink: [214, 36, 110], ground: [253, 238, 244], faint: [216, 207, 190] };
const DARK = { ink: [255, 111, 165], ground: [58, 29, 42], faint: [60, 68, 69] };

/** Colours of what is printed, whatever the screen looks like. */
export const PAPER_THEME: Theme = {
  dark: false,
  pick: '#d6246e',
  ink: '#1d282c',
  paper: '#fcfaf5',
  ground: '#f6f2e9',
  quiet: '#59656a',
  missing: LIGHT,
};

export function themeNow(dark: boolean): Theme {
  const css = getComputedStyle(document.documentElement);
  const token = (name: string): string => css.getPropertyValue(name).trim();
  return {
    dark,
    pick: token('--pick'),
    ink: token('--ink'),
    paper: token('--leaf'),
    ground: token('--paper'),
    quiet: token('--ink-2'),
    missing: dark ? DARK : LIGHT,
  };
}

/** Colours that stand for paper, and what stands for it in the dark: what is quiet must not be the brightest thing there is. */
const PAPER: Record<string, string> = { '#ebe4d6': '#2b3233', '#fbf8f2': '#171b1c' };

/** A colour as it is drawn in a theme. */
export const onPaper = (colour: string, dark: boolean): string => (dark ? (PAPER[colour] ?? colour) : colour);

export const isDark = (): boolean => document.documentElement.dataset['theme'] === 'dark';

/** Worked-out symbols with the colours of a theme. */
export const symbolsOnPaper = (s: Symbols, dark: boolean): Symbols =>
  dark
    ? {
        ...s,
        colours: s.colours.map((c) => onPaper(c, dark)),
        legend: s.legend.map((e) => ({ ...e, colour: onPaper(e.colour, dark) })),
      }
    : s;

/** Red, green and blue of `#rrggbb`. */
export const rgbOf = (hex: string): [number, number, number] => {
  const v = parseInt(hex.slice(1), 16);
  return [v >> 16, (v >> 8) & 255, v & 255];
};

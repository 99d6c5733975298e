import type { ScaleOptionsByType } from 'chart.js';

/** A colour of the theme in force. */
export const themeColour = (name: string): string =>
  getComputedStyle(document.documentElement).getPropertyValue(name).trim();

/** Room for the title above the picture of a panel, pixels. */
export const PANEL_HEAD = 30;

export const NUMBER_FONT = { family: '"IBM Plex Mono"', size: 11 };
export const WORD_FONT = { family: '"Instrument Sans Variable"', size: 12 };

/** Axes as every chart here has them: numbers in the number voice, a hairline below, soft lines across. */
export function axis(
  way: 'x' | 'y',
  title: string,
  format: (v: number) => string,
  over: object = {},
): Partial<ScaleOptionsByType<'linear'>> {
  const ink = themeColour('--ink-2');
  const across = way === 'y';
  return {
    type: 'linear',
    title: { display: title !== '', text: title, color: ink, font: WORD_FONT, padding: across ? 4 : 0 },
    ticks: {
      color: ink,
      font: NUMBER_FONT,
      maxRotation: 0,
      maxTicksLimit: across ? 5 : 8,
      callback: (v: string | number) => format(Number(v)),
    },
    grid: across ? { color: themeColour('--line-soft') } : { display: false },
    border: across ? { display: false } : { color: themeColour('--line') },
    ...over,
  } as unknown as Partial<ScaleOptionsByType<'linear'>>;
}

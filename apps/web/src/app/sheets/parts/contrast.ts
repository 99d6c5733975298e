import { channels, contrast } from '@helk/core/render/seen';
import { plainColour } from '../../draw/grey';
import type { PartCheck } from './part';

/** Least contrast of letters with what they stand on, and of large ones (WCAG 2.2, success criterion 1.4.3). */
const LEAST = { small: 4.5, large: 3 };
/** Size from which letters are large, points. */
const LARGE = 18;
const INKS = ['#1d282c', '#fcfaf5'] as const;

const of = (css: string) => channels(plainColour(css));

/** What is said of letters that can hardly be read on their paper; null where they can. @param size points */
export function contrastCheck(part: string, letters: string, paper: string, size: number): PartCheck | null {
  const c = contrast(of(letters), of(paper));
  const least = size >= LARGE ? LEAST.large : LEAST.small;
  return c >= least
    ? null
    : {
        part,
        text: `The letters have a contrast of ${c.toFixed(1)} to 1 with the paper; ${least} to 1 can be read by most.`,
      };
}

/** The one of ink and paper that is read on a colour. */
export const readableOn = (paper: string): string =>
  contrast(of(INKS[0]), of(paper)) >= contrast(of(INKS[1]), of(paper)) ? INKS[0] : INKS[1];

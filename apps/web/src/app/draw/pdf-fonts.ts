import mono400 from '@fontsource/ibm-plex-mono/files/ibm-plex-mono-latin-400-normal.woff' with { loader: 'file' };
import monoExt400 from '@fontsource/ibm-plex-mono/files/ibm-plex-mono-latin-ext-400-normal.woff' with {
  loader: 'file',
};
import monoCyrillic400 from '@fontsource/ibm-plex-mono/files/ibm-plex-mono-cyrillic-400-normal.woff' with {
  loader: 'file',
};
import sans400 from '@fontsource/instrument-sans/files/instrument-sans-latin-400-normal.woff' with { loader: 'file' };
import sansExt400 from '@fontsource/instrument-sans/files/instrument-sans-latin-ext-400-normal.woff' with {
  loader: 'file',
};
import sans600 from '@fontsource/instrument-sans/files/instrument-sans-latin-600-normal.woff' with { loader: 'file' };
import sansExt600 from '@fontsource/instrument-sans/files/instrument-sans-latin-ext-600-normal.woff' with {
  loader: 'file',
};
import type { Face } from './display';

/**
 * Files that hold the letters of a face, the first that has a letter is taken. They are the fonts of the screen cut by alphabet, in fixed
 * weights: documents have no variable ones.
 */
export function fontFiles(face: Face, weight: number): readonly string[] {
  if (face === 'mono') return [mono400, monoExt400, monoCyrillic400];
  return weight > 500 ? [sans600, sansExt600, monoCyrillic400] : [sans400, sansExt400, monoCyrillic400];
}

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
import voice400 from '@fontsource/newsreader/files/newsreader-latin-400-italic.woff' with { loader: 'file' };
import voiceExt400 from '@fontsource/newsreader/files/newsreader-latin-ext-400-italic.woff' with { loader: 'file' };
import arabic from '@fontsource/noto-sans-arabic/files/noto-sans-arabic-arabic-400-normal.woff' with { loader: 'file' };
import hebrew from '@fontsource/noto-sans-hebrew/files/noto-sans-hebrew-hebrew-400-normal.woff' with { loader: 'file' };
import cyrillic from '@fontsource/noto-sans/files/noto-sans-cyrillic-400-normal.woff' with { loader: 'file' };
import cyrillicExt from '@fontsource/noto-sans/files/noto-sans-cyrillic-ext-400-normal.woff' with { loader: 'file' };
import devanagari from '@fontsource/noto-sans/files/noto-sans-devanagari-400-normal.woff' with { loader: 'file' };
import greek from '@fontsource/noto-sans/files/noto-sans-greek-400-normal.woff' with { loader: 'file' };
import greekExt from '@fontsource/noto-sans/files/noto-sans-greek-ext-400-normal.woff' with { loader: 'file' };
import noto from '@fontsource/noto-sans/files/noto-sans-latin-ext-400-normal.woff' with { loader: 'file' };
import vietnamese from '@fontsource/noto-sans/files/noto-sans-vietnamese-400-normal.woff' with { loader: 'file' };
import type { Face } from './display';

/** Other alphabets, for every face. */
const OTHERS = [greek, cyrillic, greekExt, cyrillicExt, vietnamese, arabic, hebrew, devanagari, noto];

/**
 * Files that hold the letters of a face, the first that has a letter is taken. They are the fonts of the screen cut by alphabet, in fixed
 * weights: documents have no variable ones.
 */
export function fontFiles(face: Face, weight: number): readonly string[] {
  if (face === 'mono') return [mono400, monoExt400, monoCyrillic400, ...OTHERS];
  if (face === 'voice') return [voice400, voiceExt400, ...OTHERS];
  return weight > 500 ? [sans600, sansExt600, ...OTHERS] : [sans400, sansExt400, ...OTHERS];
}

import type { Document } from '@helk/core/report/document';
import { fontFiles } from '../draw/fonts';

const FACES = [
  { family: 'Instrument Sans', style: 'normal', weight: 400, files: fontFiles('sans', 400) },
  { family: 'Instrument Sans', style: 'normal', weight: 600, files: fontFiles('sans', 600) },
  { family: 'Newsreader', style: 'italic', weight: 400, files: fontFiles('voice', 400) },
  { family: 'IBM Plex Mono', style: 'normal', weight: 400, files: fontFiles('mono', 400) },
] as const;
/** Letters of the first two files of each face. */
const RANGES = [
  'U+0000-00FF,U+0131,U+0152-0153,U+02BB-02BC,U+02C6,U+02DA,U+02DC,U+2000-206F,U+20AC,U+2122,U+2191,U+2193,U+2212,U+2215,U+FEFF,U+FFFD',
  'U+0100-02BA,U+1E00-1EFF,U+20A0-20AB,U+20AD-20C0',
];
/** Whether a text has letters of the second. */
const EXTENDED = /[\u0100-\u02ba\u1e00-\u1eff]/;

const rule = (f: (typeof FACES)[number], k: number, address: string): string =>
  `@font-face{font-family:"${f.family}";font-style:${f.style};font-weight:${f.weight};src:url(${address}) format("woff");unicode-range:${RANGES[k]}}`;

/** Rules for the fonts of a report as this server has them. */
export const fontsHere = (): string => FACES.flatMap((f) => [0, 1].map((k) => rule(f, k, f.files[k]!))).join('');

const data = new Map<string, Promise<string>>();
const dataOf = (file: string): Promise<string> => {
  let d = data.get(file);
  if (!d) {
    d = fetch(file)
      .then((r) => r.blob())
      .then(
        (b) =>
          new Promise<string>((done, failed) => {
            const reader = new FileReader();
            reader.onload = () => done(String(reader.result as string).replace(/^data:[^;,]*/, 'data:font/woff'));
            reader.onerror = () => failed(new Error('A font could not be read.'));
            reader.readAsDataURL(b);
          }),
      );
    d.catch(() => data.delete(file));
    data.set(file, d);
  }
  return d;
};

/** The same with the fonts in them, so that a page needs no server: only those whose letters it has. */
export async function fontsWithin(doc: Document): Promise<string> {
  const files = EXTENDED.test(JSON.stringify(doc)) ? [0, 1] : [0];
  const rules = await Promise.all(FACES.flatMap((f) => files.map(async (k) => rule(f, k, await dataOf(f.files[k]!)))));
  return rules.join('');
}

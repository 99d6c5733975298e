import fontkit from '@pdf-lib/fontkit';
import bidiFactory from 'bidi-js';
import type { PDFDocument, PDFFont } from 'pdf-lib';
import type { TextItem } from './display';
import { fontFiles } from './fonts';
import { unwrapFont } from './woff';

interface FontFile {
  bytes: Uint8Array;
  has: ReadonlySet<number>;
}

const files = new Map<string, Promise<FontFile>>();

function fontFile(file: string): Promise<FontFile> {
  let job = files.get(file);
  if (!job) {
    job = (async () => {
      const answer = await fetch(new URL(file, document.baseURI));
      if (!answer.ok) throw new Error('A font for the document could not be fetched.');
      const bytes = unwrapFont(await answer.arrayBuffer());
      return { bytes, has: new Set(fontkit.create(bytes).characterSet) };
    })();
    // What failed once may be there the next time.
    job.catch(() => files.delete(file));
    files.set(file, job);
  }
  return job;
}

const bidi = bidiFactory();
/** Letters of alphabets that are written from the right, where the order of letters has to be worked out. */
const FROM_RIGHT = /[\u0590-\u08ff\ufb1d-\ufdff\ufe70-\ufeff]/;
/** Signs that belong to whatever stands beside them. */
const NEUTRAL = /[\s\u00a0.,:;!?()/+-]/;

/** A text in runs of one direction, in the order in which they stand on paper (Unicode Standard Annex 9); letters within stay in reading order. */
export function visualRuns(text: string): { text: string; right: boolean }[] {
  if (!FROM_RIGHT.test(text)) return [{ text, right: false }];
  const { levels, paragraphs } = bidi.getEmbeddingLevels(text);
  const runs: { text: string; level: number }[] = [];
  for (let i = 0; i < text.length; i++) {
    const last = runs.at(-1);
    if (last && last.level === levels[i]) last.text += text[i]!;
    else runs.push({ text: text[i]!, level: levels[i]! });
  }
  // Runs are turned about level by level, from the highest to the lowest odd one (rule L2).
  const highest = Math.max(...runs.map((r) => r.level), paragraphs[0]?.level ?? 0);
  for (let level = highest; level > 0; level--)
    for (let i = 0; i < runs.length; i++) {
      if (runs[i]!.level < level) continue;
      let j = i;
      while (j + 1 < runs.length && runs[j + 1]!.level >= level) j++;
      runs.splice(i, j - i + 1, ...runs.slice(i, j + 1).reverse());
      i = j;
    }
  return runs.map((r) => ({ text: r.text, right: r.level % 2 === 1 }));
}

/** Fonts of a document, each embedded when a text first needs it, cut to the letters that are used. */
export class Fonts {
  private readonly held = new Map<string, Promise<PDFFont>>();
  constructor(private readonly doc: PDFDocument) {}

  private font(file: string): Promise<PDFFont> {
    let job = this.held.get(file);
    if (!job) {
      job = fontFile(file).then((f) => this.doc.embedFont(f.bytes, { subset: true }));
      this.held.set(file, job);
    }
    return job;
  }

  /** A text in stretches of one font each, as they stand from left to right; null where a letter is in none of them. */
  async spell(t: TextItem): Promise<{ text: string; font: PDFFont }[] | null> {
    const out: { text: string; file: string }[] = [];
    for (const run of visualRuns(t.text)) {
      const parts: { text: string; file: string }[] = [];
      for (const letter of run.text) {
        const last = parts.at(-1);
        const code = letter.codePointAt(0)!;
        // A space within a word of another alphabet would cut what has to be joined.
        if (last && NEUTRAL.test(letter) && run.right && (await fontFile(last.file)).has.has(code)) {
          last.text += letter;
          continue;
        }
        let found: string | null = null;
        for (const file of fontFiles(t.face ?? 'sans', t.weight ?? 450)) {
          if (!(await fontFile(file)).has.has(code)) continue;
          found = file;
          break;
        }
        if (!found) return null;
        if (last?.file === found) last.text += letter;
        else parts.push({ text: letter, file: found });
      }
      out.push(...(run.right ? parts.reverse() : parts));
    }
    return Promise.all(out.map(async (p) => ({ text: p.text, font: await this.font(p.file) })));
  }
}

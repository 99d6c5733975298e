import type { Method } from './define';
import { misfit } from './resolve';
import type { DatasetInfo } from '../data/dataset';

export interface Answer {
  method: Method;
  score: number;
  /** Whether the selected data can stand in one of its inputs. */
  fits: boolean;
}

const STOP = new Set([
  'a',
  'an',
  'the',
  'is',
  'it',
  'of',
  'in',
  'to',
  'do',
  'does',
  'i',
  'my',
  'this',
  'that',
  'how',
  'what',
  'which',
  'where',
  'are',
  'and',
  'for',
  'on',
  'one',
]);

const words = (s: string): string[] =>
  s
    .toLowerCase()
    .split(/[^\p{L}\p{N}]+/u)
    .filter(Boolean);

/**
 * Methods that answer what was typed, by question, trade name, id and keyword; those that the selected data fit first. An
 * empty text lists everything that fits. Words match by beginning; each word must match somewhere, filler words aside.
 */
export function ask(text: string, all: readonly Method[], selected: DatasetInfo[] = []): Answer[] {
  const typed = words(text);
  const asked = typed.filter((w) => !STOP.has(w) || w.length > 5);
  const wanted = asked.length ? asked : typed;
  const out: Answer[] = [];
  for (const method of all) {
    const fits =
      selected.length === 0 || Object.values(method.inputs).some((s) => selected.every((d) => misfit(s, d) === null));
    const title = words(`${method.title} ${method.id}`);
    const keys = words(method.keywords.join(' '));
    const question = words(method.question);
    let score = 0;
    let all = true;
    for (const w of wanted) {
      const hit = (list: string[]): boolean =>
        list.some((x) => x.startsWith(w) || (w.length > 4 && x.length > 3 && w.startsWith(x)));
      const s = hit(title) ? 5 : hit(keys) ? 3 : hit(question) ? 2 : 0;
      if (s === 0) all = false;
      score += s;
    }
    if (wanted.length && (!all || score === 0)) continue;
    out.push({ method, score: score / Math.max(1, wanted.length), fits });
  }
  return out.sort((a, b) => Number(b.fits) - Number(a.fits) || b.score - a.score);
}

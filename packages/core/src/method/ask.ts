import MiniSearch from 'minisearch';
import type { InputSpec } from './define';
import { misfit } from './misfit';
import type { DatasetInfo } from '../data/kinds';

/** What there is to find of a method: itself, or its description. */
export interface Findable {
  id: string;
  title: string;
  question: string;
  about: string;
  keywords: string[];
  inputs: Record<string, InputSpec>;
}

export interface Answer<M extends Findable> {
  method: M;
  score: number;
  /** Whether the selected data can stand in one of its inputs. */
  fits: boolean;
}

/** Words that every question has, and those that every method is about. */
const FILLER = new Set(
  (
    'a an and are as at be become been by can did do does for from get give has have how i if in into is it its lie lies like make me my of ' +
    'on one or our out should show so some than that the their them then there these they this those to up use want was we were what ' +
    'when where which who why will with would you'
  ).split(' '),
);

/** Trade words and everyday words that mean the same here. */
const ALIKE: Record<string, string> = {
  polygon: 'area',
  zone: 'area',
  region: 'area',
  parcel: 'area',
  layer: 'set',
  dataset: 'set',
  elevation: 'ground',
  terrain: 'ground',
  dem: 'ground',
  river: 'stream',
  brook: 'stream',
  catchment: 'watershed',
  basin: 'watershed',
  hole: 'gap',
  void: 'gap',
  nodata: 'gap',
  isoline: 'contour',
  cut: 'clip',
  crop: 'clip',
  reclassify: 'recode',
  projection: 'reproject',
  project: 'reproject',
  convert: 'reproject',
  tile: 'mosaic',
  stitch: 'mosaic',
  voronoi: 'thiessen',
  resolution: 'resample',
  trustworthy: 'trust',
  reliable: 'trust',
};

/** The stem that English endings leave: `areas`, `merging`, `merged` and `merge` are one word. */
function stem(word: string): string {
  if (word.length <= 3) return word;
  const w = word.replace(/(ies)$/, 'y').replace(/([^s])s$/, '$1');
  return w.length > 5 ? w.replace(/(ing|ed|er|ly|ion|e)$/, '') : w;
}

const MEANT = new Map(Object.entries(ALIKE).map(([word, same]) => [stem(word), stem(same)]));

function term(word: string): string | null {
  const w = word.toLowerCase();
  if (FILLER.has(w)) return null;
  const s = stem(w);
  return MEANT.get(s) ?? s;
}

const indexes = new WeakMap<readonly Findable[], MiniSearch>();

function indexOf(all: readonly Findable[]): MiniSearch {
  let index = indexes.get(all);
  if (!index) {
    index = new MiniSearch({
      fields: ['title', 'id', 'keywords', 'question', 'about'],
      processTerm: term,
      tokenize: (text) => text.split(/[^\p{L}\p{N}]+/u).filter(Boolean),
      searchOptions: {
        boost: { title: 6, id: 6, keywords: 5, question: 5, about: 1 },
        prefix: (t) => t.length > 2,
        fuzzy: (t) => (t.length > 4 ? 0.2 : false),
        weights: { prefix: 0.35, fuzzy: 0.2 },
      },
    });
    index.addAll(
      // Words joined by a capital are several: flowDirection.
      all.map((m) => ({
        id: m.id,
        question: m.question,
        about: m.about,
        title: `${m.title} ${m.id.replace(/([a-z])([A-Z])/g, '$1 $2')}`,
        keywords: m.keywords.join(' '),
      })),
    );
    indexes.set(all, index);
  }
  return index;
}

/** Letters from which on what is typed is held against questions as they stand. */
const TYPED = 5;
const plain = (text: string): string =>
  text
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, ' ')
    .trim();

/** Answers weaker than this share of the best are chance. */
const WEAK = 0.3;

/**
 * Methods that answer what was typed, by question, trade name, id, keyword and description, with endings, usual synonyms and small
 * slips of the keyboard forgiven; those that the selected data fit first. Methods in which every word is found go before those in
 * which some are. An empty text lists everything.
 */
export function ask<M extends Findable>(text: string, all: readonly M[], selected: DatasetInfo[] = []): Answer<M>[] {
  const fits = (m: M): boolean =>
    selected.length === 0 || Object.values(m.inputs).some((s) => selected.every((d) => misfit(s, d) === null));
  const byFit = (a: Answer<M>, b: Answer<M>): number => Number(b.fits) - Number(a.fits) || b.score - a.score;
  if (!text.trim()) return all.map((method) => ({ method, score: 0, fits: fits(method) })).sort(byFit);
  const index = indexOf(all);
  const methods = new Map(all.map((m) => [m.id, m]));
  const answers = (how: 'AND' | 'OR'): Answer<M>[] =>
    index.search(text, { combineWith: how }).map((r) => {
      const method = methods.get(r.id as string)!;
      return { method, score: r.score, fits: fits(method) };
    });
  const strong = (found: Answer<M>[]): Answer<M>[] =>
    found.filter((a) => a.score >= WEAK * found[0]!.score).sort(byFit);
  // Whoever types a question or a title as it stands, or its beginning, means that.
  const typed = plain(text);
  const asks = (m: M, whole: boolean): boolean =>
    [m.question, m.title].some((t) => (whole ? plain(t) === typed : plain(t).startsWith(typed)));
  const meant = new Set(typed.length < TYPED ? [] : all.filter((m) => asks(m, false)));
  const byMeaning = (a: Answer<M>, b: Answer<M>): number =>
    Number(asks(b.method, true)) - Number(asks(a.method, true)) || byFit(a, b);
  const first = (found: Answer<M>[]): Answer<M>[] => [
    ...[...meant].map((method) => ({ method, score: found[0]?.score ?? 1, fits: fits(method) })).sort(byMeaning),
    ...found.filter((a) => !meant.has(a.method)),
  ];
  const whole = strong(answers('AND'));
  return first(whole.length ? whole : strong(answers('OR')));
}

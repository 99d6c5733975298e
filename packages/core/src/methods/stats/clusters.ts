import type { Column } from '../../data/features';
import { textColumn } from '../../data/table';
import { choice, number, text } from '../../method/params';
import type { Job } from '../../method/job';
import { plural } from '../../data/check';
import { formatNumber } from '../../data/number-words';
import { defineKernel } from '../../method/parallel';
import { conditional, type Correction } from '../../numeric/local-association';
import type { Rows } from '../../numeric/sparse-rows';
import { meantColours } from '../../render/meanings';
import type { Sample } from './neighbours';

/** What a place and its neighbours are, in words; the first are what a value of it among its neighbours' is called. */
export const NOT_SIGNIFICANT = 'not significant';
export const ALONE = 'no neighbours';

export const ASSOCIATION_COLOURS = meantColours('high-high', 'low-low', 'high-low', 'low-high', NOT_SIGNIFICANT, ALONE);
export const GATHERING_COLOURS = meantColours('high', 'low', NOT_SIGNIFICANT, ALONE);

export const quarterOf = (value: number, lag: number): string =>
  `${value > 0 ? 'high' : 'low'}-${lag > 0 ? 'high' : 'low'}`;

/** Values of a sample put where they belong among all features; missing elsewhere. */
export function spread(s: Sample, values: ArrayLike<number>): Float64Array {
  const out = new Float64Array(s.place.length).fill(NaN);
  s.kept.forEach((i, k) => (out[i] = values[k]!));
  return out;
}

/** Words of a sample put where they belong; missing elsewhere. */
export function wordsColumn(name: string, s: Sample, word: (k: number) => string): Column {
  const missing = Uint8Array.from(s.place, (k) => (k < 0 ? 1 : 0));
  const c = textColumn(
    name,
    Array.from(s.place, (k) => (k < 0 ? '' : word(k))),
  );
  return missing.includes(1) ? { ...c, missing } : c;
}

export const significanceParams = {
  significance: number({ label: 'Significance', above: 0, max: 0.5 }).default(0.05),
  correction: choice(
    {
      none: 'none',
      fdr: 'share of false ones (Benjamini and Hochberg)',
      bonferroni: 'no false one at all (Bonferroni)',
    },
    { label: 'Correction for many tests' },
  ).default('none'),
  prefix: text({
    label: 'Columns begin with',
    most: 40,
    help: 'So that results of several years can be told apart.',
  }).default(''),
};

/** What many tests at one level let through by chance, before the run. */
export function chanceChecks(count: number, p: { significance: number; correction: Correction }) {
  return p.correction === 'none' && count >= 2
    ? [
        {
          level: 'look' as const,
          code: 'stats.many',
          about: 'correction',
          message: `At ${p.significance} about ${formatNumber(Math.round(count * p.significance))} of ${formatNumber(count)} would stand out by chance alone.`,
          mend: { label: 'Correct for many tests', set: { correction: 'fdr' } },
        },
      ]
    : [];
}

interface Drawing {
  rows: Rows;
  x: Float64Array;
  draws: number;
  seed: number;
}
/** Links of places whose shuffles a thread does in one go; fixed by the data only. */
const WORK = 200_000;

const local = defineKernel('stats.conditional', (d: Drawing, b: { from: number; to: number }) =>
  conditional(d.rows, d.x, b.from, b.to, d.draws, d.seed),
);

/** Folded p of conditional shuffles for every place of a sample. */
export async function conditionalOf(rows: Rows, x: Float64Array, draws: number, job: Job): Promise<Float64Array> {
  const n = x.length;
  const out = new Float64Array(n);
  const seed = job.random.uint32();
  const blocks = function* (): Generator<{ from: number; to: number }> {
    let from = 0;
    for (let i = 0; i < n; i++)
      if (i + 1 === n || (rows.offsets[i + 1]! - rows.offsets[from]! + (i - from)) * draws > WORK * 10) {
        yield { from, to: i + 1 };
        from = i + 1;
      }
  };
  let at = 0;
  await job.parallel(local, { rows, x, draws, seed }, blocks(), (part) => {
    out.set(part, at);
    at += part.length;
    job.progress(at / n, 'shuffling');
  });
  return out;
}

/** Counts of words, and a note on what chance would have brought. */
export function tally(words: readonly string[]): Map<string, number> {
  const out = new Map<string, number>();
  for (const w of words) out.set(w, (out.get(w) ?? 0) + 1);
  return out;
}

export function falseAlarms(
  found: number,
  tests: number,
  p: { significance: number; correction: Correction },
  job: Job,
): void {
  if (p.correction === 'none')
    job.note(
      'info',
      'stats.false',
      `${plural(found, 'feature')} of ${formatNumber(tests)} stand${found === 1 ? 's' : ''} out; about ${formatNumber(Math.round(tests * p.significance))} would by chance alone at ${p.significance}.`,
    );
  else
    job.note(
      'info',
      'stats.false',
      p.correction === 'fdr'
        ? `Of the ${plural(found, 'feature')} that stand${found === 1 ? 's' : ''} out no more than a share of ${p.significance} is expected to do so by chance (Benjamini and Hochberg 1995).`
        : `That even one of the ${plural(found, 'feature')} stands out by chance has a probability of at most ${p.significance} (Bonferroni).`,
    );
}

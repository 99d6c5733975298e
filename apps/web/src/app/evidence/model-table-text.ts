import { formatNumber, valueOf, type Table } from '@helk/core';
import { LEVELS, starsOf } from './levels';

/** A cell of a printed model: a figure, below it what stands in brackets, and stars. */
export interface ModelCell {
  text: string;
  under: string;
  stars: string;
}
export interface PrintedModel {
  models: string[];
  /** Coefficients, one a variable. */
  terms: { name: string; cells: (ModelCell | null)[] }[];
  /** What stands below the line: fit, then tests. */
  figures: { name: string; cells: string[] }[];
}

const WORDS: Record<string, string> = {
  constant: 'constant',
  rho: 'ρ (neighbours’ values)',
  lambda: 'λ (neighbours’ errors)',
  n: 'features',
  r2: 'R² (pseudo with space)',
  logLikelihood: 'log-likelihood',
  aic: 'AIC',
  sigma2: 'σ²',
  residualMoran: 'Moran’s I of residuals',
  jarqueBera: 'Jarque-Bera',
  breuschPagan: 'Breusch-Pagan',
  koenkerBassett: 'Koenker-Bassett',
  white: 'White',
  conditionNumber: 'condition number',
  moran: 'Moran’s I of residuals',
  lmLag: 'LM lag',
  lmError: 'LM error',
  robustLmLag: 'robust LM lag',
  robustLmError: 'robust LM error',
  sarma: 'SARMA',
  likelihoodRatio: 'likelihood ratio',
};
const MODELS: Record<string, string> = { ols: 'least squares', lag: 'spatial lag', error: 'spatial error' };

export const wordFor = (name: string): string =>
  name.startsWith('vif:') ? `variance inflation, ${name.slice(4)}` : (WORDS[name] ?? name);

/** Figures with three places that count, as tables have them. */
export const printed = (v: number): string =>
  !Number.isFinite(v)
    ? ''
    : Number.isInteger(v)
      ? String(v)
      : Math.abs(v) >= 1000
        ? v.toFixed(1)
        : Math.abs(v) >= 100
          ? v.toFixed(2)
          : Math.abs(v) >= 0.001
            ? v.toFixed(3)
            : formatNumber(v);

const told = (p: number): string => (p !== p ? '' : p < 0.001 ? 'p < 0.001' : `p ${p.toFixed(3)}`);
const column = (t: Table, name: string) => t.columns.find((c) => c.name === name)!;
const number = (t: Table, name: string, i: number): number => Number(valueOf(column(t, name), i) ?? NaN);
const word = (t: Table, name: string, i: number): string => String(valueOf(column(t, name), i) ?? '');

/** Models side by side, out of the table that compares them. */
export function comparedModels(t: Table): PrintedModel {
  const models = ['ols', 'lag', 'error'];
  const n = column(t, 'term').values.length;
  const rows = Array.from({ length: n }, (_, i) => ({
    term: word(t, 'term', i),
    what: word(t, 'what', i),
    values: models.map((m) => number(t, m, i)),
  }));
  const find = (term: string, what: string): number[] =>
    rows.find((r) => r.term === term && r.what === what)?.values ?? models.map(() => NaN);
  const terms = rows.filter((r) => r.what === 'coefficient').map((r) => r.term);
  return {
    models: models.map((m) => MODELS[m]!),
    terms: terms.map((term) => {
      const [c, se, p] = [find(term, 'coefficient'), find(term, 'standardError'), find(term, 'p')];
      return {
        name: term,
        cells: c.map((v, k) =>
          v === v ? { text: printed(v), under: `(${printed(se[k]!)})`, stars: starsOf(p[k]!) } : null,
        ),
      };
    }),
    figures: [
      ...rows
        .filter((r) => r.what === 'figure')
        .map((r) => ({ name: r.term, cells: r.values.map((v) => (v === v ? printed(v) : '')) })),
      ...rows
        .filter((r) => r.what === 'test')
        .map((r) => ({
          name: r.term,
          cells: r.values.map((v, k) => (v === v ? `${printed(v)} (${told(find(r.term, 'p')[k]!)})` : '')),
        })),
    ],
  };
}

/** One model, out of its coefficients, its figures and its tests. */
export function oneModel(
  name: string,
  coefficients: Table,
  figures: Record<string, unknown>,
  tests: Table | null,
): PrintedModel {
  const of = ['n', 'r2', 'pseudoR2', 'logLikelihood', 'aic', 'sigma2', 'residualMoran'];
  return {
    models: [MODELS[name] ?? name],
    terms: Array.from({ length: coefficients.columns[0]!.values.length }, (_, i) => ({
      name: word(coefficients, 'variable', i),
      cells: [
        {
          text: printed(number(coefficients, 'coefficient', i)),
          under: `(${printed(number(coefficients, 'standardError', i))})`,
          stars: starsOf(number(coefficients, 'p', i)),
        },
      ],
    })),
    figures: [
      ...of
        .filter((k) => typeof figures[k] === 'number')
        .map((k) => ({ name: k === 'pseudoR2' ? 'r2' : k, cells: [printed(figures[k] as number)] })),
      ...(tests
        ? Array.from({ length: tests.columns[0]!.values.length }, (_, i) => ({
            name: word(tests, 'test', i),
            cells: [[printed(number(tests, 'value', i)), told(number(tests, 'p', i))].filter(Boolean).join(' · ')],
          })).filter((f) => f.name !== 'moran')
        : []),
    ],
  };
}

export type TableForm = 'text' | 'csv' | 'html' | 'latex';

/** Lines of a table: a name and a cell a model; standard errors stand below their coefficients. */
function lines(
  m: PrintedModel,
  stars: boolean,
): { name: string; cells: string[]; kind: 'term' | 'under' | 'figure' }[] {
  return [
    ...m.terms.flatMap((t) => [
      {
        name: wordFor(t.name),
        cells: t.cells.map((c) => (c ? c.text + (stars ? c.stars : '') : '')),
        kind: 'term' as const,
      },
      { name: '', cells: t.cells.map((c) => c?.under ?? ''), kind: 'under' as const },
    ]),
    ...m.figures.map((f) => ({ name: wordFor(f.name), cells: f.cells, kind: 'figure' as const })),
  ];
}

const html = (s: string): string => s.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;');
const latex = (s: string): string =>
  s
    .replace(/[\\{}]/g, (c) => (c === '\\' ? '\\textbackslash{}' : `\\${c}`))
    .replace(/[&%$#_]/g, (c) => `\\${c}`)
    .replaceAll('^', '\\^{}')
    .replaceAll('~', '\\~{}')
    .replaceAll('<', '$<$')
    .replaceAll('ρ', '$\\rho$')
    .replaceAll('λ', '$\\lambda$')
    .replaceAll('σ²', '$\\sigma^2$')
    .replaceAll('R²', '$R^2$')
    .replaceAll('’', "'");
/** A cell that a spreadsheet would work out is marked as text. */
const csv = (s: string): string => {
  const safe = /^[=+@]/.test(s) || /^-[^\d.]/.test(s) ? `'${s}` : s;
  return /[",\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
};

/** A table of models for somebody else's document. */
export function modelText(m: PrintedModel, form: TableForm, stars: boolean, title: string): string {
  const all = lines(m, stars);
  const note = `Standard errors in brackets.${stars ? ` ${LEVELS}.` : ''}`;
  const first = all.findIndex((l) => l.kind === 'figure');
  if (form === 'csv')
    return [['', ...m.models], ...all.map((l) => [l.name, ...l.cells]), [note]]
      .map((r) => r.map(csv).join(','))
      .join('\n');
  if (form === 'html')
    return [
      '<table>',
      `<caption>${html(title)}</caption>`,
      `<thead><tr><th></th>${m.models.map((n) => `<th>${html(n)}</th>`).join('')}</tr></thead>`,
      '<tbody>',
      ...all.map(
        (l) => `<tr><th scope="row">${html(l.name)}</th>${l.cells.map((c) => `<td>${html(c)}</td>`).join('')}</tr>`,
      ),
      '</tbody>',
      `<tfoot><tr><td colspan="${m.models.length + 1}">${html(note)}</td></tr></tfoot>`,
      '</table>',
    ].join('\n');
  if (form === 'latex') {
    // Stars stand high, as printed.
    const cell = (s: string): string => latex(s).replace(/(\*+)$/, '$$^{$1}$$');
    return [
      '\\begin{table}',
      `\\caption{${latex(title)}}`,
      `\\begin{tabular}{l${'r'.repeat(m.models.length)}}`,
      '\\hline',
      `& ${m.models.map(latex).join(' & ')} \\\\`,
      '\\hline',
      ...all.flatMap((l, i) => [
        ...(i === first ? ['\\hline'] : []),
        `${latex(l.name)} & ${l.cells.map(cell).join(' & ')} \\\\`,
      ]),
      '\\hline',
      '\\end{tabular}',
      `\\\\ \\footnotesize ${latex(note)}`,
      '\\end{table}',
    ].join('\n');
  }
  const widths = [0, ...m.models.map(() => 0)].map((_, k) =>
    Math.max(...[['', ...m.models], ...all.map((l) => [l.name, ...l.cells])].map((r) => r[k]!.length)),
  );
  const row = (r: string[]): string =>
    r
      .map((c, k) => (k ? c.padStart(widths[k]!) : c.padEnd(widths[0]!)))
      .join('  ')
      .trimEnd();
  const rule = '-'.repeat(widths.reduce((s, w) => s + w + 2, -2));
  return [
    title,
    rule,
    row(['', ...m.models]),
    rule,
    ...all.flatMap((l, i) => [...(i === first ? [rule] : []), row([l.name, ...l.cells])]),
    rule,
    note,
  ].join('\n');
}

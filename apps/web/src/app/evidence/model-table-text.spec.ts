import { numberColumn, textColumn, type Table } from '@helk/core';
import { comparedModels, modelText, oneModel, printed, wordFor } from './model-table-text';

const coefficients: Table = {
  kind: 'table',
  columns: [
    textColumn('variable', ['constant', 'a_b & 50%', '=sum(x)']),
    numberColumn('coefficient', [-12.5, 0.00002, 3]),
    numberColumn('standardError', [2, 0.00001, 5]),
    numberColumn('statistic', [-6.25, 2, 0.6]),
    numberColumn('p', [0.0001, 0.04, 0.55]),
  ],
};
const tests: Table = {
  kind: 'table',
  columns: [
    textColumn('test', ['jarqueBera', 'vif:a', 'moran']),
    numberColumn('value', [1.835, 1.2, 0.2]),
    numberColumn('df', [2, NaN, NaN]),
    numberColumn('p', [0.3995, NaN, 0.01]),
  ],
};
const one = oneModel('ols', coefficients, { n: 49, r2: 0.5524, aic: 382.754, residualMoran: 0.2221 }, tests);

describe('a model as it is printed', () => {
  it('has coefficients over standard errors, stars by their levels, and fit and tests below', () => {
    expect(one.models).toEqual(['least squares']);
    expect(one.terms.map((t) => t.cells[0]!.stars)).toEqual(['***', '*', '']);
    expect(one.terms[0]!.cells[0]).toEqual({ text: '-12.500', under: '(2)', stars: '***' });
    expect(one.figures.map((f) => [wordFor(f.name), f.cells[0]])).toEqual([
      ['features', '49'],
      ['R² (pseudo with space)', '0.552'],
      ['AIC', '382.75'],
      ['Moran’s I of residuals', '0.222'],
      ['Jarque-Bera', '1.835 · p 0.400'.replace('0.400', (0.3995).toFixed(3))],
      ['variance inflation, a', '1.200'],
    ]);
  });

  it('goes out as aligned text, with and without stars', () => {
    const text = modelText(one, 'text', true, 'y by a');
    expect(text.split('\n')[0]).toBe('y by a');
    expect(text).toContain('-12.500***');
    expect(text).toContain('* p < 0.05, ** p < 0.01, *** p < 0.001');
    expect(modelText(one, 'text', false, 'y by a')).not.toContain('***');
    const lines = text.split('\n').filter((l) => l.startsWith('constant') || l.startsWith('features'));
    expect(lines.length).toBe(2);
  });

  it('goes out as CSV that no spreadsheet works out', () => {
    const csv = modelText(one, 'csv', true, '');
    expect(csv).toContain("\n'=sum(x),3\n");
    expect(csv).toContain('\nconstant,-12.500***\n');
    expect(csv.split('\n')[0]).toBe(',least squares');
  });

  it('goes out as HTML and LaTeX with their own signs escaped', () => {
    const html = modelText(one, 'html', true, 'a < b');
    expect(html).toContain('<caption>a &lt; b</caption>');
    expect(html).toContain('<th scope="row">a_b &amp; 50%</th>');
    const latex = modelText(one, 'latex', true, 'y_1');
    expect(latex).toContain('\\caption{y\\_1}');
    expect(latex).toContain('a\\_b \\& 50\\%');
    expect(latex).toContain('-12.500$^{***}$');
    expect(latex).toContain('$R^2$');
  });

  it('stands beside others, with nothing where a model has no such term', () => {
    const t: Table = {
      kind: 'table',
      columns: [
        textColumn('term', ['constant', 'constant', 'constant', 'rho', 'rho', 'rho', 'n', 'lmLag', 'lmLag']),
        textColumn('what', [
          'coefficient',
          'standardError',
          'p',
          'coefficient',
          'standardError',
          'p',
          'figure',
          'test',
          'p',
        ]),
        numberColumn('ols', [1, 0.5, 0.2, NaN, NaN, NaN, 49, 8.898, 0.0029]),
        numberColumn('lag', [2, 0.5, 0.001, 0.42, 0.1, 0.0001, 49, NaN, NaN]),
        numberColumn('error', [3, 0.5, 0.009, NaN, NaN, NaN, 49, NaN, NaN]),
      ],
    };
    const m = comparedModels(t);
    expect(m.models).toEqual(['least squares', 'spatial lag', 'spatial error']);
    expect(m.terms.map((x) => x.cells.map((c) => c?.text ?? null))).toEqual([
      ['1', '2', '3'],
      [null, '0.420', null],
    ]);
    expect(m.figures.at(-1)).toEqual({ name: 'lmLag', cells: ['8.898 (p 0.003)', '', ''] });
  });

  it('prints figures with the places that count', () => {
    expect([0.1234, 12.3456, 123.456, 12345.67, 7, NaN].map(printed)).toEqual([
      '0.123',
      '12.346',
      '123.46',
      '12345.7',
      '7',
      '',
    ]);
  });
});

import Papa from 'papaparse';
import { HelkError } from '../errors';
import { PIECE, textPieces } from './reader';

/** One row may have this many letters; a longer one is a quotation mark that is never closed. */
const LONGEST_ROW = 2 ** 24;

export interface DelimitedRows {
  delimiter: string;
  /** Rows without empty ones, some at a time, from the beginning whenever it is called; with the share of the file that has been passed. */
  pieces(): Generator<{ rows: string[][]; share: number }>;
}

interface Parser {
  parse(text: string, base: number, ignoreLast: boolean): Papa.ParseResult<string[]>;
}

/**
 * The rows of delimited text. Papa Parse takes each piece apart; a row that a piece cuts in two is kept for the next one.
 *
 * @throws HelkError `file.damaged` for a quotation mark that is never closed
 */
export function delimitedRows(bytes: Uint8Array, encoding: string, name: string): DelimitedRows {
  const head = textPieces(bytes, encoding).next().value ?? '';
  const first = head.slice(0, head.search(/\r?\n|$/));
  const delimiter = [';', '\t', ','].map((d) => ({ d, n: first.split(d).length })).sort((a, b) => b.n - a.n)[0]!.d;
  const config = { delimiter, newline: lineEnd(head) };
  const unclosed = (line: number): never => {
    throw new HelkError('file.damaged', `"${name}": a quotation mark in line ${line} is never closed.`, name);
  };
  function* pieces(): Generator<{ rows: string[][]; share: number }> {
    // Made by hand since the package's own pieces come from streams and workers.
    const parser = new (Papa as unknown as { Parser: new (c: object) => Parser }).Parser(config);
    let rest = '';
    let seen = 0;
    let passed = 0;
    for (const piece of textPieces(bytes, encoding)) {
      passed++;
      const text = rest + piece;
      const last = passed * PIECE >= bytes.length;
      const r = parser.parse(text, 0, !last);
      const quote = r.errors.find((e) => e.type === 'Quotes');
      if (quote) unclosed(seen + (quote.row ?? 0) + 1);
      rest = last ? '' : text.slice(r.meta.cursor);
      if (rest.length > LONGEST_ROW) unclosed(seen + r.data.length + 1);
      seen += r.data.length;
      yield {
        rows: r.data.filter((x) => x.some((f) => f.trim() !== '')),
        share: Math.min(1, (passed * PIECE) / bytes.length),
      };
    }
  }
  return { delimiter, pieces };
}

/** What ends the lines of a text, by its first line end outside quotation marks. */
function lineEnd(head: string): string {
  const bare = head.replace(/"[^"]*"?/g, '');
  const at = bare.search(/[\r\n]/);
  if (at < 0 || bare[at] === '\n') return '\n';
  return bare[at + 1] === '\n' ? '\r\n' : '\r';
}

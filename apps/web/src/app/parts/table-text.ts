import { formatNumber } from '@helk/core';
import { escaped } from '@helk/core/render/escaped';

/** A cell of a table that is copied: a number stays one, so that a spreadsheet gets all of it. */
export type CopiedCell = string | number | null | undefined;
/** Rows of cells, the heads first. */
export type CopiedTable = readonly (readonly CopiedCell[])[];

const known = (c: CopiedCell): boolean => c !== null && c !== undefined && c === c;

/** With tabs between cells, every digit of numbers kept; what would begin another cell is a space. */
export const tabbed = (table: CopiedTable): string =>
  table.map((row) => row.map((c) => (known(c) ? String(c).replace(/[\t\r\n]+/g, ' ') : '')).join('\t')).join('\n');

/** Below this numbers are written with two digits behind the point. */
const TWO_DIGITS = 99;

/** The cells as they are read: whole numbers as such, others with two digits at least. */
export function readCells(table: CopiedTable): { text: string; number: boolean }[][] {
  const range = (table[0] ?? []).map((_, i) =>
    Math.max(
      0,
      ...table.slice(1).flatMap((r) => (typeof r[i] === 'number' && Number.isFinite(r[i]) ? [Math.abs(r[i])] : [])),
    ),
  );
  return table.map((row, k) =>
    row.map((c, i) => {
      const number = typeof c === 'number';
      const whole = number && table.slice(1).every((r) => typeof r[i] !== 'number' || Number.isInteger(r[i]));
      const text = !known(c)
        ? ''
        : number && k
          ? whole
            ? formatNumber(c)
            : formatNumber(c, Math.min(range[i]!, TWO_DIGITS))
          : String(c);
      return { text, number };
    }),
  );
}

/** The same as a table for documents and slides: its look stands in it, so that it needs no mending. */
export function tableHtml(table: CopiedTable, title: string): string {
  const cell = 'padding:3px 10px 3px 0;border-bottom:1px solid #ddd5c5;vertical-align:top';
  const [head, ...rows] = readCells(table);
  const side = (i: number): string => (rows.some((r) => r[i]?.number) ? 'right' : 'left');
  const caption = title
    ? `<caption style="text-align:left;font-weight:600;padding-bottom:4px">${escaped(title)}</caption>`
    : '';
  return `<table style="border-collapse:collapse;font:11pt 'Instrument Sans',Arial,sans-serif;color:#1d282c">${caption}<thead><tr>${(
    head ?? []
  )
    .map(
      (c, i) =>
        `<th style="${cell};border-bottom-color:#1d282c;font-weight:600;text-align:${side(i)}">${escaped(c.text)}</th>`,
    )
    .join('')}</tr></thead><tbody>${rows
    .map(
      (r) =>
        `<tr>${r.map((c, i) => `<td style="${cell};text-align:${side(i)}">${escaped(c.text)}</td>`).join('')}</tr>`,
    )
    .join('')}</tbody></table>`;
}

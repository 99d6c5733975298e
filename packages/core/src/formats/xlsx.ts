import { featureCount, valueOf, type Features } from '../data/features';
import { tableRows, type Table } from '../data/table';

/** Rows a sheet can hold, the header among them (ECMA-376). */
export const MOST_ROWS = 1_048_576;

/** A table, or features without their outlines (points with x and y), as a spreadsheet with one sheet. Numbers stay numbers. */
export async function writeXlsx(d: Table | Features, title: string): Promise<Uint8Array> {
  const { default: writeXlsxFile } = await import('write-excel-file/universal');
  const n = d.kind === 'table' ? tableRows(d) : featureCount(d);
  const points = d.kind === 'features' && d.geometry === 'point' ? d : null;
  type Cell = { value: string | number | boolean; fontWeight?: 'bold' } | null;
  const head: Cell[] = [
    ...(points ? ['x', 'y'] : []),
    ...d.columns.map((c) => (c.unit ? `${c.name} [${c.unit}]` : c.name)),
  ].map((value) => ({ value, fontWeight: 'bold' }));
  const rows: Cell[][] = [head];
  for (let i = 0; i < Math.min(n, MOST_ROWS - 1); i++) {
    const row: Cell[] = [];
    if (points) {
      const part = points.featureOffsets[i]!;
      const has = points.featureOffsets[i + 1]! > part;
      const c = has ? points.ringOffsets[points.partOffsets[part]!]! : 0;
      row.push(has ? { value: points.xy[2 * c]! } : null, has ? { value: points.xy[2 * c + 1]! } : null);
    }
    for (const c of d.columns) {
      const v = valueOf(c, i);
      row.push(v === null || v !== v ? null : { value: typeof v === 'string' ? v.slice(0, 32_767) : v });
    }
    rows.push(row);
  }
  const sheet =
    title
      .replace(/[[\]:*?/\\]/g, ' ')
      .slice(0, 31)
      .trim() || 'Table';
  const blob = await writeXlsxFile(rows as never, { sheet, stickyRowsCount: 1 } as never).toBlob();
  return new Uint8Array(await blob.arrayBuffer());
}

import { HelkError } from '../errors';
import { missingOf, type Grid, type Raster, firstBand } from '../data/raster';
import { baseName, claimCells, headText, type FileFormat } from './reader';

const HEADER = /^\s*(ncols|nrows|xllcorner|xllcenter|yllcorner|yllcenter|cellsize|dx|dy|nodata_value)\s+(\S+)/i;

/** Text grid with an ncols/nrows header, values row by row from the north. It carries no coordinate system. */
export const asciiGrid: FileFormat = {
  id: 'ascii-grid',
  title: 'ASCII grid',
  extensions: ['asc', 'txt'],
  sniff: (b) => /^\s*(ncols|nrows)\s+\d+/i.test(headText(b, 200) ?? ''),
  read: (bytes, name, options) => {
    const header: Record<string, number> = {};
    let at = 0;
    for (;;) {
      let end = bytes.indexOf(10, at);
      if (end < 0) end = bytes.length;
      const line = new TextDecoder().decode(bytes.subarray(at, Math.min(end, at + 200)));
      const m = HEADER.exec(line);
      if (!m) break;
      const v = Number(m[2]!.replace(',', '.'));
      if (!Number.isFinite(v))
        throw new HelkError('file.damaged', `"${name}": ${m[1]} is "${m[2]}", not a number.`, name);
      header[m[1]!.toLowerCase()] = v;
      at = end + 1;
      if (at >= bytes.length) break;
    }
    const need = (key: string): number => {
      const v = header[key];
      if (v === undefined) throw new HelkError('file.damaged', `"${name}" has no ${key} in its header.`, name);
      return v;
    };
    const columns = need('ncols');
    const rows = need('nrows');
    if (!Number.isInteger(columns) || !Number.isInteger(rows) || columns < 1 || rows < 1)
      throw new HelkError('file.damaged', `"${name}" gives a size of ${columns} by ${rows} cells.`, name);
    claimCells(columns, rows, 1, options, name);
    // A value and what parts it from the next take two bytes at least.
    if (columns * rows * 2 - 1 > bytes.length - at)
      throw new HelkError(
        'file.damaged',
        `"${name}" has ${bytes.length} bytes, too few for ${columns} by ${rows} values; the file is cut off.`,
        name,
      );
    const dx = header['dx'] ?? need('cellsize');
    const dy = header['dy'] ?? header['cellsize'] ?? dx;
    if (!(dx > 0) || !(dy > 0)) throw new HelkError('file.damaged', `"${name}" gives a cell size of ${dx}.`, name);
    const x = header['xllcorner'] ?? need('xllcenter') - dx / 2;
    const south = header['yllcorner'] ?? need('yllcenter') - dy / 2;
    const missing = header['nodata_value'] ?? -9999;
    const cells = new Float32Array(columns * rows);
    const { count, whole } = readNumbers(bytes, at, cells, missing, name, columns);
    if (count < cells.length) {
      throw new HelkError(
        'file.damaged',
        `"${name}" ends after ${count} of ${cells.length} values (row ${Math.floor(count / columns) + 1}); the file is cut off.`,
        name,
      );
    }
    const grid: Grid = { crs: options.crs ?? null, x, y: south + rows * dy, dx, dy, columns, rows };
    const band = {
      name: baseName(name),
      unit: null,
      kind: 'measure' as const,
      storedType: whole ? ('int32' as const) : ('float32' as const),
      missingCode: missing,
      cells,
    };
    return Promise.resolve([{ name: baseName(name), data: { kind: 'raster', grid, bands: [band] }, notes: [] }]);
  },
};

/** Numbers from text, byte by byte: fast for plain decimals, `Number` for the rest. */
function readNumbers(
  bytes: Uint8Array,
  at: number,
  out: Float32Array,
  missing: number,
  name: string,
  columns: number,
): { count: number; whole: boolean } {
  let count = 0;
  let whole = true;
  const n = bytes.length;
  let i = at;
  while (i < n && count < out.length) {
    while (i < n && bytes[i]! <= 32) i++;
    if (i >= n) break;
    const start = i;
    let negative = false;
    if (bytes[i] === 45) {
      negative = true;
      i++;
    }
    let mantissa = 0;
    let digits = 0;
    let scale = 0;
    let plain = true;
    for (; i < n && bytes[i]! > 32; i++) {
      const c = bytes[i]!;
      if (c >= 48 && c <= 57) {
        mantissa = mantissa * 10 + (c - 48);
        if (scale) scale++;
        digits++;
      } else if ((c === 46 || c === 44) && !scale) scale = 1;
      else plain = false;
    }
    let v: number;
    if (plain && digits > 0 && digits < 16) v = (negative ? -mantissa : mantissa) / 10 ** Math.max(0, scale - 1);
    else {
      const word = new TextDecoder().decode(bytes.subarray(start, Math.min(i, start + 400)));
      v = /^[+-]?(nan|inf)/i.test(word) ? NaN : Number(word.replace(',', '.'));
      if (Number.isNaN(v) && !/^[+-]?(nan|inf)/i.test(word)) {
        throw new HelkError(
          'file.damaged',
          `"${name}": "${word.slice(0, 20)}" in row ${Math.floor(count / columns) + 1}, column ${(count % columns) + 1} is not a number.`,
          name,
        );
      }
    }
    if (v === missing) v = NaN;
    else if (whole && v !== Math.floor(v)) whole = false;
    out[count++] = v;
  }
  return { count, whole };
}

/** The first band as an ASCII grid; cells must be square. */
export function writeAsciiGrid(r: Raster): string {
  const b = firstBand(r);
  const { grid } = r;
  if (Math.abs(grid.dx - grid.dy) > 1e-9 * grid.dx) {
    throw new HelkError(
      'export.unsupported',
      `An ASCII grid needs square cells; these are ${grid.dx} by ${grid.dy}. Reproject or resample first, or write a GeoTIFF.`,
    );
  }
  const code = b.missingCode ?? -9999;
  const missing = missingOf(b);
  const lines = [
    `ncols ${grid.columns}`,
    `nrows ${grid.rows}`,
    `xllcorner ${grid.x}`,
    `yllcorner ${grid.y - grid.rows * grid.dy}`,
    `cellsize ${grid.dx}`,
    `NODATA_value ${code}`,
  ];
  for (let y = 0; y < grid.rows; y++) {
    const row = new Array<string>(grid.columns);
    for (let x = 0; x < grid.columns; x++) {
      const v = b.cells[y * grid.columns + x]!;
      row[x] =
        v !== v || v === missing
          ? String(code)
          : String(b.cells instanceof Float32Array ? Number(v.toPrecision(8)) : v);
    }
    lines.push(row.join(' '));
  }
  return lines.join('\n') + '\n';
}

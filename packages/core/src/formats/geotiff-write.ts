import { HelkError } from '../errors';
import type { Crs } from '../data/crs';
import { missingOf, type Band, type Cells, type Grid, type Raster } from '../data/raster';
import { halve } from '../numeric/overview';
import { joinBytes } from './bytes';
import { codec } from './codec';
import { geoKeysOf, type GeoKeys } from './geokeys-write';
import { bytesOf, storageFor, storedArray, type Storage } from './stored';

const TILE = 512;
const SHORT = 3;
const LONG = 4;
const DOUBLE = 12;
const ASCII = 2;

interface Entry {
  tag: number;
  type: number;
  values: number[] | string;
}

interface Level {
  width: number;
  height: number;
  offsets: number[];
  counts: number[];
  entries: Entry[];
}

/**
 * A raster as GeoTIFF: tiled 512 x 512, deflate (horizontal predictor for whole numbers), band-separate, with overviews
 * down to one tile, missing value, coordinate system, band names and units. The stored type of the source is kept where
 * the values still fit it.
 *
 * @param level deflate level 1…9
 * @throws HelkError `export.unsupported` when the file would pass the 4 GiB of classic TIFF.
 */
export function writeGeoTiff(raster: Raster, level = 6, progress?: (share: number) => void): Uint8Array {
  const { grid, bands } = raster;
  const storages = bands.map(storageFor);
  const storage = widest(storages);
  const parts: Uint8Array[] = [];
  let at = 8;
  const add = (bytes: Uint8Array): number => {
    const where = at;
    parts.push(bytes);
    at += bytes.length;
    if (at % 2) {
      parts.push(new Uint8Array(1));
      at++;
    }
    if (at > 0xffffffff)
      throw new HelkError('export.unsupported', 'The grid is too large for one GeoTIFF of 4 GiB; clip it into parts.');
    return where;
  };
  parts.push(new Uint8Array(8));
  const levels: Level[] = [];
  let width = grid.columns;
  let height = grid.rows;
  let current: Cells[] = bands.map((b) => b.cells);
  for (let k = 0; ; k++) {
    const l: Level = { width, height, offsets: [], counts: [], entries: [] };
    bands.forEach((b, i) => {
      const across = Math.ceil(width / TILE);
      const down = Math.ceil(height / TILE);
      for (let ty = 0; ty < down; ty++) {
        progress?.(Math.min(0.99, (k === 0 ? 0 : 0.8) + ((i + ty / down) / bands.length) * (k === 0 ? 0.8 : 0.15)));
        for (let tx = 0; tx < across; tx++) {
          const bytes = codec().deflate(encodeTile(current[i]!, width, height, tx, ty, storage, missingOf(b)), level);
          l.offsets.push(add(bytes));
          l.counts.push(bytes.length);
        }
      }
    });
    levels.push(l);
    if (width <= TILE && height <= TILE) break;
    current = bands.map((b, i) => halve(current[i]!, width, height, b.kind, missingOf(b)));
    width = Math.ceil(width / 2);
    height = Math.ceil(height / 2);
  }
  levels.forEach((l, k) => (l.entries = entriesOf(l, k, grid, bands, storage)));
  // Directories one after the other behind the data.
  let next = at;
  const directories = levels.map((l) => {
    const d = directory(l.entries, next);
    const where = next;
    next += d.length + (d.length % 2);
    return { d, where };
  });
  directories.forEach(({ d }, k) => {
    const link = directories[k + 1]?.where ?? 0;
    const n = new DataView(d.buffer).getUint16(0, true);
    new DataView(d.buffer).setUint32(2 + n * 12, link, true);
    add(d);
  });
  const head = new DataView(parts[0]!.buffer);
  head.setUint16(0, 0x4949, true);
  head.setUint16(2, 42, true);
  head.setUint32(4, directories[0]!.where, true);
  return joinBytes(parts);
}

/** One type serves all bands of a TIFF: the one that holds every band. */
function widest(all: Storage[]): Storage {
  const first = all[0]!;
  if (
    all.every(
      (s) =>
        s.type === first.type &&
        (s.missing === first.missing || Number.isNaN(s.missing) === Number.isNaN(first.missing)),
    )
  )
    return first;
  return {
    type: all.some((s) => s.type === 'float64' || s.type === 'int32' || s.type === 'uint32') ? 'float64' : 'float32',
    missing: NaN,
  };
}

function encodeTile(
  cells: Cells,
  width: number,
  height: number,
  tx: number,
  ty: number,
  s: Storage,
  missing: number,
): Uint8Array {
  const out = storedArray(s.type, TILE * TILE);
  const pad = s.missing ?? 0;
  const x0 = tx * TILE;
  const y0 = ty * TILE;
  const whole = /int/.test(s.type);
  out.fill(pad);
  for (let y = 0; y < Math.min(TILE, height - y0); y++) {
    const from = (y0 + y) * width + x0;
    const n = Math.min(TILE, width - x0);
    for (let x = 0; x < n; x++) {
      const v = cells[from + x]!;
      // Overviews of whole-number bands hold means: rounded, not truncated.
      out[y * TILE + x] = v !== v || v === missing ? pad : whole ? Math.round(v) : v;
    }
  }
  if (whole) {
    for (let y = 0; y < TILE; y++)
      for (let x = TILE - 1; x > 0; x--) out[y * TILE + x] = out[y * TILE + x]! - out[y * TILE + x - 1]!;
  }
  return new Uint8Array(out.buffer, out.byteOffset, out.byteLength);
}

function entriesOf(l: Level, k: number, grid: Grid, bands: Band[], s: Storage): Entry[] {
  const n = bands.length;
  const bits = bytesOf(s.type) * 8;
  const format = /^u/.test(s.type) ? 1 : /^int/.test(s.type) ? 2 : 3;
  const e: Entry[] = [
    { tag: 254, type: LONG, values: [k === 0 ? 0 : 1] },
    { tag: 256, type: LONG, values: [l.width] },
    { tag: 257, type: LONG, values: [l.height] },
    { tag: 258, type: SHORT, values: new Array<number>(n).fill(bits) },
    { tag: 259, type: SHORT, values: [8] },
    { tag: 262, type: SHORT, values: [1] },
    { tag: 277, type: SHORT, values: [n] },
    { tag: 284, type: SHORT, values: [n > 1 ? 2 : 1] },
    { tag: 317, type: SHORT, values: [format === 3 ? 1 : 2] },
    { tag: 322, type: SHORT, values: [TILE] },
    { tag: 323, type: SHORT, values: [TILE] },
    { tag: 324, type: LONG, values: l.offsets },
    { tag: 325, type: LONG, values: l.counts },
    ...(n > 1 ? [{ tag: 338, type: SHORT, values: new Array<number>(n - 1).fill(0) }] : []),
    { tag: 339, type: SHORT, values: new Array<number>(n).fill(format) },
  ];
  if (k === 0) {
    e.push({ tag: 33550, type: DOUBLE, values: [grid.dx, grid.dy, 0] });
    e.push({ tag: 33922, type: DOUBLE, values: [0, 0, 0, grid.x, grid.y, 0] });
    if (grid.crs) e.push(...geoKeys(grid.crs));
    e.push({ tag: 42112, type: ASCII, values: metadata(bands) });
  }
  if (s.missing !== null)
    e.push({ tag: 42113, type: ASCII, values: Number.isNaN(s.missing) ? 'nan' : String(s.missing) });
  return e;
}

/** Directory of keys, with doubles and texts in tags of their own; a system the keys cannot tell keeps its definition as citation. */
function geoKeys(crs: Crs): Entry[] {
  const keys: GeoKeys = geoKeysOf(crs) ?? {
    shorts: [
      [1024, crs.geographic ? 2 : 1],
      [1025, 1],
      [crs.geographic ? 2048 : 3072, 32767],
    ],
    doubles: [],
    texts: [[1026, `${crs.name} ${crs.proj4}`]],
  };
  const rows = keys.shorts.map(([key, value]) => [key, 0, 1, value]);
  const doubles: number[] = [];
  for (const [key, values] of keys.doubles) {
    rows.push([key, 34736, values.length, doubles.length]);
    doubles.push(...values);
  }
  let ascii = '';
  for (const [key, text] of keys.texts) {
    // Key values are ASCII; each ends with a bar.
    const plain = text.replace(/[^\x20-\x7e]|\|/g, '?') + '|';
    rows.push([key, 34737, plain.length, ascii.length]);
    ascii += plain;
  }
  rows.sort((a, b) => a[0]! - b[0]!);
  return [
    { tag: 34735, type: SHORT, values: [1, 1, 0, rows.length, ...rows.flat()] },
    ...(doubles.length ? [{ tag: 34736, type: DOUBLE, values: doubles }] : []),
    { tag: 34737, type: ASCII, values: ascii },
  ];
}

function metadata(bands: Band[]): string {
  const esc = (s: string): string =>
    s.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/>/g, '&gt;').replace(/"/g, '&quot;');
  const items = bands.flatMap((b, i) => [
    `<Item name="DESCRIPTION" sample="${i}" role="description">${esc(b.name)}</Item>`,
    ...(b.unit ? [`<Item name="UNITTYPE" sample="${i}" role="unittype">${esc(b.unit)}</Item>`] : []),
    ...(b.role ? [`<Item name="HELK_ROLE" sample="${i}">${esc(b.role)}</Item>`] : []),
    ...(b.classes ? [`<Item name="HELK_CLASSES" sample="${i}">${esc(JSON.stringify(b.classes))}</Item>`] : []),
  ]);
  return `<GDALMetadata>${items.join('')}</GDALMetadata>`;
}

/** One image file directory with its out-of-line values behind it; the link to the next is left 0. */
function directory(entries: Entry[], at: number): Uint8Array {
  entries.sort((a, b) => a.tag - b.tag);
  const encode = new TextEncoder();
  const blobs = entries.map((e) => {
    if (typeof e.values === 'string') return encode.encode(`${e.values}\0`);
    const size = e.type === SHORT ? 2 : e.type === LONG ? 4 : 8;
    const b = new Uint8Array(e.values.length * size);
    const v = new DataView(b.buffer);
    e.values.forEach((x, i) => {
      if (e.type === SHORT) v.setUint16(i * 2, x, true);
      else if (e.type === LONG) v.setUint32(i * 4, x, true);
      else v.setFloat64(i * 8, x, true);
    });
    return b;
  });
  const headSize = 2 + entries.length * 12 + 4;
  const total = blobs.reduce((s, b) => s + (b.length > 4 ? b.length + (b.length % 2) : 0), headSize);
  const out = new Uint8Array(total);
  const view = new DataView(out.buffer);
  view.setUint16(0, entries.length, true);
  let free = headSize;
  entries.forEach((e, i) => {
    const o = 2 + i * 12;
    const b = blobs[i]!;
    view.setUint16(o, e.tag, true);
    view.setUint16(o + 2, e.type, true);
    view.setUint32(o + 4, typeof e.values === 'string' ? b.length : e.values.length, true);
    if (b.length <= 4) out.set(b, o + 8);
    else {
      view.setUint32(o + 8, at + free, true);
      out.set(b, free);
      free += b.length + (b.length % 2);
    }
  });
  return out;
}

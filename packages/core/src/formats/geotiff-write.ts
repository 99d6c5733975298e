import { HelkError } from '../errors';
import { bytesOf, cellsFor, isWhole, isWide, plainHeld, storedArray } from '../data/cells';
import type { Crs } from '../data/crs';
import type { RasterHandle, RasterSink } from '../data/handle';
import type { Held } from '../data/held';
import { CHUNK, levelSize, levelsOf, Pyramid, type Tile } from '../data/pyramid';
import { missingOf, type BandInfo, type Cells, type Raster, type RasterInfo, type StoredType } from '../data/raster';
import { BLOCK_ROWS, MemoryRaster } from '../data/raster-handles';
import { codec } from './codec';
import { geoKeysOf, type GeoKeys } from './geokeys-write';
import { MemorySink, type ByteSink } from './source';

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
  /** By band, then by tile. */
  offsets: number[][];
  counts: number[][];
}

/** Bytes of a classic TIFF, whose places are numbers of 32 bits. */
const MOST = 0xffffffff;
const HEAD = 8;

/**
 * Writes a raster as GeoTIFF as its rows come: tiled 512 x 512, deflate (horizontal predictor for whole numbers), band-separate, with
 * overviews down to one tile, missing value, coordinate system, band names and units. Bands are held as their description says.
 *
 * Errors: HelkError `export.unsupported` when the file would pass the 4 GiB of classic TIFF.
 */
export class TiffSink implements RasterSink {
  private readonly held: Held[];
  private readonly type: StoredType;
  private readonly missing: number | null;
  private readonly levels: Level[];
  private readonly pyramids: Pyramid[];
  private at = 0;

  /** @param level deflate level 1…9 */
  constructor(
    private readonly head: RasterInfo,
    private readonly out: ByteSink,
    private readonly level = 6,
  ) {
    const { grid, bands } = head;
    this.held = bands.map((b) => b.held ?? plainHeld(b));
    ({ type: this.type, missing: this.missing } = widest(this.held));
    this.levels = Array.from({ length: levelsOf(grid) + 1 }, (_, k) => ({
      ...levelSize(grid, k),
      offsets: bands.map(() => []),
      counts: bands.map(() => []),
    }));
    this.pyramids = bands.map(
      (b, k) =>
        new Pyramid(grid, b.kind, cellsFor({ kind: b.kind, held: this.held[k]! }, 0), (row) => this.put(k, row)),
    );
  }

  async write(band: number, rows: Cells): Promise<void> {
    await this.pyramids[band]!.push(rows);
  }

  private async put(band: number, tiles: Tile[]): Promise<void> {
    const packed = await Promise.all(tiles.map((t) => codec().deflateLater(this.encode(band, t), this.level)));
    for (const [i, t] of tiles.entries()) {
      const l = this.levels[t.level]!;
      l.offsets[band]!.push(await this.add(packed[i]!));
      l.counts[band]!.push(packed[i]!.length);
    }
  }

  private async add(bytes: Uint8Array): Promise<number> {
    if (this.at === 0) {
      await this.out.write(new Uint8Array(HEAD));
      this.at = HEAD;
    }
    const where = this.at;
    await this.out.write(bytes);
    this.at += bytes.length;
    if (this.at % 2) {
      await this.out.write(new Uint8Array(1));
      this.at++;
    }
    if (this.at > MOST)
      throw new HelkError('export.unsupported', 'The grid is too large for one GeoTIFF of 4 GiB; clip it into parts.');
    return where;
  }

  /** A tile padded to its full size, whole numbers as differences from their left neighbours. */
  private encode(band: number, { cells, w, h }: Tile): Uint8Array {
    const out = storedArray(this.type, CHUNK * CHUNK);
    const { kind } = this.head.bands[band]!;
    const { factor = 1, offset = 0 } = this.held[band]!;
    const none = missingOf({ kind });
    const whole = isWhole(this.type);
    const pad = whole ? (this.missing ?? 0) : NaN;
    out.fill(pad);
    for (let y = 0; y < h; y++)
      for (let x = 0; x < w; x++) {
        const v = cells[y * w + x]!;
        // Overviews of whole-number bands hold means: rounded, not truncated.
        out[y * CHUNK + x] = v !== v || v === none ? pad : whole ? Math.round((v - offset) / factor) : v;
      }
    if (whole)
      for (let y = 0; y < CHUNK; y++)
        for (let i = (y + 1) * CHUNK - 1; i > y * CHUNK; i--) out[i] = out[i]! - out[i - 1]!;
    return new Uint8Array(out.buffer, out.byteOffset, out.byteLength);
  }

  /** Writes the directories, when all rows have come. */
  async end(): Promise<void> {
    if (this.pyramids.some((p) => !p.complete)) throw new Error('Rows of the raster are missing.');
    // Directories one after the other behind the data.
    let next = this.at;
    const directories = this.levels.map((l, k) => {
      const d = directory(this.entries(l, k), next);
      const where = next;
      next += d.length + (d.length % 2);
      return { d, where };
    });
    for (const [k, { d }] of directories.entries()) {
      const n = new DataView(d.buffer).getUint16(0, true);
      new DataView(d.buffer).setUint32(2 + n * 12, directories[k + 1]?.where ?? 0, true);
      await this.add(d);
    }
    const head = new DataView(new ArrayBuffer(HEAD));
    head.setUint16(0, 0x4949, true);
    head.setUint16(2, 42, true);
    head.setUint32(4, directories[0]!.where, true);
    await this.out.patch(0, new Uint8Array(head.buffer));
  }

  private entries(l: Level, k: number): Entry[] {
    const { grid, bands } = this.head;
    // Factors are told only where the numbers are stored that they are for.
    const scaled = isWhole(this.type) ? this.held : [];
    const n = bands.length;
    const format = /^u/.test(this.type) ? 1 : isWhole(this.type) ? 2 : 3;
    const e: Entry[] = [
      { tag: 254, type: LONG, values: [k === 0 ? 0 : 1] },
      { tag: 256, type: LONG, values: [l.width] },
      { tag: 257, type: LONG, values: [l.height] },
      { tag: 258, type: SHORT, values: new Array<number>(n).fill(bytesOf(this.type) * 8) },
      { tag: 259, type: SHORT, values: [8] },
      { tag: 262, type: SHORT, values: [1] },
      { tag: 277, type: SHORT, values: [n] },
      { tag: 284, type: SHORT, values: [n > 1 ? 2 : 1] },
      { tag: 317, type: SHORT, values: [format === 3 ? 1 : 2] },
      { tag: 322, type: SHORT, values: [CHUNK] },
      { tag: 323, type: SHORT, values: [CHUNK] },
      { tag: 324, type: LONG, values: l.offsets.flat() },
      { tag: 325, type: LONG, values: l.counts.flat() },
      ...(n > 1 ? [{ tag: 338, type: SHORT, values: new Array<number>(n - 1).fill(0) }] : []),
      { tag: 339, type: SHORT, values: new Array<number>(n).fill(format) },
    ];
    if (k === 0) {
      e.push({ tag: 33550, type: DOUBLE, values: [grid.dx, grid.dy, 0] });
      e.push({ tag: 33922, type: DOUBLE, values: [0, 0, 0, grid.x, grid.y, 0] });
      if (grid.crs) e.push(...geoKeys(grid.crs));
      e.push({ tag: 42112, type: ASCII, values: metadata(bands, scaled) });
    }
    if (format === 3 || this.missing !== null)
      e.push({ tag: 42113, type: ASCII, values: format === 3 ? 'nan' : String(this.missing) });
    return e;
  }
}

/** One type serves all bands of a TIFF: the one that holds every band. */
function widest(all: Held[]): Pick<Held, 'type' | 'missing'> {
  const first = all[0]!;
  if (all.every((s) => s.type === first.type && s.missing === first.missing)) return first;
  return { type: all.some((s) => isWide(s.type)) ? 'float64' : 'float32', missing: null };
}

/** A raster as GeoTIFF, block by block. */
export async function writeTiff(
  handle: RasterHandle,
  out: ByteSink,
  { level = 6, progress }: { level?: number; progress?: (share: number) => void } = {},
): Promise<void> {
  const { head } = handle;
  const sink = new TiffSink(head, out, level);
  for (let row = 0; row < head.grid.rows; row += BLOCK_ROWS) {
    progress?.(row / head.grid.rows);
    const n = Math.min(BLOCK_ROWS, head.grid.rows - row);
    for (let k = 0; k < head.bands.length; k++) await sink.write(k, await handle.rows(k, row, n));
  }
  await sink.end();
}

/** A raster as the bytes of a GeoTIFF. The stored type of the source is kept where the values still fit it. */
export async function writeGeoTiff(raster: Raster, level = 6): Promise<Uint8Array> {
  const out = new MemorySink();
  await writeTiff(new MemoryRaster(raster), out, { level });
  return out.bytes();
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

function metadata(bands: readonly BandInfo[], held: readonly Held[]): string {
  const esc = (s: string): string =>
    s.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/>/g, '&gt;').replace(/"/g, '&quot;');
  const items = bands.flatMap((b, i) => [
    `<Item name="DESCRIPTION" sample="${i}" role="description">${esc(b.name)}</Item>`,
    ...(held[i]?.factor !== undefined
      ? [`<Item name="SCALE" sample="${i}" role="scale">${held[i].factor}</Item>`]
      : []),
    ...(held[i]?.offset ? [`<Item name="OFFSET" sample="${i}" role="offset">${held[i].offset}</Item>`] : []),
    ...(b.unit ? [`<Item name="UNITTYPE" sample="${i}" role="unittype">${esc(b.unit)}</Item>`] : []),
    ...(b.role ? [`<Item name="HELK_ROLE" sample="${i}">${esc(b.role)}</Item>`] : []),
    ...(b.wavelength
      ? [`<Item name="CENTRAL_WAVELENGTH_UM" sample="${i}" domain="IMAGERY">${b.wavelength / 1000}</Item>`]
      : []),
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

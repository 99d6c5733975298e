import GeoTIFF, { type GeoTIFFImage } from 'geotiff';
import { HelkError } from '../errors';
import { isWhole, plainHeld } from '../data/cells';
import type { Held } from '../data/held';
import { headFlaw, type ClassEntry, type Grid, type RasterInfo, type StoredType } from '../data/raster';
import { BLOCK_ROWS, tamedRaster } from '../data/raster-handles';
import { crsOfGeoKeys } from './geokeys';
import { TiffRaster } from './geotiff-rows';
import { baseName, claim, countCells, type FileFormat, type OpenLayer, type ReadOptions } from './reader';
import type { ByteSource } from './source';
import { blockBytes, blockOf, jpegSize, standalone, type Block } from './tiff-decoders';
import type { Note } from '../data/check';

/** 1 uncompressed, 5 LZW, 7 JPEG, 8 and 32946 deflate, 32773 PackBits. */
const COMPRESSIONS = new Set([1, 5, 7, 8, 32773, 32946]);
const MAX_BANDS = 64;
const LARGEST_TILE = 4096 * 4096;
/** Bytes of the text in which others keep names and units; longer ones are not looked at. */
const MOST_METADATA = 2 ** 22;

/**
 * GeoTIFF 1.1 (OGC 19-008r4) on TIFF 6.0 and BigTIFF: strips and tiles, uncompressed, LZW, deflate, PackBits, predictors,
 * 8 to 64 bits, several bands. Overviews and masks in the file are passed over: Helk makes its own.
 */
export const geotiff: FileFormat = {
  id: 'geotiff',
  title: 'GeoTIFF',
  extensions: ['tif', 'tiff'],
  sniff: (b) =>
    b.length >= 4 &&
    ((b[0] === 0x49 && b[1] === 0x49 && (b[2] === 42 || b[2] === 43) && b[3] === 0) ||
      (b[0] === 0x4d && b[1] === 0x4d && b[2] === 0 && (b[3] === 42 || b[3] === 43))),
  open: async (source, name, options) => {
    try {
      return await openTiff(source, name, options);
    } catch (e) {
      throw damagedBy(e, name);
    }
  },
};

function damagedBy(e: unknown, name: string): Error {
  if (e instanceof HelkError) return e;
  const why =
    e instanceof RangeError || /offset|bounds|length|buffer/i.test(String((e as Error).message))
      ? 'it ends too early or its directory points outside the file'
      : 'its content does not decode';
  return new HelkError('file.damaged', `"${name}" is a TIFF, but ${why}. Get the file again from its source.`, name);
}

/** A source as the TIFF package asks it. */
const asked = (source: ByteSource) => ({
  fileSize: source.size,
  fetch: (slices: { offset: number; length: number }[]) =>
    Promise.all(
      slices.map(async ({ offset, length }) =>
        standalone(await source.range(offset, Math.min(source.size, offset + length))),
      ),
    ),
  close: () => Promise.resolve(),
});

async function openTiff(source: ByteSource, name: string, options: ReadOptions): Promise<OpenLayer[]> {
  const tiff = await GeoTIFF.fromSource(asked(source) as never);
  const image = await tiff.getImage(0);
  const dir = image.fileDirectory;
  const width = image.getWidth();
  const height = image.getHeight();
  const bandsCount = image.getSamplesPerPixel();
  if (!(width > 0) || !(height > 0))
    throw new HelkError('file.damaged', `"${name}" gives a size of ${width} by ${height} cells.`, name);
  if (!(bandsCount > 0))
    throw new HelkError(
      'file.damaged',
      `"${name}" says that it has ${bandsCount} bands; there is nothing to take.`,
      name,
    );
  if (bandsCount > MAX_BANDS)
    throw new HelkError('file.unsupported', `"${name}" has ${bandsCount} bands; at most ${MAX_BANDS} are read.`, name);
  countCells(width, height, bandsCount, options, name);
  const compression = Number((await dir.loadValue('Compression')) ?? 1);
  if (!COMPRESSIONS.has(compression)) {
    throw new HelkError(
      'file.unsupported',
      `"${name}" uses TIFF compression ${Number.isFinite(compression) ? compression : 'that has no number'}, which Helk does not read; save it with deflate or LZW.`,
      name,
    );
  }
  const block = await checkWhole(image, source, name, options);
  const notes: Note[] = [];
  const grid = await gridOf(image, width, height, name, notes);
  if (!grid.crs && options.crs) grid.crs = options.crs;

  const nodata = image.getGDALNoData();
  const missingCode = nodata === null || Number.isNaN(nodata) ? null : nodata;
  const meta = await bandMetadata(image, bandsCount);
  const stored = Array.from({ length: bandsCount }, (_, k) =>
    storedTypeOf(image.getSampleFormat(k), image.getBitsPerSample(k), name),
  );
  const palette = await paletteOf(image, stored[0]!);
  const verticalUnit = verticalUnitOf(image);
  const files: Held[] = [];
  const bands = stored.map((type, k): RasterInfo['bands'][number] => {
    const m = meta[k]!;
    const category = palette !== null || m.classes !== null;
    const { inFile, held } = heldBy(type, missingCode, category, m);
    files.push(inFile);
    return {
      name: m.name ?? (bandsCount > 1 ? `band ${k + 1}` : baseName(name)),
      unit: m.unit ?? verticalUnit,
      kind: category ? 'category' : 'measure',
      storedType: type,
      missingCode,
      ...(m.role ? { role: m.role } : {}),
      ...(m.wavelength ? { wavelength: m.wavelength } : {}),
      ...(category ? { classes: m.classes ?? palette! } : {}),
      held,
    };
  });
  const head: RasterInfo = { kind: 'raster', grid, bands };
  const flaw = headFlaw(head);
  if (flaw) throw new HelkError('file.damaged', `"${name}" cannot be used: ${flaw}.`, name);
  const together = block.planarConfiguration !== 2;
  const handle = new TiffRaster(head, image, files, block.tileHeight, together, (e) => damagedBy(e, name));
  return [{ name: baseName(name), handle: tamedRaster(handle, notes), notes }];
}

/** How a band lies in the file, and how it can be held as it is: floating point has NaN for what is missing. */
function heldBy(type: StoredType, code: number | null, category: boolean, m: BandMeta): { inFile: Held; held: Held } {
  const missing = code !== null && type === 'float32' ? Math.fround(code) : code;
  if (category) {
    const whole = isWhole(type) ? { type, missing } : plainHeld({ kind: 'category', storedType: type });
    return { inFile: { type, missing }, held: whole };
  }
  const scaled = m.scale !== 1 || m.offset !== 0 ? { factor: m.scale, offset: m.offset } : {};
  const inFile: Held = { type, missing, ...scaled };
  return { inFile, held: isWhole(type) ? inFile : { type, missing: null } };
}

/** Every strip or tile must lie within the file: a cut-off download is said, not decoded to zeros. */
async function checkWhole(image: GeoTIFFImage, source: ByteSource, name: string, options: ReadOptions): Promise<Block> {
  const dir = image.fileDirectory;
  const { size } = source;
  const tiled = dir.hasTag('TileOffsets');
  const offsets = (await dir.loadValue(tiled ? 'TileOffsets' : 'StripOffsets')) as ArrayLike<number> | undefined;
  const counts = (await dir.loadValue(tiled ? 'TileByteCounts' : 'StripByteCounts')) as ArrayLike<number> | undefined;
  if (!offsets || !counts || offsets.length === 0)
    throw new HelkError('file.damaged', `"${name}" is a TIFF without image data.`, name);
  let end = 0;
  for (let i = 0; i < offsets.length; i++) end = Math.max(end, Number(offsets[i]) + Number(counts[i] ?? 0));
  if (end > size) {
    throw new HelkError(
      'file.damaged',
      `"${name}" is cut off: it has ${size} bytes and its cells need ${end}. Get the file again from its source.`,
      name,
    );
  }
  const block = await blockOf(dir as never);
  // A block may be larger than a small image, but not without measure.
  if (tiled && block.tileWidth * block.tileHeight > Math.max(LARGEST_TILE, 4 * image.getWidth() * image.getHeight()))
    throw new HelkError(
      'file.damaged',
      `"${name}" gives its tiles ${block.tileWidth} by ${block.tileHeight} cells, more than it has itself.`,
      name,
    );
  // Rows are decoded by whole blocks, two of them at a time.
  const across = image.getWidth() * (block.planarConfiguration === 2 ? 1 : image.getSamplesPerPixel());
  claim(blockBytes(block), options, name);
  claim(2 * across * Math.min(image.getHeight(), block.tileHeight + BLOCK_ROWS) * 8, options, name);
  if (Number(await dir.loadValue('Compression')) !== 7) return block;
  for (let i = 0; i < offsets.length; i++) {
    const at = Number(offsets[i]);
    const jpeg = jpegSize(await source.range(at, at + Number(counts[i] ?? 0)));
    // A picture is padded to whole blocks of 16 at most.
    if (jpeg && (jpeg.width > block.tileWidth + 16 || jpeg.height > block.tileHeight + 16))
      throw new HelkError('file.damaged', `"${name}" holds a JPEG block that is larger than its place.`, name);
  }
  return block;
}

function storedTypeOf(format: number, bits: number, name: string): StoredType {
  const types: Record<string, StoredType> = {
    '1/8': 'uint8',
    '1/16': 'uint16',
    '1/32': 'uint32',
    '2/8': 'int8',
    '2/16': 'int16',
    '2/32': 'int32',
    '3/32': 'float32',
    '3/64': 'float64',
    '4/8': 'uint8',
  };
  const t = types[`${format}/${bits}`];
  if (!(bits > 0)) throw new HelkError('file.damaged', `"${name}" does not say how many bits a cell has.`, name);
  if (!t) {
    throw new HelkError(
      'file.unsupported',
      `"${name}" stores cells as ${bits}-bit ${format === 3 ? 'floating point' : format > 4 ? 'complex numbers' : 'integers'}; Helk reads 8, 16 and 32-bit integers and 32 and 64-bit floating point.`,
      name,
    );
  }
  return t;
}

async function gridOf(image: GeoTIFFImage, columns: number, rows: number, name: string, notes: Note[]): Promise<Grid> {
  const keys = image.getGeoKeys() as Record<string, unknown> | null;
  const dir = image.fileDirectory;
  const crs = crsOfGeoKeys(keys, notes);
  const matrix = (await dir.loadValue('ModelTransformation')) as ArrayLike<number> | undefined;
  let x: number;
  let y: number;
  let dx: number;
  let dy: number;
  if (matrix) {
    if (
      Math.abs(matrix[1]!) > 1e-12 * Math.abs(matrix[0]!) ||
      Math.abs(matrix[4]!) > 1e-12 * Math.abs(matrix[5]!) ||
      matrix[5]! > 0
    ) {
      throw new HelkError(
        'file.unsupported',
        `"${name}" is a rotated or upside-down grid; Helk reads grids with north up.`,
        name,
      );
    }
    [dx, dy, x, y] = [matrix[0]!, -matrix[5]!, matrix[3]!, matrix[7]!];
  } else {
    const scale = (await dir.loadValue('ModelPixelScale')) as ArrayLike<number> | undefined;
    const tie = (await dir.loadValue('ModelTiepoint')) as ArrayLike<number> | undefined;
    if (!scale || !tie || tie.length < 6) {
      notes.push({
        level: 'look',
        code: 'grid.nowhere',
        message: 'The file does not say where it lies: columns and rows stand for coordinates.',
      });
      return { crs: null, x: 0, y: rows, dx: 1, dy: 1, columns, rows };
    }
    dx = scale[0]!;
    dy = Math.abs(scale[1]!);
    x = tie[3]! - tie[0]! * dx;
    y = tie[4]! + tie[1]! * dy;
  }
  if (!(dx > 0) || !(dy > 0) || !Number.isFinite(x + y))
    throw new HelkError(
      'file.damaged',
      Number.isFinite(dx + dy)
        ? `"${name}" gives a cell size of ${dx} by ${dy}.`
        : `"${name}" gives a cell size and a place that are no numbers.`,
      name,
    );
  // "Pixel is point": the tie point is a cell's centre.
  if (Number(keys?.['GTRasterTypeGeoKey'] ?? 1) === 2) {
    x -= dx / 2;
    y += dy / 2;
  }
  return { crs, x, y, dx, dy, columns, rows };
}

interface BandMeta {
  name: string | null;
  unit: string | null;
  role: string | null;
  /** nm */
  wavelength: number | null;
  scale: number;
  offset: number;
  classes: ClassEntry[] | null;
}

/** Per-band items of the metadata tag 42112 that Helk and others write: description, unit, scale, offset. */
async function bandMetadata(image: GeoTIFFImage, n: number): Promise<BandMeta[]> {
  const out: BandMeta[] = Array.from({ length: n }, () => ({
    name: null,
    unit: null,
    role: null,
    wavelength: null,
    scale: 1,
    offset: 0,
    classes: null,
  }));
  const xml = await image.fileDirectory.loadValue('GDAL_METADATA').catch(() => undefined);
  if (typeof xml !== 'string' || xml.length > MOST_METADATA) return out;
  // Each part ends at the next mark, so that no run of letters is walked over twice.
  for (const m of xml.matchAll(/<Item\s([^<>]*)>([^<]*)<\/Item>/g)) {
    const attributes = new Map([...m[1]!.matchAll(/\b(\w{1,40})="([^"]*)"/g)].map((a) => [a[1]!, a[2]!]));
    const sample = Number(attributes.get('sample') ?? 0);
    const band = Number.isInteger(sample) ? out[sample] : undefined;
    if (!band) continue;
    const text = unescapeXml(m[2]!.trim());
    const key = (attributes.get('role') ?? attributes.get('name') ?? '').toLowerCase();
    if (key === 'description') band.name = text;
    else if (key === 'unittype') band.unit = text;
    else if (key === 'scale' && Number.isFinite(Number(text))) band.scale = Number(text);
    else if (key === 'offset' && Number.isFinite(Number(text))) band.offset = Number(text);
    else if (key === 'helk_role') band.role = text;
    else if (key === 'central_wavelength_um' && Number(text) > 0)
      band.wavelength = Math.round(1e6 * Number(text)) / 1000;
    else if (key === 'helk_classes') {
      try {
        band.classes = classesOf(JSON.parse(text));
      } catch {
        band.classes = null;
      }
    }
  }
  return out;
}

/** Class names and colours as Helk writes them; what others write under that name is not taken. */
function classesOf(v: unknown): ClassEntry[] | null {
  if (!Array.isArray(v)) return null;
  const fits = (c: Partial<ClassEntry> | null): boolean =>
    Number.isInteger(c?.value) && typeof c!.label === 'string' && (c!.colour === null || typeof c!.colour === 'string');
  return v.every(fits) ? (v as ClassEntry[]) : null;
}

export function unescapeXml(s: string): string {
  return s
    .replace(/&lt;/g, '<')
    .replace(/&gt;/g, '>')
    .replace(/&quot;/g, '"')
    .replace(/&apos;/g, "'")
    .replace(/&amp;/g, '&');
}

async function paletteOf(image: GeoTIFFImage, type: StoredType): Promise<ClassEntry[] | null> {
  if (type !== 'uint8' || Number(await image.fileDirectory.loadValue('PhotometricInterpretation')) !== 3) return null;
  const map = (await image.fileDirectory.loadValue('ColorMap')) as ArrayLike<number> | undefined;
  if (!map || map.length < 768) return null;
  const hex = (v: number): string => (v >> 8).toString(16).padStart(2, '0');
  return Array.from({ length: 256 }, (_, i) => ({
    value: i,
    label: String(i),
    colour: `#${hex(map[i]!)}${hex(map[256 + i]!)}${hex(map[512 + i]!)}`,
  })).filter((c) => c.colour !== '#000000');
}

function verticalUnitOf(image: GeoTIFFImage): string | null {
  const v = Number((image.getGeoKeys() as Record<string, unknown> | null)?.['VerticalUnitsGeoKey'] ?? 0);
  return v === 9001 ? 'm' : v === 9002 ? 'ft' : v === 9003 ? 'us-ft' : null;
}

import type { GeoTIFFImage } from 'geotiff';
import { cellsFor, decodeCells, type StoredArray } from '../data/cells';
import type { Held } from '../data/held';
import type { Cells, RasterInfo } from '../data/raster';
import { BLOCK_ROWS, RowRaster } from '../data/raster-handles';

/**
 * The bands of a TIFF image, decoded some rows at a time. Blocks are whole rows of tiles, so that each tile is unpacked once when rows are
 * asked for in order; the last two blocks are kept.
 */
export class TiffRaster extends RowRaster {
  private readonly block: number;
  private readonly kept = new Map<string, Promise<StoredArray[]>>();

  /**
   * @param files how each band lies in the file
   * @param together whether the bands of a cell lie together, so that they are unpacked together
   */
  constructor(
    head: RasterInfo,
    private readonly image: GeoTIFFImage,
    private readonly files: readonly Held[],
    tileHeight: number,
    private readonly together: boolean,
    private readonly damaged: (e: unknown) => Error,
  ) {
    super(head);
    this.block = Math.ceil(BLOCK_ROWS / tileHeight) * tileHeight;
  }

  async rows(band: number, from: number, count: number): Promise<Cells> {
    const { columns } = this.head.grid;
    const b = { kind: this.head.bands[band]!.kind, held: this.files[band]! };
    const out = cellsFor(b, count * columns);
    for (let k = Math.floor(from / this.block); k * this.block < from + count; k++) {
      const start = Math.max(from, k * this.block);
      const end = Math.min(from + count, (k + 1) * this.block);
      const raw = await this.blockOf(band, k);
      decodeCells(
        raw.subarray((start - k * this.block) * columns, (end - k * this.block) * columns),
        b,
        out.subarray((start - from) * columns, (end - from) * columns),
      );
    }
    return out;
  }

  private async blockOf(band: number, k: number): Promise<StoredArray> {
    const key = this.together ? `${k}` : `${k} ${band}`;
    let block = this.kept.get(key);
    if (!block) {
      block = this.read(this.together ? null : band, k);
      this.kept.set(key, block);
      const most = this.together ? 2 : 2 * this.files.length;
      for (const old of this.kept.keys()) {
        if (this.kept.size <= most) break;
        this.kept.delete(old);
      }
    }
    return (await block)[this.together ? band : 0]!;
  }

  private async read(band: number | null, k: number): Promise<StoredArray[]> {
    const { columns, rows } = this.head.grid;
    const window = [0, k * this.block, columns, Math.min(rows, (k + 1) * this.block)];
    try {
      return (await this.image.readRasters({
        window,
        interleave: false,
        ...(band === null ? {} : { samples: [band] }),
      })) as unknown as StoredArray[];
    } catch (e) {
      throw this.damaged(e);
    }
  }
}

import { chunkKey, chunkSize, levelSize, missingOf } from '@helk/core';
import { readChunk } from '@helk/core/data/raster-store';
import { useBrowserStreams } from './inflate';
import type { DrawnBand } from './messages';

useBrowserStreams();

type Chunk = Float32Array | Float64Array | null;

/** Chunks of cells, fetched once and kept while there is room (least recently used go first). */
export class ChunkCache {
  private readonly held = new Map<string, { chunk: Promise<Chunk>; bytes: number }>();
  private bytes = 0;

  constructor(private readonly room = 384 * 2 ** 20) {}

  /** Bytes of all chunks that are kept. */
  get size(): number {
    return this.bytes;
  }

  get(s: DrawnBand, level: number, column: number, row: number): Promise<Chunk> {
    const key = `${s.dataset}/${s.band}/${level}/${column}/${row}`;
    const found = this.held.get(key);
    if (found) {
      this.held.delete(key);
      this.held.set(key, found);
      return found.chunk;
    }
    const entry = { chunk: this.fetch(s, level, column, row), bytes: 0 };
    this.held.set(key, entry);
    entry.chunk.then(
      (c) => {
        entry.bytes = c?.byteLength ?? 64;
        this.bytes += entry.bytes;
        for (const [k, e] of this.held) {
          if (this.bytes <= this.room) break;
          // One on its way has no bytes yet: what it would give back is not known.
          if (e === entry || e.bytes === 0) continue;
          this.held.delete(k);
          this.bytes -= e.bytes;
        }
      },
      () => this.held.delete(key),
    );
    return entry.chunk;
  }

  private async fetch(s: DrawnBand, level: number, column: number, row: number): Promise<Chunk> {
    const r = await fetch(
      `/api/projects/${s.project}/datasets/${s.dataset}/pieces/band%20${s.band}/${level}/${chunkKey(column, row)}`,
    );
    if (r.status === 204) return null;
    if (!r.ok) throw new Error(`The cells could not be fetched (${r.status}).`);
    const { w, h } = chunkSize(levelSize(s.grid, level), column, row);
    const cells = await readChunk(new Uint8Array(await r.arrayBuffer()), s.info, level, w * h);
    if (!(cells instanceof Int32Array)) return cells;
    // Classes are drawn as numbers; their reserved missing value becomes NaN like that of measures.
    const missing = missingOf({ kind: 'category' });
    return Float64Array.from(cells, (v) => (v === missing ? NaN : v));
  }
}

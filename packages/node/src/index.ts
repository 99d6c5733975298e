import { promisify } from 'node:util';
import { deflate, deflateSync, inflate, inflateSync } from 'node:zlib';
import { useCrsCatalogue, useSharedRoom, useThreads, type CrsEntry } from '@helk/core';
import Database from 'better-sqlite3';
import { useCodec, useSqlite } from '@helk/core/formats';
import { useGeos } from '@helk/core/numeric/geos';
import { nodeThreads } from './threads';
import type { SqliteFile } from '@helk/core/formats/sqlite';
import epsg from '@helk/core/data/epsg.json' with { type: 'json' };

// zlib works on Node's own threads.
const pack = promisify<Uint8Array, { level: number }, Buffer>(deflate);
const unpack = promisify<Uint8Array, { maxOutputLength: number }, Buffer>(inflate);

/** Gives the core what Node.js has: the native zlib, the HDF5, SQLite and topology libraries and the EPSG list. Called once by every Node surface. */
export function setupNode(): void {
  useCodec({
    inflate: (d, most) => view(inflateSync(d, { maxOutputLength: Math.min(most, 2 ** 31) })),
    deflate: (d, level) => view(deflateSync(d, { level })),
    inflateLater: async (d, most) => view(await unpack(d, { maxOutputLength: Math.min(most, 2 ** 31) })),
    deflateLater: async (d, level) => view(await pack(d, { level })),
  });
  useGeos(async (onError) =>
    (await import('geos-wasm')).default({
      errorHandler: (m: string) => onError(m),
      noticeHandler: () => undefined,
    } as never),
  );
  useThreads(nodeThreads);
  useSharedRoom(nodeThreads.count > 1);
  useSqlite(openSqlite);
  useCrsCatalogue(epsg as unknown as CrsEntry[]);
}

/** An SQLite file in memory: from its bytes, or a new one. */
function openSqlite(bytes: Uint8Array | null): SqliteFile {
  const db = bytes
    ? new Database(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength), { readonly: true })
    : new Database(':memory:');
  // Views and triggers of a foreign file may call nothing that does harm.
  db.pragma('trusted_schema = OFF');
  return {
    all: (sql, ...values) => db.prepare(sql).all(...values) as Record<string, unknown>[],
    each: (sql) => db.prepare(sql).raw().iterate() as IterableIterator<unknown[]>,
    run: (sql, rows) => {
      if (!rows) {
        db.exec(sql);
        return;
      }
      const s = db.prepare(sql);
      db.transaction(() => {
        for (const r of rows) s.run(...r);
      })();
    },
    bytes: () => view(db.serialize()),
    close: () => void db.close(),
  };
}

const view = (b: Buffer): Uint8Array => new Uint8Array(b.buffer, b.byteOffset, b.byteLength);

export { outgoing, outgoingBytes } from './outgoing';
export { fileSink, fileSource } from './files';

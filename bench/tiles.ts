import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { inflateSync } from 'node:zlib';
import { chunkKey, crsOfCode, handleOn, measureRaster } from '@helk/core';
import { makeApp } from '../apps/server/src/app';
import { makeContext } from '../apps/server/src/context';
import { configFrom } from '../apps/server/src/config';
import { stageHandle } from '../apps/server/src/store/project-store';

/**
 * Chunks of a stored raster over HTTP, six at a time as a browser asks for them, against only inflating the same bytes in
 * memory: what the store and the server add to what cannot be avoided.
 */
export async function tileServing(
  cells: Float32Array,
  size: number,
): Promise<{ chunks: number; seconds: number; inflate: number; megabytes: number }> {
  const dir = mkdtempSync(join(tmpdir(), 'helk-tiles-'));
  const context = await makeContext(configFrom({ HELK_DATA: dir, HELK_WEB: 'none' }, dir));
  const server = createServer(makeApp(context));
  await new Promise<void>((r) => server.listen(0, '127.0.0.1', r));
  const base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  try {
    const p = await context.projects.create('tiles');
    const data = measureRaster(
      { crs: crsOfCode(32627), x: 0, y: 0, dx: 10, dy: 10, columns: size, rows: size },
      cells,
      { name: 'z', unit: 'm' },
    );
    const made = { name: 'z', runId: null, role: null, batch: null, source: null };
    const id = await stageHandle(p.db, made, handleOn(data), () => undefined);
    await p.db('datasets').where({ id }).update({ state: 'ready' });
    const n = Math.ceil(size / 512);
    const wanted = Array.from(
      { length: n * n },
      (_, k) => `${base}/api/projects/${p.id}/datasets/${id}/pieces/band%200/0/${chunkKey(k % n, Math.floor(k / n))}`,
    );
    const clock = process.hrtime.bigint();
    let bytes = 0;
    const queue = [...wanted];
    await Promise.all(
      Array.from({ length: 6 }, async () => {
        for (let url = queue.pop(); url; url = queue.pop()) {
          const got = await (await fetch(url)).arrayBuffer();
          bytes += got.byteLength;
        }
      }),
    );
    const seconds = Number(process.hrtime.bigint() - clock) / 1e9;
    const stored = (await p.db('pieces').where({ level: 0 }).select('bytes')) as { bytes: Buffer }[];
    const again = process.hrtime.bigint();
    for (const c of stored) inflateSync(c.bytes);
    return {
      chunks: wanted.length,
      seconds,
      inflate: Number(process.hrtime.bigint() - again) / 1e9,
      megabytes: bytes / 1e6,
    };
  } finally {
    server.closeAllConnections();
    await new Promise((r) => server.close(r));
    await context.pool.close();
    await context.projects.close();
    rmSync(dir, { recursive: true, force: true });
  }
}

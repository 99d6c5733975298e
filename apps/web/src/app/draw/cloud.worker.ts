/// <reference lib="webworker" />
import { sameCrs, type Crs } from '@helk/core';
import type { PointValues } from '@helk/core/data/cloud';
import { CHUNK_LIST, COORDINATES, readChunkList, readPiece, type ChunkList } from '@helk/core/data/cloud-store';
import type { StoredType } from '@helk/core/data/raster';
import type { DrawnPoints } from '@helk/core/render/cloud-paint';
import { useBrowserStreams } from './inflate';
import type { ChunkAt, CloudAnswer, CloudRequest, CloudSource } from './cloud-messages';

useBrowserStreams();

addEventListener('message', (e: MessageEvent<CloudRequest>) => {
  const m = e.data;
  const answer = (a: CloudAnswer, transfer: Transferable[] = []): void => postMessage(a, { transfer });
  const work =
    m.kind === 'list'
      ? list(m.source).then((found) => answer({ id: m.id, list: found }))
      : m.kind === 'places'
        ? places(m.source, m.chunk, m.from, m.to).then((p) =>
            answer({ id: m.id, places: p }, [p.dx.buffer, p.dy.buffer, p.z.buffer]),
          )
        : values(m.source, m.array, m.chunk, m.type).then((v) => answer({ id: m.id, values: v }, [v.buffer]));
  work.catch((x: unknown) => answer({ id: m.id, error: x instanceof Error ? x.message : String(x) }));
});

async function piece(s: CloudSource, array: string, level: number, key: number): Promise<Uint8Array> {
  const r = await fetch(
    `/api/projects/${s.project}/datasets/${s.dataset}/pieces/${encodeURIComponent(array)}/${level}/${key}`,
  );
  if (!r.ok) throw new Error(`The points could not be fetched (${r.status}).`);
  return new Uint8Array(await r.arrayBuffer());
}

const list = async (s: CloudSource): Promise<ChunkList> => readChunkList(await piece(s, CHUNK_LIST, 0, 0));

const values = async (s: CloudSource, array: string, { level, key, count }: ChunkAt, type: StoredType) =>
  (await readPiece(await piece(s, array, level, key), type, count)) as PointValues & { buffer: ArrayBuffer };

/** Places from the corner of their own chunk, so that single-precision numbers keep millimetres. */
async function places(
  s: CloudSource,
  chunk: ChunkAt,
  from: Crs | null,
  to: Crs,
): Promise<
  DrawnPoints & { dx: Float32Array<ArrayBuffer>; dy: Float32Array<ArrayBuffer>; z: Float32Array<ArrayBuffer> }
> {
  const [x, y, z] = (await Promise.all(COORDINATES.map((array) => values(s, array, chunk, 'int32')))) as [
    Int32Array,
    Int32Array,
    Int32Array,
  ];
  const n = chunk.count;
  const [dx, dy, h] = [new Float32Array(n), new Float32Array(n), new Float32Array(n)];
  for (let i = 0; i < n; i++) h[i] = z[i]! * s.scale[2] + s.offset[2];
  const at = (k: 0 | 1, v: number): number => v * s.scale[k] + s.offset[k];
  if (!from || sameCrs(from, to)) {
    const [x0, y0] = [at(0, x[0]!), at(1, y[0]!)];
    for (let i = 0; i < n; i++) {
      dx[i] = (x[i]! - x[0]!) * s.scale[0];
      dy[i] = (y[i]! - y[0]!) * s.scale[1];
    }
    return { x0, y0, dx, dy, z: h };
  }
  const { transformer } = await import('@helk/core/data/crs');
  const t = transformer(from, to);
  const out = [0, 0];
  t(at(0, x[0]!), at(1, y[0]!), out);
  const [x0, y0] = out as [number, number];
  for (let i = 0; i < n; i++) {
    t(at(0, x[i]!), at(1, y[i]!), out);
    dx[i] = out[0]! - x0;
    dy[i] = out[1]! - y0;
  }
  return { x0, y0, dx, dy, z: h };
}

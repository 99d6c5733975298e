/// <reference lib="webworker" />
import { cellMetres, CHUNK, levelSize, levelsOf, transformer, unitFactor } from '@helk/core';
import { CellMapper } from '@helk/core/numeric/cell-mapper';
import { colourTable, paintRow, type Light, type Window } from '@helk/core/render/paint';
import { ChunkCache } from './chunks';
import type { DrawAnswer, DrawRequest, TileRequest, ValueRequest } from './messages';

const cache = new ChunkCache();
const cancelled = new Set<number>();

addEventListener('message', (e: MessageEvent<DrawRequest>) => {
  const m = e.data;
  if (m.kind === 'cancel') {
    cancelled.add(m.id);
    return;
  }
  const answer = (a: DrawAnswer, transfer: Transferable[] = []): void => postMessage(a, { transfer });
  const work =
    m.kind === 'tile'
      ? tile(m).then((image) => answer({ id: m.id, image }, image ? [image] : []))
      : value(m).then((v) => answer({ id: m.id, value: v }));
  work
    .catch((x: unknown) => answer({ id: m.id, error: x instanceof Error ? x.message : String(x) }))
    .finally(() => cancelled.delete(m.id));
});

/** Cells of a level around some columns and rows, with a border of one cell, missing where there is nothing. */
async function windowOf(
  m: TileRequest,
  level: number,
  c0: number,
  r0: number,
  c1: number,
  r1: number,
): Promise<Window | null> {
  const { width: levelColumns, height: levelRows } = levelSize(m.source.grid, level);
  const width = c1 - c0 + 3;
  const height = r1 - r0 + 3;
  const cells = new Float32Array(width * height).fill(NaN);
  let some = false;
  const from = { c: Math.max(0, c0 - 1), r: Math.max(0, r0 - 1) };
  const to = { c: Math.min(levelColumns - 1, c1 + 1), r: Math.min(levelRows - 1, r1 + 1) };
  const jobs: Promise<void>[] = [];
  for (let cr = Math.floor(from.r / CHUNK); cr <= Math.floor(to.r / CHUNK); cr++) {
    for (let cc = Math.floor(from.c / CHUNK); cc <= Math.floor(to.c / CHUNK); cc++) {
      jobs.push(
        cache.get(m.source, level, cc, cr).then((chunk) => {
          if (!chunk) return;
          some = true;
          const cw = Math.min(CHUNK, levelColumns - cc * CHUNK);
          const a = Math.max(from.c, cc * CHUNK);
          const b = Math.min(to.c, cc * CHUNK + cw - 1);
          for (let r = Math.max(from.r, cr * CHUNK); r <= Math.min(to.r, cr * CHUNK + CHUNK - 1); r++) {
            const o = (r - cr * CHUNK) * cw - cc * CHUNK;
            cells.set(chunk.subarray(o + a, o + b + 1), (r - r0 + 1) * width + (a - c0 + 1));
          }
        }),
      );
    }
  }
  await Promise.all(jobs);
  return some || m.missing ? { cells, width, height, column: c0 - 1, row: r0 - 1 } : null;
}

async function tile(m: TileRequest): Promise<ImageBitmap | null> {
  const { grid } = m.source;
  const n = m.width;
  const u = Array.from({ length: m.height }, () => new Float64Array(n));
  const v = Array.from({ length: m.height }, () => new Float64Array(n));
  const mapper = new CellMapper(
    { x: m.x, y: m.y, dx: m.resolution, dy: m.resolution },
    n,
    grid,
    transformer(m.crs, grid.crs ?? m.crs),
  );
  let c0 = Infinity;
  let c1 = -Infinity;
  let r0 = Infinity;
  let r1 = -Infinity;
  for (let y = 0; y < m.height; y++) {
    const uy = u[y]!;
    const vy = v[y]!;
    mapper.row(y, uy, vy);
    for (let x = 0; x < n; x++) {
      if (uy[x]! < c0) c0 = uy[x]!;
      if (uy[x]! > c1) c1 = uy[x]!;
      if (vy[x]! < r0) r0 = vy[x]!;
      if (vy[x]! > r1) r1 = vy[x]!;
    }
  }
  if (!(c1 >= 0 && r1 >= 0 && c0 < grid.columns && r0 < grid.rows)) return null;
  // The finer direction decides: cells of a grid in degrees are narrower than they are tall.
  const step = Math.min((c1 - c0) / n, (r1 - r0) / m.height);
  const level = Math.min(levelsOf(grid), Math.max(0, Math.floor(Math.log2(Math.max(1, step)))));
  const f = 2 ** level;
  const columns = grid.columns / f;
  const rows = grid.rows / f;
  const lc = Math.max(0, Math.floor(c0 / f));
  const lr = Math.max(0, Math.floor(r0 / f));
  const w = await windowOf(
    m,
    level,
    lc,
    lr,
    Math.min(levelSize(grid, level).width - 1, Math.floor(c1 / f)),
    Math.min(levelSize(grid, level).height - 1, Math.floor(r1 / f)),
  );
  if (!w || cancelled.has(m.id)) return null;
  const rgb = (a: number[]): [number, number, number] => [a[0]!, a[1]!, a[2]!];
  const paint = {
    scale: m.scale,
    light: m.relief ? lightOf(m, f, Math.min(grid.rows - 1, Math.max(0, Math.floor((r0 + r1) / 2)))) : null,
    gaps: m.gaps.map((g): [number, number, number, number] => [
      Math.floor(g.column / f),
      Math.floor(g.row / f),
      Math.floor((g.column + g.columns - 1) / f),
      Math.floor((g.row + g.rows - 1) / f),
    ]),
    missing: m.missing ? { ink: rgb(m.missing.ink), ground: rgb(m.missing.ground), faint: rgb(m.missing.faint) } : null,
    pick: m.pick,
    columns,
    rows,
  };
  const picture = new ImageData(n, m.height);
  const colours = colourTable(m.scale);
  for (let y = 0; y < m.height; y++) {
    const uy = u[y]!;
    const vy = v[y]!;
    if (f > 1) {
      for (let x = 0; x < n; x++) {
        uy[x] = uy[x]! / f;
        vy[x] = vy[x]! / f;
      }
    }
    paintRow(picture.data, y * n * 4, y, n, uy, vy, w, paint, colours);
  }
  return createImageBitmap(picture);
}

/** The light in the unit of the values; a little exaggerated as one looks from farther off. */
function lightOf(m: TileRequest, f: number, row: number): Light {
  const r = m.relief!;
  const h = (r.altitude * Math.PI) / 180;
  const a = (r.azimuth * Math.PI) / 180;
  const [w, ht] = cellMetres(m.source.grid, row);
  const vertical = (unitFactor(m.source.info.unit) ?? 1) * r.zFactor;
  return {
    vector: [Math.sin(a) * Math.cos(h), -Math.cos(a) * Math.cos(h), Math.sin(h)],
    strength: r.strength,
    cellWidth: (w * f) / vertical,
    cellHeight: (ht * f) / vertical,
  };
}

/** The exact value of the full-size cell under a place. */
async function value(m: ValueRequest): Promise<{ value: number | null; column: number; row: number }> {
  const { grid } = m.source;
  const out = [0, 0];
  transformer(m.crs, grid.crs ?? m.crs)(m.x, m.y, out);
  const column = Math.floor((out[0]! - grid.x) / grid.dx);
  const row = Math.floor((grid.y - out[1]!) / grid.dy);
  if (!(column >= 0 && row >= 0 && column < grid.columns && row < grid.rows)) return { value: null, column, row };
  const cc = Math.floor(column / CHUNK);
  const cr = Math.floor(row / CHUNK);
  const chunk = await cache.get(m.source, 0, cc, cr);
  const width = Math.min(CHUNK, grid.columns - cc * CHUNK);
  return { value: chunk ? chunk[(row - cr * CHUNK) * width + (column - cc * CHUNK)]! : NaN, column, row };
}

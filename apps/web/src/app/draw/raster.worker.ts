/// <reference lib="webworker" />
import { cellMetres, CHUNK, levelSize, levelsOf, sameCrs, unitFactor, type Crs, type RasterStyle } from '@helk/core';
import type { Transform } from '@helk/core/data/crs';
import { CellMapper } from '@helk/core/numeric/cell-mapper';
import {
  colourTable,
  gammaTable,
  mixRow,
  paintRow,
  type Light,
  type Paint,
  type Window,
} from '@helk/core/render/paint';
import { ChunkCache } from './chunks';
import type {
  DrawAnswer,
  DrawRequest,
  SampleRequest,
  Spot,
  SurfaceRequest,
  TileRequest,
  ValueRequest,
} from './messages';

const cache = new ChunkCache();
const cancelled = new Set<number>();

addEventListener('message', (e: MessageEvent<DrawRequest>) => {
  const m = e.data;
  if (m.kind === 'cancel') {
    cancelled.add(m.id);
    return;
  }
  if (m.kind === 'warm') {
    // What could not be fetched is asked for again, and told of, by whoever draws it.
    void placed(m, m.every)
      .then((p) => p && windowOf(m, p.level, ...p.box))
      .catch(() => undefined);
    return;
  }
  const answer = (a: DrawAnswer, transfer: Transferable[] = []): void => postMessage(a, { transfer });
  const work =
    m.kind === 'tile'
      ? tile(m).then((image) => answer({ id: m.id, image }, image ? [image] : []))
      : m.kind === 'sample'
        ? sample(m).then((found) => answer({ id: m.id, sample: found }, [found.buffer]))
        : m.kind === 'surface'
          ? surface(m).then((found) => answer({ id: m.id, sample: found }, [found.buffer]))
          : value(m).then((v) => answer({ id: m.id, value: v }));
  work
    .catch((x: unknown) => answer({ id: m.id, error: x instanceof Error ? x.message : String(x) }))
    .finally(() => cancelled.delete(m.id));
});

/** From the system of the map to that of a grid; what works out projections is loaded when the two differ. */
async function transformOf(map: Crs, grid: Crs | null): Promise<Transform> {
  if (!grid || sameCrs(map, grid)) {
    return (x, y, out) => {
      out[0] = x;
      out[1] = y;
    };
  }
  const { transformer } = await import('@helk/core/data/crs');
  return transformer(map, grid);
}

/** Cells of a level around some columns and rows, with a border of one cell, missing where there is nothing. */
async function windowOf(
  m: Spot & Partial<Pick<TileRequest, 'missing'>>,
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

interface Placed {
  /** Column and row of the grid at every pixel's centre, a line of pixels each. */
  u: Float64Array[];
  v: Float64Array[];
  level: number;
  /** First and last column and row of that level beneath the pixels. */
  box: [c0: number, r0: number, c1: number, r1: number];
  /** Row of the grid in the middle. */
  middle: number;
}

/**
 * Where pixels lie on a grid, and which of its levels suits them; null where they lie beside it.
 *
 * @param every pixels of the picture that is meant to one that is asked for
 */
async function placed(m: Spot, every = 1): Promise<Placed | null> {
  const { grid } = m.source;
  const n = m.width;
  const u = Array.from({ length: m.height }, () => new Float64Array(n));
  const v = Array.from({ length: m.height }, () => new Float64Array(n));
  const mapper = new CellMapper(
    { x: m.x, y: m.y, dx: m.resolution, dy: m.resolution },
    n,
    grid,
    await transformOf(m.crs, grid.crs),
  );
  let [c0, c1, r0, r1] = [Infinity, -Infinity, Infinity, -Infinity];
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
  const step = Math.min((c1 - c0) / n, (r1 - r0) / m.height) / every;
  const level = Math.min(levelsOf(grid), Math.max(0, Math.floor(Math.log2(Math.max(1, step)))));
  const f = 2 ** level;
  const size = levelSize(grid, level);
  return {
    u,
    v,
    level,
    box: [
      Math.max(0, Math.floor(c0 / f)),
      Math.max(0, Math.floor(r0 / f)),
      Math.min(size.width - 1, Math.floor(c1 / f)),
      Math.min(size.height - 1, Math.floor(r1 / f)),
    ],
    middle: Math.min(grid.rows - 1, Math.max(0, Math.floor((r0 + r1) / 2))),
  };
}

async function tile(m: TileRequest): Promise<ImageBitmap | null> {
  const p = await placed(m);
  if (!p) return null;
  const { u, v, level } = p;
  const sources = 'bands' in m.by ? m.by.bands : [m.source];
  const windows = await Promise.all(sources.map((source) => windowOf({ ...m, source }, level, ...p.box)));
  if (cancelled.has(m.id) || !windows.every((w) => w !== null)) return null;
  const { grid } = m.source;
  const n = m.width;
  const f = 2 ** level;
  const columns = grid.columns / f;
  const rows = grid.rows / f;
  const rgb = (a: number[]): [number, number, number] => [a[0]!, a[1]!, a[2]!];
  const common = {
    gaps: m.gaps.map((g): [number, number, number, number] => [
      Math.floor(g.column / f),
      Math.floor(g.row / f),
      Math.floor((g.column + g.columns - 1) / f),
      Math.floor((g.row + g.rows - 1) / f),
    ]),
    missing: m.missing ? { ink: rgb(m.missing.ink), ground: rgb(m.missing.ground), faint: rgb(m.missing.faint) } : null,
    coarse: m.coarse,
    columns,
    rows,
  };
  const picture = new ImageData(n, m.height);
  const row = painter(m, windows, common, f, p.middle);
  for (let y = 0; y < m.height; y++) {
    const uy = u[y]!;
    const vy = v[y]!;
    if (f > 1) {
      for (let x = 0; x < n; x++) {
        uy[x] = uy[x]! / f;
        vy[x] = vy[x]! / f;
      }
    }
    row(picture.data, y * n * 4, y, n, uy, vy);
  }
  return createImageBitmap(picture);
}

type PaintsRow = (
  out: Uint8ClampedArray,
  offset: number,
  y: number,
  n: number,
  u: Float64Array,
  v: Float64Array,
) => void;

/** Paints rows of a picture: one band by its colours and the light, or three at once. */
function painter(
  m: TileRequest,
  windows: Window[],
  common: Omit<Paint, 'scale' | 'light' | 'pick'>,
  f: number,
  middle: number,
): PaintsRow {
  if ('bands' in m.by) {
    const { mix } = m.by;
    const bright = gammaTable(mix.gamma);
    return (out, offset, y, n, u, v) => mixRow(out, offset, y, n, u, v, windows, common, mix, bright);
  }
  const { scale, relief } = m.by;
  const paint = { ...common, scale, light: relief ? lightOf(m, relief, f, middle) : null, pick: m.pick };
  const colours = colourTable(scale);
  return (out, offset, y, n, u, v) => paintRow(out, offset, y, n, u, v, windows[0]!, paint, colours);
}

/** The light in the unit of the values; a little exaggerated as one looks from farther off. */
function lightOf(m: Spot, r: NonNullable<RasterStyle['relief']>, f: number, row: number): Light {
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

/** Values beneath pixels, of the level that suits them. */
async function sample(m: SampleRequest): Promise<Float32Array<ArrayBuffer>> {
  const p = await placed(m);
  const w = p && (await windowOf(m, p.level, ...p.box));
  if (!p || !w) return new Float32Array(0);
  const f = 2 ** p.level;
  const { columns, rows } = m.source.grid;
  const found: number[] = [];
  p.u.forEach((us, y) =>
    us.forEach((u, x) => {
      const v = p.v[y]![x]!;
      if (!(u >= 0 && v >= 0 && u < columns && v < rows)) return;
      const z = w.cells[(Math.floor(v / f) - w.row) * w.width + (Math.floor(u / f) - w.column)]!;
      if (z === z) found.push(z);
    }),
  );
  return Float32Array.from(found);
}

/** Values at the middles of pixels, between the middles of the cells around; not numbers where one of those has none. */
async function surface(m: SurfaceRequest): Promise<Float32Array<ArrayBuffer>> {
  const out = new Float32Array(m.width * m.height).fill(NaN);
  const p = await placed(m);
  const w = p && (await windowOf(m, p.level, ...p.box));
  if (!p || !w) return out;
  const f = 2 ** p.level;
  const { columns, rows } = m.source.grid;
  const [most, lowest] = [Math.ceil(columns / f) - 1, Math.ceil(rows / f) - 1];
  p.u.forEach((us, y) =>
    us.forEach((u, x) => {
      const v = p.v[y]![x]!;
      if (!(u >= 0 && v >= 0 && u < columns && v < rows)) return;
      const a = Math.min(most, Math.max(0, u / f - 0.5));
      const b = Math.min(lowest, Math.max(0, v / f - 0.5));
      const [i, j] = [Math.floor(a), Math.floor(b)];
      const at = (di: number, dj: number): number =>
        w.cells[(Math.min(lowest, j + dj) - w.row) * w.width + (Math.min(most, i + di) - w.column)]!;
      const [fx, fy] = [a - i, b - j];
      const z = (at(0, 0) * (1 - fx) + at(1, 0) * fx) * (1 - fy) + (at(0, 1) * (1 - fx) + at(1, 1) * fx) * fy;
      // Beside a gap the nearest cell has to do.
      out[y * m.width + x] = z === z ? z : at(Math.round(fx), Math.round(fy));
    }),
  );
  return out;
}

/** The exact value of the full-size cell under a place. */
async function value(m: ValueRequest): Promise<{ value: number | null; column: number; row: number }> {
  const { grid } = m.source;
  const out = [0, 0];
  (await transformOf(m.crs, grid.crs))(m.x, m.y, out);
  const column = Math.floor((out[0]! - grid.x) / grid.dx);
  const row = Math.floor((grid.y - out[1]!) / grid.dy);
  if (!(column >= 0 && row >= 0 && column < grid.columns && row < grid.rows)) return { value: null, column, row };
  const cc = Math.floor(column / CHUNK);
  const cr = Math.floor(row / CHUNK);
  const chunk = await cache.get(m.source, 0, cc, cr);
  const width = Math.min(CHUNK, grid.columns - cc * CHUNK);
  return { value: chunk ? chunk[(row - cr * CHUNK) * width + (column - cc * CHUNK)]! : NaN, column, row };
}

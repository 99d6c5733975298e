/// <reference lib="webworker" />
import { CHUNK, measureRaster, runMethod, type Raster } from '@helk/core';
import { formula as formulaMethod } from '@helk/core/methods/raster/formula';
import { summarise } from '@helk/core/numeric/statistics';
import { chaikin, isolines } from '@helk/core/numeric/contour';
import { lineCollector, StreamPreview, type PreviewLines } from '@helk/core/methods/terrain/stream-preview';
import { ChunkCache } from './chunks';
import type { DrawnBand, PreviewAnswer, PreviewRequest } from './messages';

/** Cells a preview is worked out on at most; larger grids are taken from an overview. */
const MOST = 1_500_000;
const MOST_FORMULA = 200_000;
const MOST_LEVELS = 200;
const cache = new ChunkCache(64 * 2 ** 20);
let held: { dataset: string; raster: Raster; step: number; streams?: StreamPreview } | null = null;

addEventListener('message', (e: MessageEvent<PreviewRequest>) => {
  const m = e.data;
  const work =
    m.what.kind === 'formula'
      ? formula(m.id, m.what).then((a) => postMessage(a))
      : lines(m).then((a) =>
          postMessage(a, { transfer: [a.lines.xy.buffer, a.lines.offsets.buffer, a.lines.value.buffer] }),
        );
  void work.then(
    () => undefined,
    (x: unknown) => postMessage({ id: m.id, error: x instanceof Error ? x.message : String(x) }),
  );
});

/** What a formula gives on an overview of its grids: the first result while typing. */
async function formula(
  id: number,
  w: Extract<PreviewRequest['what'], { kind: 'formula' }>,
): Promise<Extract<PreviewAnswer, { result: unknown }>> {
  const small = await Promise.all(w.sources.map((s) => coarse(s, MOST_FORMULA)));
  const o = await runMethod(formulaMethod, { rasters: small.map((s) => s.raster) }, { formula: w.formula });
  const { min, max, mean, count, missing } = summarise((o.outputs[0]!.data as Raster).bands[0]!.cells);
  return { id, result: { min, max, mean, count, missing }, step: small[0]!.step };
}

async function lines(m: PreviewRequest): Promise<Extract<PreviewAnswer, { lines: PreviewLines }>> {
  if (m.what.kind === 'formula') throw new Error('A formula has no lines.');
  if (held?.dataset !== m.source.dataset) held = { dataset: m.source.dataset, ...(await coarse(m.source)) };
  const { raster, step } = held;
  if (m.what.kind === 'streams') {
    const s = (held.streams ??= new StreamPreview(raster));
    return { id: m.id, lines: s.lines(m.what.threshold), step, greatest: s.greatest };
  }
  const { interval, base, smooth } = m.what;
  const { grid } = raster;
  const { cells } = raster.bands[0]!;
  let min = Infinity;
  let max = -Infinity;
  for (const v of cells) {
    if (v < min) min = v;
    if (v > max) max = v;
  }
  const c = lineCollector(`Contours every ${interval}`);
  const first = Math.ceil((Math.max(min, m.what.from) - base) / interval - 1e-9);
  const last = Math.floor((Math.min(max, m.what.to) - base) / interval + 1e-9);
  if (last - first >= MOST_LEVELS)
    throw new Error(`Contours every ${interval} would be ${last - first + 1} levels: too many to show before the run.`);
  for (let k = first; k <= last; k++) {
    for (const raw of isolines(cells, grid.columns, grid.rows, Number((base + k * interval).toPrecision(12)))) {
      const l = smooth ? chaikin(raw, smooth) : raw;
      const points = new Float64Array(l.length);
      for (let i = 0; i < l.length; i += 2) {
        points[i] = grid.x + l[i]! * grid.dx;
        points[i + 1] = grid.y - l[i + 1]! * grid.dy;
      }
      c.line(points, k % m.what.indexEvery === 0 ? 1 : 0);
    }
  }
  return { id: m.id, lines: c.lines(), step, greatest: 0 };
}

/** The band at the finest level that is small enough. */
async function coarse(s: DrawnBand, most = MOST): Promise<{ raster: Raster; step: number }> {
  const { grid } = s;
  let [columns, rows, level] = [grid.columns, grid.rows, 0];
  while (columns * rows > most && (columns > CHUNK || rows > CHUNK)) {
    columns = Math.ceil(columns / 2);
    rows = Math.ceil(rows / 2);
    level++;
  }
  const f = 2 ** level;
  const cells = new Float32Array(columns * rows).fill(NaN);
  for (let cr = 0; cr * CHUNK < rows; cr++) {
    for (let cc = 0; cc * CHUNK < columns; cc++) {
      const chunk = await cache.get(s, level, cc, cr);
      if (!chunk) continue;
      const w = Math.min(CHUNK, columns - cc * CHUNK);
      const h = Math.min(CHUNK, rows - cr * CHUNK);
      for (let r = 0; r < h; r++)
        cells.set(chunk.subarray(r * w, (r + 1) * w), (cr * CHUNK + r) * columns + cc * CHUNK);
    }
  }
  const b = s.info;
  const small = { ...grid, columns, rows, dx: grid.dx * f, dy: grid.dy * f };
  return { raster: measureRaster(small, cells, { name: b.name, unit: b.unit }), step: f };
}

import fc from 'fast-check';
import cases from '../../../../../reference/fixtures/fill.json';
import { Random } from '../../numeric/random';
import { rasterOf, roughCells, run, runRaster } from '../../testing';
import { priorityFlood } from './fill';
import type { Raster } from '../../data/raster';

const LEVEL = [0, 0, 0, 0, 0, 0, 0, 0];
const AROUND = [
  [-1, -1],
  [0, -1],
  [1, -1],
  [-1, 0],
  [1, 0],
  [-1, 1],
  [0, 1],
  [1, 1],
] as const;

/** The plainest filling there is: lower everything from a flood towards the land until nothing changes. */
function plainFill(z: Float32Array, w: number, h: number): Float32Array {
  const out = Float32Array.from(z, (v) => (v !== v ? NaN : Infinity));
  const at = (x: number, y: number): number =>
    x < 0 || y < 0 || x >= w || y >= h || Number.isNaN(z[y * w + x]!) ? -Infinity : out[y * w + x]!;
  for (let changed = true; changed;) {
    changed = false;
    for (let i = 0; i < z.length; i++) {
      if (z[i] !== z[i]) continue;
      const low = Math.min(...AROUND.map(([dx, dy]) => at((i % w) + dx, Math.floor(i / w) + dy)));
      const v = Math.max(z[i]!, low);
      if (v < out[i]!) {
        out[i] = v;
        changed = true;
      }
    }
  }
  return out;
}

describe('depression filling', () => {
  it('equals scikit-image’s reconstruction by erosion', () => {
    for (const c of cases) {
      const z = Float32Array.from(c.cells, (v) => v ?? NaN);
      const out = new Float32Array(z.length);
      priorityFlood(z, c.width, c.height, out, LEVEL);
      expect(out).toEqual(Float32Array.from(c.filled, (v) => v ?? NaN));
    }
  });

  it('equals the plainest filling on random land with missing cells', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 20 }), fc.integer({ min: 1, max: 20 }), fc.integer(), (w, h, seed) => {
        const r = new Random(seed);
        const z = roughCells(w, h, () => r.uniform());
        for (let i = 0; i < z.length; i++) if (r.uniform() < 0.05) z[i] = NaN;
        const out = new Float32Array(z.length);
        priorityFlood(z, w, h, out, LEVEL);
        expect(out).toEqual(plainFill(z, w, h));
      }),
      { numRuns: 60 },
    );
  });

  it('never lowers a cell, keeps missing cells, and with a least slope lets every cell drain downhill', async () => {
    const r = new Random(11);
    const cells = [...roughCells(30, 25, () => r.uniform())];
    const { out } = await runRaster('terrain.fill', { elevation: rasterOf(30, cells) }, { minSlope: 0.001 });
    const f = out.bands[0]!.cells;
    for (let i = 0; i < f.length; i++) {
      expect(f[i]!).toBeGreaterThanOrEqual(cells[i]!);
      const x = i % 30;
      const y = Math.floor(i / 30);
      if (x === 0 || y === 0 || x === 29 || y === 24) continue;
      expect(AROUND.some(([dx, dy]) => f[(y + dy) * 30 + x + dx]! < f[i]!))
        .withContext(`cell ${x}, ${y}`)
        .toBeTrue();
    }
  });

  // A bowl 10 m deep with one spill at 12 m, and a single-cell pit 90 m deep.
  const bowl = [
    20, 20, 20, 20, 20, 20, 20, 20, 10, 10, 20, 20, 20, 20, 20, 10, 10, 12, 9, 20, 20, 20, 20, 20, 20, 8, 20, 20, 20,
    -70, 20, 20, 5, 20, 20, 20, 20, 20, 20, 2, 20, 20,
  ];

  it('reports depressions, cells, deepest fill and volume', async () => {
    const o = await run('terrain.fill', { elevation: rasterOf(7, bowl) });
    expect(o.figures).toEqual({ depressions: 2, filledCells: 5, deepest: 90, volume: (4 * 2 + 90) * 100 });
    const depth = (o.outputs[1]!.data as Raster).bands[0]!;
    expect(depth.cells[4 * 7 + 1]).toBe(90);
    expect(depth.unit).toBe('m');
  });

  it('leaves depressions deeper than the limit whole', async () => {
    const o = await run('terrain.fill', { elevation: rasterOf(7, bowl) }, { maxDepth: '50 m' });
    expect(o.figures).toEqual({ depressions: 1, filledCells: 4, deepest: 2, volume: 800 });
    expect((o.outputs[0]!.data as Raster).bands[0]!.cells[29]).toBe(-70);
  });

  it('offers the projection for degrees and the gap filling for holes before it runs', async () => {
    const d = 1 / 3600;
    const holed: (number | null)[] = new Array<number>(49).fill(5);
    holed[24] = null;
    const { outcome } = await runRaster('terrain.fill', {
      elevation: rasterOf(7, holed, {
        crs: {
          code: 'EPSG:4326',
          name: 'WGS 84',
          proj4: '+proj=longlat +datum=WGS84 +no_defs',
          geographic: true,
          unit: '°',
        },
        x: -20,
        y: 58,
        dx: d,
        dy: d,
      }),
    });
    expect(outcome.notes.map((n) => n.code)).toEqual(['crs.degrees', 'band.enclosedGaps']);
  });
});

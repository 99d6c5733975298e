import { bandFacts, featureCount, runMethod, methodOf, type Features } from '@helk/core';
import { setupNode } from '@helk/node';
import {
  makeElevation,
  makeGauge,
  makeIslet,
  makeIsletGauge,
  makeIsletLand,
  makeLandscape,
  makeMappedStreams,
  makeSeabed,
  makeWalk,
} from './index';
import { readFile } from '@helk/core/formats';

describe('the sample island', () => {
  setupNode();
  const land = makeLandscape();
  const { tiles, truth } = makeElevation(land);

  it('is the same for the same seed', () => {
    const again = makeElevation(land);
    expect(again.tiles.map((t) => t.raster.bands[0]!.cells)).toEqual(tiles.map((t) => t.raster.bands[0]!.cells));
    expect(again.truth).toEqual(truth);
  });
  it('has five overlapping tiles, two enclosed holes, deep pits, a raised tile and another missing value', async () => {
    const o = await runMethod(methodOf('raster.mosaic'), { tiles: tiles.map((t) => t.raster) }, {});
    expect(o.figures['tiles']).toBe(5);
    expect(o.figures['overlapCells'] as number).toBeGreaterThan(10_000);
    const holes = truth.holes.reduce((s, h) => s + h.cells, 0);
    expect(o.figures['enclosedCells']).toBe(holes);
    expect(o.notes.find((n) => n.code === 'mosaic.step')?.message).toContain('Tile 5 lies 5.00 m above');
    const m = o.outputs[0]!.data;
    if (m.kind !== 'raster') throw new Error('not a raster');
    const f = bandFacts(m.bands[0]!, m.grid);
    expect(f.enclosedGaps).toBe(2);
    expect(f.summary.min).toBeLessThan(-100);
    expect(new Set(tiles.map((t) => t.raster.bands[0]!.missingCode)).size).toBe(2);
  });
  it('has an islet beside it: two tiles with a hole, a gauge farther from the water', async () => {
    const islet = makeIsletLand();
    const pieces = makeIslet(islet).map((t) => t.raster);
    const o = await runMethod(methodOf('raster.mosaic'), { tiles: pieces }, {});
    expect(o.figures['overlapCells'] as number).toBeGreaterThan(1000);
    expect(o.figures['enclosedCells']).toBe(192);
    const whole = (
      await runMethod(methodOf('raster.reproject'), { raster: [o.outputs[0]!.data] }, { crs: 'EPSG:32627' })
    ).outputs[0]!.data;
    const filled = (await runMethod(methodOf('terrain.fill'), { elevation: [whole] }, {})).outputs[0]!.data;
    const drained = async (snap: string): Promise<number> =>
      (
        await runMethod(
          methodOf('terrain.watersheds'),
          { elevation: [filled], outlets: [makeIsletGauge(islet)] },
          { snap },
        )
      ).figures['area'] as number;
    expect(await drained('200 m')).toBeLessThan(0.5e6);
    expect(await drained('400 m')).toBeGreaterThan(10e6);
  });
  it('has streams that join, one of them diverted, a gauge beside the water and a path of 10.4 km', () => {
    const streams = makeMappedStreams(land);
    expect(featureCount(streams)).toBeGreaterThan(60);
    expect(Math.max(...(streams.columns[1]!.values as Float64Array))).toBeGreaterThanOrEqual(3);
    expect(featureCount(makeGauge(land))).toBe(1);
    const w: Features = makeWalk(land);
    let length = 0;
    for (let i = 0; i + 3 < w.xy.length; i += 2)
      length += Math.hypot(w.xy[i + 2]! - w.xy[i]!, w.xy[i + 3]! - w.xy[i + 1]!);
    expect(length).toBeCloseTo(10_400, 3);
  });
  it('has a seabed in two NetCDF grids that meet, in km and positive down, missing on land', async () => {
    const files = await makeSeabed(land);
    const grids = await Promise.all(files.map((f) => readFile(f.name, f.bytes)));
    const [west, east] = grids.map((g) => g.layers[0]!.data);
    if (west?.kind !== 'raster' || east?.kind !== 'raster') throw new Error('no rasters');
    expect(west.grid.x + west.grid.columns * west.grid.dx).toBeCloseTo(east.grid.x, 9);
    for (const r of [west, east]) {
      const { summary } = bandFacts(r.bands[0]!, r.grid);
      expect(r.bands[0]!.unit).toBe('km');
      expect(summary.min).toBeGreaterThan(0);
      expect(summary.max).toBeGreaterThan(0.8);
      expect(summary.missing).toBeGreaterThan(500);
    }
    expect(grids[0]!.layers[0]!.notes.map((n) => n.code)).toContain('netcdf.down');
  });
});

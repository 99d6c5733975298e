import type { Raster } from '@helk/core';
import { run } from '@helk/core/testing';
import { setupNode } from '@helk/node';
import { COVER, makeLandscape, makeScene, makeTraining, makeVisited } from './index';

describe('the scenes of the island', () => {
  beforeAll(setupNode);
  const land = makeLandscape();
  const [early, late] = [makeScene(land, 1994), makeScene(land, 2024)];
  const share = (of: Int32Array, kind: string): number =>
    of.reduce((n, k) => n + (k === COVER.indexOf(kind as 'built') ? 1 : 0), 0);

  it('show every kind of ground in six bands with their wavelengths, and the town grow', () => {
    expect(late.raster.bands.map((b) => [b.role, b.wavelength])).toEqual([
      ['blue', 490],
      ['green', 560],
      ['red', 665],
      ['nir', 842],
      ['swir1', 1610],
      ['swir2', 2190],
    ]);
    for (const kind of COVER) expect(share(late.truth, kind)).withContext(kind).toBeGreaterThan(2000);
    expect(share(late.truth, 'built')).toBeGreaterThan(1.5 * share(early.truth, 'built'));
    // Beside the swath nothing was seen.
    expect(late.raster.bands.every((b) => Number.isNaN(b.cells[1049 * 1380]))).toBeTrue();
    expect([...makeScene(land, 1994).raster.bands[3]!.cells.subarray(700_000, 700_040)]).toEqual([
      ...early.raster.bands[3]!.cells.subarray(700_000, 700_040),
    ]);
  });

  it('have one cloud with its shadow, in the second only', () => {
    const veiled = late.veil.reduce((n, v) => n + (v > 0.1 ? 1 : 0), 0) / late.veil.length;
    expect(veiled).toBeGreaterThan(0.01);
    expect(veiled).toBeLessThan(0.08);
    expect(Math.max(...early.veil.subarray(0, 100_000))).toBe(0);
  });

  it('can be learned from the training areas, and judged by the places that were visited', async () => {
    const training = makeTraining(late);
    const o = await run('imagery.classify', { scene: late.raster, training }, { method: 'maximumLikelihood' });
    expect(o.figures['classes']).toBe(7);
    const classes = o.outputs[0]!.data as Raster;
    const a = await run('imagery.accuracy', { classes, reference: makeVisited(late) }, { classColumn: 'found' });
    expect(a.figures['n']).toBe(210);
    expect(a.figures['overall'] as number).toBeGreaterThan(0.8);
    // Held against the truth where nothing hides it, cell by cell.
    const label = new Map(classes.bands[0]!.classes!.map((c) => [c.value, COVER.indexOf(c.label as 'built')]));
    let [right, all] = [0, 0];
    late.truth.forEach((k, i) => {
      if (k < 0 || late.veil[i]! > 0.02) return;
      all++;
      if (label.get(classes.bands[0]!.cells[i]!) === k) right++;
    });
    expect(right / all).toBeGreaterThan(0.8);
  });
});

import {
  attributeOf,
  classesOf,
  featureCount,
  infoOf,
  type Cloud,
  type CloudInfo,
  type Dataset,
  type Features,
} from '@helk/core';
import { setupNode } from '@helk/node';
import { run } from '@helk/core/testing';
import { makeLandscape, makeQuarter, makeSurveyedTrees } from './index';

describe('the riverside quarter', () => {
  beforeAll(setupNode);
  const quarter = makeQuarter(makeLandscape());
  const truth = classesOf(quarter.classified);
  const made = async (id: string, cloud: Dataset, params = {}): Promise<Cloud> =>
    (await run(id, { cloud }, params)).outputs[0]!.data as Cloud;
  const column = (f: Features, name: string): Float64Array =>
    f.columns.find((c) => c.name === name)!.values as Float64Array;

  it('is as the story has it: about 400 000 points a third of a metre apart, 180 trees, 56 houses, a stream, errors', () => {
    const info = infoOf(quarter.classified) as CloudInfo;
    expect(info.count).toBeGreaterThan(350_000);
    expect(info.spacing).toBeCloseTo(0.34, 1);
    expect(featureCount(quarter.trees)).toBe(180);
    expect(featureCount(quarter.buildings)).toBe(56);
    expect(info.classes.map((c) => c.value)).toEqual([1, 2, 3, 4, 5, 6, 7, 9, 18]);
    expect((infoOf(quarter.unclassified) as CloudInfo).classes.map((c) => c.value)).toEqual([0]);
    expect(featureCount(makeSurveyedTrees(quarter))).toBe(180);
  });

  it('is worked through from bare points: noise, ground, what stands on it, trees and buildings near the truth', async () => {
    const cleaned = await made('cloud.noise', quarter.unclassified);
    const marked = classesOf(cleaned);
    const errors = [...truth.keys()].filter((i) => truth[i] === 7 || truth[i] === 18);
    expect(errors.every((i) => marked[i] === 7 || marked[i] === 18)).toBeTrue();
    expect(marked.reduce((n, k) => n + (k === 7 || k === 18 ? 1 : 0), 0)).toBeLessThan(0.001 * truth.length);
    const ground = await made('cloud.classifyGround', cleaned);
    // Errors after Sithole and Vosselman 2004, doi:10.1016/j.isprsjprs.2004.05.004; the stream's bed is ground.
    const found = classesOf(ground);
    let wrong = 0;
    truth.forEach((k, i) => (wrong += (k === 2 || k === 9) === (found[i] === 2) ? 0 : 1));
    expect(wrong / truth.length).toBeLessThan(0.03);
    const classified = await made('cloud.classifyAbove', ground);
    const trees = await run('cloud.trees', { cloud: classified });
    const t = await run('cloud.agreement', { found: trees.outputs[0]!.data, reference: quarter.trees });
    expect(t.figures['recall'] as number).toBeGreaterThan(0.9);
    expect(t.figures['precision'] as number).toBeGreaterThan(0.9);
    expect(t.figures['rmse'] as number).toBeLessThan(0.5);
    const crowns = await run(
      'cloud.agreement',
      { found: trees.outputs[0]!.data, reference: quarter.trees },
      { value: 'crownDiameter' },
    );
    expect(crowns.figures['rmse'] as number).toBeLessThan(1);
    const buildings = await run('cloud.buildings', { cloud: classified });
    const b = await run(
      'cloud.agreement',
      { found: buildings.outputs[0]!.data, reference: quarter.buildings },
      { overlap: 0.85 },
    );
    expect(b.figures).toEqual(jasmine.objectContaining({ recall: 1, precision: 1 }));
    expect(b.figures['rmse'] as number).toBeLessThan(0.5);
    // Right angles, where the houses have them: four corners, or eight with a wing.
    const matched = b.outputs[0]!.data as Features;
    expect([...column(matched, 'area')].every((a) => a > 40)).toBeTrue();
    expect(attributeOf(classified, 'red')).toEqual(attributeOf(quarter.unclassified, 'red'));
  }, 120_000);

  it('has a ground grid near the ground it was made with', async () => {
    const { outputs, figures } = await run('cloud.grid', { cloud: quarter.classified }, { cellSize: '1 m' });
    const raster = outputs[0]!.data;
    if (raster.kind !== 'raster') throw new Error('no grid');
    const g = raster.grid;
    let [sum, n] = [0, 0];
    raster.bands[0]!.cells.forEach((z, i) => {
      if (z !== z) return;
      const [x, y] = [g.x + ((i % g.columns) + 0.5) * g.dx, g.y - (Math.floor(i / g.columns) + 0.5) * g.dy];
      sum += (z - quarter.groundAt(x, y)) ** 2;
      n++;
    });
    expect(Math.sqrt(sum / n)).toBeLessThan(0.2);
    expect((figures['missingCells'] as number) / (figures['cells'] as number)).toBeLessThan(0.02);
  });
});

import { setupNode } from '@helk/node';
import { runMethod } from '../method/run';
import { checkRecipe } from './check';
import { historyOf } from './history';
import { lift } from './lift';
import { recipeMethod } from './method';
import { valley, WATERSHED } from './recipe-fixture';
import { Survey } from './survey';
import { allFroms } from './links';

beforeAll(setupNode);

describe('how a result was made', () => {
  const { tiles, outlet } = valley();
  const survey = new Survey();
  let [west, east, gauge] = ['', '', ''];
  let mosaic: string[];
  let filled: string[];
  let streams: string[];
  let land: string[];
  beforeAll(async () => {
    [west, east] = tiles.map((t, k) => survey.take(`tile ${k}`, t)) as [string, string];
    gauge = survey.take('veyra-gauge', outlet);
    mosaic = await survey.run('raster.mosaic', { tiles: [west, east] });
    filled = await survey.run('terrain.fill', { elevation: mosaic });
    streams = await survey.run('terrain.streams', { elevation: [filled[0]!] }, { threshold: '0.02 km2' });
    land = await survey.run('terrain.watersheds', { elevation: [filled[0]!], outlets: [gauge] }, { snap: '30 m' });
  });

  it('goes back to the sources, each step once, without what only others need', () => {
    const h = historyOf([land[0]!], survey.past);
    expect(h.passages.map((p) => p.method)).toEqual(['raster.mosaic', 'terrain.fill', 'terrain.watersheds']);
    expect(h.sources.map((s) => s.name)).toEqual(['tile 0', 'tile 1', 'veyra-gauge']);
    expect(h.passages[1]!.makes.map((m) => m.role)).toEqual(['filled']);
    expect(historyOf([land[0]!, streams[0]!], survey.past).passages.map((p) => p.method)).toEqual([
      'raster.mosaic',
      'terrain.fill',
      'terrain.watersheds',
      'terrain.streams',
    ]);
  });

  it('is lifted into a recipe that makes the same again', async () => {
    const recipe = lift(historyOf([land[0]!], survey.past), survey.past);
    expect(checkRecipe(recipe)).toEqual([]);
    expect(recipe.inputs).toEqual([
      { name: 'tiles', kind: 'raster', label: 'Tiles', many: true },
      { name: 'outlets', kind: 'features', label: 'Outlets' },
    ]);
    expect(recipe.steps.map((s) => s.id)).toEqual(['mosaic', 'fill', 'watersheds']);
    expect(recipe.keep).toEqual(['watersheds.watersheds']);
    expect(recipe.steps[2]!.params['snap']).toBe('30 m');
    expect(recipe.steps[2]!.open).toContain('snap');
    const again = await runMethod(recipeMethod(recipe, 'again'), { tiles, outlets: [outlet] }, {});
    expect(again.outputs[0]!.data).toEqual(survey.datasets[land[0]!]!.data);
  });

  it('is lifted with two results together, the branch in it', () => {
    const recipe = lift(historyOf([land[0]!, streams[0]!], survey.past), survey.past);
    expect(recipe.keep.length).toBe(2);
    expect(recipe.steps.length).toBe(4);
    expect(checkRecipe(recipe).filter((c) => c.level === 'refused')).toEqual([]);
  });

  it('leaves to the data what the data had suggested', () => {
    const given = lift(historyOf([streams[0]!], survey.past), survey.past);
    expect(given.steps.at(-1)!.params['threshold']).toBe('20000 m2');
  });

  it('goes on when something between has been removed', () => {
    const kept = { ...survey.datasets };
    delete kept[filled[0]!];
    const h = historyOf([land[0]!], { datasets: kept, runs: survey.runs });
    expect(h.passages.map((p) => p.method)).toEqual(['raster.mosaic', 'terrain.fill', 'terrain.watersheds']);
    expect(h.passages[1]!.makes[0]).toEqual(jasmine.objectContaining({ dataset: null, name: 'Filled' }));
    expect(checkRecipe(lift(h, { datasets: kept, runs: survey.runs }))).toEqual([]);
  });

  it('reaches through a run of a recipe, whose steps are its own', async () => {
    const method = recipeMethod(WATERSHED, 'recipe:one');
    const [area] = await survey.run('recipe:one', { tiles: [west, east], outlets: [gauge] }, {}, method);
    const buffered = await survey.run('features.buffer', { features: [area!] }, { distance: '100 m' });
    const h = historyOf(buffered, survey.past);
    expect(h.passages.map((p) => p.method)).toEqual([
      'raster.mosaic',
      'terrain.fill',
      'terrain.watersheds',
      'features.buffer',
    ]);
    const recipe = lift(h, survey.past);
    expect(checkRecipe(recipe)).toEqual([]);
    expect(recipe.inputs.map((i) => i.name)).toEqual(['tiles', 'outlets']);
  });

  it('has nothing to lift of a source', () => {
    expect(() => lift(historyOf([west], survey.past), survey.past)).toThrowError(/not made by a method/);
  });

  it('gives every input and step a name of its own', async () => {
    const s = new Survey();
    const [a, b] = [s.take('2021 west', tiles[0]!), s.take('2021 west', tiles[0]!)];
    const one = await s.run('terrain.slope', { elevation: [a] });
    const two = await s.run('terrain.slope', { elevation: [b] });
    const both = await s.run('raster.difference', { a: one, b: two });
    const recipe = lift(historyOf([both[0]!], s.past), s.past);
    expect(checkRecipe(recipe)).toEqual([]);
    expect(recipe.steps.map((x) => x.id)).toEqual(['slope', 'slope2', 'difference']);
    expect(recipe.inputs.map((i) => i.name)).toEqual(['elevation', 'elevation2']);
    expect(allFroms(recipe.steps[2]!)).toEqual(['slope.slope', 'slope2.slope']);
  });
});

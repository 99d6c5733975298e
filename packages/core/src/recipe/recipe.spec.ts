import { setupNode } from '@helk/node';
import { infoOf, type Dataset } from '../data/kinds';
import type { Features } from '../data/features';
import type { Raster } from '../data/raster';
import type { HelkError } from '../errors';
import { describeMethod } from '../method/describe';
import { forecast } from '../method/resolve';
import { runMethod } from '../method/run';
import { refusalOf, run } from '../testing';
import { checkRecipe } from './check';
import { recipeMethod } from './method';
import { valley, WATERSHED } from './recipe-fixture';
import { parseRecipe, writeRecipe, type Recipe } from './shape';

beforeAll(setupNode);

const changed = (change: (r: Recipe) => void): Recipe => {
  const copy = structuredClone(WATERSHED);
  change(copy);
  return copy;
};
const refusal = (text: string): { code: string; message: string } => {
  try {
    parseRecipe(text);
  } catch (e) {
    return e as HelkError;
  }
  throw new Error('It was taken.');
};
const problems = (r: Recipe): string[] =>
  checkRecipe(r)
    .filter((c) => c.level === 'refused')
    .map((c) => c.message);

describe('a recipe that runs', () => {
  const { tiles, outlet } = valley();
  const method = recipeMethod(WATERSHED, 'recipe:valley');

  it('gives what its single runs give, cell by cell', async () => {
    const whole = await runMethod(method, { tiles, outlets: [outlet] }, { keep: 'all' });
    const by = (role: string): Dataset => whole.outputs.find((o) => o.role === role)!.data;
    const mosaic = (await run('raster.mosaic', { tiles })).outputs[0]!.data;
    const fill = await run('terrain.fill', { elevation: mosaic });
    const filled = fill.outputs.find((o) => o.role === 'filled')!.data;
    const last = await run('terrain.watersheds', { elevation: filled, outlets: outlet }, { snap: '30 m' });
    expect((by('mosaic.mosaic') as Raster).bands[0]!.cells).toEqual((mosaic as Raster).bands[0]!.cells);
    expect((by('fill.filled') as Raster).bands[0]!.cells).toEqual((filled as Raster).bands[0]!.cells);
    expect((by('watersheds.watersheds') as Features).xy).toEqual((last.outputs[0]!.data as Features).xy);
    expect(whole.figures['watersheds.area']).toBe(last.figures['area']);
    expect(whole.steps!.map((s) => s.id)).toEqual(['mosaic', 'fill', 'watersheds']);
    expect(whole.steps![2]!.params['snap']).toBe('30 m');
  });

  it('publishes what is kept and no more, and says how far each step is', async () => {
    const stages: string[] = [];
    const kept = await runMethod(method, { tiles, outlets: [outlet] }, {}, { onProgress: (_, s) => stages.push(s) });
    expect(kept.outputs.map((o) => o.role)).toEqual(['watersheds.watersheds']);
    for (const title of ['Mosaic', 'Fill depressions', 'Watersheds'])
      expect(stages.some((s) => s.includes(title)))
        .withContext(title)
        .toBeTrue();
  });

  it('takes settings of its steps', async () => {
    const wide = await runMethod(method, { tiles, outlets: [outlet] }, { 'watersheds.snap': '0 m' });
    expect(wide.steps![2]!.params['snap']).toBe('0 m');
    const no = await refusalOf(runMethod(method, { tiles, outlets: [outlet] }, { 'watersheds.snup': '0 m' }));
    expect(no.message).toContain('watersheds.snup');
  });

  it('asks of its inputs what the steps ask that read them', () => {
    const d = describeMethod(method);
    expect(d.inputs['tiles']).toEqual(jasmine.objectContaining({ kind: 'raster', many: true, least: 2 }));
    expect(d.inputs['outlets']).toEqual(jasmine.objectContaining({ kind: 'features', geometry: 'point' }));
    expect(d.params['watersheds.snap']).toEqual(
      jasmine.objectContaining({ label: 'Snap distance', default: '30 m', group: 'Watersheds' }),
    );
    expect(d.params['watersheds.snap']!.fixed).toBeUndefined();
    expect(d.params['mosaic.overlap']!.fixed).toBeTrue();
    const [setting] = Object.keys(d.params);
    expect(d.params[setting!]!.fixed).toBeUndefined();
  });

  it('is checked with the data it begins with, the step in the sentence', () => {
    const apart = structuredClone(tiles[1]!);
    apart.grid.x += 4;
    const f = forecast(method, { tiles: [infoOf(tiles[0]!), infoOf(apart)], outlets: [infoOf(outlet)] }, {});
    const said = f.checks.filter((c) => c.level !== 'fine');
    expect(said.length).toBeGreaterThan(0);
    expect(said[0]!.message).toContain('Step 1, Mosaic: ');
    expect(said[0]!.about).toBe('tiles');
  });

  it('says which step failed', async () => {
    const steep = changed((r) => {
      r.steps[1]!.method = 'raster.formula';
      r.steps[1]!.inputs = { rasters: 'mosaic.mosaic' };
      r.steps[1]!.params = { formula: 'nothing + 1' };
      r.steps[2]!.inputs['elevation'] = 'fill.result';
    });
    const no = await refusalOf(runMethod(recipeMethod(steep, 'r'), { tiles, outlets: [outlet] }, {}));
    expect(no.message).toContain('Step 2, Formula: ');
    expect(no.path).toContain('fill');
  });
});

describe('a recipe file', () => {
  it('comes back as it was written', () => {
    expect(parseRecipe(writeRecipe(WATERSHED))).toEqual(WATERSHED);
  });

  it('is refused in a sentence when it is none', () => {
    const many = changed((r) => {
      r.steps = Array.from({ length: 10_000 }, (_, k) => ({ ...r.steps[0]!, id: `s${k}` }));
    });
    const with_ = (o: object): string => JSON.stringify({ ...WATERSHED, ...o });
    const cases: [string, RegExp][] = [
      ['', /not JSON/],
      ['{"a": 1', /not JSON/],
      ['null', /helkRecipe/],
      ['[1, 2]', /helkRecipe/],
      [with_({ helkRecipe: 2 }), /form 2/],
      [JSON.stringify(many), /at most 200 steps, this one has 10000/],
      [`{"helkRecipe": 1, "__proto__": {"polluted": true}}`, /"__proto__" is no name/],
      [with_({ steps: [{ id: 'a', method: 'm', params: JSON.parse('{"constructor": 1}') as object }] }), /constructor/],
      [
        with_({ steps: [{ id: '../../etc/passwd', method: 'm' }] }),
        /step 1 \(\.\.\/\.\.\/etc\/passwd\), id: is not a name/,
      ],
      [with_({ inputs: [{ name: 'tiles', kind: 'spaceship', label: '' }] }), /input 1 \(tiles\), kind/],
      [with_({ script: 'alert(1)' }), /script/],
      [with_({ keep: ['../x'] }), /STEP\.ROLE/],
      [with_({ title: '' }), /title/],
      [' '.repeat(2 ** 20 + 1), /at most 1048576 characters/],
    ];
    for (const [text, words] of cases) {
      const no = refusal(text);
      expect(no.code).toBe('recipe.invalid');
      expect(no.message).toMatch(words);
      expect(no.message.length).toBeLessThan(300);
    }
    expect(({} as Record<string, unknown>)['polluted']).toBeUndefined();
  });

  it('is read however deep it is nested, and refused', () => {
    const deep = `{"helkRecipe": 1, "about": ${'['.repeat(5000)}${']'.repeat(5000)}}`;
    expect(refusal(deep).message).toContain('nested too deeply');
  });
});

describe('the check of a recipe', () => {
  it('finds nothing wrong with one that runs', () => expect(checkRecipe(WATERSHED)).toEqual([]));

  it('names the step and the reason', () => {
    const cases: [(r: Recipe) => void, RegExp][] = [
      [(r) => (r.steps[1]!.method = 'terrain.drown'), /Step 2 \(fill\): There is no method "terrain.drown"/],
      [(r) => (r.steps[1]!.inputs = { elevation: 'nowhere' }), /no input “nowhere”/],
      [(r) => (r.steps[1]!.inputs = { elevation: 'mosaic' }), /“mosaic” is a step; say which/],
      [(r) => (r.steps[1]!.inputs = { elevation: 'mosaic.lid' }), /makes no “lid”; it makes mosaic/],
      [(r) => (r.steps[1]!.inputs = { elevation: 'lost.mosaic' }), /no step “lost”/],
      [(r) => (r.steps[1]!.inputs = { elevation: 'outlets' }), /wants a raster/],
      [(r) => (r.steps[1]!.inputs = { ground: 'mosaic.mosaic' }), /no input “ground”/],
      [(r) => (r.steps[1]!.inputs = {}), /needs elevation/],
      [(r) => (r.steps[0]!.inputs = { tiles: 'watersheds.watersheds' }), /wait for each other/],
      [(r) => (r.steps[1]!.inputs = { elevation: 'fill.filled' }), /fill → fill wait for each other/],
      [(r) => r.steps.reverse(), /which is not before it/],
      [(r) => (r.steps[2]!.params = { snap: '30 kg' }), /Snap distance: /],
      [(r) => (r.steps[2]!.params = { snip: 1 }), /no setting “snip”/],
      [(r) => (r.steps[2]!.open = ['snip']), /no setting “snip” to offer/],
      [(r) => (r.steps[1]!.id = 'mosaic'), /the name of two things/],
      [(r) => (r.keep = ['gone.lid']), /there is no step “gone”/],
      [(r) => (r.keep = ['fill.lid']), /makes no “lid”/],
      [(r) => (r.steps[1]!.inputs = { elevation: 'tiles' }), /takes one dataset as elevation/],
      [(r) => (r.steps[2]!.inputs['outlets'] = 'outlets#2'), /has no bands/],
      [(r) => (r.steps = []), /no steps yet/],
    ];
    for (const [change, words] of cases) {
      const said = problems(changed(change));
      expect(said.some((s) => words.test(s)))
        .withContext(`${String(words)}: ${said.join(' | ')}`)
        .toBeTrue();
    }
  });

  it('knows what results hold before there are data: units, classes, points, lines and areas', () => {
    const then = (method: string, inputs: Record<string, string>): string[] =>
      problems(changed((r) => r.steps.push({ id: 'more', method, inputs, params: {} })));
    const slope = changed((r) =>
      r.steps.push(
        { id: 'slope', method: 'terrain.slope', inputs: { elevation: 'fill.filled' }, params: {} },
        { id: 'smooth', method: 'raster.smooth', inputs: { raster: 'slope.slope' }, params: {} },
        { id: 'again', method: 'terrain.fill', inputs: { elevation: 'smooth.smoothed' }, params: {} },
      ),
    );
    expect(problems(slope)).toEqual([
      'Step 6 (again): elevation from “smooth.smoothed”: values in a unit of length are wanted, and its are in degrees or percent.',
    ]);
    expect(then('surface.thiessen', { points: 'watersheds.watersheds' })[0]).toContain(
      'points are wanted, and it holds areas',
    );
    expect(then('terrain.watersheds', { elevation: 'fill.filled', outlets: 'watersheds.watersheds' })[0]).toContain(
      'points are wanted',
    );
    expect(then('terrain.slope', { elevation: 'fill.depth' })).toEqual([]);
  });

  it('says when a method has changed since', () => {
    const old = changed((r) => (r.steps[1]!.version = 7));
    const [c] = checkRecipe(old);
    expect(c).toEqual(jasmine.objectContaining({ level: 'look', code: 'recipe.version', step: 'fill' }));
    expect(c!.message).toContain('version 7');
  });
});

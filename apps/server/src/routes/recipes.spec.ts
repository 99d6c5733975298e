import { setupNode } from '@helk/node';
import type { ApiDataset, ApiProblem, ApiRecipe, ApiRun, ApiTable, ApiTableForecast } from '@helk/core/api/schemas';
import { writeGeoJson, writeGeoTiff } from '@helk/core/formats';
import { valley, WATERSHED } from '@helk/core/recipe/recipe-fixture';
import { parseRecipe, writeRecipe, type Recipe } from '@helk/core/recipe/shape';
import { TestServer } from '../testing';

describe('recipes and run tables over HTTP', () => {
  setupNode();
  const server = new TestServer({ threads: 2 });
  const { call, detail, ended } = server;
  const { tiles, outlet } = valley();
  let p = '';
  let sources: string[] = [];
  let gauge = '';
  const take = async (name: string, bytes: Uint8Array): Promise<string> => {
    const r = (await call<ApiRun>(`/api/projects/${p}/imports?name=${name}`, 'POST', bytes)).data;
    return (await ended(p, r.id)).outputs[0]!;
  };
  const run = async (method: string, inputs: object, params = {}): Promise<ApiRun> => {
    const r = await call<ApiRun>(`/api/projects/${p}/runs`, 'POST', { method, inputs, params });
    expect(r.status).withContext(JSON.stringify(r.data)).toBe(202);
    return ended(p, r.data.id);
  };
  const add = (recipe: unknown, draft = false) =>
    call<ApiRecipe & ApiProblem>(`/api/projects/${p}/recipes`, 'POST', { recipe, draft });
  const bytesOf = async (dataset: string): Promise<string> =>
    (await fetch(`${server.base}/api/projects/${p}/datasets/${dataset}/export?format=geojson`)).text();
  const byId = async (): Promise<Map<string, ApiDataset>> => new Map((await detail(p)).datasets.map((d) => [d.id, d]));

  beforeAll(async () => {
    await server.up();
    p = await server.project();
    sources = [
      await take('west.tif', await writeGeoTiff(tiles[0]!)),
      await take('east.tif', await writeGeoTiff(tiles[1]!)),
    ];
    gauge = await take('gauge.geojson', new TextEncoder().encode(writeGeoJson(outlet)));
  });
  afterAll(() => server.remove());

  it('keeps a recipe, describes it as a method and runs it as one', async () => {
    const { data: r, status } = await add(WATERSHED);
    expect(status).toBe(201);
    expect(r.method).toEqual(jasmine.objectContaining({ id: `recipe:${r.id}`, question: 'What drains to the gauge?' }));
    const forecast = await call<{ checks: unknown[] }>(`/api/projects/${p}/forecast`, 'POST', {
      method: `recipe:${r.id}`,
      inputs: { tiles: sources, outlets: [gauge] },
      params: { 'watersheds.snap': '20 m' },
    });
    expect(forecast.status).toBe(200);
    const before = (await detail(p)).datasets.length;
    const done = await run(`recipe:${r.id}`, { tiles: sources, outlets: [gauge] }, {});
    expect(done.state).withContext(JSON.stringify(done.problem)).toBe('done');
    expect(done.steps.map((s) => s.id)).toEqual(['mosaic', 'fill', 'watersheds']);
    expect(done.outputs.length).toBe(1);
    expect((await detail(p)).datasets.length).toBe(before + 1);
    const made = (await byId()).get(done.outputs[0]!)!;
    expect(made).toEqual(jasmine.objectContaining({ role: 'watersheds', step: 'watersheds' }));
    // Others of that name may be there: what is made is numbered.
    expect(made.name).toMatch(/^Watersheds( \d+)?$/);
    expect(done.made[made.id]).toEqual({ role: 'watersheds', step: 'watersheds', name: made.name });
    // The same as its single runs.
    const mosaic = await run('raster.mosaic', { tiles: sources });
    const fill = await run('terrain.fill', { elevation: mosaic.outputs });
    const land = await run('terrain.watersheds', { elevation: [fill.outputs[0]], outlets: [gauge] }, { snap: '30 m' });
    expect(await bytesOf(done.outputs[0]!)).toBe(await bytesOf(land.outputs[0]!));
    expect(done.figures['watersheds.area']).toBe(land.figures['area']!);
  });

  it('publishes all steps where that is wanted', async () => {
    const { data: r } = await add(WATERSHED);
    const done = await run(`recipe:${r.id}`, { tiles: sources, outlets: [gauge] }, { keep: 'all' });
    const all = await byId();
    expect(done.outputs.map((d) => `${all.get(d)!.step}.${all.get(d)!.role}`)).toEqual([
      'mosaic.mosaic',
      'fill.filled',
      'fill.depth',
      'watersheds.watersheds',
    ]);
  });

  it('leaves nothing of a run of which a step fails, and says which', async () => {
    const broken = structuredClone(WATERSHED);
    broken.steps[2]!.method = 'raster.formula';
    broken.steps[2]!.inputs = { rasters: ['fill.filled'] };
    broken.steps[2]!.params = { formula: 'nothing * 2' };
    broken.keep = ['watersheds.result'];
    const { data: r, status } = await add(broken);
    expect(status).withContext(JSON.stringify(r)).toBe(201);
    const before = (await detail(p)).datasets.length;
    const done = await run(`recipe:${r.id}`, { tiles: sources });
    expect(done.state).toBe('failed');
    expect(done.problem!.message).toContain('Step 3, Formula: ');
    expect((await detail(p)).datasets.length).toBe(before);
    const { db } = await server.context.projects.get(p);
    expect(await db('datasets').where({ state: 'staged' })).toEqual([]);
  });

  it('refuses what is no recipe, with the reason', async () => {
    const cases: [unknown, RegExp][] = [
      [{}, /helkRecipe/],
      [{ ...WATERSHED, steps: Array.from({ length: 10_000 }, () => WATERSHED.steps[0]) }, /at most 200 steps/],
      [{ ...WATERSHED, steps: [{ ...WATERSHED.steps[0], method: 'os.exec' }] }, /There is no method "os.exec"/],
      [
        { ...WATERSHED, steps: [{ ...WATERSHED.steps[1], inputs: { elevation: 'fill.filled' } }] },
        /wait for each other/,
      ],
      [{ ...WATERSHED, keep: ['../../x'] }, /STEP\.ROLE/],
      ['{}', /helkRecipe/],
    ];
    for (const [recipe, words] of cases) {
      const r = await add(recipe);
      expect(r.status).toBe(422);
      expect(r.type).toContain('problem+json');
      expect(r.data.detail).toMatch(words);
    }
    expect(
      (await call(`/api/projects/${p}/recipes`, 'POST', { recipe: JSON.parse('{"constructor": 1}') as object })).status,
    ).toBe(422);
  });

  it('keeps every version, and gives it as a file that comes back', async () => {
    const { data: r } = await add(WATERSHED);
    const next: Recipe = { ...WATERSHED, about: 'As of today.' };
    const saved = await call<ApiRecipe>(`/api/projects/${p}/recipes/${r.id}`, 'PUT', { recipe: next });
    expect(saved.data.version).toBe(2);
    expect(saved.data.versions.map((v) => v.version)).toEqual([2, 1]);
    const same = await call<ApiRecipe>(`/api/projects/${p}/recipes/${r.id}`, 'PUT', { recipe: next });
    expect(same.data.version).toBe(2);
    const first = await call<Recipe>(`/api/projects/${p}/recipes/${r.id}/versions/1`);
    expect(first.data).toEqual(WATERSHED);
    const file = await (await fetch(`${server.base}/api/projects/${p}/recipes/${r.id}/file`)).text();
    expect(file).toBe(writeRecipe(next));
    expect((await add(parseRecipe(file))).data.recipe).toEqual(next);
    const draft = await call<ApiRecipe>(`/api/projects/${p}/recipes/${r.id}`, 'PUT', {
      recipe: { ...next, steps: [], keep: [] },
      draft: true,
    });
    expect(draft.data.method).toBeNull();
    expect(draft.data.checks[0]!.message).toContain('no steps yet');
    expect((await call(`/api/projects/${p}/recipes/${r.id}`, 'DELETE')).status).toBe(204);
    expect((await call<ApiRecipe[]>(`/api/projects/${p}/recipes`)).data.some((x) => x.id === r.id)).toBeFalse();
    expect((await call(`/api/projects/${p}/recipes/${r.id}/restore`, 'POST')).status).toBe(200);
    const schema = await call<{ properties: object }>('/api/recipe-schema.json');
    expect(Object.keys(schema.data.properties)).toContain('helkRecipe');
  });

  it('lifts a recipe from what was made, and looks at one that is being written', async () => {
    const mosaic = await run('raster.mosaic', { tiles: sources });
    const fill = await run('terrain.fill', { elevation: mosaic.outputs });
    const land = await run('terrain.watersheds', { elevation: [fill.outputs[0]], outlets: [gauge] }, { snap: '30 m' });
    const lifted = await call<Recipe>(`/api/projects/${p}/recipes/lift`, 'POST', { datasets: land.outputs });
    expect(lifted.status).withContext(JSON.stringify(lifted.data)).toBe(200);
    expect(lifted.data.steps.map((s) => s.method)).toEqual(['raster.mosaic', 'terrain.fill', 'terrain.watersheds']);
    const looked = await call<ApiRecipe>('/api/recipes/check', 'POST', { recipe: lifted.data });
    expect(looked.data.checks).toEqual([]);
    const { data: r } = await add(lifted.data);
    const again = await run(`recipe:${r.id}`, { tiles: sources, outlets: [gauge] });
    expect(await bytesOf(again.outputs[0]!)).toBe(await bytesOf(land.outputs[0]!));
    // What a recipe made is lifted through it.
    const through = await call<Recipe>(`/api/projects/${p}/recipes/lift`, 'POST', { datasets: again.outputs });
    expect(through.data.steps.map((s) => s.method)).toEqual(lifted.data.steps.map((s) => s.method));
    const source = await call<ApiProblem>(`/api/projects/${p}/recipes/lift`, 'POST', { datasets: [gauge] });
    expect(source.data.detail).toContain('was not made by a method');
  });

  describe('a run table', () => {
    const body = (cells: string[][], over: Partial<ApiTable> = {}) => ({
      title: 'Snaps',
      method: '',
      names: 'Land within {snap}',
      columns: ['in:tiles', 'in:outlets', 'snap'],
      rows: cells.map((c, k) => ({ id: `r${k}`, cells: c })),
      ...over,
    });
    let recipe = '';
    beforeAll(async () => {
      recipe = `recipe:${(await add(WATERSHED)).data.id}`;
    });
    const both = (): string => sources.join('; ');

    it('runs row by row, the failing ones among the others, and goes on where they are mended', async () => {
      const rows = [
        [both(), gauge, '30 m'],
        [both(), gauge, '30 kg'],
        ['west; east', 'gauge', '0 m'],
        ['nowhere', gauge, '0 m'],
      ];
      const { data: t } = await call<ApiTable>(`/api/projects/${p}/tables`, 'POST', body(rows, { method: recipe }));
      const checked = await call<ApiTableForecast>(`/api/projects/${p}/tables/${t.id}/check`, 'POST');
      expect(checked.data.rows.map((r) => r.name)[0]).toBe('Land within 30 m');
      expect(checked.data.rows.map((r) => r.reason !== null)).toEqual([false, true, false, true]);
      expect(checked.data.rows[3]!.reason).toContain('no dataset “nowhere”');
      const started = await call<ApiRun[]>(`/api/projects/${p}/tables/${t.id}/run`, 'POST', {});
      expect(started.status).toBe(202);
      const done = await Promise.all(started.data.map((r) => ended(p, r.id)));
      expect(done.map((r) => r.state)).toEqual(['done', 'failed', 'done', 'failed']);
      const all = await byId();
      expect(all.get(done[0]!.outputs[0]!)!.name).toBe('Land within 30 m');
      expect(all.get(done[2]!.outputs[0]!)!.name).toBe('Land within 0 m');
      // A row equals its single run.
      const alone = await run(recipe, { tiles: sources, outlets: [gauge] }, { 'watersheds.snap': '0 m' });
      expect(await bytesOf(done[2]!.outputs[0]!)).toBe(await bytesOf(alone.outputs[0]!));
      const report = await (await fetch(`${server.base}/api/projects/${p}/tables/${t.id}/report`)).text();
      expect(report.split('\n')[0]).toMatch(/^row,state,reason,seconds,mosaic\.tiles/);
      expect(report.split('\n')[2]).toContain('failed');
      // Mended, only that one runs again.
      rows[1]![2] = '10 m';
      await call(`/api/projects/${p}/tables/${t.id}`, 'PUT', body(rows, { method: recipe }));
      const again = await call<ApiRun[]>(`/api/projects/${p}/tables/${t.id}/run`, 'POST', {});
      expect(again.data.map((r) => r.table!.row)).toEqual(['r1', 'r3']);
      expect((await ended(p, again.data[0]!.id)).state).toBe('done');
    });

    it('is refused for a column that is neither, before anything runs', async () => {
      const { data: t } = await call<ApiTable>(
        `/api/projects/${p}/tables`,
        'POST',
        body([['x']], { method: 'terrain.slope', columns: ['colour'] }),
      );
      for (const act of ['check', 'run']) {
        const r = await call<ApiProblem>(`/api/projects/${p}/tables/${t.id}/${act}`, 'POST', {});
        expect(r.status).toBe(422);
        expect(r.data.detail).toContain('"colour" is neither an input nor a setting of Slope');
      }
      expect((await call(`/api/projects/${p}/tables`, 'POST', body([], { method: 'no.such' }))).status).toBe(404);
      expect((await call(`/api/projects/${p}/tables/${t.id}`, 'DELETE')).status).toBe(204);
      expect((await call(`/api/projects/${p}/tables/${t.id}/check`, 'POST', {})).status).toBe(404);
    });
  });

  it('goes with the project into its file and comes back', async () => {
    const file = new Uint8Array(await (await fetch(`${server.base}/api/projects/${p}/file`)).arrayBuffer());
    const opened = await call<{ id: string }>('/api/projects/file?name=again', 'POST', file);
    expect(opened.status).withContext(JSON.stringify(opened.data)).toBe(201);
    const [one, two] = [await detail(p), await detail(opened.data.id)];
    expect(two.recipes.map((r) => r.recipe)).toEqual(one.recipes.map((r) => r.recipe));
    expect(two.tables.map((t) => t.rows)).toEqual(one.tables.map((t) => t.rows));
    expect(two.runs.map((r) => r.steps.length)).toEqual(one.runs.map((r) => r.steps.length));
  });
});

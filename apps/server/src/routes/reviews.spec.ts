import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { RasterInfo } from '@helk/core';
import type { ApiProblem, ApiReview, ApiRun } from '@helk/core/api/schemas';
import { setupNode } from '@helk/node';
import { TestServer } from '../testing';

setupNode();

const fixture = (name: string): Uint8Array => new Uint8Array(readFileSync(`reference/fixtures/netcdf/${name}`));

describe('a review over HTTP', () => {
  const test = new TestServer();
  const { call, project, detail, ended } = test;
  beforeAll(() => test.up());
  afterAll(() => test.remove());

  const look = (p: string, name: string, bytes = fixture(name)) =>
    call<ApiReview & ApiProblem>(`/api/projects/${p}/reviews?name=${name}`, 'POST', bytes);
  const held = (): string[] => readdirSync(join(test.dir, 'uploads'));

  it('shows what a file holds, at other steps too, and takes in what was decided', async () => {
    const p = await project();
    const first = await look(p, 'records.nc');
    expect(first.status).toBe(201);
    expect(first.data.layers.map((l) => [l.layer, l.steps.length, l.step])).toEqual([
      ['temp', 3, -1],
      ['wet', 3, -1],
    ]);
    expect((await detail(p)).datasets)
      .withContext('nothing is taken in by looking')
      .toEqual([]);
    const path = `/api/projects/${p}/reviews/${first.data.id}`;
    const later = (await call<ApiReview>(`${path}/steps`, 'POST', { steps: { temp: 2 } })).data;
    expect(later.layers[0]!.step).toBe(2);
    expect(later.layers[0]!.min).not.toBe(first.data.layers[0]!.min);
    const decided = {
      crs: 'EPSG:32627',
      layers: [{ layer: 'temp', name: 'Warmth', step: 2, factor: 2, offset: 1, unit: 'degC' }],
    };
    const started = await call<ApiRun>(`${path}/take`, 'POST', decided);
    expect(started.status).toBe(202);
    const run = await ended(p, started.data.id);
    expect(run.state).toBe('done');
    const { datasets } = await detail(p);
    expect(datasets.map((d) => d.name)).toEqual(['Warmth']);
    const info = datasets[0]!.info as unknown as RasterInfo;
    expect(info.bands[0]!.facts!.summary.min).toBeCloseTo(2 * later.layers[0]!.min! + 1, 4);
    expect(held()).withContext('the upload goes with the run').toEqual([]);
    expect((await call<ApiProblem>(`${path}/take`, 'POST', decided)).status).toBe(404);
  });

  it('is forgotten on request, without a trace', async () => {
    const p = await project();
    const { data } = await look(p, 'classic.nc');
    expect(held().length).toBe(1);
    const path = `/api/projects/${p}/reviews/${data.id}`;
    expect((await call(path, 'DELETE')).status).toBe(204);
    expect(held()).toEqual([]);
    expect((await call<ApiProblem>(path, 'DELETE')).data.detail).toContain('no longer held');
    expect((await detail(p)).datasets).toEqual([]);
  });

  it('belongs to its project', async () => {
    const [a, b] = [await project(), await project()];
    const { data } = await look(a, 'classic.nc');
    expect((await call(`/api/projects/${b}/reviews/${data.id}/steps`, 'POST', { steps: {} })).status).toBe(404);
    expect((await call(`/api/projects/${b}/reviews/${data.id}`, 'DELETE')).status).toBe(404);
    expect((await call(`/api/projects/${a}/reviews/${data.id}`, 'DELETE')).status).toBe(204);
  });

  it('keeps nothing of a file that cannot be read, and refuses decisions that make no sense', async () => {
    const p = await project();
    const broken = await look(p, 'classic.nc', fixture('classic.nc').slice(0, 60));
    expect(broken.status).toBe(422);
    expect(broken.data.detail).toContain('"classic.nc"');
    expect(held()).toEqual([]);
    const odd = await call<ApiProblem>(
      `/api/projects/${p}/reviews?name=classic.nc&crs=EPSG:1`,
      'POST',
      fixture('classic.nc'),
    );
    expect(odd.data.detail).toContain('EPSG:1');
    const { data } = await look(p, 'classic.nc');
    const path = `/api/projects/${p}/reviews/${data.id}`;
    const take = async (body: object): Promise<string> =>
      (await call<ApiProblem>(`${path}/take`, 'POST', body)).data.detail;
    expect(await take({ layers: [] })).toContain('at least one layer');
    expect(await take({ layers: [{ layer: 'classic', factor: 0 }] })).toContain('factor of 0');
    expect(await take({ layers: [{ layer: 'classic' }], crs: 'nowhere' })).toContain('"nowhere"');
    // None of that has used it up.
    expect((await call(`${path}/steps`, 'POST', { steps: {} })).status).toBe(200);
    const gone = await ended(
      p,
      (await call<ApiRun>(`${path}/take`, 'POST', { layers: [{ layer: 'not there' }] })).data.id,
    );
    expect(gone.problem?.message).toContain('no layer "not there"');
    expect((await detail(p)).datasets).toEqual([]);
    expect(held()).toEqual([]);
  });
});

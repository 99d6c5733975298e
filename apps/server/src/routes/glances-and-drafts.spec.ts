import { crsOfCode, type Raster, type RasterInfo } from '@helk/core';
import type { ApiDataset, ApiProblem, ApiProject, ApiRun } from '@helk/core/api/schemas';
import { writeGeoTiff } from '@helk/core/formats';
import { setupNode } from '@helk/node';
import { TestServer } from '../testing';

setupNode();

/** Two bands in another land; west of the middle the first is low, east of it high. */
const scene: Raster = {
  kind: 'raster',
  grid: { crs: crsOfCode(32719), x: 400_000, y: 6_000_000, dx: 30, dy: 30, columns: 40, rows: 30 },
  bands: ['B3', 'B4'].map((name, k) => ({
    name,
    unit: '',
    kind: 'measure' as const,
    storedType: 'uint16' as const,
    missingCode: null,
    cells: Float32Array.from({ length: 1200 }, (_, i) => (i % 40 < 20 ? 100 : 900) + k + ((i * 7) % 5)),
  })),
};

describe('looking at data without making anything, and works that are not done yet', () => {
  const test = new TestServer();
  const { call, project, detail, ended } = test;
  let p = '';
  let id = '';
  beforeAll(async () => {
    await test.up();
    p = await project();
    const { data } = await call<ApiRun>(`/api/projects/${p}/imports?name=scene.tif`, 'POST', await writeGeoTiff(scene));
    id = (await ended(p, data.id)).outputs[0]!;
  });
  afterAll(() => test.remove());

  const glance = <A = ApiProblem>(name: string, inputs: object, params: object = {}) =>
    call<{ answer: A } & ApiProblem>(`/api/projects/${p}/glances/${name}`, 'POST', { inputs, params });
  const patch = <T = ApiDataset>(body: object) => call<T>(`/api/projects/${p}/datasets/${id}`, 'PATCH', body);
  const draft = (work: string) => `/api/projects/${p}/datasets/${id}/drafts/${work}`;

  it('answers what places look like in the bands, and makes no run of it', async () => {
    type Spectra = { groups: { n: number; mean: number[] }[] };
    const places = [
      [400_015, 5_999_985],
      [401_185, 5_999_985],
    ];
    const r = await glance<Spectra>('imagery.spectra', { scene: id }, { places, crs: 'EPSG:32719' });
    expect(r.status).toBe(200);
    expect(r.data.answer.groups.map((g) => g.mean.map((m) => Math.floor(m / 100)))).toEqual([
      [1, 1],
      [9, 9],
    ]);
    expect((await detail(p)).runs.length).toBe(1);
  });

  it('refuses glances, datasets and parameters that there are not', async () => {
    expect((await glance('imagery.everything', { scene: id })).status).toBe(404);
    expect((await glance('imagery.spectra', { scene: 'nowhere00' })).status).toBe(404);
    const bad = await glance('imagery.spectra', { scene: id }, { places: 'all' });
    expect([bad.status, bad.data.path]).toEqual([422, 'places']);
    const none = await glance('imagery.spectra', { scene: id }, { places: [[1, 2]], crs: 'EPSG:1' });
    expect(none.status).toBe(422);
  });

  it('takes what bands show by hand, each name once', async () => {
    const r = await patch({ band: 1, role: 'nir', wavelength: 865, bandName: 'near infrared' });
    const [first, second] = (r.data.info as unknown as RasterInfo).bands;
    expect([second!.name, second!.role, second!.wavelength]).toEqual(['near infrared', 'nir', 865]);
    expect(first!.role).toBeUndefined();
    expect((await patch<ApiProblem>({ band: 0, bandName: 'near infrared' })).data.detail).toContain('called "near');
    expect((await patch<ApiProblem>({ band: 7, role: 'red' })).data.detail).toContain('no band 8');
    expect((await patch({ band: 0, role: 'purple' })).status).toBe(400);
    const back = await patch({ band: 1, role: null, wavelength: null });
    expect((back.data.info as unknown as RasterInfo).bands[1]!.wavelength).toBeUndefined();
  });

  it('keeps how far a work has come, with the project that is saved and opened', async () => {
    expect((await call<{ value: unknown }>(draft('label'))).data.value).toBeNull();
    await call(draft('label'), 'PUT', { value: { labels: ['reed', null] } });
    await call(draft('train'), 'PUT', { value: [1] });
    await call(draft('train'), 'PUT', { value: null });
    const file = await fetch(`${test.base}/api/projects/${p}/file`);
    const opened = await call<ApiProject>(
      '/api/projects/file?name=x',
      'POST',
      new Uint8Array(await file.arrayBuffer()),
    );
    expect(opened.status).toBe(201);
    const at = `/api/projects/${opened.data.id}/datasets/${id}/drafts`;
    expect((await call<{ value: unknown }>(`${at}/label`)).data.value).toEqual({ labels: ['reed', null] });
    expect((await call<{ value: unknown }>(`${at}/train`)).data.value).toBeNull();
    expect((await call(draft('../x'), 'PUT', { value: 1 })).status).toBeGreaterThanOrEqual(400);
    expect((await call(draft('X9'), 'PUT', { value: 1 })).status).toBe(400);
  });
});

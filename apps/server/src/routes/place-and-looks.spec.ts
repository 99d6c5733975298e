import {
  crsOfCode,
  defaultStyle,
  FeaturesBuilder,
  measureRaster,
  numberColumn,
  PLAIN_VECTOR,
  wgs84,
  type Crs,
  type FeaturesInfo,
  type RasterInfo,
} from '@helk/core';
import type { ApiDataset, ApiProblem, ApiProject, ApiReview, ApiRun } from '@helk/core/api/schemas';
import { writeGeoJson, writeGeoTiff } from '@helk/core/formats';
import { setupNode } from '@helk/node';
import { TestServer } from '../testing';

setupNode();

async function hill(crs: Crs | null, x: number, y: number): Promise<Uint8Array> {
  const cells = Float32Array.from({ length: 400 }, (_, i) => i + (i % 7));
  const grid = { crs, x, y, dx: 25, dy: 25, columns: 20, rows: 20 };
  return writeGeoTiff(measureRaster(grid, cells, { name: 'hill', unit: 'm', role: 'elevation' }));
}
function wells(lon: number, lat: number): Uint8Array {
  const b = new FeaturesBuilder();
  for (let i = 0; i < 4; i++) b.point(lon + 0.01 * i, lat);
  return new TextEncoder().encode(writeGeoJson(b.build('point', wgs84(), [numberColumn('n', [1, 2, 3, 4])])));
}

describe('the system of a project, and how its datasets are drawn', () => {
  const test = new TestServer();
  const { call, project, detail, ended } = test;
  beforeAll(() => test.up());
  afterAll(() => test.remove());

  const takeIn = async (p: string, name: string, bytes: Uint8Array, crs = ''): Promise<string> => {
    const path = `/api/projects/${p}/imports?name=${name}${crs ? `&crs=${crs}` : ''}`;
    return (await ended(p, (await call<ApiRun>(path, 'POST', bytes)).data.id)).outputs[0]!;
  };
  const patch = <T = ApiDataset>(p: string, id: string, body: object) =>
    call<T>(`/api/projects/${p}/datasets/${id}`, 'PATCH', body);
  const crsOf = async (p: string): Promise<string | null> => (await detail(p)).project.crs?.code ?? null;
  /** Settled a moment after what came in is told of. */
  const until = async (p: string, code: string): Promise<void> => {
    for (let k = 0; k < 100 && (await crsOf(p)) !== code; k++) await new Promise((r) => setTimeout(r, 20));
    expect(await crsOf(p)).toBe(code);
  };
  const slope = async (p: string, id: string): Promise<ApiRun> => {
    const body = { method: 'terrain.slope', inputs: { elevation: [id] } };
    return ended(p, (await call<ApiRun>(`/api/projects/${p}/runs`, 'POST', body)).data.id);
  };

  it('is none at first, that of what comes first, and stays whatever comes and goes', async () => {
    const p = await project();
    expect(await crsOf(p)).toBeNull();
    const first = await takeIn(p, 'hill.tif', await hill(crsOfCode(25832), 500_000, 5_300_000));
    await until(p, 'EPSG:25832');
    await takeIn(p, 'wells.geojson', wells(-20, 58));
    await takeIn(p, 'far.tif', await hill(crsOfCode(32719), 500_000, 6_000_000));
    await call(`/api/projects/${p}/datasets/${first}`, 'DELETE');
    expect(await crsOf(p)).toBe('EPSG:25832');
  });

  it('is the zone of data in degrees, and waits for what has a place', async () => {
    const p = await project();
    const lost = await takeIn(p, 'lost.tif', await hill(null, 530_000, 6_460_000));
    expect(await crsOf(p)).toBeNull();
    await patch(p, lost, { crs: 'EPSG:32627' });
    await until(p, 'EPSG:32627');
    const q = await project();
    await takeIn(q, 'wells.geojson', wells(9.2, 48.5));
    await until(q, 'EPSG:32632');
  });

  it('is what the analyst says, and only a system', async () => {
    const p = await project();
    const said = await call<ApiProject>(`/api/projects/${p}`, 'PATCH', { crs: 'urn:ogc:def:crs:EPSG::3035' });
    expect(said.data.crs!.code).toBe('EPSG:3035');
    await takeIn(p, 'wells.geojson', wells(9.2, 48.5));
    expect(await crsOf(p)).toBe('EPSG:3035');
    const odd = await call<ApiProblem>(`/api/projects/${p}`, 'PATCH', { crs: 'the middle of nowhere' });
    expect([odd.status, odd.data.code]).toEqual([422, 'crs.unknown']);
    expect(await crsOf(p)).toBe('EPSG:3035');
  });

  it('of a dataset is given as often as it has to be; a run remembers what it took it to be', async () => {
    const p = await project();
    const id = await takeIn(p, 'hill.tif', await hill(crsOfCode(32631), 500_000, 5_300_000));
    const before = await slope(p, id);
    expect(before.systems).toEqual({ [id]: 'EPSG:32631' });
    for (const code of ['EPSG:32632', 'EPSG:32633', 'EPSG:32632']) {
      const d = (await patch(p, id, { crs: code })).data;
      expect((d.info as unknown as RasterInfo).grid.crs!.code).toBe(code);
      expect(d.checks.filter((c) => c.code === 'crs.given').map((c) => c.message)).toEqual([
        `The coordinate system was given by hand: ${code}.`,
      ]);
    }
    expect((await slope(p, id)).systems).toEqual({ [id]: 'EPSG:32632' });
    expect((await detail(p)).runs.find((r) => r.id === before.id)!.systems).toEqual({ [id]: 'EPSG:32631' });
  });

  it('is given a layer by layer where a file is looked at first', async () => {
    const p = await project();
    const look = await call<ApiReview>(
      `/api/projects/${p}/reviews?name=lost.tif`,
      'POST',
      await hill(null, 530_000, 6_460_000),
    );
    const { id, layers } = look.data;
    const take = (crs: string) =>
      call<ApiRun>(`/api/projects/${p}/reviews/${id}/take`, 'POST', { layers: [{ layer: layers[0]!.layer, crs }] });
    expect((await take('nowhere')).status).toBe(422);
    const run = await ended(p, (await take('EPSG:32627')).data.id);
    const d = (await detail(p)).datasets.find((x) => x.id === run.outputs[0])!;
    expect((d.info as unknown as RasterInfo).grid.crs!.code).toBe('EPSG:32627');
    expect(d.checks.some((c) => c.code === 'crs.given')).toBeTrue();
    expect(d.source).toEqual(jasmine.objectContaining({ choices: jasmine.objectContaining({ crs: 'EPSG:32627' }) }));
  });

  it('is kept by what is drawn by hand: coordinates come in it', async () => {
    const p = await project();
    const text = JSON.stringify({
      type: 'FeatureCollection',
      features: [
        { type: 'Feature', properties: {}, geometry: { type: 'Point', coordinates: [530_000.1235, 6_460_000] } },
      ],
    });
    const id = await takeIn(p, 'drawn.geojson', new TextEncoder().encode(text), 'EPSG:32627');
    const info = (await detail(p)).datasets.find((d) => d.id === id)!.info as unknown as FeaturesInfo;
    expect(info.crs!.code).toBe('EPSG:32627');
    expect(info.extent![0]).toBeCloseTo(530_000.1235, 6);
  });

  it('keeps a way of drawing with its dataset, and refuses what is none', async () => {
    const p = await project();
    const id = await takeIn(p, 'hill.tif', await hill(crsOfCode(32627), 530_000, 6_460_000));
    const info = (await detail(p)).datasets[0]!.info as unknown as RasterInfo;
    expect((await detail(p)).datasets[0]!.look).toBeNull();
    const look = { ...defaultStyle(info), ramp: 'tide', opacity: 0.5 };
    expect((await patch(p, id, { look })).data.look).toEqual(look as never);
    for (const odd of [{ ...look, opacity: 'much' }, PLAIN_VECTOR, {}]) {
      const r = await patch<ApiProblem>(p, id, { look: odd });
      expect([r.status, r.data.code]).toEqual([400, 'request.invalid']);
      expect(r.data.detail).toMatch(/^This is no way of drawing rasters: \w/);
    }
    expect((await detail(p)).datasets[0]!.look).toEqual(look as never);
    // Removed and brought back it is drawn as it was.
    await call(`/api/projects/${p}/datasets/${id}`, 'DELETE');
    const back = await call<ApiDataset>(`/api/projects/${p}/datasets/${id}/restore`, 'POST');
    expect(back.data.look).toEqual(look as never);
  });

  it('tells a table that it has none', async () => {
    const p = await project();
    const id = await takeIn(p, 'rows.csv', new TextEncoder().encode('a,b\n1,2\n'));
    const r = await patch<ApiProblem>(p, id, { look: { colour: '#112233' } });
    expect([r.status, r.data.detail]).toEqual([400, 'A table has no way of drawing.']);
  });

  it('goes with a saved project, whole; what does not fit is as if it were not there', async () => {
    const p = await project();
    const id = await takeIn(p, 'wells.geojson', wells(9.2, 48.5));
    await until(p, 'EPSG:32632');
    const look = { ...PLAIN_VECTOR, colour: '#abcdef', width: 4 };
    await patch(p, id, { look });
    await call(`/api/projects/${p}`, 'PATCH', { crs: 'EPSG:25832' });
    const open = async (): Promise<{ crs: string | null; look: unknown }> => {
      const file = new Uint8Array(await (await fetch(`${test.base}/api/projects/${p}/file`)).arrayBuffer());
      const q = (await call<ApiProject>('/api/projects/file?name=copy.helk', 'POST', file)).data.id;
      const d = await detail(q);
      return { crs: d.project.crs?.code ?? null, look: d.datasets[0]!.look };
    };
    expect(await open()).toEqual({ crs: 'EPSG:25832', look });
    const { db } = await test.context.projects.get(p);
    await db('datasets').update({ look: '{"colour":"<script>"}' });
    expect((await open()).look).toBeNull();
    await db('project').update({ crs: '+proj=nonsense' });
    expect((await open()).crs).not.toBe('EPSG:25832');
  });

  it('names the band whose classes are called something', async () => {
    const p = await project();
    const id = await takeIn(p, 'hill.tif', await hill(crsOfCode(32627), 530_000, 6_460_000));
    const r = await patch<ApiProblem>(p, id, { band: 3, classes: [{ value: 1, label: 'water', colour: null }] });
    expect([r.status, r.data.code]).toEqual([400, 'request.invalid']);
  });
});

import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { sameCrs, crsOfCode, type FeaturesInfo } from '@helk/core';
import { outgoing } from '@helk/node';
import type { ApiProblem, ApiRun, ApiServiceCollection, ApiServiceHits, ApiServiceOffer } from '@helk/core/api/schemas';
import { TestServer } from '../testing';

type Handler = (req: IncomingMessage, res: ServerResponse) => void;

describe('the stand-in portal', () => {
  const test = new TestServer();
  const { call, ended, detail, project } = test;
  let portal: string;
  beforeAll(async () => {
    await test.up();
    portal = (await call<ApiServiceOffer[]>('/api/services')).data[0]!.address;
    // Its data are made when first asked for, which may take longer than Helk waits for a service.
    await (await fetch(`${portal}/collections`)).text();
  }, 240_000);
  afterAll(() => test.remove());
  const get = async <T = Record<string, never>>(
    path: string,
  ): Promise<{ status: number; data: T; crs: string | null }> => {
    const r = await fetch(portal + path);
    return { status: r.status, data: (await r.json()) as T, crs: r.headers.get('content-crs') };
  };

  it('is found, searched and described through Helk', async () => {
    const all = (await call<ApiServiceHits>('/api/services/search', 'POST', { address: portal })).data;
    expect(all.catalogue).toBeTrue();
    expect(all.hits.length).toBe(7);
    const some = (
      await call<ApiServiceHits>('/api/services/search', 'POST', { address: portal, words: 'Moor moisture' })
    ).data;
    expect(some.hits.map((h) => h.collection)).toEqual(['peat-probes']);
    expect(
      (await call<ApiServiceHits>('/api/services/search', 'POST', { address: portal, words: 'gold' })).data.hits,
    ).toEqual([]);
    const d = (
      await call<ApiServiceCollection>('/api/services/describe', 'POST', { address: portal, collection: 'peat-probes' })
    ).data;
    expect(d.count).toBe(214);
    expect(d.columns.map((c) => [c.name, c.unit])).toEqual([
      ['probe', null],
      ['block', null],
      ['depth_cm', 'cm'],
      ['moisture', '%'],
    ]);
    expect(d.crs.map((c) => c.code)).toEqual(['EPSG:32627']);
    expect(d.storage).toBe('EPSG:32627');
    expect(d.preview[0]!.geometry).toBe('point');
    expect(d.preview[0]!.rings.length).toBe(214);
    expect(d.columns[1]!.examples.every((e) => /^[A-F]$/.test(e))).toBeTrue();
  }, 60_000);

  it('speaks the standards: pages, boxes, systems, columns, single features', async () => {
    type Page = {
      numberMatched: number;
      numberReturned: number;
      features: { id: number; properties: Record<string, unknown>; geometry: { coordinates: number[] } }[];
      links: { rel: string; href: string }[];
    };
    const first = await get<Page>('/collections/newt-sightings/items?limit=300');
    expect(first.data.numberMatched).toBe(11000);
    expect(first.data.numberReturned).toBe(300);
    expect(first.crs).toContain('CRS84');
    const next = first.data.links.find((l) => l.rel === 'next')!;
    const second = (await (await fetch(next.href)).json()) as Page;
    expect(second.features[0]!.id).toBe(301);
    expect(second.links.some((l) => l.rel === 'prev')).toBeTrue();
    const [x, y] = first.data.features[0]!.geometry.coordinates as [number, number];
    const box = await get<Page>(
      `/collections/newt-sightings/items?bbox=${x - 1e-4},${y - 1e-4},${x + 1e-4},${y + 1e-4}`,
    );
    expect(box.data.numberMatched).toBeGreaterThan(0);
    expect(box.data.numberMatched).toBeLessThan(200);
    const utm = await get<Page>('/collections/shelters/items?crs=http://www.opengis.net/def/crs/EPSG/0/32627');
    expect(utm.crs).toContain('32627');
    expect(utm.data.features[0]!.geometry.coordinates[0]).toBeGreaterThan(500_000);
    const block = await get<Page>('/collections/peat-probes/items?block=A&limit=1000');
    expect(block.data.features.every((f) => f.properties['block'] === 'A')).toBeTrue();
    const one = await get<{ id: number; links: { rel: string }[] }>('/collections/shelters/items/3');
    expect(one.data.id).toBe(3);
    expect(one.data.links.map((l) => l.rel)).toEqual(['self', 'collection']);
    for (const bad of ['?limit=0', '?limit=x', '?bbox=1,2', '?crs=EPSG:9', '?colour=red'])
      expect((await get(`/collections/shelters/items${bad}`)).status)
        .withContext(bad)
        .toBe(400);
    expect((await get('/collections/gold/items')).status).toBe(404);
    expect((await get('/collections/shelters/items/99')).status).toBe(404);
  });

  it('gives the chosen columns in the wished system, with a lineage that says from where', async () => {
    const p = await project();
    const start = await call<ApiRun>(`/api/projects/${p}/services/take`, 'POST', {
      address: portal,
      collection: 'peat-probes',
      columns: ['depth_cm', 'block'],
      crs: 'EPSG:32627',
      name: 'Probes',
    });
    expect(start.status).toBe(202);
    const run = await ended(p, start.data.id);
    expect(run.problem?.message ?? run.state).toBe('done');
    const [d] = (await detail(p)).datasets;
    const info = d!.info as unknown as FeaturesInfo;
    expect(d!.name).toBe('Probes');
    expect(info.count).toBe(214);
    expect(sameCrs(info.crs!, crsOfCode(32627))).toBeTrue();
    expect(info.columns.map((c) => [c.name, c.unit])).toEqual([
      ['depth_cm', 'cm'],
      ['block', null],
    ]);
    // The code for "not measured" comes along, and is pointed out.
    expect(d!.checks.map((c) => c.code)).toContain('column.suspectCode');
    expect(d!.source).toEqual(
      jasmine.objectContaining({ collection: 'peat-probes', format: 'OGC API - Features', askedIn: 'EPSG:32627' }),
    );
    expect(d!.source!.sha256).toMatch(/^[0-9a-f]{64}$/);
  });

  it('many pages come whole; an area and a system of one’s own are kept to', async () => {
    const p = await project();
    const take = async (body: object): Promise<ApiRun> =>
      ended(p, (await call<ApiRun>(`/api/projects/${p}/services/take`, 'POST', { address: portal, ...body })).data.id);
    const all = await take({ collection: 'newt-sightings' });
    const part = await take({ collection: 'parishes', bbox: [-20.45, 58.15, -20.35, 58.2], crs: 'EPSG:3035' });
    const { datasets } = await detail(p);
    const info = (r: ApiRun): FeaturesInfo =>
      datasets.find((d) => d.id === r.outputs[0])!.info as unknown as FeaturesInfo;
    expect(info(all).count).toBe(11000);
    expect(info(part).count).toBeLessThan(236);
    expect(info(part).count).toBeGreaterThan(3);
    expect(info(part).crs!.code).toBe('EPSG:3035');
    const none = await take({ collection: 'parishes', bbox: [10, 10, 11, 11] });
    expect(none.problem?.message).toContain('has no feature in that area');
  });
});

describe('a service out there', () => {
  const test = new TestServer();
  const { call, ended, detail, project } = test;
  let server: Server;
  let address: string;
  let handle: Handler = () => undefined;
  beforeAll(async () => {
    await test.up();
    server = createServer((q, r) => handle(q, r));
    await new Promise<void>((r) => server.listen(0, '127.0.0.1', r));
    address = `http://127.0.0.1:${(server.address() as AddressInfo).port}/ogc`;
  });
  afterAll(async () => {
    server.closeAllConnections();
    server.close();
    await test.remove();
  });

  const json = (res: ServerResponse, body: unknown, status = 200): void =>
    void res.writeHead(status, { 'Content-Type': 'application/json' }).end(JSON.stringify(body));
  /** A right service of one collection, whose items are answered by `items`. */
  const service =
    (items: Handler): Handler =>
    (req, res) => {
      const path = req.url!.split('?')[0];
      const link = (rel: string, href: string): object => ({ rel, href, type: 'application/json' });
      if (path === '/ogc')
        return json(res, { title: 'Wells', links: [link('conformance', '/ogc/c'), link('data', '/ogc/collections')] });
      if (path === '/ogc/c')
        return json(res, { conformsTo: ['http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/core'] });
      if (path === '/ogc/collections')
        return json(res, { collections: [{ id: 'wells', links: [link('items', '/ogc/items')] }] });
      items(req, res);
    };
  const point = (id: number): object => ({
    type: 'Feature',
    id,
    geometry: { type: 'Point', coordinates: [id / 100, 58] },
    properties: { depth: id },
  });
  // Only what waits for silence is impatient: elsewhere a slow machine must not look like a slow service.
  const ask = outgoing({ limits: { patience: 30_000, retries: [10, 10], maxAnswer: 5000 } });
  const impatient = outgoing({ limits: { patience: 300, retries: [10, 10], maxAnswer: 5000 } });
  const why = async (h: Handler, url = address, by = ask): Promise<string> => {
    handle = h;
    try {
      await by(url, 'application/json');
      return 'it was answered';
    } catch (e) {
      return (e as Error).message;
    }
  };

  it('that is slow, too large, silent, or sends on elsewhere is told in a sentence', async () => {
    expect(await why(() => undefined, address, impatient)).toContain('sent nothing for');
    expect(await why((_, res) => void res.write('{"a":'), address, impatient)).toContain('sent nothing for');
    expect(await why((_, res) => void res.end('x'.repeat(6000)))).toContain('sends more than');
    expect(await why((q) => void q.socket.destroy())).toContain('the connection was broken off');
    expect(await why(() => undefined, 'http://127.0.0.1:9/x')).toContain('cannot be reached');
    expect(await why((_, res) => void res.writeHead(302, { Location: 'http://10.0.0.1/' }).end())).toContain(
      'sends on to 10.0.0.1',
    );
    expect(await why((_, res) => void res.writeHead(302, { Location: '/ogc' }).end())).toContain('in a circle');
    expect(await why((_, res) => json(res, { detail: 'The key has run out.' }, 401))).toBe(
      `${address} answered 401: The key has run out.`,
    );
  });

  it('that is busy is asked again, and told about when it stays so', async () => {
    let n = 0;
    handle = (_, res) => (++n < 3 ? json(res, {}, 503) : json(res, { ok: 1 }));
    expect((await ask(address, 'application/json')).text).toContain('ok');
    expect(n).toBe(3);
    expect(await why((_, res) => json(res, {}, 429))).toContain('answered 429');
    expect(await why((_, res) => void res.writeHead(503, { 'Retry-After': '3600' }).end())).toContain('answered 503');
  });

  it('gets neither cookies nor a token, and no other verb than GET', async () => {
    let seen: IncomingMessage | undefined;
    handle = (q, res) => {
      seen = q;
      json(res, {});
    };
    await outgoing({ token: { origin: 'http://127.0.0.1:1', value: 'secret' } })(address, 'application/json');
    expect(seen!.method).toBe('GET');
    expect(seen!.headers.authorization).toBeUndefined();
    expect(seen!.headers.cookie).toBeUndefined();
  });

  it('that breaks off or lies leaves nothing in the project', async () => {
    const p = await project();
    const take = async (items: Handler): Promise<ApiRun> => {
      handle = service(items);
      const r = await call<ApiRun>(`/api/projects/${p}/services/take`, 'POST', { address, collection: 'wells' });
      return ended(p, r.data.id);
    };
    const next = { rel: 'next', href: '/ogc/items?offset=2', type: 'application/geo+json' };
    const half: Handler = (q, res) =>
      q.url!.includes('offset')
        ? json(res, { type: 'FeatureCollection', features: [point(3)], numberMatched: 9 })
        : json(res, { type: 'FeatureCollection', features: [point(1), point(2)], numberMatched: 9, links: [next] });
    const lied = await take(half);
    expect(lied.state).toBe('failed');
    expect(lied.problem!.message).toContain('9 features match, but sent 3; nothing was taken');
    const broke = await take((q, res) => (q.url!.includes('offset') ? q.socket.destroy() : half(q, res)));
    expect(broke.problem!.message).toContain('broken off');
    const { datasets, runs } = await detail(p);
    expect(datasets).toEqual([]);
    expect(runs.every((r) => r.state === 'failed')).toBeTrue();
  });

  it('can be given up while it keeps one waiting', async () => {
    const p = await project();
    handle = service(() => undefined);
    const run = (await call<ApiRun>(`/api/projects/${p}/services/take`, 'POST', { address, collection: 'wells' })).data;
    await new Promise((r) => setTimeout(r, 300));
    const t = Date.now();
    await call(`/api/projects/${p}/runs/${run.id}/cancel`, 'POST');
    const end = await ended(p, run.id);
    expect(end.state).toBe('cancelled');
    expect(Date.now() - t).toBeLessThan(5000);
    expect((await detail(p)).datasets).toEqual([]);
  });

  it('is refused in words over HTTP, with nothing of the inside', async () => {
    handle = (_, res) => void res.end('<html>');
    const r = await call<ApiProblem>('/api/services/search', 'POST', { address });
    expect(r.status).toBe(502);
    expect(r.data.detail).toContain('web page or XML');
    for (const bad of ['file:///etc/passwd', 'x', 'https://a:b@c.example'])
      expect((await call<ApiProblem>('/api/services/search', 'POST', { address: bad })).status)
        .withContext(bad)
        .toBe(422);
  });
});

import { setupNode } from '../../../node/src/index';
import { crsOfCode } from '../data/crs';
import { featureCount, valueOf, type Features } from '../data/features';
import { refusalOf } from '../testing';
import { columnsOfCollection, findCollection, listCollections, openService, searchService } from './catalogue';
import { collect, countOf, previewOf } from './collect';
import { serviceAddress, type Get } from './get';

beforeAll(setupNode);

const BASE = 'https://survey.example/ogc';
const CORE = 'http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/core';
const UTM = 'http://www.opengis.net/def/crs/EPSG/0/32627';
const json = (rel: string, href: string) => ({ rel, href, type: 'application/json' });

/** Documents in the shape of the examples in OGC 17-069r4 (7.2 to 7.16) for a service of `n` wells. */
function wells(n: number): Record<string, unknown> {
  const docs: Record<string, unknown> = {
    [BASE]: {
      title: 'Wells of the shire',
      links: [json('conformance', `${BASE}/conformance`), json('data', `${BASE}/collections`)],
    },
    [`${BASE}/conformance`]: { conformsTo: [CORE] },
    [`${BASE}/collections`]: {
      collections: [
        {
          id: 'wells',
          title: 'Wells',
          description: 'Depth of ground water',
          extent: { spatial: { bbox: [[-21, 58, -20, 59]] } },
          crs: ['http://www.opengis.net/def/crs/OGC/1.3/CRS84', UTM],
          links: [
            json('items', 'collections/wells/items'),
            json('http://www.opengis.net/def/rel/ogc/1.0/schema', `${BASE}/collections/wells/schema`),
          ],
        },
      ],
    },
    [`${BASE}/collections/wells/schema`]: {
      properties: {
        depth: { type: 'number', 'x-ogc-unit': 'm', 'x-ogc-propertySeq': 2 },
        name: { type: 'string', title: 'Name of the well', 'x-ogc-propertySeq': 1 },
        geom: { format: 'geometry-point', 'x-ogc-role': 'primary-geometry' },
      },
    },
  };
  const all = Array.from({ length: n }, (_, i) => ({
    type: 'Feature',
    id: i,
    geometry: { type: 'Point', coordinates: [-20.9 + (0.8 * i) / n, 58.5] },
    properties: { depth: i / 2, name: `well ${i}`, secret: true },
  }));
  for (let at = 0; at < Math.max(1, n); at += 1000) {
    const page = all.slice(at, at + 1000);
    const url = `${BASE}/collections/wells/items?limit=1000${at ? `&offset=${at}` : ''}`;
    docs[url] = {
      type: 'FeatureCollection',
      numberMatched: n,
      numberReturned: page.length,
      features: page,
      links: at + 1000 < n ? [json('next', `${BASE}/collections/wells/items?limit=1000&offset=${at + 1000}`)] : [],
    };
  }
  docs[`${BASE}/collections/wells/items?limit=1`] = {
    type: 'FeatureCollection',
    numberMatched: n,
    features: all.slice(0, 1),
  };
  docs[`${BASE}/collections/wells/items?limit=3`] = { type: 'FeatureCollection', features: all.slice(0, 3) };
  return docs;
}

const reading =
  (docs: Record<string, unknown>, headers: Record<string, string> = {}, asked: string[] = []): Get =>
  (url) => {
    asked.push(url);
    const d = docs[url];
    if (d === undefined) return Promise.reject(new Error(`no ${url}`));
    return Promise.resolve({
      url,
      text: typeof d === 'string' ? d : JSON.stringify(d),
      header: (n) => headers[n] ?? null,
    });
  };
const all = { columns: null, bbox: null, crs: null };
const quiet = (): void => undefined;

async function take(docs: Record<string, unknown>, wish: Partial<typeof all> & { crs?: never } = {}, headers = {}) {
  const get = reading(docs, headers);
  const s = await openService(get, BASE);
  const c = await findCollection(get, s, 'wells');
  return collect(get, c, await columnsOfCollection(get, c), { ...all, ...wish }, quiet);
}
const why = async (docs: Record<string, unknown>, headers = {}): Promise<string> =>
  (await refusalOf(take(docs, {}, headers))).message;

/** The documents with one of them changed. */
const but = (docs: Record<string, unknown>, url: string, change: (d: never) => unknown): Record<string, unknown> => ({
  ...docs,
  [url]: change(structuredClone(docs[url]) as never),
});
const PAGE1 = `${BASE}/collections/wells/items?limit=1000`;
const PAGE2 = `${PAGE1}&offset=1000`;

describe('a service of features', () => {
  it('is read from its landing page, or from an address below it', async () => {
    const get = reading(wells(5));
    for (const a of [BASE, `${BASE}/`, `${BASE}/collections/wells/items?limit=10`, `${BASE}/collections?f=json`]) {
      const s = await openService(get, a);
      expect(s.title).toBe('Wells of the shire');
      expect(s.address).toBe(BASE);
    }
    const s = await openService(get, BASE);
    const [c] = await listCollections(get, s);
    expect(c!.extent).toEqual([-21, 58, -20, 59]);
    expect(c!.kind).toBe('features');
    expect(await countOf(get, c!)).toBe(5);
    expect(await columnsOfCollection(get, c!)).toEqual([
      { name: 'name', title: 'Name of the well', type: 'string', unit: null },
      { name: 'depth', title: '', type: 'number', unit: 'm' },
    ]);
    const few = (await previewOf(get, c!, 3))[0]!.data as Features;
    expect(featureCount(few)).toBe(3);
  });

  it('is searched by its collections where it has no catalogue', async () => {
    const get = reading(wells(5));
    const s = await openService(get, BASE);
    const r = await searchService(get, s, { words: 'GROUND depth' });
    expect(r.hits.map((h) => h.collection)).toEqual(['wells']);
    expect((await searchService(get, s, { words: 'peat' })).hits).toEqual([]);
    expect((await searchService(get, s, { words: '', bbox: [0, 0, 1, 1] })).hits).toEqual([]);
  });

  it('is searched through its records where it has some', async () => {
    const docs = but(wells(5), `${BASE}/collections`, (d: { collections: object[] }) => ({
      collections: [
        ...d.collections,
        { id: 'catalogue', itemType: 'record', links: [json('items', 'collections/catalogue/items')] },
      ],
    }));
    docs[`${BASE}/collections/catalogue/items?q=water&limit=100`] = {
      type: 'FeatureCollection',
      numberMatched: 2,
      features: [
        {
          type: 'Feature',
          properties: { title: 'Wells', keywords: ['water'], updated: '2024-05-01' },
          links: [json('item', '../wells')],
        },
        {
          type: 'Feature',
          properties: { title: 'Elsewhere' },
          links: [json('item', 'https://other.example/collections/wells')],
        },
      ],
    };
    const get = reading(docs);
    const r = await searchService(get, await openService(get, BASE), { words: ' water ' });
    expect(r.catalogue).toBeTrue();
    expect(r.hits.map((h) => [h.collection, h.title, h.updated])).toEqual([['wells', 'Wells', '2024-05-01']]);
  });

  it('gives all pages, columns with their units, in the wished system', async () => {
    const asked: string[] = [];
    const get = reading(wells(2500), {}, asked);
    const s = await openService(get, BASE);
    const c = await findCollection(get, s, 'wells');
    const described = await columnsOfCollection(get, c);
    const shares: number[] = [];
    const r = await collect(get, c, described, all, (p) => shares.push(p));
    const f = r.layers[0]!.data as Features;
    expect(featureCount(f)).toBe(2500);
    expect(r.pages).toBe(3);
    expect(f.columns.map((x) => [x.name, x.type, x.unit])).toEqual([
      ['name', 'text', null],
      ['depth', 'number', 'm'],
    ]);
    expect(valueOf(f.columns[1]!, 2001)).toBe(1000.5);
    expect(shares).toEqual([0.4, 0.8, 1]);
    // Latitude and longitude systems of the east-first kind only are asked for; others are made here.
    const lambert = await collect(
      get,
      { ...c, crs: [] },
      described,
      { ...all, columns: ['depth'], crs: crsOfCode(3035) },
      quiet,
    );
    const g = lambert.layers[0]!.data as Features;
    expect(g.crs!.code).toBe('EPSG:3035');
    expect(lambert.asked.code).toBe('EPSG:4326');
    expect(g.columns.map((x) => x.name)).toEqual(['depth']);
  });

  it('is asked in a system of its own, and must say that the answer is in it', async () => {
    const docs = wells(2);
    const url = `${PAGE1}&crs=${encodeURIComponent(UTM)}`;
    docs[url] = {
      ...(docs[PAGE1] as object),
      features: [
        { type: 'Feature', id: 1, geometry: { type: 'Point', coordinates: [535000.25, 6451000] }, properties: {} },
      ],
      numberMatched: 1,
      numberReturned: 1,
    };
    const utm = { crs: crsOfCode(32627) as never };
    const r = await take(docs, utm, { 'content-crs': `<${UTM}>` });
    expect(Array.from((r.layers[0]!.data as Features).xy)).toEqual([535000.25, 6451000]);
    expect((await refusalOf(take(docs, utm))).message).toContain('does not say that it is in it');
    const other = { 'content-crs': '<http://www.opengis.net/def/crs/EPSG/0/32628>' };
    expect((await refusalOf(take(docs, utm, other))).message).toContain('but came in EPSG:32628');
  });
});

describe('a service that is broken or lies', () => {
  it('is refused when it is none', async () => {
    const no = async (docs: Record<string, unknown>): Promise<string> =>
      (await refusalOf(openService(reading(docs), BASE))).message;
    expect(await no({ [BASE]: '<html><body>Welcome</body></html>' })).toContain('sent a web page or XML');
    expect(await no({ [BASE]: '' })).toContain('sent nothing');
    expect(await no({ [BASE]: '[1, 2]' })).toContain('not an object');
    expect(await no({ [BASE]: { title: 'x', links: [json('data', 'y')] } })).toContain('no link to its conformance');
    expect(await no(but(wells(1), `${BASE}/conformance`, () => ({ conformsTo: [] })))).toContain('gives out features');
    expect(
      await no(
        but(wells(1), BASE, (d: object) => ({
          ...d,
          links: [json('conformance', 'https://spy.example/c'), json('data', 'x')],
        })),
      ),
    ).toContain('leads to spy.example');
    expect(await why({ ...wells(1), [`${BASE}/collections`]: {} })).toContain('lists no collections');
    const get = reading(wells(1));
    const s = await openService(get, BASE);
    expect((await refusalOf(findCollection(get, s, 'lakes'))).message).toContain('it has wells');
  });

  it('is found out when its pages do not add up', async () => {
    const docs = wells(1500);
    type Page = { features: unknown[]; numberReturned: number; numberMatched: number; links: unknown[] };
    expect(
      await why(but(docs, PAGE2, (d: Page) => ({ ...d, features: d.features.slice(1), numberReturned: 499 }))),
    ).toContain('1 500 features match, but sent 1499; nothing was taken');
    expect(await why(but(docs, PAGE1, (d: Page) => ({ ...d, numberReturned: 7 })))).toContain(
      'says that it holds 7 features',
    );
    expect(await why(but(docs, PAGE2, () => docs[PAGE1]))).toContain('came twice');
    const bare = (d: Page): unknown => ({
      ...d,
      features: d.features.map((f) => ({ ...(f as object), id: undefined })),
    });
    expect(
      await why(
        but(but(docs, PAGE1, bare), PAGE2, (d: Page) => ({ ...(bare(d) as object), links: [json('next', PAGE1)] })),
      ),
    ).toContain('leads back to a page');
    expect(
      await why(
        but(docs, PAGE2, (d: Page) => ({ ...d, features: [], numberReturned: 0, links: [json('next', `${PAGE2}0`)] })),
      ),
    ).toContain('is empty and still leads');
    expect(
      await why(but(docs, PAGE1, (d: Page) => ({ ...d, links: [json('next', 'https://spy.example/p2')] }))),
    ).toContain('leads to spy.example');
    expect(await why(but(docs, PAGE2, () => ({ type: 'Topology' })))).toContain('Topology where a FeatureCollection');
    expect(await why({ ...docs, [PAGE2]: '{"type":"FeatureCollection","features":[{' })).toContain(
      'where JSON was expected',
    );
    expect(await why(wells(0))).toContain('holds no features');
  });

  it('is found out when its features lie elsewhere', async () => {
    type Page = { features: { geometry: { coordinates: number[] } }[] };
    const moved = (change: (c: number[]) => number[]) => (d: Page) => ({
      ...d,
      features: d.features.map((f) => ({
        ...f,
        geometry: { ...f.geometry, coordinates: change(f.geometry.coordinates) },
      })),
    });
    const docs = wells(3);
    expect(
      await why(
        but(
          docs,
          PAGE1,
          moved(([x, y]) => [y!, x!]),
        ),
      ),
    ).toContain('latitude before longitude');
    expect(
      await why(
        but(
          docs,
          PAGE1,
          moved(() => [535000, 6451000]),
        ),
      ),
    ).toContain('no longitude and latitude');
    expect(await why(docs, { 'content-crs': `<${UTM}>` })).toContain('but came in EPSG:32627');
    expect(
      await why(
        but(
          docs,
          PAGE1,
          moved(() => ['a' as never]),
        ),
      ),
    ).toContain('not numbers');
  });

  it('says what of the columns is not as described', async () => {
    const docs = but(wells(2), PAGE1, (d: { features: { properties: object }[] }) => ({
      ...d,
      features: d.features.map((f) => ({ ...f, properties: { depth: 'deep', name: 'x' } })),
    }));
    const r = await take(docs, { columns: ['depth', 'height'] as never });
    expect(r.layers[0]!.notes.map((n) => n.code)).toEqual(['service.noColumn', 'service.type']);
  });
});

describe('addresses', () => {
  it('are read as somebody types them, and refused when they cannot be asked', () => {
    expect(serviceAddress(' survey.example/ogc#x ').href).toBe('https://survey.example/ogc');
    expect(serviceAddress('127.0.0.1:4780/portal').href).toBe('http://127.0.0.1:4780/portal');
    expect(serviceAddress('http://localhost/x').href).toBe('http://localhost/x');
    for (const bad of ['', 'file:///etc/passwd', 'https://a:b@survey.example', 'peat', 'ftp://x.example', 'http://'])
      expect(() => serviceAddress(bad))
        .withContext(bad)
        .toThrow();
  });
});

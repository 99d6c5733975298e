import { Router, type Express, type Request, type Response } from 'express';
import { HelkError, parseCrs, transformer, wgs84, type Crs } from '@helk/core';
import type { Context } from '../app';
import { LICENSE, PORTAL_ABOUT, PORTAL_SETS, PORTAL_TITLE, type PortalSet } from './collections';
import { PortalStore, type PortalData, type PortalFeature } from './data';
import { portalFile } from './file';

const CRS84 = 'http://www.opengis.net/def/crs/OGC/1.3/CRS84';
const UTM27 = 'http://www.opengis.net/def/crs/EPSG/0/32627';
const OFFERED = [CRS84, UTM27];
const CONFORMS = [
  'http://www.opengis.net/spec/ogcapi-common-1/1.0/conf/core',
  'http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/core',
  'http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/geojson',
  'http://www.opengis.net/spec/ogcapi-features-2/1.0/conf/crs',
  'http://www.opengis.net/spec/ogcapi-features-5/1.0/conf/schemas',
  'http://www.opengis.net/spec/ogcapi-records-1/1.0/conf/record-core',
  'http://www.opengis.net/spec/ogcapi-records-1/1.0/conf/record-collection',
  'http://www.opengis.net/spec/ogcapi-records-1/1.0/conf/record-core-query-parameters',
  'http://www.opengis.net/spec/ogcapi-records-1/1.0/conf/json',
];
const CATALOGUE = 'catalogue';
const MOST = 1000;
const USUAL = 100;

const bad = (message: string): HelkError => new HelkError('request.invalid', message);

/**
 * The stand-in portal: a catalogue and feature service over invented data, under /portal.
 *
 * Standards: OGC API - Features Part 1 (OGC 17-069r4), Part 2 (OGC 18-058r1) and Part 5 (OGC 23-058r1), OGC API - Records Part 1
 * (OGC 20-004r1).
 */
export function portalRoutes(app: Express, { config, pool }: Context): void {
  const store = new PortalStore(portalFile(config.dataDir), pool);
  const portal = Router();
  // The name by which it was asked: a service that points elsewhere is not followed.
  const base = (req: Request): string => `${req.protocol}://${req.headers.host}/portal`;
  const link = (rel: string, href: string, title: string, type = 'application/json'): object => ({
    rel,
    type,
    href,
    title,
  });
  const send = (res: Response, body: object, type = 'application/json'): void =>
    void res.type(type).send(JSON.stringify(body));
  const setOf = (req: Request): PortalSet => {
    const s = PORTAL_SETS.find((x) => x.id === req.params['collection']);
    if (!s)
      throw new HelkError(
        'dataset.unknown',
        `There is no collection "${String(req.params['collection']).slice(0, 60)}".`,
      );
    return s;
  };
  const known = (req: Request, names: string[]): void => {
    const odd = Object.keys(req.query).find((k) => !names.includes(k));
    if (odd) throw bad(`There is no parameter "${odd.slice(0, 60)}"; there is ${names.join(', ')}.`);
  };

  portal.get('/', (req, res) => {
    const b = base(req);
    send(res, {
      title: PORTAL_TITLE,
      description: PORTAL_ABOUT,
      links: [
        link('self', b, 'This page'),
        link('conformance', `${b}/conformance`, 'Standards it keeps to'),
        link('data', `${b}/collections`, 'Collections'),
        link('http://www.opengis.net/def/rel/ogc/1.0/ogc-catalog', `${b}/collections/${CATALOGUE}`, 'Catalogue'),
      ],
    });
  });
  portal.get('/conformance', (_req, res) => send(res, { conformsTo: CONFORMS }));

  const describe = (s: PortalSet, d: PortalData, b: string): object => ({
    id: s.id,
    title: s.title,
    description: s.description,
    itemType: 'feature',
    extent: { spatial: { bbox: [d.extent], crs: CRS84 } },
    crs: OFFERED,
    storageCrs: UTM27,
    links: [
      link('self', `${b}/collections/${s.id}`, s.title),
      link('items', `${b}/collections/${s.id}/items`, 'Features', 'application/geo+json'),
      link(
        'http://www.opengis.net/def/rel/ogc/1.0/schema',
        `${b}/collections/${s.id}/schema`,
        'Columns',
        'application/schema+json',
      ),
    ],
  });
  const catalogue = (b: string, extent: number[]): object => ({
    id: CATALOGUE,
    title: 'Catalogue of the survey office',
    description: 'What there is, by subject.',
    itemType: 'record',
    extent: { spatial: { bbox: [extent], crs: CRS84 } },
    links: [
      link('self', `${b}/collections/${CATALOGUE}`, 'Catalogue'),
      link('items', `${b}/collections/${CATALOGUE}/items`, 'Records', 'application/geo+json'),
    ],
  });

  portal.get('/collections', async (req, res) => {
    const all = await store.all();
    const b = base(req);
    const extent = all.get('parishes')!.extent;
    send(res, {
      links: [link('self', `${b}/collections`, 'Collections')],
      collections: [catalogue(b, extent), ...PORTAL_SETS.map((s) => describe(s, all.get(s.id)!, b))],
    });
  });
  portal.get(`/collections/${CATALOGUE}`, async (req, res) =>
    send(res, catalogue(base(req), (await store.all()).get('parishes')!.extent)),
  );
  portal.get(`/collections/${CATALOGUE}/items`, async (req, res) => {
    known(req, ['q', 'bbox', 'limit', 'offset', 'f']);
    const all = await store.all();
    const b = base(req);
    const words =
      typeof req.query['q'] === 'string'
        ? req.query['q']
            .toLowerCase()
            .split(/[\s,]+/)
            .filter(Boolean)
        : [];
    const box = boxParam(req);
    const found = PORTAL_SETS.filter((s) => {
      const text = [s.id, s.title, s.description, ...s.keywords].join(' ').toLowerCase();
      return words.every((w) => text.includes(w)) && (!box || meets(all.get(s.id)!.extent, box));
    });
    page(req, res, `${b}/collections/${CATALOGUE}/items`, found, (s) => record(s, all.get(s.id)!, b));
  });
  portal.get('/collections/:collection', async (req, res) => {
    const s = setOf(req);
    send(res, describe(s, (await store.all()).get(s.id)!, base(req)));
  });
  portal.get('/collections/:collection/schema', async (req, res) => {
    const s = setOf(req);
    const d = (await store.all()).get(s.id)!;
    const type = { number: 'number', text: 'string', boolean: 'boolean' };
    send(
      res,
      {
        $schema: 'https://json-schema.org/draft/2020-12/schema',
        $id: `${base(req)}/collections/${s.id}/schema`,
        type: 'object',
        title: s.title,
        properties: {
          geometry: {
            'x-ogc-role': 'primary-geometry',
            format: `geometry-${d.geometry === 'line' ? 'linestring' : d.geometry}`,
          },
          ...Object.fromEntries(
            d.columns.map((c, i) => [
              c.name,
              {
                type: type[c.type],
                title: s.columns[c.name] ?? c.name,
                'x-ogc-propertySeq': i + 1,
                ...(c.unit ? { 'x-ogc-unit': c.unit } : {}),
              },
            ]),
          ),
        },
      },
      'application/schema+json',
    );
  });
  portal.get('/collections/:collection/items', async (req, res) => {
    const s = setOf(req);
    const d = (await store.all()).get(s.id)!;
    const columns = d.columns.map((c) => c.name);
    known(req, ['limit', 'offset', 'bbox', 'bbox-crs', 'crs', 'datetime', 'f', ...columns]);
    const crs = crsParam(req, 'crs');
    const box = boxParam(req);
    const wanted = columns.flatMap((c) => {
      const v = req.query[c];
      return typeof v === 'string' ? [[c, v] as const] : [];
    });
    const found = d.features.filter(
      (f, i) => (!box || meets(d.boxes[i]!, box)) && wanted.every(([c, v]) => String(f.properties[c] ?? '') === v),
    );
    res.setHeader('Content-Crs', `<${crs.uri}>`);
    page(req, res, `${base(req)}/collections/${s.id}/items`, found, (f) => inSystem(f, crs.crs));
  });
  portal.get('/collections/:collection/items/:feature', async (req, res) => {
    const s = setOf(req);
    known(req, ['crs', 'f']);
    const crs = crsParam(req, 'crs');
    const f = (await store.all()).get(s.id)!.features.find((x) => String(x.id) === req.params['feature']);
    if (!f) throw new HelkError('dataset.unknown', `There is no such feature in ${s.id}.`);
    res.setHeader('Content-Crs', `<${crs.uri}>`);
    const b = `${base(req)}/collections/${s.id}`;
    send(
      res,
      {
        ...inSystem(f, crs.crs),
        links: [link('self', `${b}/items/${f.id}`, 'This feature'), link('collection', b, s.title)],
      },
      'application/geo+json',
    );
  });
  app.use('/portal', portal);

  /** A record of the catalogue that leads to a collection. */
  function record(s: PortalSet, d: PortalData, b: string): object {
    const [w, so, e, n] = d.extent;
    return {
      type: 'Feature',
      id: s.id,
      conformsTo: ['http://www.opengis.net/spec/ogcapi-records-1/1.0/conf/record-core'],
      time: null,
      geometry: {
        type: 'Polygon',
        coordinates: [
          [
            [w, so],
            [e, so],
            [e, n],
            [w, n],
            [w, so],
          ],
        ],
      },
      properties: {
        type: 'dataset',
        title: s.title,
        description: s.description,
        keywords: s.keywords,
        updated: s.updated,
        language: { code: 'en' },
        license: LICENSE,
        formats: [{ name: 'GeoJSON', mediaType: 'application/geo+json' }],
      },
      links: [
        link('item', `${b}/collections/${s.id}`, 'The collection of its features'),
        link('collection', `${b}/collections/${CATALOGUE}`, 'Catalogue'),
      ],
    };
  }

  /** One page of a list with the links to go on. */
  function page<T>(req: Request, res: Response, url: string, all: T[], show: (t: T) => object): void {
    const limit = Math.min(MOST, wholeParam(req, 'limit', USUAL, 1));
    const offset = wholeParam(req, 'offset', 0, 0);
    const part = all.slice(offset, offset + limit);
    const at = (o: number): string => {
      const u = new URL(url);
      for (const [k, v] of Object.entries(req.query)) if (typeof v === 'string') u.searchParams.set(k, v);
      u.searchParams.set('limit', String(limit));
      if (o) u.searchParams.set('offset', String(o));
      else u.searchParams.delete('offset');
      return u.href;
    };
    send(
      res,
      {
        type: 'FeatureCollection',
        numberMatched: all.length,
        numberReturned: part.length,
        timeStamp: new Date().toISOString(),
        features: part.map(show),
        links: [
          link('self', at(offset), 'This page', 'application/geo+json'),
          ...(offset + limit < all.length
            ? [link('next', at(offset + limit), 'Next page', 'application/geo+json')]
            : []),
          ...(offset > 0 ? [link('prev', at(Math.max(0, offset - limit)), 'Page before', 'application/geo+json')] : []),
        ],
      },
      'application/geo+json',
    );
  }
}

function wholeParam(req: Request, name: string, usual: number, least: number): number {
  const v = req.query[name];
  if (v === undefined) return usual;
  if (typeof v !== 'string' || !/^\d{1,9}$/.test(v) || Number(v) < least)
    throw bad(`${name} must be a whole number of at least ${least}.`);
  return Number(v);
}

function crsParam(req: Request, name: string): { uri: string; crs: Crs | null } {
  const v = req.query[name];
  if (v === undefined || v === CRS84) return { uri: CRS84, crs: null };
  if (v === UTM27) return { uri: UTM27, crs: parseCrs(UTM27) };
  throw bad(`${name} must be one of ${OFFERED.join(', ')}.`);
}

/** The bbox in longitude and latitude. */
function boxParam(req: Request): number[] | null {
  const v = req.query['bbox'];
  if (v === undefined) return null;
  const n = typeof v === 'string' ? v.split(',').map(Number) : [];
  if ((n.length !== 4 && n.length !== 6) || !n.every(Number.isFinite)) throw bad('bbox must be four or six numbers.');
  const b = n.length === 6 ? [n[0]!, n[1]!, n[3]!, n[4]!] : n;
  const { crs } = crsParam(req, 'bbox-crs');
  if (!crs) return b;
  const t = transformer(crs, wgs84());
  const corners = [
    [b[0]!, b[1]!],
    [b[2]!, b[1]!],
    [b[0]!, b[3]!],
    [b[2]!, b[3]!],
  ].map(([x, y]) => {
    const out = [0, 0];
    t(x!, y!, out);
    return out as [number, number];
  });
  const [xs, ys] = [corners.map((c) => c[0]), corners.map((c) => c[1])];
  return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
}

const meets = (a: readonly number[], b: readonly number[]): boolean =>
  a[0]! <= b[2]! && a[2]! >= b[0]! && a[1]! <= b[3]! && a[3]! >= b[1]!;

/** A feature with its coordinates in a system, to the centimetre. */
function inSystem(f: PortalFeature, crs: Crs | null): object {
  if (!crs || !f.geometry) return f;
  const t = transformer(wgs84(), crs);
  const turn = (c: unknown): unknown => {
    if (!Array.isArray(c)) return c;
    if (typeof c[0] !== 'number') return c.map(turn);
    const out = [0, 0];
    t(c[0], c[1] as number, out);
    return out.map((v) => Math.round(v * 100) / 100);
  };
  return { ...f, geometry: { ...f.geometry, coordinates: turn(f.geometry.coordinates) } };
}

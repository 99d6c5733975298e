import { Router, type Express, type Request } from 'express';
import { HelkError } from '@helk/core';
import type { Context } from '../context';
import { CATALOGUE, catalogue, CONFORMS, describe, inSystem, link, record, schemaOf } from './answers';
import { boxParam, crsParam, known, meets, page, send } from './asked';
import { PORTAL_ABOUT, PORTAL_SETS, PORTAL_TITLE, type PortalSet } from './collections';
import { PortalStore } from './data';
import { portalFile } from './file';
import { MAP_TITLE, MapTiles, oneTileSet, setOfScales, setsOfScales, tileSets } from './map';

const wholeOf = (text: string): number => (/^\d{1,9}$/.test(text) ? Number(text) : -1);

/**
 * The stand-in portal: a catalogue and feature service over invented data, under /portal.
 *
 * Standards: OGC API - Features Part 1 (OGC 17-069r4), Part 2 (OGC 18-058r1) and Part 5 (OGC 23-058r1), OGC API - Records Part 1
 * (OGC 20-004r1), OGC API - Tiles Part 1 (OGC 20-057).
 */
export function portalRoutes(app: Express, { config, pool }: Context): void {
  const store = new PortalStore(portalFile(config.dataDir), pool);
  const portal = Router();
  // The name by which it was asked: a service that points elsewhere is not followed.
  const base = (req: Request): string => `${req.protocol}://${req.headers.host}/portal`;
  const setOf = (req: Request): PortalSet => {
    const s = PORTAL_SETS.find((x) => x.id === req.params['collection']);
    if (!s)
      throw new HelkError(
        'dataset.unknown',
        `There is no collection "${String(req.params['collection']).slice(0, 60)}".`,
      );
    return s;
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
        link('http://www.opengis.net/def/rel/ogc/1.0/tilesets-map', `${b}/map/tiles`, MAP_TITLE),
        link('http://www.opengis.net/def/rel/ogc/1.0/tiling-schemes', `${b}/tileMatrixSets`, 'Scales of tiles'),
      ],
    });
  });
  portal.get('/conformance', (_req, res) => send(res, { conformsTo: CONFORMS }));

  const tiles = new MapTiles(config.dataDir, pool);
  portal.get('/tileMatrixSets', (req, res) => send(res, setsOfScales(base(req))));
  portal.get('/tileMatrixSets/:set', (req, res) => send(res, setOfScales(req.params.set)));
  portal.get('/map/tiles', (req, res) => send(res, tileSets(base(req))));
  portal.get('/map/tiles/:set', (req, res) => send(res, oneTileSet(base(req), req.params.set)));
  portal.get('/map/tiles/:set/:level/:row/:column', async (req, res) => {
    const { set, level, row, column } = req.params;
    res.type('image/png').send(await tiles.tile(set, level, wholeOf(row), wholeOf(column)));
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
    send(res, schemaOf(s, (await store.all()).get(s.id)!, base(req)), 'application/schema+json');
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
}

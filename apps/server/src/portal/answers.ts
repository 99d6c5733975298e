import { transformer, wgs84, type Crs } from '@helk/core';
import { LICENSE, type PortalSet } from './collections';
import type { PortalData, PortalFeature } from './data';

/** What the portal answers with, as plain objects. */

export const CRS84 = 'http://www.opengis.net/def/crs/OGC/1.3/CRS84';
export const UTM27 = 'http://www.opengis.net/def/crs/EPSG/0/32627';
export const OFFERED = [CRS84, UTM27];
export const CONFORMS = [
  'http://www.opengis.net/spec/ogcapi-common-1/1.0/conf/core',
  'http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/core',
  'http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/geojson',
  'http://www.opengis.net/spec/ogcapi-features-2/1.0/conf/crs',
  'http://www.opengis.net/spec/ogcapi-features-5/1.0/conf/schemas',
  'http://www.opengis.net/spec/ogcapi-tiles-1/1.0/conf/core',
  'http://www.opengis.net/spec/ogcapi-tiles-1/1.0/conf/tilesets-list',
  'http://www.opengis.net/spec/ogcapi-tiles-1/1.0/conf/dataset-tilesets',
  'http://www.opengis.net/spec/ogcapi-tiles-1/1.0/conf/png',
  'http://www.opengis.net/spec/ogcapi-records-1/1.0/conf/record-core',
  'http://www.opengis.net/spec/ogcapi-records-1/1.0/conf/record-collection',
  'http://www.opengis.net/spec/ogcapi-records-1/1.0/conf/record-core-query-parameters',
  'http://www.opengis.net/spec/ogcapi-records-1/1.0/conf/json',
];
export const CATALOGUE = 'catalogue';

export const link = (rel: string, href: string, title: string, type = 'application/json'): object => ({
  rel,
  type,
  href,
  title,
});

/** A collection of features. @param b address of the portal */
export const describe = (s: PortalSet, d: PortalData, b: string): object => ({
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

/** The collection of records that leads to the others. */
export const catalogue = (b: string, extent: number[]): object => ({
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

/** The columns of a collection (OGC API - Features Part 5). */
export function schemaOf(s: PortalSet, d: PortalData, b: string): object {
  const type = { number: 'number', text: 'string', boolean: 'boolean' };
  return {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    $id: `${b}/collections/${s.id}/schema`,
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
  };
}

/** A record of the catalogue that leads to a collection. */
export function record(s: PortalSet, d: PortalData, b: string): object {
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

/** A feature with its coordinates in a system, to the centimetre. */
export function inSystem(f: PortalFeature, crs: Crs | null): object {
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

import * as z from 'zod';
import { HelkError } from '../errors';
import type { Extent } from '../data/crs';
import { follow, getJson, linksOf, linkTo, textOf, textsOf, type Get, type Link } from './get';

/** A service as its landing page tells of it. */
export interface Service {
  address: string;
  title: string;
  description: string;
  /** Where its collections are listed. */
  collections: string;
  conformsTo: string[];
}

/** A collection of features that can be taken, or one of records that describe data. */
export interface Collection {
  id: string;
  title: string;
  description: string;
  /** Longitude and latitude; null when not told. */
  extent: Extent | null;
  kind: 'features' | 'records';
  /** Systems in which it can be asked for, as URIs. */
  crs: string[];
  /** System it is kept in. */
  storageCrs: string | null;
  items: string;
  schema: string | null;
}

/** One dataset found by searching. */
export interface Hit {
  /** Collection in which its features are. */
  collection: string;
  title: string;
  description: string;
  keywords: string[];
  updated: string;
  license: string;
  extent: Extent | null;
}

export interface FoundColumn {
  name: string;
  title: string;
  type: string;
  /** Symbol as the service writes it. */
  unit: string | null;
}

const MOST_COLLECTIONS = 2000;
const FEATURES_CORE = /ogcapi-features-1\/\d+\.\d+\/conf\/core$/;

/**
 * Reads the landing page of an OGC API service and what it conforms to. An address below it (of a collection, of its items) is
 * led back to it.
 *
 * Source: OGC API - Features - Part 1: Core corrigendum (OGC 17-069r4), 7.2 to 7.4.
 * @throws HelkError `service.invalid` for anything that is no such service
 */
export async function openService(get: Get, address: string): Promise<Service> {
  const cut = address.replace(/\/(collections|conformance)([/?].*)?$/, '').replace(/(?<!\/)\/+$/, '');
  const { data, answer } = await getJson(get, cut || address);
  const links = linksOf(data);
  const list = linkTo(links, 'data');
  const conformance = linkTo(links, 'conformance');
  if (!list || !conformance)
    throw new HelkError(
      'service.invalid',
      `${answer.url} is not the landing page of an OGC API service: it has no link to its ${list ? 'conformance' : 'collections'}.`,
      'address',
    );
  const told = await getJson(get, follow(conformance.href, answer.url, 'its conformance'));
  const conformsTo = textsOf(told.data['conformsTo']);
  if (!conformsTo.some((c) => FEATURES_CORE.test(c)))
    throw new HelkError(
      'service.invalid',
      `${answer.url} does not say that it gives out features (OGC API - Features, core).`,
      'address',
    );
  return {
    address: answer.url,
    title: textOf(data['title'], 300) || new URL(answer.url).host,
    description: textOf(data['description']),
    collections: follow(list.href, answer.url, 'its collections'),
    conformsTo,
  };
}

const Box = z.array(z.number()).refine((b) => b.length === 4 || b.length === 6);

/** The first box of an extent, without heights. */
function extentOf(v: unknown): Extent | null {
  const box = (v as { spatial?: { bbox?: unknown[] } } | undefined)?.spatial?.bbox?.[0];
  const b = Box.safeParse(box);
  if (!b.success) return null;
  return b.data.length === 6
    ? [b.data[0]!, b.data[1]!, b.data[3]!, b.data[4]!]
    : [b.data[0]!, b.data[1]!, b.data[2]!, b.data[3]!];
}

function collectionOf(raw: Record<string, unknown>, from: string): Collection | null {
  const id = textOf(raw['id'], 300);
  const links = linksOf(raw);
  const items = linkTo(links, 'items');
  if (!id || !items) return null;
  const schema = linkTo(links, 'schema', 'describedby') ?? linkTo(links, 'queryables');
  return {
    id,
    title: textOf(raw['title'], 300) || id,
    description: textOf(raw['description']),
    extent: extentOf(raw['extent']),
    kind: raw['itemType'] === 'record' ? 'records' : 'features',
    crs: textsOf(raw['crs']),
    storageCrs: textOf(raw['storageCrs'], 300) || null,
    items: follow(items.href, from, `the items of ${id}`),
    schema: schema ? follow(schema.href, from, `the columns of ${id}`) : null,
  };
}

/** All collections of a service. @throws HelkError `service.invalid` */
export async function listCollections(get: Get, s: Service): Promise<Collection[]> {
  const { data, answer } = await getJson(get, s.collections);
  const all = data['collections'];
  if (!Array.isArray(all)) throw new HelkError('service.invalid', `${answer.url} lists no collections.`, 'address');
  return all
    .slice(0, MOST_COLLECTIONS)
    .map((c) => collectionOf(c as Record<string, unknown>, answer.url))
    .filter((c): c is Collection => c !== null);
}

/** The collection a record points to, if it is one of this service. */
function targetOf(links: readonly Link[], from: string, known: ReadonlyMap<string, Collection>): string | null {
  for (const l of links) {
    try {
      const url = new URL(l.href, from);
      const id = /\/collections\/([^/?]+)(?:\/items)?\/?$/.exec(url.pathname)?.[1];
      if (id && url.origin === new URL(from).origin && known.has(decodeURIComponent(id)) && l.rel !== 'self')
        if (known.get(decodeURIComponent(id))!.kind === 'features') return decodeURIComponent(id);
    } catch {
      continue;
    }
  }
  return null;
}

/**
 * Datasets whose description holds all words, through the service's catalogue of records where it has one, else by the
 * titles and descriptions of its collections.
 *
 * Source: OGC API - Records - Part 1: Core (OGC 20-004r1), parameter q.
 */
export async function searchService(
  get: Get,
  s: Service,
  q: { words: string; bbox?: Extent | null },
): Promise<{ hits: Hit[]; catalogue: boolean; total: number | null }> {
  const all = await listCollections(get, s);
  const words = q.words.trim().toLowerCase().split(/\s+/).filter(Boolean);
  const known = new Map(all.map((c) => [c.id, c]));
  const records = all.find((c) => c.kind === 'records');
  if (records) {
    const url = new URL(records.items);
    if (words.length) url.searchParams.set('q', words.join(' '));
    if (q.bbox) url.searchParams.set('bbox', q.bbox.join(','));
    url.searchParams.set('limit', '100');
    const { data, answer } = await getJson(get, url.href);
    if (!Array.isArray(data['features']))
      throw new HelkError('service.invalid', `${answer.url} sent no list of records.`, 'address');
    const hits: Hit[] = [];
    for (const f of data['features'] as Record<string, unknown>[]) {
      const p = (f['properties'] ?? {}) as Record<string, unknown>;
      const collection = targetOf(linksOf(f), answer.url, known);
      if (!collection) continue;
      hits.push({
        collection,
        title: textOf(p['title'], 300) || collection,
        description: textOf(p['description']),
        keywords: textsOf(p['keywords']),
        updated: textOf(p['updated'], 40) || textOf(p['created'], 40),
        license: textOf(p['license'], 200),
        extent: known.get(collection)!.extent,
      });
    }
    const total = data['numberMatched'];
    return { hits, catalogue: true, total: typeof total === 'number' ? total : null };
  }
  const meets = (c: Collection): boolean =>
    words.every((w) => `${c.id} ${c.title} ${c.description}`.toLowerCase().includes(w)) &&
    (!q.bbox ||
      !c.extent ||
      (c.extent[0] <= q.bbox[2] && c.extent[2] >= q.bbox[0] && c.extent[1] <= q.bbox[3] && c.extent[3] >= q.bbox[1]));
  const hits = all
    .filter((c) => c.kind === 'features' && meets(c))
    .map((c) => ({
      collection: c.id,
      title: c.title,
      description: c.description,
      keywords: [],
      updated: '',
      license: '',
      extent: c.extent,
    }));
  return { hits, catalogue: false, total: hits.length };
}

/** One collection by its id. @throws HelkError `service.invalid` when the service has none of that id */
export async function findCollection(get: Get, s: Service, id: string): Promise<Collection> {
  const all = await listCollections(get, s);
  const c = all.find((x) => x.id === id && x.kind === 'features');
  if (!c)
    throw new HelkError(
      'service.invalid',
      `${s.title} has no collection "${id.slice(0, 100)}" of features; it has ${
        all
          .filter((x) => x.kind === 'features')
          .map((x) => x.id)
          .slice(0, 20)
          .join(', ') || 'none'
      }.`,
      'collection',
    );
  return c;
}

/**
 * Columns as the service describes them, in its order; without geometry and id. Empty when it describes none.
 *
 * Source: OGC API - Features - Part 5: Schemas (OGC 23-058r1): a JSON Schema with `x-ogc-role` and `x-ogc-unit`.
 */
export async function columnsOfCollection(get: Get, c: Collection): Promise<FoundColumn[]> {
  if (!c.schema) return [];
  const { data } = await getJson(get, c.schema);
  const all = (data['properties'] ?? {}) as Record<string, Record<string, unknown> | null>;
  const out: { column: FoundColumn; at: number }[] = [];
  Object.entries(all).forEach(([name, p], i) => {
    if (!p || typeof p !== 'object') return;
    const role = textOf(p['x-ogc-role'], 60);
    if (role.includes('geometry') || /^geometry/.test(textOf(p['format'], 60)) || '$ref' in p) return;
    const at = typeof p['x-ogc-propertySeq'] === 'number' ? p['x-ogc-propertySeq'] : i;
    const type = Array.isArray(p['type']) ? textsOf(p['type']).find((t) => t !== 'null') : textOf(p['type'], 30);
    out.push({
      column: {
        name: name.slice(0, 200),
        title: textOf(p['title'], 300) || textOf(p['description'], 300),
        type: type ?? 'string',
        unit: textOf(p['x-ogc-unit'], 40) || null,
      },
      at,
    });
  });
  return out.sort((a, b) => a.at - b.at).map((o) => o.column);
}

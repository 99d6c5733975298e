import { HelkError } from '../errors';
import { parseCrs, sameCrs, wgs84, type Crs, type Extent } from '../data/crs';
import { featuresIn, type Features } from '../data/features';
import { layersOf, type Feature } from '../formats/feature-collector';
import { READ_LIMITS, type Layer } from '../formats/reader';
import { follow, getJson, linksOf, linkTo, textOf, type Get } from './get';
import type { Collection, FoundColumn } from './catalogue';
import { plural, type Note } from '../data/check';

export interface Wish {
  /** Names in their order; null for all. */
  columns: string[] | null;
  /** Longitude and latitude; null for all of it. */
  bbox: Extent | null;
  /** System the dataset is to be in; null for longitude and latitude. */
  crs: Crs | null;
}

export interface Collected {
  layers: Layer[];
  /** Characters that came in. */
  size: number;
  pages: number;
  /** System in which the service was asked. */
  asked: Crs;
}

const PAGE = 1000;
const MOST_FEATURES = 2_000_000;

/** Systems in which the east comes first whatever a service does, so that its coordinates can be trusted: UTM on WGS 84. */
const eastFirst = (code: string | null): boolean => /^EPSG:32[67](0[1-9]|[1-5]\d|60)$/.test(code ?? '');

/** The URI by which a collection can be asked for a system; null when it cannot, or its axes might be swapped. */
export function offeredCrs(c: Collection, crs: Crs): string | null {
  if (!eastFirst(crs.code)) return null;
  for (const uri of c.crs) {
    try {
      if (sameCrs(parseCrs(uri), crs)) return uri;
    } catch {
      continue;
    }
  }
  return null;
}

const wrong = (message: string): HelkError => new HelkError('service.invalid', message, 'collection');

/** Number of features that match, as one page tells it without sending more than one; null when not told. */
export async function countOf(get: Get, c: Collection, bbox: Extent | null = null): Promise<number | null> {
  const url = new URL(c.items);
  url.searchParams.set('limit', '1');
  if (bbox) url.searchParams.set('bbox', bbox.join(','));
  const { data } = await getJson(get, url.href);
  return typeof data['numberMatched'] === 'number' ? data['numberMatched'] : null;
}

/** Some features in longitude and latitude, to be looked at; none becomes a dataset. */
export async function previewOf(get: Get, c: Collection, most: number): Promise<Layer[]> {
  const url = new URL(c.items);
  url.searchParams.set('limit', String(most));
  const { data } = await getJson(get, url.href);
  const features = listOf(data, url.href);
  if (!features.length) return [];
  checkPlaces(features, c, null);
  return layersOf(features.slice(0, most), wgs84(), c.title, c.title, [], READ_LIMITS);
}

/**
 * All features that match, page by page, brought to the wished system. The pages are counted against what the service says, so that a
 * service that leaves out, repeats or misplaces features is found out: then nothing is given back.
 *
 * Sources: OGC API - Features - Part 1 (OGC 17-069r4), 7.15, and Part 2 (OGC 18-058r1).
 * @throws HelkError `service.*`, `file.*` for features that are none
 */
export async function collect(
  get: Get,
  c: Collection,
  described: readonly FoundColumn[],
  wish: Wish,
  progress: (share: number, stage: string) => void,
): Promise<Collected> {
  const uri = wish.crs ? offeredCrs(c, wish.crs) : null;
  const asked = uri ? wish.crs! : wgs84();
  const first = new URL(c.items);
  first.searchParams.set('limit', String(PAGE));
  if (wish.bbox) first.searchParams.set('bbox', wish.bbox.join(','));
  if (uri) first.searchParams.set('crs', uri);
  const features: Feature[] = [];
  const ids = new Set<string>();
  const seen = new Set<string>();
  let next: string | null = first.href;
  let matched: number | null = null;
  let size = 0;
  for (let page = 1; next; page++) {
    if (seen.has(next)) throw wrong(`Page ${page} of ${c.title} leads back to a page that was read already.`);
    seen.add(next);
    const { data, answer } = await getJson(get, next);
    size += answer.text.length;
    checkSystem(answer.header('content-crs'), asked, uri !== null, c);
    const got = listOf(data, answer.url);
    const said = data['numberReturned'];
    if (typeof said === 'number' && said !== got.length)
      throw wrong(`Page ${page} of ${c.title} says that it holds ${plural(said, 'feature')}, but holds ${got.length}.`);
    if (typeof data['numberMatched'] === 'number') matched ??= data['numberMatched'];
    for (const f of got) {
      const id = (f as { id?: unknown } | null)?.id;
      if (id === undefined || id === null) continue;
      const key = `${typeof id}:${String(id)}`;
      if (ids.has(key))
        throw wrong(
          `Feature "${String(id).slice(0, 60)}" of ${c.title} came twice, on page ${page} again: the service repeats pages.`,
        );
      ids.add(key);
    }
    features.push(...got);
    if (features.length > MOST_FEATURES || (matched ?? 0) > MOST_FEATURES)
      throw new HelkError(
        'file.tooLarge',
        `${c.title} has more than ${plural(MOST_FEATURES, 'feature')}; take only those of an area.`,
        'collection',
      );
    const link = linkTo(linksOf(data), 'next');
    if (link && got.length === 0) throw wrong(`Page ${page} of ${c.title} is empty and still leads to another one.`);
    next = link ? follow(link.href, answer.url, 'the next page') : null;
    progress(
      matched ? Math.min(1, features.length / matched) : 1 - 1 / (1 + page),
      matched ? `${plural(features.length, 'feature')} of ${matched}` : plural(features.length, 'feature'),
    );
  }
  if (matched !== null && matched !== features.length)
    throw wrong(
      `${c.title} says that ${plural(matched, 'feature')} match, but sent ${features.length}; nothing was taken.`,
    );
  if (!features.length)
    throw new HelkError(
      'file.content',
      wish.bbox ? `${c.title} has no feature in that area.` : `${c.title} holds no features.`,
      'collection',
    );
  checkPlaces(features, c, uri ? asked : null);
  const notes: Note[] = [];
  const names = wish.columns ?? (described.length ? described.map((d) => d.name) : null);
  const layers = layersOf(chosen(features, names), asked, c.title, c.title, notes, READ_LIMITS);
  const declared = new Map(described.map((d) => [d.name, d]));
  for (const name of wish.columns ?? [])
    if (!layers.some((l) => l.data.kind === 'features' && l.data.columns.some((x) => x.name === name)))
      notes.push({ level: 'look', code: 'service.noColumn', message: `No feature has a column "${name}".` });
  for (const l of layers) {
    const f = l.data as Features;
    const columns = f.columns.map((col) => {
      const d = declared.get(col.name);
      if (d && /^(number|integer)$/.test(d.type) && col.type === 'text')
        notes.push({
          level: 'look',
          code: 'service.type',
          message: `${col.name} is described as numbers, but came as text.`,
        });
      return { ...col, unit: d?.unit ?? col.unit };
    });
    const whole = { ...f, columns };
    l.data = wish.crs ? featuresIn(whole, wish.crs) : whole;
  }
  return { layers, size, pages: seen.size, asked };
}

function listOf(data: Record<string, unknown>, url: string): Feature[] {
  if (data['type'] !== 'FeatureCollection' || !Array.isArray(data['features']))
    throw wrong(`${url} sent ${textOf(data['type'], 60) || 'something'} where a FeatureCollection was expected.`);
  return data['features'] as Feature[];
}

/** Features with the chosen columns only, in that order. */
function chosen(features: readonly Feature[], names: string[] | null): Feature[] {
  if (!names) return [...features];
  return features.map((f) => {
    const p = f?.properties ?? {};
    return {
      ...f,
      properties: Object.fromEntries(names.filter((n) => Object.hasOwn(p, n)).map((n) => [n, p[n]])),
    };
  });
}

function checkSystem(header: string | null, asked: Crs, explicit: boolean, c: Collection): void {
  const uri = header?.replace(/[<>]/g, '').trim();
  if (!uri) {
    if (explicit)
      throw wrong(`${c.title} was asked in ${asked.code ?? asked.name}, but the answer does not say that it is in it.`);
    return;
  }
  let told: Crs;
  try {
    told = parseCrs(uri);
  } catch {
    throw wrong(`${c.title} came in a system that is not known (${uri.slice(0, 120)}).`);
  }
  // CRS84h is CRS84 with heights.
  if (!sameCrs(told, asked))
    throw wrong(`${c.title} was asked in ${asked.code ?? asked.name}, but came in ${told.code ?? told.name}.`);
}

/** The first coordinates of each feature against where the collection says that it lies. @param crs null for longitude and latitude */
function checkPlaces(features: readonly Feature[], c: Collection, crs: Crs | null): void {
  if (crs) return;
  let swapped = 0;
  let placed = 0;
  features.forEach((f, i) => {
    let p: unknown = f?.geometry?.coordinates;
    while (Array.isArray(p) && Array.isArray(p[0])) p = p[0];
    if (!Array.isArray(p) || typeof p[0] !== 'number' || typeof p[1] !== 'number') return;
    const [x, y] = p as [number, number];
    if (Math.abs(x) > 180.000001 || Math.abs(y) > 90.000001)
      throw wrong(
        `Feature ${i + 1} of ${c.title} lies at ${x}, ${y}: that is no longitude and latitude, though nothing else was asked for.`,
      );
    placed++;
    if (c.extent && !within(c.extent, x, y) && within(c.extent, y, x)) swapped++;
  });
  if (placed && swapped === placed)
    throw wrong(
      `${c.title} puts latitude before longitude: its features lie outside the extent it tells, and inside with the two swapped.`,
    );
}

function within(e: Extent, x: number, y: number): boolean {
  const m = 0.05 * Math.max(e[2] - e[0], e[3] - e[1]) + 1e-6;
  return x >= e[0] - m && x <= e[2] + m && y >= e[1] - m && y <= e[3] + m;
}

import { HelkError } from '../../errors';
import { systemText, type Crs, type Extent } from '../../data/crs-record';
import { transformExtent } from '../../data/crs';
import { wgs84 } from '../../data/crs-record';
import { tileAddress, type Background } from '../../render/background';
import { follow, getJson, linksOf, linkTo, serviceAddress, textOf, type Get, type Link } from '../get';
import { knownSet, matrixSet, mercatorQuad, systemIn, type Matrices } from './matrix-sets';
import { isCapabilities, openWms } from './wms';

/** Collections of a service that are looked at for tiles. */
const MOST_COLLECTIONS = 30;
const MAPS = 'tilesets-map';

/**
 * What can be laid under the data from an address: of tiles by level, column and row (`https://host/{z}/{x}/{y}.png`), of a service
 * that speaks OGC API - Tiles (its first page, a list of its tilesets, or one of them), or of a Web Map Service.
 *
 * @param near the system of the project; tiles in it are preferred, since they need not be bent
 * @throws HelkError `service.*`
 * Standards: OGC API - Tiles Part 1 (OGC 20-057), OGC 17-083r4; see also `openWms`.
 */
export async function openTiles(get: Get, typed: string, near: Crs | null): Promise<Background[]> {
  if (/\{-?[xyz]\}/.test(typed)) return [xyz(typed)];
  const url = serviceAddress(typed);
  if (url.searchParams.size && [...url.searchParams].some(([k, v]) => /^service$/i.test(k) && /^wms$/i.test(v)))
    return openWms(get, url, near, typed);
  const { text, url: at } = await get(url.href, 'application/json, text/xml;q=0.5, */*;q=0.1');
  if (isCapabilities(text)) return openWms(get, url, near, typed);
  let data: Record<string, unknown> | null = null;
  try {
    data = JSON.parse(text) as Record<string, unknown>;
  } catch {
    // Map services answer such a question with a page, or with a complaint in XML.
  }
  if (!data || typeof data !== 'object') return openWms(get, url, near, typed);
  return ogc(get, data, at, near, typed);
}

function xyz(typed: string): Background {
  const t = typed.trim().replace('{s}', 'a');
  const url = serviceAddress(t.replace(/\{-?[xyz]\}/g, '0'));
  const whole = /^[a-z]+:\/\//i.test(t) ? t : `${url.protocol}//${t}`;
  for (const name of ['{z}', '{x}'])
    if (!whole.includes(name))
      throw new HelkError(
        'service.address',
        `The address lacks ${name}; one of tiles has {z}, {x} and {y}.`,
        'address',
      );
  if (!/\{-?y\}/.test(whole))
    throw new HelkError('service.address', 'The address lacks {y}; one of tiles has {z}, {x} and {y}.', 'address');
  const { crs, levels } = mercatorQuad();
  const made: Background = {
    format: 'helk-background',
    version: 1,
    name: url.host,
    credit: '',
    address: typed,
    service: 'xyz',
    tile: whole,
    crs,
    extent: null,
    levels,
  };
  const one = tileAddress(made, 0, 0, 0)!;
  if (/[{}]/.test(one))
    throw new HelkError(
      'service.address',
      `${/\{[^}]*\}?/.exec(one)?.[0]} in the address stands for nothing that Helk knows.`,
      'address',
    );
  return made;
}

/** A tileset of a service, so far as it is known without having asked for it. */
interface TileSet {
  data: Record<string, unknown>;
  at: string;
}

const tileLink = (links: readonly Link[]): Link | undefined =>
  links
    .filter((l) => l.rel === 'item' && /\{tileMatrix\}/.test(l.href))
    .find((l) => !l.type || /^image\/(png|jpeg|webp)/.test(l.type));

const dataTypeOf = (d: Record<string, unknown>): string => textOf(d['dataType']) || 'map';

async function ogc(
  get: Get,
  data: Record<string, unknown>,
  at: string,
  near: Crs | null,
  typed: string,
): Promise<Background[]> {
  const title = textOf(data['title'], 200);
  const credit = textOf(data['attribution'], 500);
  if (Array.isArray(data['tilesets'])) return [await best(get, setsIn(data, at), near, { title, credit, typed })];
  if (tileLink(linksOf(data))) return [await best(get, [{ data, at }], near, { title, credit, typed })];
  const out: Background[] = [];
  const take = async (links: readonly Link[], from: string, named: string): Promise<void> => {
    const to = linkTo(links, MAPS);
    if (!to) return;
    const list = await getJson(get, follow(to.href, from, 'its tiles'));
    const about = { title: textOf(list.data['title'], 200) || named, credit, typed };
    out.push(await best(get, setsIn(list.data, list.answer.url), near, about));
  };
  await take(linksOf(data), at, title);
  const listed = linkTo(linksOf(data), 'data');
  const inside =
    data['collections'] ??
    (listed ? (await getJson(get, follow(listed.href, at, 'its collections'))).data['collections'] : undefined);
  const collections = Array.isArray(inside) ? (inside as Record<string, unknown>[]).slice(0, MOST_COLLECTIONS) : [data];
  if (!out.length || collections.length > 1)
    for (const c of collections) await take(linksOf(c), at, textOf(c['title'], 200) || textOf(c['id'], 200));
  if (!out.length)
    throw new HelkError(
      'service.invalid',
      `${new URL(at).host} offers no tiles that are pictures of a map. Features are taken in at Gather.`,
      'address',
    );
  return out;
}

const setsIn = (data: Record<string, unknown>, at: string): TileSet[] =>
  (Array.isArray(data['tilesets']) ? (data['tilesets'] as Record<string, unknown>[]) : [])
    .filter((d) => dataTypeOf(d) === 'map')
    .map((d) => ({ data: d, at }));

/** Of the same map in several systems the one that suits the project, then the web's, then any that can be read. */
async function best(
  get: Get,
  sets: readonly TileSet[],
  near: Crs | null,
  about: { title: string; credit: string; typed: string },
): Promise<Background> {
  const rank = ({ data }: TileSet): number => {
    const name = textOf(data['tileMatrixSetURI']) || textOf(data['tileMatrixSetId']) || selfOf(data);
    try {
      if (near && systemText(systemIn(data['crs'])) === systemText(near)) return 0;
    } catch {
      // Told by its set of scales only.
    }
    return knownSet(name) ? 1 : 2;
  };
  let failed: unknown = new HelkError(
    'service.invalid',
    'The service lists no tiles that are pictures of a map.',
    'address',
  );
  for (const s of [...sets].sort((a, b) => rank(a) - rank(b)))
    try {
      return await read(get, s, about);
    } catch (e) {
      failed = e;
    }
  throw failed instanceof Error ? failed : new Error(String(failed));
}

const selfOf = (data: Record<string, unknown>): string => linkTo(linksOf(data), 'self')?.href ?? '';

async function read(
  get: Get,
  set: TileSet,
  about: { title: string; credit: string; typed: string },
): Promise<Background> {
  let { data, at } = set;
  if (!tileLink(linksOf(data))) {
    const self = linkTo(linksOf(data), 'self');
    if (!self) throw new HelkError('service.invalid', 'A set of tiles does not say where it is described.', 'address');
    const more = await getJson(get, follow(self.href, at, 'a set of tiles'));
    data = { ...data, ...more.data };
    at = more.answer.url;
  }
  const link = tileLink(linksOf(data));
  if (!link)
    throw new HelkError(
      'service.invalid',
      'A set of tiles does not say how a tile is asked for, or has no pictures.',
      'address',
    );
  const m = await matricesOf(get, data, at);
  const plain = decodeURI(follow(link.href, at, 'its tiles'))
    .replace('{tileMatrix}', '{z}')
    .replace('{tileRow}', m.fromBottom ? '{-y}' : '{y}')
    .replace('{tileCol}', '{x}')
    .replace('{tileMatrixSetId}', encodeURIComponent(textOf(data['tileMatrixSetId'])));
  return {
    format: 'helk-background',
    version: 1,
    name: textOf(data['title'], 200) || about.title || new URL(at).host,
    credit: textOf(data['attribution'], 500) || about.credit,
    address: about.typed,
    service: 'tiles',
    tile: plain,
    crs: m.crs,
    extent: extentIn(data, m.crs),
    levels: held(data, m),
  };
}

async function matricesOf(get: Get, data: Record<string, unknown>, at: string): Promise<Matrices> {
  const known = knownSet(textOf(data['tileMatrixSetURI'])) ?? knownSet(textOf(data['tileMatrixSetId']));
  if (known) return known;
  const link = linkTo(linksOf(data), 'tiling-scheme');
  const within = data['tileMatrixSetDefinition'];
  if (within && typeof within === 'object') return matrixSet(within as Record<string, unknown>);
  if (!link) throw new HelkError('service.invalid', 'A set of tiles does not say in which scales it comes.', 'address');
  return knownSet(link.href) ?? matrixSet((await getJson(get, follow(link.href, at, 'the scales of its tiles'))).data);
}

/** Only the levels that it says it has. */
function held(data: Record<string, unknown>, m: Matrices): Background['levels'] {
  const limits = Array.isArray(data['tileMatrixSetLimits'])
    ? (data['tileMatrixSetLimits'] as Record<string, unknown>[])
    : [];
  const names = new Set(limits.map((l) => String(l['tileMatrix'])));
  const some = names.size ? m.levels.filter((l) => names.has(l.name)) : m.levels;
  return some.length ? some : m.levels;
}

function extentIn(data: Record<string, unknown>, crs: Crs): Extent | null {
  const box = data['boundingBox'] as { lowerLeft?: number[]; upperRight?: number[]; crs?: unknown } | undefined;
  const v = [...(box?.lowerLeft ?? []), ...(box?.upperRight ?? [])].map(Number);
  if (v.length !== 4 || !v.every(Number.isFinite)) return null;
  try {
    const of = box?.crs ? systemIn(box.crs) : wgs84();
    const swapped = of.geographic && box?.crs && !/CRS:?\/?84/i.test(JSON.stringify(box.crs));
    const e: Extent = swapped ? [v[1]!, v[0]!, v[3]!, v[2]!] : [v[0]!, v[1]!, v[2]!, v[3]!];
    return transformExtent(e, of, crs);
  } catch {
    return null;
  }
}

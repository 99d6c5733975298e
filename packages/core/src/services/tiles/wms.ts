import { DOMParser, type Element } from '@xmldom/xmldom';
import { HelkError } from '../../errors';
import { parseCrs, transformExtent } from '../../data/crs';
import { wgs84, type Crs, type Extent } from '../../data/crs-record';
import type { Background, TileLevel } from '../../render/background';
import type { Get } from '../get';

/** Pixels of a part that is asked for. */
const TILE = 512;
const LEVELS = 24;
const MOST_LAYERS = 200;
/** What a map service is asked with, and what of its own is kept. */
const OURS = /^(service|request|version|layers|styles|format|transparent|width|height|crs|srs|bbox|exceptions)$/i;

const children = (e: Element, name: string): Element[] =>
  [...e.childNodes].filter((n): n is Element => n.nodeType === 1 && (n as Element).localName === name);
const words = (e: Element | undefined, name: string): string =>
  (e ? (children(e, name)[0]?.textContent ?? '') : '').trim().slice(0, 500);
const first = (e: Element | undefined, ...path: string[]): Element | undefined =>
  path.reduce<Element | undefined>((at, name) => (at ? children(at, name)[0] : undefined), e);

interface Layer {
  name: string;
  title: string;
  credit: string;
  systems: string[];
  /** Degrees. */
  box: Extent | null;
}

/** West, south, east and north of a layer in degrees. */
function boxOf(e: Element): Extent | null {
  const box = first(e, 'EX_GeographicBoundingBox');
  const old = first(e, 'LatLonBoundingBox');
  const v = box
    ? ['westBoundLongitude', 'southBoundLatitude', 'eastBoundLongitude', 'northBoundLatitude'].map((n) =>
        Number(words(box, n)),
      )
    : old
      ? ['minx', 'miny', 'maxx', 'maxy'].map((n) => Number(old.getAttribute(n)))
      : [];
  return v.length === 4 && v.every(Number.isFinite) && v[2]! > v[0]! && v[3]! > v[1]! ? (v as Extent) : null;
}

/** Layers that can be drawn; what one does not say is what the one above it says. */
function layersOf(e: Element, above: Omit<Layer, 'name' | 'title'>, out: Layer[]): void {
  const own = [...children(e, 'CRS'), ...children(e, 'SRS')].flatMap((c) => (c.textContent ?? '').trim().split(/\s+/));
  const held = {
    credit: words(first(e, 'Attribution'), 'Title') || above.credit,
    systems: [...new Set([...above.systems, ...own])],
    box: boxOf(e) ?? above.box,
  };
  const name = words(e, 'Name');
  if (name && out.length < MOST_LAYERS) out.push({ name, title: words(e, 'Title') || name, ...held });
  for (const c of children(e, 'Layer')) layersOf(c, held, out);
}

/** A system of a layer in which corners can be told without doubt about the order of axes. */
function systemFor(
  l: Layer,
  version: string,
  near: Crs | null,
): { asked: string; crs: Crs; northFirst: boolean } | null {
  const offered = new Map(l.systems.map((s) => [s.toUpperCase(), s]));
  const old = version.startsWith('1.1') || version.startsWith('1.0');
  // East first in the EPSG dataset: UTM on WGS 84, and the web's.
  const sure = (code: string): boolean => old || /^EPSG:(32[67]\d\d|3857)$/.test(code);
  for (const code of [near?.code, 'EPSG:3857', 'EPSG:900913'])
    if (code && offered.has(code) && sure(code.replace('900913', '3857')))
      return { asked: offered.get(code)!, crs: parseCrs(code.replace('900913', '3857')), northFirst: false };
  if (offered.has('CRS:84')) return { asked: 'CRS:84', crs: wgs84(), northFirst: false };
  if (offered.has('EPSG:4326')) return { asked: 'EPSG:4326', crs: wgs84(), northFirst: !old };
  for (const [code, asked] of offered)
    if (sure(code))
      try {
        return { asked, crs: parseCrs(code), northFirst: false };
      } catch {
        // One that Helk does not know.
      }
  return null;
}

/** Scales by halves over an extent. */
function scalesOver(e: Extent): TileLevel[] {
  const across = Math.max(e[2] - e[0], e[3] - e[1]);
  return Array.from({ length: LEVELS }, (_, k) => {
    const resolution = across / TILE / 2 ** k;
    const tiles = (length: number): number => Math.max(1, Math.ceil(length / resolution / TILE - 1e-9));
    return {
      name: String(k),
      resolution,
      x: e[0],
      y: e[3],
      width: TILE,
      height: TILE,
      columns: tiles(e[2] - e[0]),
      rows: tiles(e[3] - e[1]),
    };
  });
}

export const isCapabilities = (text: string): boolean =>
  /<(\w+:)?(WMS_Capabilities|WMT_MS_Capabilities)[\s>]/.test(text.slice(0, 4000));

/** The address at which a map service tells what it holds. */
export function capabilitiesAddress(url: URL): string {
  const u = new URL(url);
  for (const name of [...u.searchParams.keys()]) if (OURS.test(name)) u.searchParams.delete(name);
  u.searchParams.set('SERVICE', 'WMS');
  u.searchParams.set('REQUEST', 'GetCapabilities');
  return u.href;
}

/**
 * What a Web Map Service holds, a background for each layer, or for the ones that the address names.
 *
 * @throws HelkError `service.invalid`
 * Standards: OGC 06-042 (1.3.0) and OGC 01-068r3 (1.1.1).
 */
export async function openWms(get: Get, url: URL, near: Crs | null, typed: string): Promise<Background[]> {
  const { text } = await get(capabilitiesAddress(url), 'text/xml, application/xml');
  const root = parsed(text);
  if (!root || !isCapabilities(text))
    throw new HelkError('service.invalid', `${url.host} does not describe itself as a map service (WMS).`, 'address');
  const version = root.getAttribute('version') ?? '1.3.0';
  const capability = first(root, 'Capability');
  const formats = children(first(capability, 'Request', 'GetMap') ?? root, 'Format').map((f) =>
    (f.textContent ?? '').trim(),
  );
  const format = ['image/png', 'image/png; mode=8bit', 'image/jpeg'].find((f) => formats.includes(f)) ?? 'image/png';
  const service = first(root, 'Service');
  const all: Layer[] = [];
  for (const l of capability ? children(capability, 'Layer') : [])
    layersOf(l, { credit: '', systems: [], box: null }, all);
  const named = [...url.searchParams].find(([k]) => /^layers$/i.test(k))?.[1];
  const layers = named ? all.filter((l) => named.split(',').includes(l.name)) : all;
  const out = layers.flatMap((l): Background[] => {
    const s = systemFor(l, version, near);
    if (!s) return [];
    const world: Extent = s.crs.geographic ? [-180, -90, 180, 90] : [-180, -85.05, 180, 85.05];
    const box = l.box ?? world;
    const within: Extent = [
      Math.max(box[0], world[0]),
      Math.max(box[1], world[1]),
      Math.min(box[2], world[2]),
      Math.min(box[3], world[3]),
    ];
    const extent = transformExtent(within, wgs84(), s.crs);
    const u = new URL(url);
    for (const name of [...u.searchParams.keys()]) if (OURS.test(name)) u.searchParams.delete(name);
    const ask: Record<string, string> = {
      SERVICE: 'WMS',
      REQUEST: 'GetMap',
      VERSION: version,
      LAYERS: l.name,
      STYLES: '',
      FORMAT: format,
      TRANSPARENT: format.includes('png') ? 'TRUE' : 'FALSE',
      WIDTH: String(TILE),
      HEIGHT: String(TILE),
      [version.startsWith('1.3') ? 'CRS' : 'SRS']: s.asked,
    };
    for (const [k, v] of Object.entries(ask)) u.searchParams.set(k, v);
    return [
      {
        format: 'helk-background',
        version: 1,
        name: l.title.slice(0, 200),
        credit: l.credit || words(service, 'Title'),
        address: typed,
        service: 'wms',
        tile: `${u.href}&BBOX=${s.northFirst ? '{boxYX}' : '{box}'}`,
        crs: s.crs,
        extent,
        levels: scalesOver(extent),
      },
    ];
  });
  if (!out.length)
    throw new HelkError(
      'service.invalid',
      named
        ? `${url.host} has no layer "${named.slice(0, 100)}" that Helk can draw.`
        : `${url.host} has no layer in a system that Helk can ask for.`,
      'address',
    );
  return out;
}

function parsed(text: string): Element | null {
  try {
    let wrong = false;
    const tree = new DOMParser({ onError: (level) => (wrong ||= level !== 'warning') }).parseFromString(
      text,
      'text/xml',
    );
    return wrong ? null : tree.documentElement;
  } catch {
    return null;
  }
}

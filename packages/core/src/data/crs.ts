import proj4 from 'proj4';
import { HelkError } from '../errors';
import { sameCrs, wgs84, type Crs, type Extent } from './crs-record';

export * from './crs-record';

/** One line of the catalogue: code, name, area, west, south, east, north, proj4, caution. */
export type CrsEntry = [number, string, string, number, number, number, number, string, string?];

let catalogue = new Map<number, CrsEntry>();
/** By plain name, made when first asked for; null where several systems share it. */
let byName: Map<string, CrsEntry | null> | null = null;

/** Makes the EPSG list known; called once by every surface that has it (server, command line, tests). */
export function useCrsCatalogue(entries: readonly CrsEntry[]): void {
  catalogue = new Map(entries.map((e) => [e[0], e]));
  byName = null;
}

/** Letters of the longest definition that is looked at; the longest of the standards has a tenth of them. */
export const LONGEST_TEXT = 16_384;

/** The CRS of a PROJ definition; `code` and `name` are taken as given. */
export function crsFromProj4(definition: string, name: string, code: string | null = null): Crs {
  const file = /\+(nadgrids|geoidgrids|init|wktext_file|grids)=(\S+)/.exec(definition);
  if (definition.length > LONGEST_TEXT || (file && !/^@?null$/.test(file[2]!)))
    throw new HelkError(
      'crs.unknown',
      file
        ? `The definition asks for a file (${file[0].slice(0, 60)}), and none is read; give the shift as +towgs84, or an EPSG code.`
        : 'The definition is too long to be one.',
      'crs',
    );
  const geographic = /\+proj=(longlat|latlong)\b/.test(definition);
  const unit = geographic
    ? '°'
    : /\+units=us-ft\b/.test(definition)
      ? 'us-ft'
      : /\+units=ft\b/.test(definition)
        ? 'ft'
        : 'm';
  try {
    proj4(wgs84().proj4, definition);
  } catch {
    throw new HelkError(
      'crs.unknown',
      `The definition "${definition.slice(0, 80)}" is not one that can be used.`,
      'crs',
    );
  }
  return { code, name, proj4: definition, geographic, unit };
}

/** UTM zones on WGS 84 need no catalogue. */
function utm(zone: number, south: boolean): Crs {
  return {
    code: `EPSG:${(south ? 32700 : 32600) + zone}`,
    name: `WGS 84 / UTM zone ${zone}${south ? 'S' : 'N'}`,
    proj4: `+proj=utm +zone=${zone}${south ? ' +south' : ''} +datum=wgs84() +units=m +no_defs`,
    geographic: false,
    unit: 'm',
  };
}

/**
 * The CRS meant by `EPSG:32627`, `32627`, `urn:ogc:def:crs:EPSG::32627`, `CRS84` or a `+proj=…` definition.
 *
 * @throws HelkError `crs.unknown`, with what to write instead.
 */
export function parseCrs(text: string, path: string | null = 'crs'): Crs {
  const t = text.trim();
  if (/^\+proj=/.test(t)) return crsFromProj4(t, t.slice(0, 60));
  if (/CRS:?84h?$/i.test(t)) return wgs84();
  const m =
    /^(?:EPSG:|urn:ogc:def:crs:EPSG:[\d.]*:|https?:\/\/www\.opengis\.net\/def\/crs\/EPSG\/[\d.]+\/)?(\d{4,6})$/i.exec(
      t,
    );
  if (!m) {
    throw new HelkError(
      'crs.unknown',
      `"${text.slice(0, 80)}" is not a coordinate reference system; write its EPSG code, like EPSG:32627.`,
      path,
    );
  }
  return crsOfCode(Number(m[1]), path);
}

export function crsOfCode(code: number, path: string | null = 'crs'): Crs {
  if (code === 4326) return wgs84();
  if (code > 32600 && code <= 32660) return utm(code - 32600, false);
  if (code > 32700 && code <= 32760) return utm(code - 32700, true);
  const e = catalogue.get(code);
  if (!e)
    throw new HelkError(
      'crs.unknown',
      `EPSG:${code} is not in the list of coordinate reference systems Helk knows.`,
      path,
    );
  return ofEntry(e);
}

function ofEntry(e: CrsEntry): Crs {
  const crs = crsFromProj4(e[7], e[1], `EPSG:${e[0]}`);
  if (e[8]) crs.caution = e[8];
  return crs;
}

/** Letters and digits of a name, spelled alike whoever wrote it: `WGS_1984_UTM_Zone_27N` and `WGS 84 / UTM zone 27N`. */
const plainName = (name: string): string =>
  name
    .toLowerCase()
    .replace(/^gcs_/, '')
    .replace(/\b(wgs|nad|etrs|ed)[_ ]?19(\d\d)/g, '$1$2')
    .replace(/_/g, ' ')
    .replace(/\bwgs 19/g, 'wgs ')
    .replace(/north american (datum )?19/g, 'nad')
    .replace(/[^a-z0-9]/g, '');

/** The one system of that name, however its words are joined; undefined when there is none or several. */
export function crsByName(name: string): Crs | undefined {
  const wanted = plainName(name);
  if (!wanted) return undefined;
  const zone = /^wgs84utmzone(\d{1,2})([ns])$/.exec(wanted);
  if (zone && Number(zone[1]) >= 1 && Number(zone[1]) <= 60) return utm(Number(zone[1]), zone[2] === 's');
  if (!byName) {
    byName = new Map();
    // Names that several systems share tell nothing.
    for (const e of catalogue.values()) {
      const n = plainName(e[1]);
      byName.set(n, byName.has(n) ? null : e);
    }
  }
  const found = byName.get(wanted);
  return found ? ofEntry(found) : undefined;
}

export interface CrsHit {
  code: string;
  name: string;
  area: string;
  geographic: boolean;
  unit: string;
  /** Set when the place asked about lies inside its area of use. */
  covers: boolean;
}

/**
 * Systems whose code begins with, or whose name or area contain, every word of `query`; those that cover `place`
 * (longitude, latitude) first, smaller areas of use before larger ones.
 */
export function searchCrs(query: string, place: [number, number] | null, most = 30): CrsHit[] {
  const words = query.toLowerCase().replace('epsg:', '').split(/\s+/).filter(Boolean);
  const found: { e: CrsEntry; covers: boolean; exact: boolean; named: number; usual: boolean; size: number }[] = [];
  for (const e of catalogue.values()) {
    const hay = `${e[1]} ${e[2]}`.toLowerCase();
    const code = String(e[0]);
    if (!words.every((w) => code.startsWith(w) || hay.includes(w))) continue;
    const covers = place !== null && contains(e, place);
    if (words.length === 0 && !covers) continue;
    const width = e[5] >= e[3] ? e[5] - e[3] : e[5] + 360 - e[3];
    found.push({
      e,
      covers,
      exact: words.includes(code),
      named: nearness(words, e[1].toLowerCase()),
      usual: isUsual(e[0]),
      size: width * (e[6] - e[4]),
    });
  }
  found.sort(
    (a, b) =>
      Number(b.exact) - Number(a.exact) ||
      b.named - a.named ||
      Number(b.covers) - Number(a.covers) ||
      Number(b.usual) - Number(a.usual) ||
      (a.usual && b.usual ? a.e[0] - b.e[0] : 0) ||
      a.size - b.size ||
      a.e[0] - b.e[0],
  );
  return found.slice(0, most).map(({ e, covers }) => {
    const c = /\+proj=(longlat|latlong)\b/.test(e[7]);
    const unit = c ? '°' : /us-ft/.test(e[7]) ? 'us-ft' : /\+units=ft/.test(e[7]) ? 'ft' : 'm';
    return { code: `EPSG:${e[0]}`, name: e[1], area: e[2], geographic: c, unit, covers };
  });
}

/** How well words name a system: 2 as words, or numbers of zones, of its name; 1 as parts of it; 0 not. */
function nearness(words: readonly string[], name: string): number {
  if (!words.every((w) => name.includes(w))) return 0;
  const parts = name.split(/[^a-z0-9.]+/);
  return words.every((w) => parts.some((p) => p === w || (/^\d+$/.test(w) && p.replace(/[ns]$/, '') === w))) ? 2 : 1;
}

/** Systems that most people mean: WGS 84, its UTM zones (north before south by their codes), the web's. */
const isUsual = (code: number): boolean =>
  code === 4326 || code === 3857 || (code > 32600 && code <= 32660) || (code > 32700 && code <= 32760);

function contains(e: CrsEntry, [lon, lat]: [number, number]): boolean {
  if (lat < e[4] || lat > e[6]) return false;
  return e[3] <= e[5] ? lon >= e[3] && lon <= e[5] : lon >= e[3] || lon <= e[5];
}

/** The UTM zone on WGS 84 for a place. The widened zones of Norway and Svalbard are left to the analyst. */
export function suggestUtm(lon: number, lat: number): Crs {
  const zone = Math.min(60, Math.max(1, Math.floor((lon + 180) / 6) + 1));
  return utm(zone, lat < 0);
}

export type Transform = (x: number, y: number, out: Float64Array | number[]) => void;

/**
 * A function that takes one coordinate pair from one CRS to another and writes it to `out[0]`, `out[1]`; NaN where the
 * target cannot express the place. About a million pairs a second.
 */
export function transformer(from: Crs, to: Crs): Transform {
  if (sameCrs(from, to)) {
    return (x, y, out) => {
      out[0] = x;
      out[1] = y;
    };
  }
  const p = proj4(from.proj4, to.proj4);
  const pair = [0, 0];
  return (x, y, out) => {
    // proj4 clamps or throws on latitudes beyond the poles; such a place is simply not expressible.
    if (!Number.isFinite(x) || !Number.isFinite(y) || (from.geographic && (y > 90 || y < -90))) {
      out[0] = NaN;
      out[1] = NaN;
      return;
    }
    pair[0] = x;
    pair[1] = y;
    try {
      const r = p.forward(pair);
      out[0] = r[0]!;
      out[1] = r[1]!;
    } catch {
      out[0] = NaN;
      out[1] = NaN;
    }
  };
}

/**
 * The extent in another CRS that holds the given one, from points along its edge and inside, since edges curve.
 *
 * @throws HelkError `crs.outside` when no point of it can be expressed.
 */
export function transformExtent(e: Extent, from: Crs, to: Crs, steps = 20): Extent {
  if (sameCrs(from, to)) return [...e];
  const t = transformer(from, to);
  const out = [0, 0];
  const r: Extent = [Infinity, Infinity, -Infinity, -Infinity];
  for (let j = 0; j <= steps; j++) {
    for (let i = 0; i <= steps; i++) {
      t(e[0] + ((e[2] - e[0]) * i) / steps, e[1] + ((e[3] - e[1]) * j) / steps, out);
      const [x, y] = out as [number, number];
      if (!Number.isFinite(x) || !Number.isFinite(y)) continue;
      if (x < r[0]) r[0] = x;
      if (y < r[1]) r[1] = y;
      if (x > r[2]) r[2] = x;
      if (y > r[3]) r[3] = y;
    }
  }
  if (!(r[2] >= r[0])) {
    throw new HelkError(
      'crs.outside',
      `The data lie where ${to.code ?? to.name} cannot express places; choose a system that covers them.`,
      'crs',
    );
  }
  return r;
}

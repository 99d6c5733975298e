import { HelkError } from '../../errors';
import { parseCrs } from '../../data/crs';
import { metresPerUnit, type Crs } from '../../data/crs-record';
import type { TileLevel } from '../../render/background';

/** Metres of a pixel that scale denominators are told by (OGC 17-083r4, 6.1). */
const PIXEL = 0.00028;
/** Metres to a degree at the equator of WGS 84, by which scale denominators of degrees are told. */
const METRES_PER_DEGREE = (Math.PI * 6378137) / 180;
const MOST_LEVELS = 40;

/** Scales of a picture in one system. */
export interface Matrices {
  crs: Crs;
  levels: TileLevel[];
  /** Rows are counted from the bottom. */
  fromBottom: boolean;
}

/** @param across units of the system over all of the first level, which is one row of so many tiles */
const halved = (x: number, y: number, across: number, tiles: number, levels: number): TileLevel[] =>
  Array.from({ length: levels }, (_, k) => ({
    name: String(k),
    resolution: across / tiles / 256 / 2 ** k,
    x,
    y,
    width: 256,
    height: 256,
    columns: tiles * 2 ** k,
    rows: 2 ** k,
  }));

const MERCATOR = Math.PI * 6378137;

/** The square of the world in Mercator's projection (OGC 17-083r4, annex D.1, WebMercatorQuad). */
export const mercatorQuad = (levels = 23): Matrices => ({
  crs: parseCrs('EPSG:3857'),
  levels: halved(-MERCATOR, MERCATOR, 2 * MERCATOR, 1, levels),
  fromBottom: false,
});

/** Degrees, two squares side by side (OGC 17-083r4, annex D.2, WorldCRS84Quad). */
const degreesQuad = (): Matrices => ({
  crs: parseCrs('CRS84'),
  levels: halved(-180, 90, 360, 2, 18),
  fromBottom: false,
});

/** The sets that everybody knows, by the end of their name. */
export function knownSet(name: string): Matrices | null {
  if (/WebMercatorQuad$/.test(name)) return mercatorQuad();
  if (/WorldCRS84Quad$/.test(name)) return degreesQuad();
  return null;
}

const numbers = (v: unknown): number[] => (Array.isArray(v) ? v.map(Number) : []);

/** The system of a document of tiles: a name, or an object with a name in it. */
export function systemIn(v: unknown): Crs {
  const o = v as { uri?: unknown; wkt?: unknown } | string | null;
  const text = typeof o === 'string' ? o : typeof o?.uri === 'string' ? o.uri : '';
  return parseCrs(text, 'address');
}

/**
 * A tile matrix set as a service describes it.
 *
 * @throws HelkError `service.invalid` where it is not whole, `crs.unknown` where its system is not one Helk knows
 * Standard: OGC 17-083r4, Two Dimensional Tile Matrix Set and Tile Set Metadata 2.0, clause 7.
 */
export function matrixSet(data: Record<string, unknown>): Matrices {
  const crs = systemIn(data['crs']);
  const axes = Array.isArray(data['orderedAxes']) ? String((data['orderedAxes'] as unknown[])[0] ?? '') : '';
  const named = typeof data['crs'] === 'string' ? data['crs'] : JSON.stringify(data['crs']);
  // Where nothing is said, axes stand in the order of the system itself: latitude first for EPSG's degrees, not for CRS84.
  const northFirst = axes ? /^(lat|n|y$)/i.test(axes) : crs.geographic && !/CRS:?\/?84/i.test(named);
  const perUnit = crs.geographic ? METRES_PER_DEGREE : metresPerUnit(crs);
  let fromBottom = false;
  const all = Array.isArray(data['tileMatrices']) ? (data['tileMatrices'] as Record<string, unknown>[]) : [];
  const levels = all.slice(0, MOST_LEVELS).map((m): TileLevel => {
    const [a, b] = numbers(m['pointOfOrigin']);
    const [x, y] = northFirst ? [b, a] : [a, b];
    const resolution = Number(m['cellSize'] ?? (Number(m['scaleDenominator']) * PIXEL) / perUnit);
    const [width, height] = [Number(m['tileWidth']), Number(m['tileHeight'])];
    const [columns, rows] = [Number(m['matrixWidth']), Number(m['matrixHeight'])];
    if (![x, y, resolution, width, height, columns, rows].every(Number.isFinite) || !(resolution > 0))
      throw new HelkError('service.invalid', `A scale of its tiles ("${String(m['id'])}") is not whole.`, 'address');
    if (Array.isArray(m['variableMatrixWidths']) && m['variableMatrixWidths'].length)
      throw new HelkError(
        'service.invalid',
        'Its tiles grow wider towards the poles, which Helk does not draw.',
        'address',
      );
    const bottom = m['cornerOfOrigin'] === 'bottomLeft';
    fromBottom ||= bottom;
    return {
      name: String(m['id']),
      resolution,
      x: x!,
      y: bottom ? y! + rows * height * resolution : y!,
      width,
      height,
      columns,
      rows,
    };
  });
  if (!levels.length) throw new HelkError('service.invalid', 'It describes tiles of no scale at all.', 'address');
  return { crs, levels: levels.sort((a, b) => b.resolution - a.resolution), fromBottom };
}

import { readFile, rename, rm, stat, mkdir } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { PNG } from 'pngjs';
import { HelkError, parseCrs, transformExtent, transformer, type Extent } from '@helk/core';
import { matrixSet, mercatorQuad, type Matrices } from '@helk/core/services/tiles/matrix-sets';
import { MAP_FRAME, PORTAL_MAP } from '../samples';
import type { WorkerPool } from '../work/pool';
import { CRS84, link } from './answers';

/** The survey office's map of the island as tiles: OGC API - Tiles Part 1 (OGC 20-057), OGC 17-083r4. */

const UTM_SET = 'SurveyOfficeUTM27';
const TMS = 'http://www.opengis.net/def/tilematrixset/OGC/1.0/WebMercatorQuad';
const REL = 'http://www.opengis.net/def/rel/ogc/1.0';
const UTM27 = 'http://www.opengis.net/def/crs/EPSG/0/32627';
export const MAP_TITLE = 'Map of the island';
export const MAP_CREDIT = 'Survey office of Veyra (stand-in)';

/** The scales of the office's own system: metres to a pixel from the corner of the zone's square. */
const UTM_DOCUMENT = {
  id: UTM_SET,
  title: 'Scales of the survey office',
  crs: UTM27,
  orderedAxes: ['E', 'N'],
  tileMatrices: [320, 160, 80, 40, 20, 10, 5].map((cellSize, k) => ({
    id: String(k),
    cellSize,
    scaleDenominator: cellSize / 0.00028,
    cornerOfOrigin: 'topLeft',
    pointOfOrigin: [500000, 6480000],
    tileWidth: 256,
    tileHeight: 256,
    matrixWidth: Math.ceil(81920 / cellSize / 256),
    matrixHeight: Math.ceil(81920 / cellSize / 256),
  })),
};

interface TileSets {
  matrices: Matrices;
  crs: string;
  uri: string | null;
  /** First and last level that there is something of. */
  levels: [number, number];
}

let known: Record<string, TileSets> | null = null;
/** By name; made when first asked for, as systems are known only then. */
const sets = (): Record<string, TileSets> =>
  (known ??= {
    [UTM_SET]: { matrices: matrixSet(UTM_DOCUMENT), crs: UTM27, uri: null, levels: [0, 6] },
    WebMercatorQuad: {
      matrices: mercatorQuad(16),
      crs: 'http://www.opengis.net/def/crs/EPSG/0/3857',
      uri: TMS,
      levels: [5, 15],
    },
  });

export const setsOfScales = (b: string): object => ({
  tileMatrixSets: Object.entries(sets()).map(([id, s]) => ({
    id,
    ...(s.uri ? { uri: s.uri } : {}),
    links: [link('self', `${b}/tileMatrixSets/${id}`, id)],
  })),
});

export function setOfScales(id: string): object {
  if (id === UTM_SET) return UTM_DOCUMENT;
  const s = sets()[id];
  if (!s) throw new HelkError('dataset.unknown', `There is no set of scales "${id.slice(0, 60)}".`);
  return {
    id,
    uri: s.uri,
    crs: s.crs,
    orderedAxes: ['X', 'Y'],
    tileMatrices: s.matrices.levels.map((l) => ({
      id: l.name,
      cellSize: l.resolution,
      scaleDenominator: l.resolution / 0.00028,
      cornerOfOrigin: 'topLeft',
      pointOfOrigin: [l.x, l.y],
      tileWidth: l.width,
      tileHeight: l.height,
      matrixWidth: l.columns,
      matrixHeight: l.rows,
    })),
  };
}

/** Degrees that the picture covers. */
function frame(): Extent {
  const { x, y, width, height } = MAP_FRAME;
  return transformExtent([x, y - height, x + width, y], parseCrs('EPSG:32627'), parseCrs('EPSG:4326'));
}

const tileSet = (b: string, id: string): object => {
  const s = sets()[id]!;
  const [w, so, e, n] = frame();
  return {
    title: MAP_TITLE,
    attribution: MAP_CREDIT,
    dataType: 'map',
    crs: s.crs,
    tileMatrixSetId: id,
    ...(s.uri ? { tileMatrixSetURI: s.uri } : {}),
    boundingBox: { lowerLeft: [w, so], upperRight: [e, n], crs: CRS84 },
    links: [
      link('self', `${b}/map/tiles/${id}`, 'These tiles'),
      link(`${REL}/tiling-scheme`, `${b}/tileMatrixSets/${id}`, 'Their scales'),
      {
        rel: 'item',
        type: 'image/png',
        templated: true,
        href: `${b}/map/tiles/${id}/{tileMatrix}/{tileRow}/{tileCol}`,
        title: 'A tile',
      },
    ],
  };
};

export const tileSets = (b: string): object => ({
  title: MAP_TITLE,
  links: [link('self', `${b}/map/tiles`, MAP_TITLE)],
  tilesets: Object.keys(sets()).map((id) => tileSet(b, id)),
});

export function oneTileSet(b: string, id: string): object {
  const s = sets()[id];
  if (!s) throw new HelkError('dataset.unknown', `There are no tiles "${id.slice(0, 60)}".`);
  const levels = s.matrices.levels.slice(s.levels[0], s.levels[1] + 1);
  return {
    ...tileSet(b, id),
    tileMatrixSetLimits: levels.map((l) => ({
      tileMatrix: l.name,
      minTileRow: 0,
      maxTileRow: l.rows - 1,
      minTileCol: 0,
      maxTileCol: l.columns - 1,
    })),
  };
}

interface Picture {
  width: number;
  height: number;
  data: Uint8Array;
}

/** Tiles cut from the picture of the island, which a worker draws when first asked for. */
export class MapTiles {
  private pictures: Promise<Picture[]> | null = null;
  private readonly made = new Map<string, Buffer>();

  constructor(
    private readonly dataDir: string,
    private readonly pool: WorkerPool,
  ) {}

  /** A tile as PNG. @throws HelkError `dataset.unknown` where there is none */
  async tile(set: string, level: string, row: number, column: number): Promise<Buffer> {
    const s = sets()[set];
    const k = s?.matrices.levels.findIndex((l) => l.name === level) ?? -1;
    const l = s?.matrices.levels[k];
    if (
      !s ||
      !l ||
      k < s.levels[0] ||
      k > s.levels[1] ||
      !(row >= 0 && row < l.rows && column >= 0 && column < l.columns)
    )
      throw new HelkError('dataset.unknown', 'There is no such tile.');
    const key = `${set} ${level} ${row} ${column}`;
    const kept = this.made.get(key);
    if (kept) return kept;
    this.pictures ??= this.load();
    this.pictures.catch(() => (this.pictures = null));
    const size = l.width * l.resolution;
    const png = drawn(await this.pictures, s.matrices, l.x + column * size, l.y - row * size, l.resolution, l.width);
    this.made.set(key, png);
    if (this.made.size > 400) this.made.delete(this.made.keys().next().value!);
    return png;
  }

  /** The picture, then halves of it. */
  private async load(): Promise<Picture[]> {
    const file = join(this.dataDir, 'samples', 'portal-map-1.png');
    if (!(await stat(file).catch(() => null))) {
      await mkdir(dirname(file), { recursive: true });
      await this.pool.result({ kind: 'sample', sample: PORTAL_MAP, target: `${file}.part` });
      await rename(`${file}.part`, file);
    }
    try {
      const { width, height, data } = PNG.sync.read(await readFile(file));
      const out: Picture[] = [{ width, height, data }];
      for (let k = 0; k < 5; k++) out.push(halfOf(out[k]!));
      return out;
    } catch {
      await rm(file, { force: true });
      throw new HelkError('file.damaged', 'The map of the stand-in portal cannot be read; ask again.');
    }
  }
}

/** Means of four, weighted by what is drawn there. */
function halfOf(p: Picture): Picture {
  const [width, height] = [p.width >> 1, p.height >> 1];
  const data = new Uint8Array(4 * width * height);
  for (let r = 0; r < height; r++)
    for (let c = 0; c < width; c++) {
      const sum = [0, 0, 0, 0];
      for (const k of [0, 1, p.width, p.width + 1]) {
        const at = 4 * (2 * r * p.width + 2 * c + k);
        const a = p.data[at + 3]!;
        for (let i = 0; i < 3; i++) sum[i]! += a * p.data[at + i]!;
        sum[3]! += a;
      }
      const to = 4 * (r * width + c);
      for (let i = 0; i < 3; i++) data[to + i] = sum[3] ? sum[i]! / sum[3] : 0;
      data[to + 3] = sum[3]! / 4;
    }
  return { width, height, data };
}

/** Places worked out exactly along a tile; between them they are so near to a straight line that no pixel shows it. */
const EXACT = 16;

function drawn(
  all: readonly Picture[],
  m: Matrices,
  west: number,
  north: number,
  resolution: number,
  side: number,
): Buffer {
  const to = transformer(m.crs, parseCrs('EPSG:32627'));
  const n = side / EXACT + 1;
  const at = new Float64Array(2 * n * n);
  const out = [0, 0];
  for (let j = 0; j < n; j++)
    for (let i = 0; i < n; i++) {
      to(west + i * EXACT * resolution, north - j * EXACT * resolution, out);
      at.set(out, 2 * (j * n + i));
    }
  const ground = Math.hypot(at[2 * (n - 1)]! - at[0]!, at[2 * (n - 1) + 1]! - at[1]!) / side;
  const level = Math.min(all.length - 1, Math.max(0, Math.round(Math.log2(ground / MAP_FRAME.cell))));
  const p = all[level]!;
  const cell = MAP_FRAME.cell * 2 ** level;
  const png = new PNG({ width: side, height: side });
  for (let r = 0; r < side; r++)
    for (let c = 0; c < side; c++) {
      const [i, j] = [Math.floor(c / EXACT), Math.floor(r / EXACT)];
      const [u, v] = [(c + 0.5) / EXACT - i, (r + 0.5) / EXACT - j];
      const k = 2 * (j * n + i);
      const mixed = (o: number): number =>
        (at[k + o]! * (1 - u) + at[k + 2 + o]! * u) * (1 - v) +
        (at[k + 2 * n + o]! * (1 - u) + at[k + 2 * n + 2 + o]! * u) * v;
      const [x, y] = [(mixed(0) - MAP_FRAME.x) / cell - 0.5, (MAP_FRAME.y - mixed(1)) / cell - 0.5];
      const [x0, y0] = [Math.floor(x), Math.floor(y)];
      if (!(x0 >= 0 && y0 >= 0 && x0 + 1 < p.width && y0 + 1 < p.height)) continue;
      const [fx, fy] = [x - x0, y - y0];
      const sum = [0, 0, 0, 0];
      for (const [di, dj] of [
        [0, 0],
        [1, 0],
        [0, 1],
        [1, 1],
      ] as const) {
        const from = 4 * ((y0 + dj) * p.width + x0 + di);
        const a = p.data[from + 3]! * (di ? fx : 1 - fx) * (dj ? fy : 1 - fy);
        for (let b = 0; b < 3; b++) sum[b]! += a * p.data[from + b]!;
        sum[3]! += a;
      }
      const into = 4 * (r * side + c);
      for (let b = 0; b < 3; b++) png.data[into + b] = sum[3] ? Math.round(sum[b]! / sum[3]) : 0;
      png.data[into + 3] = Math.round(sum[3]!);
    }
  return PNG.sync.write(png);
}

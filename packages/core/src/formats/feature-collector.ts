import { HelkError } from '../errors';
import type { Crs } from '../data/crs';
import { FeaturesBuilder, type GeometryType } from '../data/features';
import { ColumnCollector } from './columns';
import type { Layer, ReadOptions } from './reader';
import type { Note } from '../data/check';

/** A geometry and a feature of GeoJSON (RFC 7946), as other formats are brought to as well. */
export interface Geometry {
  type: string;
  coordinates?: unknown;
  geometries?: Geometry[];
}
export interface Feature {
  type: string;
  geometry: Geometry | null;
  properties: Record<string, unknown> | null;
}

export const GEOMETRY_KINDS = new Map<string, GeometryType>([
  ['Point', 'point'],
  ['MultiPoint', 'point'],
  ['LineString', 'line'],
  ['MultiLineString', 'line'],
  ['Polygon', 'polygon'],
  ['MultiPolygon', 'polygon'],
]);
const PLURAL: Record<GeometryType, string> = { point: 'points', line: 'lines', polygon: 'polygons' };

/** Geometries and columns of one kind while they come in. */
interface Kind {
  builder: FeaturesBuilder;
  columns: ColumnCollector;
}

/** GeoJSON features one after the other become one layer for each kind of geometry among them; what has none is counted and left out. */
export class FeatureCollector {
  private readonly kinds = new Map<GeometryType, Kind>();
  private seen = 0;
  private empty = 0;
  private firstEmpty = 0;
  private closed = 0;
  private coordinates = 0;

  /** @param name of the file, for messages */
  constructor(
    private readonly name: string,
    private readonly limits: Pick<ReadOptions, 'maxCells'>,
  ) {}

  add(f: Feature): void {
    this.seen++;
    if (!f || typeof f !== 'object' || f.type !== 'Feature')
      throw new HelkError('file.damaged', `"${this.name}": item ${this.seen} is not a feature.`, this.name);
    if (!f.geometry) {
      if (!this.empty++) this.firstEmpty = this.seen;
      return;
    }
    const kind = GEOMETRY_KINDS.get(f.geometry.type);
    if (!kind)
      throw new HelkError(
        'file.unsupported',
        `"${this.name}": the geometry of feature ${this.seen} is ${f.geometry.type === undefined ? 'of no kind' : `a ${String(f.geometry.type).slice(0, 40)}`}; points, lines and polygons are read.`,
        this.name,
      );
    let held = this.kinds.get(kind);
    if (!held) {
      held = {
        builder: new FeaturesBuilder(),
        columns: new ColumnCollector(this.name, this.limits.maxCells),
      };
      this.kinds.set(kind, held);
    }
    this.geometry(f.geometry, kind, held.builder);
    held.columns.add(f.properties ?? {});
  }

  /** @param base name of the layer, with the kind behind it when there are several */
  layers(crs: Crs | null, base: string, notes: Note[]): Layer[] {
    const { kinds, empty } = this;
    if (empty)
      notes.push({
        level: 'look',
        code: 'features.noGeometry',
        message: `${empty} of ${this.seen} features have no geometry (the first is number ${this.firstEmpty}); they were left out.`,
      });
    if (kinds.size === 0)
      throw new HelkError('file.content', `"${this.name}" holds no feature with a geometry.`, this.name);
    if (this.closed)
      notes.push({
        level: 'look',
        code: 'features.openRings',
        message: `${this.closed} polygon ring${this.closed === 1 ? ' was' : 's were'} open and closed on reading.`,
      });
    const layers = [...kinds].map(([kind, { builder, columns }]) => ({
      name: kinds.size > 1 ? `${base} ${PLURAL[kind]}` : base,
      data: builder.build(kind, crs, columns.columns()),
      notes,
    }));
    if (kinds.size > 1)
      notes.push({
        level: 'info',
        code: 'features.mixed',
        message: `The file mixes ${[...kinds.keys()].map((k) => PLURAL[k]).join(' and ')}; each became a dataset of its own.`,
      });
    return layers;
  }

  private geometry(g: Geometry, kind: GeometryType, b: FeaturesBuilder): void {
    const multi = g.type.startsWith('Multi');
    for (const part of multi ? this.array(g.coordinates, g) : [g.coordinates]) {
      if (kind === 'point') {
        this.point(part, g, b);
        b.endRing();
      } else if (kind === 'line') this.ring(part, false, g, b);
      else for (const r of this.array(part, g)) this.ring(r, true, g, b);
      b.endPart();
    }
    b.endFeature();
  }

  private ring(r: unknown, close: boolean, g: Geometry, b: FeaturesBuilder): void {
    const pts = this.array(r, g);
    if (pts.length < (close ? 3 : 2)) this.bad(g);
    for (const p of pts) this.point(p, g, b);
    const [a, z] = [pts[0] as number[], pts[pts.length - 1] as number[]];
    if (close && (a[0] !== z[0] || a[1] !== z[1])) {
      this.point(a, g, b);
      this.closed++;
    }
    b.endRing();
  }

  private point(p: unknown, g: Geometry, b: FeaturesBuilder): void {
    if (!Array.isArray(p) || !Number.isFinite(p[0]) || !Number.isFinite(p[1])) return this.bad(g);
    b.coordinate(p[0] as number, p[1] as number, Number.isFinite(p[2]) ? (p[2] as number) : undefined);
    if (++this.coordinates > this.limits.maxCells)
      throw new HelkError('file.tooLarge', `"${this.name}" holds more corners than are taken in.`, this.name);
  }

  private array(v: unknown, g: Geometry): unknown[] {
    return Array.isArray(v) ? v : this.bad(g);
  }

  private bad(g: Geometry): never {
    throw new HelkError(
      'file.damaged',
      `"${this.name}": the coordinates of feature ${this.seen} are not numbers in the shape of a ${g.type}.`,
      this.name,
    );
  }
}

/** Layers of features that are all at hand. */
export function layersOf(
  features: Iterable<Feature>,
  crs: Crs | null,
  name: string,
  base: string,
  notes: Note[],
  limits: Pick<ReadOptions, 'maxCells'>,
): Layer[] {
  const c = new FeatureCollector(name, limits);
  for (const f of features) c.add(f);
  return c.layers(crs, base, notes);
}

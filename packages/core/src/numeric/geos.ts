import { HelkError } from '../errors';
import type { Features, FeaturesBuilder, GeometryType } from '../data/features';
import { readWkb, wkbSize, writeWkb } from '../data/wkb';

type Library = Awaited<ReturnType<typeof import('geos-wasm').default>>;
/** A geometry inside the library; 0 is none. Whoever makes one frees it. */
export type Shape = number;

let loader: (() => Promise<Library>) | null = null;
let ready: Promise<Geos> | null = null;

/** Brings the topology library (GEOS); loaded when the first method asks for it. */
export function useGeos(load: (onError: (message: string) => void) => Promise<Library>): void {
  loader = () => load((m) => void problems.push(m));
  ready = null;
}

const problems: string[] = [];

/** The topology library. @throws HelkError `method.unsupported` where there is none. */
export function geos(): Promise<Geos> {
  if (!loader) throw new HelkError('method.refused', 'Overlay and buffers are not computed here.');
  return (ready ??= loader().then((g) => new Geos(g)));
}

/**
 * Robust operations on geometries (GEOS, OverlayNG; Davis 2020). Shapes are pointers: make, use, `free`. Operations return a new shape and
 * throw with the library's own words when they fail.
 */
export class Geos {
  private scratch = 0;
  private room = 0;
  private readonly number: number;
  private readonly live = new Set<Shape>();

  constructor(private readonly g: Library) {
    this.number = g.Module._malloc(16);
  }

  private made(shape: Shape, what: string): Shape {
    if (shape) {
      this.live.add(shape);
      return shape;
    }
    const why = problems.splice(0).pop() ?? 'no reason given';
    throw new HelkError('method.geometry', `The ${what} of a geometry failed: ${why}. Repair the features first.`);
  }

  free(...shapes: Shape[]): void {
    for (const s of shapes) if (this.live.delete(s)) this.g.GEOSGeom_destroy(s);
  }

  /** Everything that is still there, after a run or its failure. */
  freeAll(): void {
    this.free(...this.live);
  }

  /** A feature as a shape, heights left out. */
  shape(f: Features, i: number): Shape {
    const size = wkbSize(f, i);
    if (size > this.room) {
      if (this.scratch) this.g.Module._free(this.scratch);
      this.room = 2 * size;
      this.scratch = this.g.Module._malloc(this.room);
    }
    const heap = this.g.Module.HEAPU8;
    const n = writeWkb(f, i, new DataView(heap.buffer, heap.byteOffset), this.scratch);
    return this.made(this.g.GEOSGeomFromWKB_buf(this.scratch, n), 'reading');
  }

  /** Hands the parts of a shape that are of a kind to a builder; the feature is not ended. Says whether there was any. */
  append(s: Shape, kind: GeometryType, b: FeaturesBuilder): boolean {
    const p = this.g.GEOSGeomToWKB_buf(s, this.number);
    if (!p) return false;
    const n = this.g.Module.getValue(this.number, 'i32');
    const heap = this.g.Module.HEAPU8;
    const found = readWkb(new DataView(heap.buffer, heap.byteOffset + p, n), 0, kind, b);
    this.g.GEOSFree(p);
    return found.kinds.has(kind);
  }

  intersection = (a: Shape, b: Shape): Shape => this.made(this.g.GEOSIntersection(a, b), 'intersection');
  difference = (a: Shape, b: Shape): Shape => this.made(this.g.GEOSDifference(a, b), 'difference');
  union = (a: Shape, b: Shape): Shape => this.made(this.g.GEOSUnion(a, b), 'union');
  /** A step of coordinates far below what they are known to, of which their numbers still hold all: 1e-7 m in UTM, 1e-11 degrees. */
  private grid(of: Shape): number {
    const most = [
      this.g.GEOSGeom_getXMin,
      this.g.GEOSGeom_getXMax,
      this.g.GEOSGeom_getYMin,
      this.g.GEOSGeom_getYMax,
    ].map((f) => (f(of, this.number) ? Math.abs(this.g.Module.getValue(this.number, 'double')) : 0));
    return 10 ** (Math.floor(Math.log10(Math.max(1e-6, ...most))) - 13);
  }

  /** All of several together; they are taken over and freed. */
  unionAll(shapes: Shape[]): Shape {
    const c = this.collect(shapes);
    // On a fine grid, by snap rounding: among pieces of an overlay, whose borders all but meet, the faster way without a grid loses slivers.
    const u = this.made(this.g.GEOSUnaryUnionPrec(c, this.grid(c)), 'union');
    this.free(c);
    return u;
  }
  makeValid = (a: Shape): Shape => this.made(this.g.GEOSMakeValid(a), 'repair');
  /** `distance` in the units of the coordinates; corners rounded by `quadrant` segments a quarter. */
  buffer = (a: Shape, distance: number, quadrant = 16): Shape =>
    this.made(this.g.GEOSBuffer(a, distance, quadrant), 'buffer');
  /** The same of lines, whose buffers end where they do, flat. */
  bufferFlat = (a: Shape, distance: number, quadrant = 16): Shape =>
    this.made(this.g.GEOSBufferWithStyle(a, distance, quadrant, 2, 1, 5), 'buffer');
  simplify = (a: Shape, tolerance: number): Shape =>
    this.made(this.g.GEOSTopologyPreserveSimplify(a, tolerance), 'simplification');
  centroid = (a: Shape): Shape => this.made(this.g.GEOSGetCentroid(a), 'centroid');
  pointInside = (a: Shape): Shape => this.made(this.g.GEOSPointOnSurface(a), 'inner point');
  simplifyCoverage(shapes: Shape[], tolerance: number): Shape {
    const c = this.collect(shapes);
    const s = this.made(this.g.GEOSCoverageSimplifyVW(c, tolerance, 0), 'simplification');
    this.free(c);
    return s;
  }
  /** The n-th member of a collection, owned by it. */
  member = (s: Shape, i: number): Shape => this.g.GEOSGetGeometryN(s, i);
  isValid = (a: Shape): boolean => this.g.GEOSisValid(a) === 1;
  whyInvalid(a: Shape): string {
    const p = this.g.GEOSisValidReason(a) as unknown as number;
    const text = typeof p === 'string' ? p : this.g.Module.UTF8ToString(p);
    if (typeof p === 'number') this.g.GEOSFree(p);
    return text;
  }
  isEmpty = (a: Shape): boolean => this.g.GEOSisEmpty(a) === 1;
  intersects = (a: Shape, b: Shape): boolean => this.g.GEOSIntersects(a, b) === 1;
  covers = (a: Shape, b: Shape): boolean => this.g.GEOSCovers(a, b) === 1;
  contains = (a: Shape, b: Shape): boolean => this.g.GEOSContains(a, b) === 1;
  distance(a: Shape, b: Shape): number {
    this.g.GEOSDistance(a, b, this.number);
    return this.g.Module.getValue(this.number, 'double');
  }
  area(a: Shape): number {
    this.g.GEOSArea(a, this.number);
    return this.g.Module.getValue(this.number, 'double');
  }
  length(a: Shape): number {
    this.g.GEOSLength(a, this.number);
    return this.g.Module.getValue(this.number, 'double');
  }

  /** A shape made ready to be asked about many others; `done` when it has been. */
  prepare(a: Shape): { intersects(b: Shape): boolean; covers(b: Shape): boolean; done(): void } {
    const p = this.g.GEOSPrepare(a);
    return {
      intersects: (b) => this.g.GEOSPreparedIntersects(p, b) === 1,
      covers: (b) => this.g.GEOSPreparedCovers(p, b) === 1,
      done: () => this.g.GEOSPreparedGeom_destroy(p),
    };
  }

  /** A collection that owns its members. */
  private collect(shapes: Shape[]): Shape {
    const list = this.g.Module._malloc(4 * Math.max(1, shapes.length));
    for (const [i, s] of shapes.entries()) {
      this.g.Module.HEAPU32[(list >> 2) + i] = s;
      this.live.delete(s);
    }
    const c = this.g.GEOSGeom_createCollection(7, list, shapes.length);
    this.g.Module._free(list);
    return this.made(c, 'collection');
  }
}

/** Runs with the library and frees what is left over, also when it fails. */
export async function withGeos<T>(work: (g: Geos) => T): Promise<T> {
  const g = await geos();
  try {
    return work(g);
  } finally {
    g.freeAll();
  }
}

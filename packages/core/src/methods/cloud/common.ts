import { percentOf } from '../../data/number-words';
import { HelkError } from '../../errors';
import type { Check } from '../../data/check';
import {
  BUILDING,
  classesOf,
  className,
  GROUND,
  isNoise,
  metresOfHeight,
  metresOfPlace,
  placesOf,
  pointCount,
  type Cloud,
  type CloudInfo,
} from '../../data/cloud';
import { cellInUnits } from '../../data/crs';
import type { Quantity } from '../../data/quantity';
import { room } from '../../data/room';
import type { Suggestion } from '../../method/define';
import type { Job } from '../../method/job';
import { NearPoints } from '../../numeric/near';
import type { Metric } from '../../numeric/ground';
import { Tin } from '../../numeric/tin';
import { roundNear } from '../raster/reproject';

/** Ground points that are taken for a surface of triangles; of more, one a cell. */
const MOST_GROUND = 4_000_000;

/** Places and heights in metres, in shared memory. O(points). */
export function inMetres(c: Cloud): Metric {
  const p = placesOf(c);
  const [place, height] = [metresOfPlace(c.crs), metresOfHeight(c.heightUnit)];
  const scale = (v: Float64Array, k: number): void => {
    if (k !== 1) for (let i = 0; i < v.length; i++) v[i]! *= k;
  };
  scale(p.x, place);
  scale(p.y, place);
  scale(p.z, height);
  return p;
}

/** The spacing of the points, m. */
export const spacingMetres = (info: CloudInfo): number => (info.spacing ?? 0) * metresOfPlace(info.crs);

/** Refuses clouds in degrees and empty ones, before a run. */
export function placeChecks(info: CloudInfo): Check[] {
  if (info.crs?.geographic)
    return [
      {
        level: 'refused',
        code: 'crs.degrees',
        about: 'cloud',
        message: 'The points are in degrees; this needs metres. Project the cloud at its source.',
      },
    ];
  if (info.count === 0)
    return [{ level: 'refused', code: 'cloud.none', about: 'cloud', message: 'There is no point in the cloud.' }];
  return [];
}

const countOf = (info: CloudInfo, wanted: (value: number) => boolean): number =>
  info.classes.reduce((s, k) => s + (wanted(k.value) ? k.count : 0), 0);

/** Refuses a cloud without ground, and offers to find it. */
export function groundChecks(info: CloudInfo): Check[] {
  const n = countOf(info, (k) => k === GROUND);
  if (n >= 3) return [{ level: 'fine', code: 'cloud.ground', message: `Ground is classified (${share(n, info)}).` }];
  return [
    {
      level: 'refused',
      code: 'cloud.noGround',
      about: 'cloud',
      message: 'No ground is classified in this cloud (class 2), and heights are counted from it.',
      mend: { label: 'Find the ground first', run: { method: 'cloud.classifyGround', role: 'cloud', input: 'cloud' } },
    },
  ];
}

/** Refuses a cloud without points of what is wanted, and offers to classify it. */
export function aboveChecks(info: CloudInfo, what: 'vegetation' | 'buildings'): Check[] {
  const ground = groundChecks(info);
  if (ground[0]!.level === 'refused') return ground;
  const n = countOf(info, what === 'vegetation' ? isVegetation : (k) => k === BUILDING);
  if (n > 0)
    return [
      ...ground,
      { level: 'fine', code: 'cloud.classes', message: `${n} points are ${what} (${share(n, info)}).` },
    ];
  return [
    ...ground,
    {
      level: 'refused',
      code: 'cloud.noClasses',
      about: 'cloud',
      message: `No ${what} ${what === 'vegetation' ? 'is' : 'are'} classified in this cloud.`,
      mend: {
        label: 'Find what stands on the ground first',
        run: { method: 'cloud.classifyAbove', role: 'cloud', input: 'cloud' },
      },
    },
  ];
}

const share = (n: number, info: CloudInfo): string => `${percentOf(n / Math.max(1, info.count))} % of the points`;

export const isVegetation = (k: number): boolean => k >= 3 && k <= 5;

/** A round cell size of so many spacings, with its reason; nothing where no spacing can be told. */
export function suggestCell(info: CloudInfo, times = 1.5): Suggestion | undefined {
  if (info.spacing === null || info.crs?.geographic) return undefined;
  const unit = info.crs?.unit ?? '';
  return {
    value: `${roundNear(times * info.spacing)} ${unit}`.trim(),
    reason: `${times} times the spacing of the points, ${Number(info.spacing.toPrecision(2))} ${unit}, rounded`,
  };
}

/** A cell size in units of the coordinates. @throws HelkError `method.parameter` where none is given and none can be suggested */
export function cellOf(size: Quantity | 'auto', c: Pick<Cloud, 'crs'>): number {
  if (size === 'auto')
    throw new HelkError(
      'method.parameter',
      'cellSize: no spacing can be told from these points; give a cell size.',
      'cellSize',
    );
  return cellInUnits(size, c.crs);
}

/** The surface of the ground, by its points. */
export class GroundSurface {
  private readonly tin: Tin;
  private near: NearPoints | null = null;
  private readonly x: Float64Array;
  private readonly y: Float64Array;
  private readonly z: Float64Array;
  private readonly index = new Uint32Array(1);
  private readonly square = new Float64Array(1);

  /** @throws HelkError `method.input` for less than one ground point */
  constructor(p: Metric, classes: Uint8Array) {
    let n = 0;
    for (const k of classes) if (k === GROUND) n++;
    if (n === 0) throw new HelkError('method.input', 'No point of the cloud is ground (class 2).', 'cloud');
    const rows = new Uint32Array(n);
    let k = 0;
    for (let i = 0; i < classes.length; i++) if (classes[i] === GROUND) rows[k++] = i;
    const some = n > MOST_GROUND ? everySo(rows, n / MOST_GROUND) : rows;
    this.x = Float64Array.from(some, (i) => p.x[i]!);
    this.y = Float64Array.from(some, (i) => p.y[i]!);
    this.z = Float64Array.from(some, (i) => p.z[i]!);
    this.tin = new Tin(this.x, this.y, this.z);
  }

  /** Within the triangles of the ground points; NaN outside. */
  within(x: number, y: number): number {
    return this.tin.heightAt(x, y);
  }

  /** The same, and outside the height of the nearest ground point. */
  at(x: number, y: number): number {
    const z = this.tin.heightAt(x, y);
    if (z === z) return z;
    this.near ??= new NearPoints(this.x, this.y);
    this.near.find(x, y, 1, Infinity, this.index, this.square);
    return this.z[this.index[0]!]!;
  }
}

/** Rows spread evenly over all, one of so many. */
function everySo(rows: Uint32Array, step: number): Uint32Array {
  const out = new Uint32Array(Math.floor(rows.length / step));
  for (let k = 0; k < out.length; k++) out[k] = rows[Math.floor(k * step)]!;
  return out;
}

/** Height of every point above the ground, m. */
export function aboveGround(
  p: Metric,
  classes: Uint8Array,
  job: Job,
  progress = (s: number): number => s,
): Float32Array {
  const ground = new GroundSurface(p, classes);
  const out = room(Float32Array, p.x.length);
  for (let i = 0; i < out.length; i++) {
    if ((i & 65_535) === 0) job.progress(progress(i / out.length), 'heights above the ground');
    out[i] = p.z[i]! - ground.at(p.x[i]!, p.y[i]!);
  }
  return out;
}

/** Memory that work over all points takes, about, beside the input. */
export const pointsEstimate = (info: CloudInfo, bytes: number, perSecond: number) => ({
  cells: info.count,
  of: 'points',
  bytes: info.count * bytes,
  seconds: info.count / perSecond,
});

/** Classes written as a list, `2, 5`. @throws HelkError `method.parameter` */
export function classList(values: readonly number[] | undefined, path: string): Set<number> | null {
  if (!values?.length) return null;
  const odd = values.find((v) => !Number.isInteger(v) || v < 0 || v > 255);
  if (odd !== undefined)
    throw new HelkError(
      'method.parameter',
      `${path}: ${odd} is no class; classes are whole numbers from 0 to 255.`,
      path,
    );
  return new Set(values);
}

/** Refuses classes that no point has. */
export function classChecks(info: CloudInfo, values: readonly number[] | undefined, about: string): Check[] {
  const lacking = (values ?? []).filter((v) => !info.classes.some((k) => k.value === v));
  if (!lacking.length) return [];
  const there = info.classes.map((k) => `${k.value} ${className(k.value)}`).join(', ') || 'none';
  return [
    {
      level: lacking.length === values!.length ? 'refused' : 'look',
      code: 'cloud.noClass',
      about,
      message: `No point has class ${lacking.join(', ')}; there are ${there}.`,
    },
  ];
}

/** Number of points of each class. */
export function tally(classes: Uint8Array): Uint32Array {
  const out = new Uint32Array(256);
  for (const k of classes) out[k]!++;
  return out;
}

/** A copy of the classes, to be changed. */
export function ownClasses(c: Cloud): Uint8Array {
  const out = room(Uint8Array, pointCount(c));
  out.set(classesOf(c));
  return out;
}

/** 1 for points that are noise. */
export function noiseMask(classes: Uint8Array): Uint8Array {
  const out = new Uint8Array(classes.length);
  for (let i = 0; i < out.length; i++) if (isNoise(classes[i]!)) out[i] = 1;
  return out;
}

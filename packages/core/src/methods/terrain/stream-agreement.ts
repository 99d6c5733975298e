import * as z from 'zod';
import { HelkError } from '../../errors';
import { transformer, metresPerUnit, suggestUtm, transformExtent, wgs84, type Crs } from '../../data/crs';
import { FeaturesBuilder, featureCount, featuresExtent, type Features } from '../../data/features';
import { numberColumn, textColumn } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import { quantity } from '../../method/params';
import type { Check } from '../../data/check';

/** Line segments in metres, findable by place. */
class SegmentIndex {
  private readonly buckets = new Map<number, number[]>();
  constructor(
    private readonly s: Float64Array,
    private readonly size: number,
  ) {
    for (let k = 0; k < s.length; k += 4) {
      // A long segment goes into every bucket that its box touches.
      const [x0, x1] = [Math.min(s[k]!, s[k + 2]!), Math.max(s[k]!, s[k + 2]!)];
      const [y0, y1] = [Math.min(s[k + 1]!, s[k + 3]!), Math.max(s[k + 1]!, s[k + 3]!)];
      for (let j = Math.floor(y0 / size); j <= Math.floor(y1 / size); j++)
        for (let i = Math.floor(x0 / size); i <= Math.floor(x1 / size); i++) this.put(i, j, k);
    }
  }
  private key(i: number, j: number): number {
    return i * 4194304 + j;
  }
  private put(i: number, j: number, k: number): void {
    const list = this.buckets.get(this.key(i, j));
    if (list) list.push(k);
    else this.buckets.set(this.key(i, j), [k]);
  }
  /** Distance to the nearest segment, searched ring by ring of buckets. */
  distance(x: number, y: number, rings: number): number {
    const ci = Math.floor(x / this.size);
    const cj = Math.floor(y / this.size);
    let best = Infinity;
    for (let r = 0; r <= rings; r++) {
      if (best < (r - 1) * this.size) break;
      for (let j = cj - r; j <= cj + r; j++) {
        const edge = j === cj - r || j === cj + r;
        for (let i = ci - r; i <= ci + r; i += edge ? 1 : Math.max(1, 2 * r)) {
          for (const k of this.buckets.get(this.key(i, j)) ?? []) best = Math.min(best, this.toSegment(x, y, k));
        }
      }
    }
    return best;
  }
  private toSegment(x: number, y: number, k: number): number {
    const s = this.s;
    const ax = s[k]!;
    const ay = s[k + 1]!;
    const dx = s[k + 2]! - ax;
    const dy = s[k + 3]! - ay;
    const l2 = dx * dx + dy * dy;
    const t = l2 > 0 ? Math.min(1, Math.max(0, ((x - ax) * dx + (y - ay) * dy) / l2)) : 0;
    return Math.hypot(x - ax - t * dx, y - ay - t * dy);
  }
}

/** Lines as polylines of metres in a projected system. */
function polylines(f: Features, crs: Crs): Float64Array[] {
  const t = transformer(f.crs ?? crs, crs);
  const m = metresPerUnit(crs);
  const out = [0, 0];
  const lines: Float64Array[] = [];
  for (let r = 0; r < f.ringOffsets.length - 1; r++) {
    const line = new Float64Array(2 * (f.ringOffsets[r + 1]! - f.ringOffsets[r]!));
    for (let i = f.ringOffsets[r]!, k = 0; i < f.ringOffsets[r + 1]!; i++, k += 2) {
      t(f.xy[2 * i]!, f.xy[2 * i + 1]!, out);
      line[k] = out[0]! * m;
      line[k + 1] = out[1]! * m;
    }
    lines.push(line);
  }
  return lines;
}

const segmentsOf = (lines: Float64Array[]): Float64Array => {
  const out: number[] = [];
  for (const l of lines) for (let i = 0; i + 3 < l.length; i += 2) out.push(l[i]!, l[i + 1]!, l[i + 2]!, l[i + 3]!);
  return Float64Array.from(out);
};

interface Walk {
  length: number;
  within: number;
  /** Distance integrated along the line. */
  offset: number;
  partings: number[][];
}

/** Walks lines in short steps and tells where they lie farther than the tolerance from the other set. */
function walk(lines: Float64Array[], other: SegmentIndex, tolerance: number, rings: number, cap: number): Walk {
  const w: Walk = { length: 0, within: 0, offset: 0, partings: [] };
  for (const l of lines) {
    let parting: number[] | null = null;
    for (let i = 0; i + 3 < l.length; i += 2) {
      const dx = l[i + 2]! - l[i]!;
      const dy = l[i + 3]! - l[i + 1]!;
      const length = Math.hypot(dx, dy);
      const n = Math.max(1, Math.ceil(length / (tolerance / 10)));
      for (let k = 0; k < n; k++) {
        const t = (k + 0.5) / n;
        const d = Math.min(cap, other.distance(l[i]! + t * dx, l[i + 1]! + t * dy, rings));
        const part = length / n;
        w.length += part;
        w.offset += d * part;
        if (d <= tolerance) {
          w.within += part;
          if (parting) w.partings.push(parting);
          parting = null;
        } else {
          parting ??= [l[i]! + (k / n) * dx, l[i + 1]! + (k / n) * dy];
          parting.push(l[i]! + ((k + 1) / n) * dx, l[i + 1]! + ((k + 1) / n) * dy);
        }
      }
    }
    if (parting) w.partings.push(parting);
  }
  return w;
}

export const streamAgreement = defineMethod({
  id: 'terrain.streamAgreement',
  version: 1,
  title: 'Stream agreement',
  question: 'Do derived and mapped streams agree?',
  about:
    'The share of the length of each set that lies within the tolerance of the other, and the mean distance from derived to mapped streams (at most twenty tolerances count). Both are walked in steps of a tenth of the tolerance. Where they part is given as lines with the set they come from and their length. Sets in degrees are compared in the UTM zone of the place.',
  keywords: ['compare streams', 'validate', 'mapped', 'accuracy', 'offset'],
  sources: ['Goodchild and Hunter 1997, doi:10.1080/136588197242419 (share of a line within a buffer of another)'],
  inputs: {
    derived: input.features({ label: 'Derived streams', geometry: 'line' }),
    mapped: input.features({ label: 'Mapped streams', geometry: 'line' }),
  },
  params: z.object({
    tolerance: quantity('length', {
      label: 'Tolerance',
      unit: 'm',
      above: 0,
      help: 'How far apart still counts as the same stream.',
    }),
  }),
  outputs: { partings: shown(output.features('Partings'), { features: { colour: '#d6246e' } }) },
  figures: {
    derivedWithin: { label: 'Derived within tolerance', unit: 'share' },
    mappedWithin: { label: 'Mapped within tolerance', unit: 'share' },
    meanOffset: { label: 'Mean offset', unit: 'm' },
  },
  checks: ({ derived, mapped }): Check[] =>
    derived.crs && mapped.crs
      ? []
      : [
          {
            level: 'look',
            code: 'crs.missing',
            message: 'One of the sets has no coordinate system; both are taken to share one.',
          },
        ],
  suggest: () => ({ tolerance: { value: '60 m', reason: 'two cells of a 30 m grid (common practice, no source)' } }),
  estimate: ({ derived, mapped }) => ({
    cells: derived.count + mapped.count,
    bytes: (derived.count + mapped.count) * 2000,
    seconds: (derived.count + mapped.count) / 2e4,
  }),
  run: ({ derived, mapped }, p, job) => {
    let crs = derived.crs ?? mapped.crs;
    if (crs?.geographic) {
      const e = featuresExtent(derived);
      if (!e) throw new HelkError('method.input', 'There are no derived streams.', 'derived');
      const d = transformExtent(e, crs, wgs84());
      crs = suggestUtm((d[0] + d[2]) / 2, (d[1] + d[3]) / 2);
    }
    crs ??= {
      code: null,
      name: 'plane',
      proj4: '+proj=utm +zone=31 +datum=WGS84 +units=m +no_defs',
      geographic: false,
      unit: 'm',
    };
    const bare = (f: Features): Features => (f.crs ? f : { ...f, crs });
    const a = polylines(bare(derived), crs);
    const b = polylines(bare(mapped), crs);
    if (featureCount(derived) === 0 || featureCount(mapped) === 0)
      throw new HelkError(
        'method.input',
        'One of the sets holds no lines.',
        featureCount(derived) ? 'mapped' : 'derived',
      );
    const cap = 20 * p.tolerance;
    const rings = 21;
    job.progress(0.1, 'derived against mapped');
    const da = walk(a, new SegmentIndex(segmentsOf(b), p.tolerance), p.tolerance, rings, cap);
    job.progress(0.6, 'mapped against derived');
    const db = walk(b, new SegmentIndex(segmentsOf(a), p.tolerance), p.tolerance, rings, cap);
    const out = new FeaturesBuilder();
    const set: string[] = [];
    const lengths: number[] = [];
    const m = metresPerUnit(crs);
    for (const [name, w] of [
      ['derived', da],
      ['mapped', db],
    ] as const) {
      for (const l of w.partings) {
        let length = 0;
        for (let i = 0; i < l.length; i += 2) {
          out.coordinate(l[i]! / m, l[i + 1]! / m);
          if (i) length += Math.hypot(l[i]! - l[i - 2]!, l[i + 1]! - l[i - 1]!);
        }
        out.endRing();
        out.endPart();
        out.endFeature();
        set.push(name);
        lengths.push(length);
      }
    }
    return {
      partings: out.build('line', crs, [textColumn('set', set), numberColumn('length', lengths, 'm')]),
      figures: {
        derivedWithin: da.within / da.length,
        mappedWithin: db.within / db.length,
        meanOffset: da.offset / da.length,
      },
    };
  },
});

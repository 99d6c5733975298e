import type { Note } from '../../data/check';
import { plural } from '../../data/check';
import { featureBoxes, featureCount, FeaturesBuilder, type Features } from '../../data/features';
import type { Job } from '../../method/job';
import { defineKernel } from '../../method/parallel';
import { BoxIndex } from '../../numeric/boxes';
import { withGeos, type Geos, type Shape } from '../../numeric/geos';
import { emit } from './common';

/** Pieces of an overlay: their outlines, and the rows of both sets they come from (-1 for none). */
export interface Pieces {
  features: Features;
  fromA: number[];
  fromB: number[];
}

/** What is made of two sets: what features of both share, or what is left of those of one when the other is taken away. */
export type Part = 'shared' | 'onlyA' | 'onlyB';

type Bare = Pick<Features, 'geometry' | 'xy' | 'ringOffsets' | 'partOffsets' | 'featureOffsets'>;

interface Sets {
  a: Bare;
  b: Bare;
}

interface Block {
  part: Part;
  /** Features of the set that is gone through, b for `onlyB`. */
  from: number;
  to: number;
}

/** Features of the set that is gone through at once. */
const STEP = 48;

/** Shapes of one set, made when they are asked for; invalid ones are repaired, and remembered with the reason. */
class Shapes {
  readonly repaired = new Map<number, string>();
  private readonly made = new Map<number, Shape>();

  constructor(
    private readonly g: Geos,
    private readonly f: Features,
  ) {}

  get(i: number): Shape {
    const held = this.made.get(i);
    if (held !== undefined) return held;
    const s = this.f.featureOffsets[i] === this.f.featureOffsets[i + 1] ? 0 : this.whole(this.g.shape(this.f, i), i);
    this.made.set(i, s);
    return s;
  }

  private whole(s: Shape, i: number): Shape {
    if (this.g.isValid(s)) return s;
    this.repaired.set(i, this.g.whyInvalid(s));
    const r = this.g.makeValid(s);
    this.g.free(s);
    return r;
  }
}

/** What threads hold of the sets they work on. */
const held = new WeakMap<Sets, { a: Features; b: Features; indexA: BoxIndex; indexB: BoxIndex }>();

function setsOf(s: Sets) {
  let h = held.get(s);
  if (!h) {
    const [a, b] = [whole(s.a), whole(s.b)];
    held.set(s, (h = { a, b, indexA: new BoxIndex(a), indexB: new BoxIndex(b) }));
  }
  return h;
}

const whole = (f: Bare): Features => ({ kind: 'features', crs: null, columns: [], ...f });

const overlayPart = defineKernel('features.overlay', async (sets: Sets, { part, from, to }: Block) => {
  const { a, b, indexA, indexB } = setsOf(sets);
  const builder = new FeaturesBuilder();
  const mine: number[] = [];
  const other: number[] = [];
  const [one, two, index] = part === 'onlyB' ? [b, a, indexA] : [a, b, indexB];
  const boxes = featureBoxes(one);
  const repaired = await withGeos((g) => {
    const [A, B] = [new Shapes(g, one), new Shapes(g, two)];
    for (let i = from; i < to; i++) {
      const s = A.get(i);
      if (!s) continue;
      const near = index.near(boxes[4 * i]!, boxes[4 * i + 1]!, boxes[4 * i + 2]!, boxes[4 * i + 3]!);
      const put = (p: Shape, j: number): void => {
        if (!emit(g, p, 'polygon', builder)) return;
        mine.push(i);
        other.push(j);
      };
      if (part === 'shared') share(g, s, near, B, put);
      else takeAway(g, s, near, B, (p) => put(p, -1));
    }
    return { one: [...A.repaired], two: [...B.repaired] };
  });
  const { xy, ringOffsets, partOffsets, featureOffsets } = builder.build('polygon', null, []);
  return {
    pieces: { geometry: 'polygon' as const, xy, ringOffsets, partOffsets, featureOffsets },
    mine: Int32Array.from(mine),
    other: Int32Array.from(other),
    repaired,
  };
});

/** Every common area of a feature with those near it. Prepared shapes first; whole features are taken as they are. */
function share(g: Geos, s: Shape, near: number[], B: Shapes, put: (piece: Shape, j: number) => void): void {
  if (near.length === 0) return;
  const ready = g.prepare(s);
  for (const j of near) {
    const t = B.get(j);
    if (!t || !ready.intersects(t)) continue;
    if (ready.covers(t)) {
      put(t, j);
      continue;
    }
    const both = g.intersection(s, t);
    put(both, j);
    g.free(both);
  }
  ready.done();
}

/** What is left of a feature when those near it are taken away. */
function takeAway(g: Geos, s: Shape, near: number[], B: Shapes, put: (piece: Shape) => void): void {
  let left = s;
  if (near.length) {
    const ready = g.prepare(s);
    const touching = near.filter((j) => B.get(j) && ready.intersects(B.get(j)));
    ready.done();
    for (const j of touching) {
      const next = g.difference(left, B.get(j));
      if (left !== s) g.free(left);
      left = next;
      if (g.isEmpty(left)) break;
    }
  }
  put(left);
  if (left !== s) g.free(left);
}

/**
 * The parts of an overlay one after the other, each in the order of the features that are gone through, on all threads. Invalid polygons
 * are repaired on the way and said.
 *
 * @param names what the two sets are called in notes
 */
export async function overlayPieces(
  job: Job,
  a: Features,
  b: Features,
  parts: readonly Part[],
  names: readonly [string, string],
): Promise<Pieces> {
  const bare = ({ geometry, xy, ringOffsets, partOffsets, featureOffsets }: Features): Bare => ({
    geometry,
    xy,
    ringOffsets,
    partOffsets,
    featureOffsets,
  });
  const blocks: Block[] = [];
  for (const part of parts) {
    const n = featureCount(part === 'onlyB' ? b : a);
    for (let from = 0; from < n; from += STEP) blocks.push({ part, from, to: Math.min(n, from + STEP) });
  }
  const builder = new FeaturesBuilder();
  const out: Omit<Pieces, 'features'> = { fromA: [], fromB: [] };
  const mended = [new Map<number, string>(), new Map<number, string>()];
  await job.parallel(overlayPart, { a: bare(a), b: bare(b) }, blocks, (r, k) => {
    job.progress(k / blocks.length, 'cutting');
    builder.append(r.pieces);
    const swapped = blocks[k]!.part === 'onlyB';
    for (const i of r.mine) (swapped ? out.fromB : out.fromA).push(i);
    for (const i of r.other) (swapped ? out.fromA : out.fromB).push(i);
    for (const [i, why] of r.repaired.one) mended[swapped ? 1 : 0]!.set(i, why);
    for (const [i, why] of r.repaired.two) mended[swapped ? 0 : 1]!.set(i, why);
  });
  mended.forEach((m, k) => sayRepaired(job, m, names[k]!));
  return { ...out, features: builder.build('polygon', a.crs, []) };
}

function sayRepaired(job: Job, repaired: ReadonlyMap<number, string>, what: string): void {
  if (!repaired.size) return;
  const first = Math.min(...repaired.keys());
  const level: Note['level'] = 'look';
  job.note(
    level,
    'features.repaired',
    `${plural(repaired.size, 'invalid polygon')} of ${what} ${repaired.size === 1 ? 'was' : 'were'} repaired on the way; the first is feature ${first + 1} (${repaired.get(first)!}).`,
  );
}

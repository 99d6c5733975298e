import { HelkError } from '../../errors';
import { plural, type Check } from '../../data/check';
import { metresPerUnit, type Crs } from '../../data/crs';
import { featureCount, featuresExtent, type Features, type FeaturesInfo } from '../../data/features';
import { formatLength, formatNumber } from '../../data/number-words';
import { notOf, rowsFor, type Weights } from '../../data/weights';
import type { WeightsInfo } from '../../data/weights-facts';
import type { Job } from '../../method/job';
import { choice, flag, number, quantity } from '../../method/params';
import { defineKernel } from '../../method/parallel';
import { BORDER, CORNER, exactMeetings, meeting, type Outlines } from '../../numeric/contiguity';
import { middles } from '../../numeric/middles';
import { NearPlaces } from '../../numeric/near-places';
import { addUpToOne, restricted, rowsOf, standardised, type Rows } from '../../numeric/sparse-rows';

const RULES = {
  queen: 'corner or edge',
  rook: 'edge only',
  nearest: 'the nearest',
  distance: 'within a distance',
} as const;
export type Rule = keyof typeof RULES;

/**
 * Where no weights are given: who counts as a neighbour.
 *
 * @param rows whether each row is made to add up to 1 unless told otherwise
 * @param given whether weights may be given instead
 */
export const neighbourParams = (rows = true, given = true) => ({
  neighbours: choice(RULES, {
    label: 'Neighbours',
    ...(given ? { help: 'Where weights are given, those count.' } : {}),
  }).default('queen'),
  k: number({ label: 'How many', min: 1, max: 1000, when: { neighbours: 'nearest' } }).default(8),
  distance: quantity('length', {
    label: 'Within',
    unit: 'm',
    above: 0,
    when: { neighbours: 'distance' },
    help: 'Empty: the smallest that leaves nobody alone.',
  }).optional(),
  standardise: flag({
    label: 'Rows add up to 1',
    help: 'So that every place counts alike, however many neighbours.',
  }).default(rows),
});

export interface NeighbourSettings {
  neighbours: Rule;
  k: number;
  distance?: number | undefined;
  standardise: boolean;
}

/** How far corners may lie apart that are meant to be one, m. */
export const TOLERANCE = 0.01;
const METRES_PER_DEGREE = 111_320;
/** How many tolerances off is still worth a word. */
const WIDE = 100;

export interface Neighbours {
  /** Weights of 1, without places themselves. */
  rows: Rows;
  /** x, y of middles. */
  places: Float64Array;
  near: NearPlaces;
  /** The distance within which neighbours lie, where that is the rule. m */
  distance: number | null;
  made: string;
}

export const nearPlaces = (places: Float64Array, crs: Crs | null): NearPlaces =>
  new NearPlaces(places, crs?.geographic ?? false, crs && !crs.geographic ? metresPerUnit(crs) : 1);

/** Who is near whom by a rule. @throws HelkError where the rule does not suit the features */
export async function neighboursOf(
  f: Features,
  p: Omit<NeighbourSettings, 'standardise'>,
  job: Job,
  tolerance = TOLERANCE,
): Promise<Neighbours> {
  const places = middles(f);
  const near = nearPlaces(places, f.crs);
  if (p.neighbours === 'queen' || p.neighbours === 'rook') {
    needPolygons(f.geometry);
    const made = `${p.neighbours === 'queen' ? 'corner or edge' : 'edge only'}, within ${shortLength(tolerance)}`;
    return { rows: await touching(f, p.neighbours, tolerance, job), places, near, distance: null, made };
  }
  const n = featureCount(f);
  if (p.neighbours === 'nearest') {
    if (!(p.k < n)) throw new HelkError('method.parameter', `k: ${n} features have no ${p.k} others; take fewer.`, 'k');
    const rows = await measured(places, f.crs, { k: p.k }, job);
    return { rows, places, near, distance: null, made: `the ${p.k} nearest` };
  }
  job.progress(0, 'distances');
  const distance = p.distance ?? leastDistance(near);
  const rows = await measured(places, f.crs, { distance }, job);
  return { rows, places, near, distance, made: `within ${formatLength(distance)}` };
}

/** A length of centimetres as such. */
const shortLength = (m: number): string => (m < 1 ? `${Number((100 * m).toPrecision(3))} cm` : formatLength(m));

/** A hair more than the smallest that leaves nobody alone, so that rounding takes nobody out again. */
export const leastDistance = (near: NearPlaces): number => near.leastForAll() * (1 + 1e-9);

function needPolygons(geometry: string): void {
  if (geometry !== 'polygon')
    throw new HelkError(
      'method.parameter',
      `neighbours: ${geometry}s have no borders to share; take the nearest, or those within a distance.`,
      'neighbours',
    );
}

interface Border {
  outlines: Outlines;
  reach: number;
  wide: number;
}
/** Pairs that a thread looks at in one go. */
const PAIRS = 4000;

/** How pairs of polygons meet: 0 to 2, and 4 more where only because of the tolerance, 8 where they nearly do. */
const meet = defineKernel('stats.meet', ({ outlines, reach, wide }: Border, pairs: Uint32Array) => {
  const out = new Uint8Array(pairs.length / 2);
  for (let k = 0; k < out.length; k++) {
    const m = meeting(outlines, pairs[2 * k]!, pairs[2 * k + 1]!, reach, wide);
    out[k] = m.how | (m.loose ? 4 : 0) | (m.nearly ? 8 : 0);
  }
  return out;
});

async function touching(f: Features, rule: 'queen' | 'rook', tolerance: number, job: Job): Promise<Rows> {
  job.progress(0, 'corners');
  const reach = reachOf(f, tolerance);
  const wide = WIDE * reach;
  const { found, how, open } = exactMeetings(f, wide);
  const pairs = new Map<number, number>();
  const n = featureCount(f);
  how.forEach((h, k) => pairs.set(found[2 * k]! * n + found[2 * k + 1]!, h));
  const outlines: Outlines = {
    xy: f.xy,
    ringOffsets: f.ringOffsets,
    partOffsets: f.partOffsets,
    featureOffsets: f.featureOffsets,
  };
  let [loose, nearly, at] = [0, 0, 0];
  const blocks = function* (): Generator<Uint32Array> {
    for (let k = 0; k < open.length; k += 2 * PAIRS) yield open.slice(k, k + 2 * PAIRS);
  };
  await job.parallel(meet, { outlines, reach, wide }, blocks(), (codes) => {
    job.progress(at / Math.max(1, open.length), 'borders');
    for (const code of codes) {
      const key = open[at]! * n + open[at + 1]!;
      at += 2;
      const held = pairs.get(key) ?? 0;
      if ((code & 3) > held) pairs.set(key, code & 3);
      if (code & 4 && (code & 3) >= least(rule)) loose++;
      if (code & 8 && held === 0) nearly++;
    }
  });
  if (loose)
    job.note(
      'look',
      'weights.loose',
      `${plural(loose, 'pair')} of neighbours ${loose === 1 ? 'meets' : 'meet'} only within the tolerance of ${shortLength(tolerance)}: there are small gaps or overlaps between them.`,
    );
  if (nearly)
    job.note(
      'look',
      'weights.nearly',
      `${plural(nearly, 'pair')} of features ${nearly === 1 ? 'comes' : 'come'} within ${shortLength(WIDE * tolerance)} of each other without touching: a larger tolerance would make ${nearly === 1 ? 'them' : 'those'} neighbours.`,
    );
  const [from, to]: [number[], number[]] = [[], []];
  for (const [key, h] of pairs) {
    if (h < least(rule)) continue;
    const [i, j] = [Math.floor(key / n), key % n];
    from.push(i, j);
    to.push(j, i);
  }
  return rowsOf(n, from, to, null);
}
/** A tolerance in the unit of the coordinates; where that is not known, no more than a millionth of the extent. */
function reachOf(f: Features, tolerance: number): number {
  if (f.crs) return tolerance / (f.crs.geographic ? METRES_PER_DEGREE : metresPerUnit(f.crs));
  const [w, s, e, n] = featuresExtent(f) ?? [0, 0, 0, 0];
  return Math.min(tolerance, Math.max(e - w, n - s) / 1e6);
}
const least = (rule: 'queen' | 'rook'): number => (rule === 'queen' ? CORNER : BORDER);

interface Asked {
  places: Float64Array;
  geographic: boolean;
  metres: number;
  k: number | null;
  distance: number | null;
}
/** Places that a thread asks for in one go. */
const PLACES = 2000;
const trees = new WeakMap<Float64Array, NearPlaces>();

const nearOnes = defineKernel('stats.near', (a: Asked, { from, to }: { from: number; to: number }) => {
  let near = trees.get(a.places);
  if (!near) trees.set(a.places, (near = new NearPlaces(a.places, a.geographic, a.metres)));
  const counts = new Uint32Array(to - from);
  const found: number[] = [];
  for (let i = from; i < to; i++) {
    const all = a.k === null ? near.within(i, a.distance!) : near.nearest(i, a.k);
    counts[i - from] = all.length;
    for (const o of all) found.push(o.place);
  }
  return { counts, found: Uint32Array.from(found) };
});

async function measured(
  places: Float64Array,
  crs: Crs | null,
  by: { k?: number; distance?: number },
  job: Job,
): Promise<Rows> {
  const n = places.length / 2;
  const [from, to]: [number[], number[]] = [[], []];
  const blocks = function* (): Generator<{ from: number; to: number }> {
    for (let i = 0; i < n; i += PLACES) yield { from: i, to: Math.min(n, i + PLACES) };
  };
  const shared: Asked = {
    places,
    geographic: crs?.geographic ?? false,
    metres: crs && !crs.geographic ? metresPerUnit(crs) : 1,
    k: by.k ?? null,
    distance: by.distance ?? null,
  };
  let i = 0;
  await job.parallel(nearOnes, shared, blocks(), ({ counts, found }) => {
    job.progress(i / Math.max(1, n), 'neighbours');
    let at = 0;
    for (const c of counts) {
      for (let k = 0; k < c; k++) {
        from.push(i);
        to.push(found[at++]!);
      }
      i++;
    }
    if (to.length > MOST_LINKS)
      throw new HelkError(
        'method.parameter',
        `distance: there are more than ${formatNumber(MOST_LINKS)} links; take a smaller distance.`,
        'distance',
      );
  });
  return rowsOf(n, from, to, null);
}
const MOST_LINKS = 50_000_000;

/** What can be said of neighbours before anything is loaded. */
export function neighbourChecks(
  features: FeaturesInfo,
  weights: WeightsInfo | undefined,
  p: NeighbourSettings,
): Check[] {
  const out: Check[] = [];
  if (features.count < 3)
    out.push({
      level: 'refused',
      code: 'stats.few',
      about: 'features',
      message: `Of ${plural(features.count, 'feature')} nothing can be said by neighbours.`,
    });
  else if (features.count < FEW)
    out.push({
      level: 'look',
      code: 'stats.few',
      about: 'features',
      message: `With ${features.count} features chance alone makes much look like a pattern; ${FEW} or more are usual (common practice).`,
    });
  if (weights) {
    const no = notOf(weights, features);
    if (no) out.push({ level: 'refused', code: 'weights.others', about: 'weights', message: no });
    return out;
  }
  if ((p.neighbours === 'queen' || p.neighbours === 'rook') && features.geometry !== 'polygon')
    out.push({
      level: 'refused',
      code: 'neighbours.borders',
      about: 'neighbours',
      message: `${features.geometry === 'point' ? 'Points' : 'Lines'} have no borders to share.`,
      mend: { label: 'Take the nearest', set: { neighbours: 'nearest' } },
    });
  if (p.neighbours === 'nearest' && p.k >= features.count)
    out.push({
      level: 'refused',
      code: 'neighbours.many',
      about: 'k',
      message: `${features.count} features have no ${p.k} others.`,
      mend: { label: 'Take fewer', set: { k: Math.max(1, Math.min(8, features.count - 1)) } },
    });
  if ((p.neighbours === 'nearest' || p.neighbours === 'distance') && !features.crs)
    out.push({
      level: 'look',
      code: 'neighbours.system',
      about: 'features',
      message: 'The coordinate system is not known: distances are those of the coordinates as they are, not metres.',
    });
  return out;
}
const FEW = 30;

/** The weights of a run: those given, else made by the settings. */
export async function weightsFor(
  f: Features,
  weights: Weights | undefined,
  p: NeighbourSettings,
  job: Job,
): Promise<{ rows: Rows; distance: number | null }> {
  if (weights) return { rows: rowsFor(weights, f), distance: null };
  const { rows, distance } = await neighboursOf(f, p, job);
  if (p.neighbours === 'distance' && p.distance === undefined && distance !== null)
    job.note('info', 'neighbours.distance', `Within ${formatLength(distance)}, the smallest that leaves nobody alone.`);
  return { rows: p.standardise ? standardised(rows) : rows, distance };
}

/** Features that take part, and the weights among them. */
export interface Sample {
  /** Their numbers, ascending. */
  kept: Uint32Array;
  /** Of each feature its number among those; -1 for one that is left out. */
  place: Int32Array;
  rows: Rows;
  /** Values of those, in the order of what was asked. */
  values: Float64Array[];
  /** Without any neighbour among those that have values. */
  alone: Uint32Array;
}

/**
 * Leaves out features without a value, and those that then have no neighbour; rows that added up to 1 do so again.
 *
 * @param job told who is left out; null where the method says that itself
 * @throws HelkError `method.input` where too few are left, or nothing varies
 */
export function sampleOf(
  rows: Rows,
  values: readonly { name: string; values: Float64Array }[],
  job: Job | null,
  keepAlone = false,
): Sample {
  const n = rows.offsets.length - 1;
  const whole = addUpToOne(rows);
  const again = (w: Rows): Rows => (whole ? standardised(w) : w);
  const there: number[] = [];
  for (let i = 0; i < n; i++) if (values.every((v) => v.values[i] === v.values[i])) there.push(i);
  if (there.length < n)
    job?.note(
      'look',
      'stats.missing',
      `${plural(n - there.length, 'feature')} without a value ${n - there.length === 1 ? 'is' : 'are'} left out, as a neighbour too.`,
    );
  let w = there.length < n ? again(restricted(rows, there)) : rows;
  const alone = there.filter((_, k) => ownOnly(w, k));
  let kept = there;
  if (alone.length) {
    job?.note(
      'look',
      'stats.alone',
      `${plural(alone.length, 'feature')} ${alone.length === 1 ? 'has' : 'have'} no neighbour${keepAlone ? '' : ` and ${alone.length === 1 ? 'is' : 'are'} left out`}: nothing can be said of ${alone.length === 1 ? 'it' : 'them'} by neighbours.`,
    );
    if (!keepAlone) {
      const out = new Set(alone);
      kept = there.filter((i) => !out.has(i));
      const own = there.map((_, k) => k).filter((k) => !out.has(there[k]!));
      w = restricted(w, own);
    }
  }
  if (kept.length - (keepAlone ? alone.length : 0) < 3)
    throw new HelkError(
      'method.input',
      `Only ${plural(kept.length - (keepAlone ? alone.length : 0), 'feature')} with a value ${kept.length === 1 ? 'has' : 'have'} neighbours: nothing can be said.`,
      'features',
    );
  const place = new Int32Array(n).fill(-1);
  kept.forEach((i, k) => (place[i] = k));
  const taken = values.map((v) => Float64Array.from(kept, (i) => v.values[i]!));
  taken.forEach((v, k) => {
    if (v.every((x) => x === v[0]))
      throw new HelkError(
        'method.input',
        `All values of "${values[k]!.name}" are ${formatNumber(v[0]!)}: where nothing varies, nothing can be said.`,
        'column',
      );
  });
  return { kept: Uint32Array.from(kept), place, rows: w, values: taken, alone: Uint32Array.from(alone) };
}

const ownOnly = (w: Rows, i: number): boolean => {
  for (let k = w.offsets[i]!; k < w.offsets[i + 1]!; k++) if (w.neighbours[k] !== i) return false;
  return true;
};

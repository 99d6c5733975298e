import { HelkError } from '../../errors';
import { plural } from '../../data/check';
import { featureCount, featuresIn, type Column, type Features } from '../../data/features';
import type { ClassEntry, Grid } from '../../data/raster';
import type { Job } from '../../method/job';
import { blockRows } from '../../method/rows';
import type { Random } from '../../numeric/random';
import { eachRun, edgeRows } from '../../numeric/scanline';
import { completeVectors, type Scene } from './scene';

const MOST_CLASSES = 250;
/** Cells that are learned from at most. */
const MOST_EXAMPLES = 200_000;

/** Classes of a column, each with a number of its own. */
export interface NamedClasses {
  classes: ClassEntry[];
  /** Class of a row, from 0; -1 where it has none. */
  of: (row: number) => number;
}

/**
 * Classes that a column names: texts in their order from 1, whole numbers from 1 as they are.
 *
 * @throws HelkError `method.parameter` for numbers that are no classes, or too many of them
 */
export function namedClasses(c: Column, param: string): NamedClasses {
  const missing = (i: number): boolean => c.missing?.[i] === 1 || c.values[i] === '' || c.values[i] !== c.values[i];
  const all = [
    ...new Set(Array.from({ length: c.values.length }, (_, i) => i).flatMap((i) => (missing(i) ? [] : [c.values[i]!]))),
  ];
  const refuse = (why: string): never => {
    throw new HelkError('method.parameter', `${param}: ${why}`, param);
  };
  if (all.length > MOST_CLASSES)
    refuse(
      `"${c.name}" has ${all.length} different values; there are at most ${MOST_CLASSES} classes. Is it the class?`,
    );
  if (c.type === 'number') {
    const odd = (all as number[]).find((v) => !Number.isInteger(v) || v < 1 || v > 65535);
    if (odd !== undefined) refuse(`${odd} in "${c.name}" is no class: classes are whole numbers from 1.`);
  }
  all.sort((a, b) => (a < b ? -1 : a > b ? 1 : 0));
  const index = new Map(all.map((v, k) => [v, k]));
  return {
    classes: all.map((v, k) => ({
      value: typeof v === 'number' && c.type === 'number' ? v : k + 1,
      label: c.type === 'boolean' ? (v ? 'yes' : 'no') : String(v),
      colour: null,
    })),
    of: (i) => (missing(i) ? -1 : index.get(c.values[i]!)!),
  };
}

/** Cells of known class. */
export interface Training {
  /** n × b. */
  x: Float32Array;
  /** Class of each, from 0. */
  classes: Uint16Array;
  /** Feature that each lies in. */
  areas: Uint32Array;
}

/** Which feature cells belong to, some rows at a time: -1 none, -2 several of unlike class. */
function claims(f: Features, grid: Grid, named: NamedClasses): (from: number, rows: number, out: Int32Array) => void {
  const put = (out: Int32Array, at: number, i: number): void => {
    const was = out[at]!;
    out[at] = was === -2 || (was >= 0 && named.of(was) !== named.of(i)) ? -2 : i;
  };
  if (f.geometry === 'point') {
    const at = new Map<number, number[]>();
    for (let i = 0; i < featureCount(f); i++) {
      if (named.of(i) < 0) continue;
      for (let p = f.featureOffsets[i]!; p < f.featureOffsets[i + 1]!; p++) {
        const k = f.ringOffsets[f.partOffsets[p]!]!;
        const c = Math.floor((f.xy[2 * k]! - grid.x) / grid.dx);
        const r = Math.floor((grid.y - f.xy[2 * k + 1]!) / grid.dy);
        if (c < 0 || r < 0 || c >= grid.columns || r >= grid.rows) continue;
        const row = at.get(r) ?? [];
        row.push(c, i);
        at.set(r, row);
      }
    }
    return (from, rows, out) => {
      for (let y = 0; y < rows; y++) {
        const row = at.get(from + y) ?? [];
        for (let k = 0; k < row.length; k += 2) put(out, y * grid.columns + row[k]!, row[k + 1]!);
      }
    };
  }
  const edges = edgeRows(f, grid);
  return (from, rows, out) => {
    for (let y = 0; y < rows; y++)
      eachRun(f, edges, grid, from + y, (c0, c1, i) => {
        if (named.of(i) >= 0) for (let c = c0; c < c1; c++) put(out, y * grid.columns + c, i);
      });
  };
}

/**
 * The cells whose centre lies in training areas, or that training points lie in, where they have a value in every band. Cells that areas of
 * unlike class claim are left out, and said; of very many a part is taken, spread evenly.
 *
 * @throws HelkError `method.input` where fewer than two classes have a cell
 */
export async function trainingCells(
  job: Job,
  scene: Scene,
  features: Features,
  named: NamedClasses,
  progress: (share: number) => number,
): Promise<Training> {
  const { grid } = scene.of.head;
  const b = scene.bands.length;
  const f = featuresIn(features, grid.crs);
  const claim = claims(f, grid, named);
  const step = blockRows(grid.columns);
  const owner = new Int32Array(step * grid.columns);
  const x = new Float32Array(step * grid.columns * b);
  const at = new Uint32Array(step * grid.columns);
  const parts: Float32Array[] = [];
  const owners: number[][] = [];
  let [n, clashes, holes] = [0, 0, 0];
  for (let from = 0; from < grid.rows; from += step) {
    job.progress(progress(from / grid.rows), 'examples');
    const rows = Math.min(step, grid.rows - from);
    const own = owner.subarray(0, rows * grid.columns).fill(-1);
    claim(from, rows, own);
    let wanted = 0;
    for (const i of own) {
      if (i >= 0) wanted++;
      else if (i === -2) clashes++;
    }
    if (wanted === 0) continue;
    const inputs = [];
    for (const band of scene.bands) inputs.push({ cells: await scene.of.rows(band, from, rows) });
    const found = completeVectors(inputs, x, at);
    const part = new Float32Array(wanted * b);
    const of: number[] = [];
    for (let i = 0; i < found; i++) {
      const who = own[at[i]!]!;
      if (who < 0) continue;
      part.set(x.subarray(i * b, (i + 1) * b), of.length * b);
      of.push(who);
    }
    holes += wanted - of.length;
    n += of.length;
    parts.push(part.subarray(0, of.length * b));
    owners.push(of);
  }
  if (clashes)
    job.note('look', 'training.clash', `${plural(clashes, 'cell')} lie in areas of unlike class and are left out.`);
  if (holes) job.note('info', 'training.missing', `${plural(holes, 'cell')} of the areas have no value in some band.`);
  const all: Training = { x: new Float32Array(n * b), classes: new Uint16Array(n), areas: new Uint32Array(n) };
  let k = 0;
  parts.forEach((p, i) => {
    all.x.set(p, k * b);
    for (const who of owners[i]!) {
      all.areas[k] = who;
      all.classes[k++] = named.of(who);
    }
  });
  const counts = countsOf(all.classes, named.classes.length);
  const there = counts.filter((c) => c > 0).length;
  const none = named.classes.filter((_, c) => counts[c] === 0);
  if (there < 2)
    throw new HelkError(
      'method.input',
      there === 0
        ? 'No example lies on a cell of the scene with a value in every band: do they lie in the same place?'
        : `Only "${named.classes[counts.findIndex((c) => c > 0)]!.label}" has examples on the scene; at least two classes are needed.`,
      'training',
    );
  if (none.length)
    job.note(
      'look',
      'training.none',
      `No example on the scene, so never found: ${none.map((c) => c.label).join(', ')}.`,
    );
  return thinned(job, all, b, named.classes.length);
}

export function countsOf(classes: ArrayLike<number>, n: number): number[] {
  const counts = new Array<number>(n).fill(0);
  for (let i = 0; i < classes.length; i++) counts[classes[i]!]!++;
  return counts;
}

/** Rows of some examples. */
export function taken(t: Training, rows: readonly number[], b: number): Training {
  const x = new Float32Array(rows.length * b);
  rows.forEach((r, k) => x.set(t.x.subarray(r * b, (r + 1) * b), k * b));
  return {
    x,
    classes: Uint16Array.from(rows, (r) => t.classes[r]!),
    areas: Uint32Array.from(rows, (r) => t.areas[r]!),
  };
}

/** The vectors of one class. */
export const vectorsOf = (t: Training, c: number, b: number): Float32Array =>
  taken(
    t,
    [...t.classes.keys()].filter((i) => t.classes[i] === c),
    b,
  ).x;

/** No more than can be learned from: of each class as many at most, so that none is drowned. */
function thinned(job: Job, t: Training, b: number, classes: number): Training {
  const n = t.classes.length;
  if (n <= MOST_EXAMPLES) return t;
  const counts = countsOf(t.classes, classes);
  // The greatest number a class may have so that all together fit.
  let [low, high] = [1, n];
  while (low < high) {
    const middle = Math.ceil((low + high) / 2);
    if (counts.reduce((s, c) => s + Math.min(c, middle), 0) <= MOST_EXAMPLES) low = middle;
    else high = middle - 1;
  }
  const seen = new Array<number>(classes).fill(0);
  const rows: number[] = [];
  for (let i = 0; i < n; i++) {
    const c = t.classes[i]!;
    const keep = Math.min(counts[c]!, low);
    const k = seen[c]!++;
    if (Math.floor(((k + 1) * keep) / counts[c]!) > Math.floor((k * keep) / counts[c]!)) rows.push(i);
  }
  job.note(
    'look',
    'training.many',
    `Learned from ${plural(rows.length, 'cell')} of ${plural(n, 'cell')} in the areas, at most ${low} of a class.`,
  );
  return taken(t, rows, b);
}

/**
 * Examples that are held back to judge by, class by class: whole areas where every class has at least four, since cells of one area are
 * alike; else single cells.
 *
 * @returns rows to learn from and rows held back
 */
export function heldOut(
  t: Training,
  share: number,
  classes: number,
  random: Random,
): { learn: number[]; held: number[]; by: 'area' | 'cell' } {
  const rows = Array.from({ length: classes }, () => [] as number[]);
  t.classes.forEach((c, i) => rows[c]!.push(i));
  const areas = rows.map((r) => new Set(r.map((i) => t.areas[i]!)));
  const by = areas.every((a) => a.size === 0 || a.size >= 4) ? 'area' : 'cell';
  const learn: number[] = [];
  const held: number[] = [];
  rows.forEach((own, c) => {
    const groups = by === 'area' ? [...areas[c]!].map((a) => own.filter((i) => t.areas[i] === a)) : own.map((i) => [i]);
    // Shuffled (Fisher and Yates).
    for (let i = groups.length - 1; i > 0; i--) {
      const j = random.below(i + 1);
      [groups[i], groups[j]] = [groups[j]!, groups[i]!];
    }
    const wanted = Math.round(share * own.length);
    let out = 0;
    groups.forEach((g, k) => {
      // Something is always left to learn from.
      if (out + g.length / 2 <= wanted && k + 1 < groups.length && share > 0) {
        held.push(...g);
        out += g.length;
      } else learn.push(...g);
    });
  });
  return { learn: learn.sort((a, b) => a - b), held: held.sort((a, b) => a - b), by };
}

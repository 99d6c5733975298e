import * as z from 'zod';
import { HelkError } from '../../errors';
import { plural } from '../../data/check';
import { featureCount, featuresIn, FeaturesBuilder, type Column, type Features } from '../../data/features';
import type { RasterHandle } from '../../data/handle';
import { cellCount, MISSING_CLASS } from '../../data/raster';
import { numberColumn, textColumn, type Table } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import type { Job } from '../../method/job';
import { column } from '../../method/params';
import { blockBytes, blockRows } from '../../method/rows';
import { agreement, areaAdjusted, Z95 } from '../../numeric/agreement';
import { eachRun, edgeRows } from '../../numeric/scanline';
import { columnChecks, columnOf } from '../features/common';
import { asClasses, classChecks, classCounts, labeller } from '../raster/classes';
import { suggestClass } from '../../data/class-column';
import { trainingChecks } from './learning';
import { namedClasses, type NamedClasses } from './training';

const MOST_WRONG = 1_000_000;

export const accuracy = defineMethod({
  id: 'imagery.accuracy',
  version: 1,
  title: 'Accuracy of a map',
  question: 'How right is the map?',
  about:
    'Holds a map of classes against what was found at some places (points, or areas of which every cell counts). The matrix has the map’s classes across and what was found down. User’s accuracy: of what the map calls so, the share that is; producer’s: of what is so, the share that the map calls so; kappa: how much better than chance. Adjusted figures weigh every class of the map with its area, which is right for places drawn class by class, with 95 % intervals (1.96 standard errors): overall, user’s, producer’s, and the area that each class really has. Classes of the two are the same when their labels are (whatever the size of letters), or their numbers. Places where the map has no class, or without a class of their own, do not count.',
  keywords: [
    'error matrix',
    'confusion matrix',
    'kappa',
    'user’s accuracy',
    'producer’s accuracy',
    'validation',
    'overall accuracy',
  ],
  sources: [
    'Congalton 1991, doi:10.1016/0034-4257(91)90048-B',
    'Cohen 1960, doi:10.1177/001316446002000104 (kappa)',
    'Olofsson et al. 2014, doi:10.1016/j.rse.2014.02.015 (by area)',
  ],
  inputs: {
    classes: input.raster({ label: 'Map', band: 'category', parts: true }),
    reference: input.features({ label: 'What was found' }),
  },
  params: z.object({ classColumn: column({ label: 'Class', of: 'reference' }) }),
  serves: 'judge a map',
  outputs: {
    matrix: shown(output.table('Error matrix'), { panel: { id: 'errors' }, first: true }),
    wrong: output.features('Wrong places'),
  },
  figures: {
    n: { label: 'Places' },
    overall: { label: 'Right', unit: 'share' },
    kappa: { label: 'Kappa' },
    overallAdjusted: { label: 'Right, by area' },
    overallAdjustedError: { label: 'Standard error of that' },
  },
  checks: ({ classes, reference }, p) => [
    ...classChecks(classes, 'classes'),
    ...trainingChecks(reference),
    ...columnChecks(reference, [p.classColumn], 'classColumn'),
  ],
  suggest: ({ reference }) => ({ classColumn: suggestClass(reference.columns) }),
  estimate: ({ classes, reference }) => ({
    cells: cellCount(classes.grid),
    bytes: 2 * blockBytes(classes.grid) + reference.count * 300 + 1e8,
    seconds: cellCount(classes.grid) / 3e7,
  }),
  run: async ({ classes, reference }, p, job) => {
    const label = labeller(classes.head.bands[0]!);
    const counts = await classCounts(job, classes, (s) => s / 2);
    const c = columnOf(reference.columns, p.classColumn, 'classColumn');
    const named = namedClasses(c, 'classColumn');
    // One list of classes for both: the map's, then those that were only found.
    const names = counts.map((x) => label(x.value));
    const foundAs = matched(
      names,
      counts.map((x) => x.value),
      named,
      c,
    );
    const only = names.slice(counts.length);
    if (only.length)
      job.note('look', 'accuracy.only', `Found but not in the map: ${only.join(', ')}. Are they named alike in both?`);
    const mapped = new Map(counts.map((x, i) => [x.value, i]));
    const k = names.length;
    const m = Array.from({ length: k }, () => new Array<number>(k).fill(0));
    const wrong: { x: number; y: number; map: number; found: number }[] = [];
    let beside = 0;
    let left = 0;
    await eachPlace(job, classes, reference, (value, feature, x, y) => {
      const r = named.of(feature);
      if (r < 0) left++;
      else if (value === MISSING_CLASS) beside++;
      else {
        const [i, j] = [mapped.get(value)!, foundAs[r]!];
        m[i]![j]!++;
        if (i !== j && wrong.length < MOST_WRONG) wrong.push({ x, y, map: i, found: j });
      }
    });
    if (beside)
      job.note(
        'look',
        'accuracy.beside',
        `${plural(beside, 'place')} ${beside === 1 ? 'lies where the map has no class and does' : 'lie where the map has no class and do'} not count.`,
      );
    if (left)
      job.note(
        'info',
        'accuracy.undecided',
        `${plural(left, 'place')} ${left === 1 ? 'has no class and does' : 'have no class and do'} not count.`,
      );
    const a = agreement(m);
    if (!a.n)
      throw new HelkError(
        'method.input',
        'No place with a class lies on a cell with one: do they lie in the same land?',
        'reference',
      );
    const area = areaAdjusted(m, [...counts.map((x) => x.area), ...only.map(() => 0)]);
    const never = counts.filter((_, i) => m[i]!.every((v) => v === 0));
    if (never.length)
      job.note(
        'look',
        'accuracy.unseen',
        `Nobody looked at places of ${never.map((x) => label(x.value)).join(', ')}: the adjusted figures leave ${never.length === 1 ? 'it' : 'them'} out.`,
      );
    const b = new FeaturesBuilder();
    for (const w of wrong) b.point(w.x, w.y);
    return {
      matrix: matrixTable(names, m, a, area),
      wrong: b.build('point', classes.head.grid.crs, [
        textColumn(
          'mapped',
          wrong.map((w) => names[w.map]!),
        ),
        textColumn(
          'found',
          wrong.map((w) => names[w.found]!),
        ),
      ]),
      figures: {
        n: a.n,
        overall: a.overall,
        kappa: a.kappa,
        overallAdjusted: area.overall.value,
        overallAdjustedError: area.overall.error,
      },
    };
  },
});

/**
 * Which of the map's classes each found one is: of the same name, whatever the size of letters, or number.
 *
 * @param names of the map's classes; those that were only found are put behind
 */
export function matched(names: string[], values: readonly number[], named: NamedClasses, of: Column): number[] {
  const plain = (s: string): string => s.trim().toLowerCase();
  const byName = new Map(names.map((n, i) => [plain(n), i]));
  const byNumber = new Map(values.map((v, i) => [String(v), i]));
  return named.classes.map((r) => {
    const i = byName.get(plain(r.label)) ?? (of.type === 'number' ? byNumber.get(String(r.value)) : undefined);
    if (i !== undefined) return i;
    names.push(r.label);
    byName.set(plain(r.label), names.length - 1);
    return names.length - 1;
  });
}

/** Counts with the map across and what was found down, what they say of each class beside and beneath. */
function matrixTable(
  names: string[],
  m: number[][],
  a: ReturnType<typeof agreement>,
  area: ReturnType<typeof areaAdjusted>,
): Table {
  const sum = (v: readonly number[]): number => v.reduce((s, x) => s + x, 0);
  const down = names.map((_, j) => sum(m.map((r) => r[j]!)));
  const beneath = ['total', 'user’s', 'user’s by area', '± user’s by area'];
  const gaps = (n: number): number[] => new Array<number>(n).fill(NaN);
  const aside = (name: string, values: readonly number[], whole: number): ReturnType<typeof numberColumn> =>
    numberColumn(name, [...values, whole, ...gaps(beneath.length - 1)], '');
  return {
    kind: 'table',
    columns: [
      textColumn('found', [...names, ...beneath]),
      ...names.map((n, i) =>
        numberColumn(n, [...m[i]!, sum(m[i]!), a.users[i]!, area.users[i]!.value, Z95 * area.users[i]!.error]),
      ),
      numberColumn('total', [...down, a.n, ...gaps(beneath.length - 1)]),
      aside('producer’s', a.producers, a.overall),
      aside(
        'producer’s by area',
        area.producers.map((e) => e.value),
        area.overall.value,
      ),
      aside(
        '± producer’s by area',
        area.producers.map((e) => Z95 * e.error),
        Z95 * area.overall.error,
      ),
      aside(
        'share of area',
        area.area.map((e) => e.value),
        sum(area.area.map((e) => e.value)),
      ),
      aside(
        '± share of area',
        area.area.map((e) => Z95 * e.error),
        NaN,
      ),
    ],
  };
}

/** Visits the cells that places lie in: of points one each, of areas those whose centre lies within. */
export async function eachPlace(
  job: Job,
  classes: RasterHandle,
  reference: Features,
  visit: (value: number, feature: number, x: number, y: number) => void,
): Promise<void> {
  const { grid } = classes.head;
  const f = featuresIn(reference, grid.crs);
  const step = blockRows(grid.columns);
  const points = f.geometry === 'point' ? pointsByBlock(f, grid, step) : null;
  const edges = points ? null : edgeRows(f, grid);
  for (let from = 0; from < grid.rows; from += step) {
    job.progress(0.5 + (0.5 * from) / grid.rows, 'looking at places');
    const rows = Math.min(step, grid.rows - from);
    const here = points?.get(from / step) ?? [];
    if (points && !here.length) continue;
    const values = asClasses(await classes.rows(0, from, rows));
    for (const { i, c, r, x, y } of here) visit(values[(r - from) * grid.columns + c]!, i, x, y);
    if (!edges) continue;
    for (let r = from; r < from + rows; r++)
      eachRun(f, edges, grid, r, (c0, c1, i) => {
        for (let c = c0; c < c1; c++)
          visit(values[(r - from) * grid.columns + c]!, i, grid.x + (c + 0.5) * grid.dx, grid.y - (r + 0.5) * grid.dy);
      });
  }
  for (const { i, x, y } of points?.get(-1) ?? []) visit(MISSING_CLASS, i, x, y);
}

interface PointAt {
  i: number;
  c: number;
  r: number;
  x: number;
  y: number;
}

/** Points by the block of rows they lie in; those beside the grid at -1. */
function pointsByBlock(f: Features, grid: RasterHandle['head']['grid'], step: number): Map<number, PointAt[]> {
  const out = new Map<number, PointAt[]>();
  for (let i = 0; i < featureCount(f); i++)
    for (let p = f.featureOffsets[i]!; p < f.featureOffsets[i + 1]!; p++) {
      const k = f.ringOffsets[f.partOffsets[p]!]!;
      const [x, y] = [f.xy[2 * k]!, f.xy[2 * k + 1]!];
      const [c, r] = [Math.floor((x - grid.x) / grid.dx), Math.floor((grid.y - y) / grid.dy)];
      const inside = c >= 0 && r >= 0 && c < grid.columns && r < grid.rows;
      const key = inside ? Math.floor(r / step) : -1;
      const list = out.get(key);
      if (list) list.push({ i, c, r, x, y });
      else out.set(key, [{ i, c, r, x, y }]);
    }
  return out;
}

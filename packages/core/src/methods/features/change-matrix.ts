import * as z from 'zod';
import { HelkError } from '../../errors';
import { besideColumns, featureCount, featuresIn, takeColumn, type Column } from '../../data/features';
import { featureArea, measuredHow } from '../../data/measure';
import { numberColumn, textColumn, type Table } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import { choice, column } from '../../method/params';
import { columnChecks, columnOf, keyOf, noteHeights, placeChecks, totalArea } from './common';
import { overlayPieces } from './overlay-pairs';

const MOST_CLASSES = 200;
const NONE = 'missing';

/** Classes of a column in their order: numbers by size, texts by letter. */
function classesOf(c: Column, param: string): string[] {
  const all = [...new Set(Array.from({ length: c.values.length }, (_, i) => keyOf(c, i) ?? NONE))];
  if (all.length > MOST_CLASSES)
    throw new HelkError(
      'method.parameter',
      `${param}: "${c.name}" has ${all.length} different values; a matrix has at most ${MOST_CLASSES}. Is it the class?`,
      param,
    );
  return all.sort((a, b) => (c.type === 'number' ? Number(a) - Number(b) : a < b ? -1 : a > b ? 1 : 0));
}

const PREFERRED = /^(class|cover|land_?cover|category|type|kind|use)/i;

/** The column that looks like the class, where one does. */
function suggestColumn(
  columns: readonly { name: string; type: string }[],
): { value: string; reason: string } | undefined {
  const c = columns.find((x) => PREFERRED.test(x.name)) ?? columns.find((x) => x.type === 'text');
  return c && { value: c.name, reason: 'looks like the class' };
}

export const changeMatrix = defineMethod({
  id: 'features.changeMatrix',
  version: 1,
  title: 'Change matrix',
  question: 'What became what?',
  about:
    'Areas of two maps of the same land laid over each other and added up by class before (across) and after (down), with totals; the unchanged share is what lies on the diagonal. Only land that both maps cover counts. The overlay holds every piece with the columns of both, a column change (from → to) and its area in the unit.',
  keywords: ['land cover change', 'transition', 'cross tabulation', 'from to', 'gain', 'loss', 'before after'],
  sources: [
    'Pontius, Shusas and McEachern 2004, doi:10.1016/j.agee.2003.09.008',
    'Davis and Obe 2020, OverlayNG (GEOS 3.13)',
  ],
  inputs: {
    before: input.features({ label: 'Before', geometry: 'polygon' }),
    after: input.features({ label: 'After', geometry: 'polygon' }),
  },
  params: z.object({
    beforeColumn: column({ label: 'Class before', of: 'before' }),
    afterColumn: column({ label: 'Class after', of: 'after' }),
    unit: choice({ ha: 'ha', km2: 'km²', m2: 'm²' }, { label: 'Unit of areas' }).default('ha'),
  }),
  outputs: {
    matrix: shown(output.table('Change matrix'), { panel: { id: 'matrix' }, first: true }),
    overlay: output.features('Overlay'),
  },
  figures: {
    total: { label: 'Area in both', unit: 'param:unit' },
    unchanged: { label: 'Unchanged', unit: 'param:unit' },
    unchangedShare: { label: 'Unchanged share', unit: 'share' },
  },
  checks: ({ before, after }, p) => [
    ...columnChecks(before, [p.beforeColumn], 'beforeColumn'),
    ...columnChecks(after, [p.afterColumn], 'afterColumn'),
    ...placeChecks(before, after),
  ],
  suggest: ({ before, after }) => ({
    beforeColumn: suggestColumn(before.columns),
    afterColumn: suggestColumn(after.columns),
  }),
  estimate: ({ before, after }) => ({
    cells: before.count + after.count,
    bytes: (before.count + after.count) * 4000,
    seconds: (before.count + after.count) / 4000,
  }),
  run: async ({ before, after: given }, p, job) => {
    const after = featuresIn(given, before.crs);
    noteHeights(job, before, after);
    const cb = columnOf(before.columns, p.beforeColumn, 'beforeColumn');
    const ca = columnOf(after.columns, p.afterColumn, 'afterColumn');
    const from = classesOf(cb, 'beforeColumn');
    const to = classesOf(ca, 'afterColumn');
    const out = await overlayPieces(job, before, after, ['shared'], ['the map before', 'the map after']);
    const plain = out.features;
    const size = { ha: 1e4, km2: 1e6, m2: 1 }[p.unit];
    const cells = new Map<string, number>();
    const area: number[] = [];
    const change: string[] = [];
    let total = 0;
    let unchanged = 0;
    for (let i = 0; i < featureCount(plain); i++) {
      const a = featureArea(plain, i);
      const f = keyOf(cb, out.fromA[i]!) ?? NONE;
      const t = keyOf(ca, out.fromB[i]!) ?? NONE;
      const key = JSON.stringify([f, t]);
      cells.set(key, (cells.get(key) ?? 0) + a);
      total += a;
      if (f === t) unchanged += a;
      area.push(a / size);
      change.push(f === t ? 'unchanged' : `${f} → ${t}`);
    }
    if (total === 0) job.note('look', 'overlay.empty', 'The two maps share no land.');
    const apart = Math.max(totalArea(before), totalArea(after)) - total;
    if (total > 0 && apart > 0.01 * total)
      job.note(
        'look',
        'change.uncovered',
        `${Number((apart / size).toPrecision(3))} ${p.unit} lie in only one of the maps and do not count.`,
      );
    job.note('info', 'area.how', `Areas are ${measuredHow(before.crs)}.`);
    const value = (f: string, t: string): number => (cells.get(JSON.stringify([f, t])) ?? 0) / size;
    const across = from.map((f) => to.map((t) => value(f, t)));
    const sum = (v: number[]): number => v.reduce((s, x) => s + x, 0);
    const matrix: Table = {
      kind: 'table',
      columns: [
        textColumn('to', [...to, 'total']),
        ...from.map((f, k) => numberColumn(f, [...across[k]!, sum(across[k]!)], p.unit)),
        numberColumn('total', [...to.map((_, r) => sum(across.map((c) => c[r]!))), total / size], p.unit),
      ],
    };
    const overlay = {
      ...plain,
      columns: besideColumns(
        besideColumns(
          before.columns.map((c) => takeColumn(c, out.fromA)),
          after.columns.map((c) => takeColumn(c, out.fromB)),
        ),
        [textColumn('change', change), numberColumn('area', area, p.unit)],
      ),
    };
    return {
      matrix,
      overlay,
      figures: {
        total: total / size,
        unchanged: unchanged / size,
        unchangedShare: total > 0 ? unchanged / total : null,
      },
    };
  },
});

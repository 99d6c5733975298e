import * as z from 'zod';
import { HelkError } from '../../errors';
import { plainHeld } from '../../data/cells';
import type { Check } from '../../data/check';
import { cellCount, gridExtent, MISSING_CLASS, type BandInfo, type Grid } from '../../data/raster';
import { numberColumn, textColumn, type Table } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import { choice } from '../../method/params';
import { CATEGORY_COLOURS } from '../../render/ramps';
import { blockBytes, defineRowKernel, overRows, rowsFrom, tellRows } from '../../method/rows';
import { AREA_UNITS, asClasses, cellArea, classChecks, labeller, SQUARE_METRES } from './classes';
import { cropGrid } from './clip';
import { latticeChecks } from './difference';

/** Colours of the largest changes; of all others, and of what stayed as it was. */
const OUTSTANDING = CATEGORY_COLOURS.slice(0, 8);
const SMALL = '#8f8a82';
const UNCHANGED = '#e4ddcf';

/** Classes of a matrix. */
const MOST = 200;

export const changeMatrix = defineMethod({
  id: 'raster.changeMatrix',
  version: 1,
  title: 'Change matrix of grids',
  question: 'What became what, cell by cell?',
  about:
    'Two grids of classes laid over each other and their cells added up by class before (across) and after (down), as areas, with totals; the unchanged share is what lies on the diagonal. Classes are the same when they have the same label. Only cells with a class in both count. The grid of changes has a class for every pair that occurs, the largest changes first and in colours that stand out. In a geographic system areas are those of the cells on the ellipsoid.',
  keywords: [
    'land cover change',
    'transition',
    'cross tabulation',
    'from to',
    'gain',
    'loss',
    'confusion',
    'before after',
  ],
  sources: ['Pontius, Shusas and McEachern 2004, doi:10.1016/j.agee.2003.09.008'],
  inputs: {
    before: input.raster({ label: 'Before', band: 'category', parts: true }),
    after: input.raster({ label: 'After', band: 'category', parts: true }),
  },
  params: z.object({ unit: choice(AREA_UNITS, { label: 'Unit of areas' }).default('ha') }),
  outputs: {
    matrix: shown(output.table('Change matrix'), { panel: { id: 'matrix' }, first: true }),
    changes: output.raster('Changes'),
  },
  figures: {
    total: { label: 'Area in both', unit: 'param:unit' },
    unchanged: { label: 'Unchanged', unit: 'param:unit' },
    unchangedShare: { label: 'Unchanged share', unit: 'share' },
  },
  checks: ({ before, after }): Check[] => {
    const odd = latticeChecks(before, after, 'after');
    if (odd[0]?.level === 'refused') return odd;
    return [...odd, ...classChecks(before, 'before'), ...classChecks(after, 'after')];
  },
  estimate: ({ before }) => ({
    cells: cellCount(before.grid),
    bytes: blockBytes(before.grid, 3),
    seconds: cellCount(before.grid) / 1.5e7,
  }),
  run: async ({ before, after }, p, job) => {
    const part = cropGrid(before.head.grid, gridExtent(after.head.grid))!;
    const { grid } = part;
    const other = cropGrid(after.head.grid, gridExtent(grid))!;
    const [ba, bb] = [before.head.bands[0]!, after.head.bands[0]!];
    const inputs = [rowsFrom(before, part.row), rowsFrom(after, other.row)];
    const sides = [
      { width: before.head.grid.columns, column: part.column },
      { width: after.head.grid.columns, column: other.column },
    ];
    const counting = { grid, sides };
    const told = await tellRows(job, 'counting', grid, inputs, pairRows, counting, (s) => s / 2);
    const pairs = new Map<string, Pair>();
    for (const t of told)
      for (const q of t) {
        const key = `${q.from} ${q.to}`;
        const was = pairs.get(key);
        if (was) was.area += q.area;
        else {
          if (pairs.size >= MOST * MOST) tooMany('after');
          pairs.set(key, { ...q });
        }
      }
    const [nameA, nameB] = [labeller(ba), labeller(bb)];
    const all = [...pairs.values()].sort((a, b) => a.from - b.from || a.to - b.to);
    const from = [...new Set(all.map((q) => nameA(q.from)))];
    const to = orderedLike(from, [...new Set([...all].sort((a, b) => a.to - b.to).map((q) => nameB(q.to)))]);
    if (Math.max(from.length, to.length) > MOST) tooMany(from.length > MOST ? 'before' : 'after');
    const same = (q: Pair): boolean => nameA(q.from) === nameB(q.to);
    const size = SQUARE_METRES[p.unit];
    const area = from.map((f) =>
      to.map((t) => sum(all.filter((q) => nameA(q.from) === f && nameB(q.to) === t)) / size),
    );
    const total = sum(all) / size;
    const unchanged = sum(all.filter(same)) / size;
    if (!all.length) job.note('look', 'overlay.empty', 'No cell has a class in both.');
    // Changes first, the largest in front, so that these are what is seen.
    const ranked = [...all].sort((a, b) => Number(same(a)) - Number(same(b)) || b.area - a.area);
    const band: BandInfo = {
      name: 'change',
      unit: null,
      kind: 'category',
      storedType: all.length > 255 ? 'int16' : 'uint8',
      missingCode: null,
      classes: ranked.map((q, i) => ({
        value: i + 1,
        label: same(q) ? `${nameA(q.from)}, unchanged` : `${nameA(q.from)} → ${nameB(q.to)}`,
        colour: same(q) ? UNCHANGED : (OUTSTANDING[i] ?? SMALL),
      })),
    };
    const sink = job.raster('changes', { grid, bands: [{ ...band, held: plainHeld(band) }] });
    const codes = new Map(ranked.map((q, i) => [`${q.from} ${q.to}`, i + 1]));
    const coding = { sides, codes: [...codes] };
    await overRows(job, 'changes', grid, inputs, codeRows, coding, sink, ['int32'], (s) => 0.5 + s / 2);
    const line = (v: number[]): number => v.reduce((s, x) => s + x, 0);
    const matrix: Table = {
      kind: 'table',
      columns: [
        textColumn('to', [...to, 'total']),
        ...from.map((f, k) => numberColumn(f, [...area[k]!, line(area[k]!)], p.unit)),
        numberColumn('total', [...to.map((_, r) => line(area.map((c) => c[r]!))), total], p.unit),
      ],
    };
    return {
      matrix,
      changes: sink,
      figures: { total, unchanged, unchangedShare: total > 0 ? unchanged / total : null },
    };
  },
});

const sum = (of: readonly Pair[]): number => of.reduce((s, q) => s + q.area, 0);

function tooMany(role: string): never {
  throw new HelkError('method.input', `There are more than ${MOST} classes: a matrix of them cannot be read.`, role);
}

/** Names in the order of others, those that are not among them behind. */
const orderedLike = (order: readonly string[], names: readonly string[]): string[] => [
  ...order.filter((n) => names.includes(n)),
  ...names.filter((n) => !order.includes(n)),
];

interface Side {
  /** Columns of the grid and the first that is looked at. */
  width: number;
  column: number;
}

interface Pair {
  from: number;
  to: number;
  /** m². */
  area: number;
}

/** Calls with the classes of the two sides, line by line: `at` runs over cells of the part that both share. */
function eachLine(
  sides: Side[],
  block: Parameters<Parameters<typeof defineRowKernel>[1]>[1],
  visit: (row: number, a: Int32Array, b: Int32Array) => void,
): void {
  for (let y = 0; y < block.rows; y++) {
    const [a, b] = sides.map((s, k) => {
      const at = y * s.width + s.column;
      return asClasses(block.inputs[k]!.cells, at, at + block.width);
    }) as [Int32Array, Int32Array];
    visit(y, a, b);
  }
}

const pairRows = defineRowKernel(
  'raster.changeMatrix.count',
  ({ grid, sides }: { grid: Grid; sides: Side[] }, block): Pair[] => {
    const found = new Map<number, Map<number, number>>();
    eachLine(sides, block, (y, a, b) => {
      const area = cellArea(grid, block.from + y);
      for (let x = 0; x < a.length;) {
        const [f, t] = [a[x]!, b[x]!];
        let end = x + 1;
        while (end < a.length && a[end] === f && b[end] === t) end++;
        if (f !== MISSING_CLASS && t !== MISSING_CLASS) {
          let to = found.get(f);
          if (!to) found.set(f, (to = new Map<number, number>()));
          to.set(t, (to.get(t) ?? 0) + (end - x) * area);
        }
        x = end;
      }
    });
    return [...found].flatMap(([from, to]) => [...to].map(([t, area]) => ({ from, to: t, area })));
  },
);

const codeRows = defineRowKernel(
  'raster.changeMatrix',
  ({ sides, codes }: { sides: Side[]; codes: [string, number][] }, block) => {
    const of = new Map(codes);
    const out = block.out[0]!.fill(MISSING_CLASS);
    eachLine(sides, block, (y, a, b) => {
      const at = y * block.width;
      for (let x = 0; x < a.length;) {
        const [f, t] = [a[x]!, b[x]!];
        let end = x + 1;
        while (end < a.length && a[end] === f && b[end] === t) end++;
        const code = of.get(`${f} ${t}`);
        if (code !== undefined) out.fill(code, at + x, at + end);
        x = end;
      }
    });
  },
);

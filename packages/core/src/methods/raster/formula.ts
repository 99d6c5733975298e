import * as z from 'zod';
import { sameCrs } from '../../data/crs';
import { isWide } from '../../data/cells';
import { cellCount, measureHead, missingOf, sameGrid, type RasterInfo } from '../../data/raster';
import { BLOCK, compileFormula } from '../../formula/compile';
import { unitThrough } from '../../formula/unit';
import { namesIn, parseFormula } from '../../formula/parse';
import { defineMethod, input, output } from '../../method/define';
import { text } from '../../method/params';
import { blockBytes, defineRowKernel, outType, overRows } from '../../method/rows';
import { momentsOf, summaryOf } from '../../numeric/statistics';
import type { Check } from '../../data/check';

const LETTERS = 'abcdefghijklmnopqrstuvwxyz';

interface NamedBand {
  raster: number;
  band: number;
  info: RasterInfo['bands'][number];
}

/** Every band of some grids. */
export const bandsIn = (rasters: readonly Pick<RasterInfo, 'bands'>[]): NamedBand[] =>
  rasters.flatMap((r, raster) => r.bands.map((info, band) => ({ raster, band, info })));

/**
 * The names bands go by: letters in the order of the grids for the first band of each, and the names of all bands where no two share one.
 *
 * @returns places in the list of bands
 */
export function namesOf(bands: readonly NamedBand[]): Map<string, number> {
  const names = new Map<string, number>();
  bands.forEach((b, i) => {
    if (b.band === 0) names.set(LETTERS[b.raster]!, i);
  });
  bands.forEach(({ info }, i) => {
    if (!names.has(info.name) && bands.filter((o) => o.info.name === info.name).length === 1) names.set(info.name, i);
  });
  return names;
}

function gridChecks(rasters: RasterInfo[]): Check[] {
  const first = rasters[0]!;
  if (rasters.length > LETTERS.length)
    return [
      {
        level: 'refused',
        code: 'formula.many',
        about: 'rasters',
        message: `At most ${LETTERS.length} grids can stand in a formula.`,
      },
    ];
  for (const [i, r] of rasters.entries()) {
    if (!sameCrs(r.grid.crs, first.grid.crs) || !sameGrid(r.grid, first.grid)) {
      return [
        {
          level: 'refused',
          code: 'grids.unlike',
          about: 'rasters',
          message: `Grid ${LETTERS[i]} does not lie on grid a: another system, cell size, place or extent. Bring it there first by “Reproject” or “Clip”.`,
        },
      ];
    }
  }
  return [];
}

export const formula = defineMethod({
  id: 'raster.formula',
  version: 2,
  title: 'Formula',
  question: 'What do these grids give when computed together?',
  about:
    'A formula worked out for every cell. The grids are called a, b, c … in their order, or by the names of their bands ([odd name] in brackets), all bands of a grid that has several. Arithmetic, comparison (1 or 0), &&, ||, !, ?: and the functions abs min max round floor ceil sqrt pow exp log log10 sin cos tan atan2 hypot clamp isMissing coalesce if; angles in radians; PI and E. Missing in, missing out, but for isMissing, coalesce and the branch not taken.',
  keywords: ['raster calculator', 'map algebra', 'expression', 'compute', 'calculate', 'index'],
  sources: ['ECMA-262 (grammar of expressions)'],
  inputs: { rasters: input.rasters({ label: 'Grids', bands: 'all', parts: true }) },
  params: z.object({
    formula: text({ label: 'Formula', help: 'Like (a - b) / (a + b), or if(a > 500, 1, 0).', widget: 'formula' }),
    unit: text({
      label: 'Unit of the result',
      help: 'Like m. Left empty: that of the grids where the formula only chooses, adds or rounds values of one unit, else none.',
    }).default(''),
  }),
  preview: { kind: 'formula', input: 'rasters', param: 'formula' },
  outputs: { result: output.raster('Result') },
  named: ({ rasters = [] }) => (rasters.length === 1 ? `${rasters[0]}, by formula` : 'Result'),
  figures: {
    min: { label: 'Lowest', unit: 'result' },
    max: { label: 'Highest', unit: 'result' },
    mean: { label: 'Mean', unit: 'result' },
  },
  checks: ({ rasters }, p) => {
    const unlike = gridChecks(rasters);
    if (unlike.length) return unlike;
    const all = bandsIn(rasters);
    const names = namesOf(all);
    const tree = parseFormula(p.formula);
    // An unknown name is refused here already, with what there is.
    compileFormula(tree, { column: (n) => (names.has(n) ? [] : undefined), known: [...names.keys()] });
    const used = namesIn(tree)
      .map((n) => names.get(n))
      .filter((i) => i !== undefined);
    const units = new Set(used.map((i) => all[i!]!.info.unit).filter(Boolean));
    const idle = rasters.map((_, i) => i).filter((i) => !used.some((u) => all[u!]!.raster === i));
    return [
      ...(units.size > 1
        ? [
            {
              level: 'look' as const,
              code: 'formula.units',
              about: 'formula',
              message: `The formula brings together ${[...units].join(' and ')}.`,
            },
          ]
        : []),
      ...(idle.length
        ? [
            {
              level: 'look' as const,
              code: 'formula.idle',
              about: 'rasters',
              message: `The formula does not use ${idle.map((i) => LETTERS[i]).join(', ')}.`,
            },
          ]
        : []),
    ];
  },
  estimate: ({ rasters }) => ({
    cells: cellCount(rasters[0]!.grid),
    bytes: blockBytes(rasters[0]!.grid, 1 + rasters.length),
    seconds: cellCount(rasters[0]!.grid) / 2e7,
  }),
  run: async ({ rasters }, p, job) => {
    const { grid } = rasters[0]!.head;
    const all = bandsIn(rasters.map((r) => r.head));
    const names = namesOf(all);
    const tree = parseFormula(p.formula);
    // Only bands that are named are read.
    const used = [...new Set(namesIn(tree).flatMap((n) => names.get(n) ?? []))];
    const bands = used.map((i) => all[i]!);
    const wide = bands.some((b) => isWide(b.info.held?.type ?? b.info.storedType));
    const through = unitThrough(tree, (n) => all[names.get(n) ?? -1]?.info.unit ?? null);
    const unit = p.unit || (through === undefined ? '' : through);
    // What is left of the values of one band is still called as it is.
    const name = through !== undefined && bands.length === 1 ? bands[0]!.info.name : 'result';
    const head = measureHead(grid, { name, unit, storedType: wide ? 'float64' : 'float32' });
    const sink = job.raster('result', head);
    const known = [...names].flatMap(([n, i]) => (used.includes(i) ? [[n, used.indexOf(i)] as const] : []));
    const params = { formula: p.formula, names: known, missing: bands.map((b) => missingOf(b.info)) };
    const inputs = bands.map(({ raster, band }) => ({ of: rasters[raster]!, band }));
    const told = await overRows(job, 'computing', grid, inputs, formulaRows, params, sink, [outType(head.bands[0])]);
    const { min, max, mean, count } = summaryOf(told);
    if (count === 0) job.note('look', 'formula.empty', 'Every cell of the result is missing.');
    const or = (v: number): number | null => (v === v ? v : null);
    return { result: sink, figures: { min: or(min), max: or(max), mean: or(mean) } };
  },
});

interface FormulaParams {
  formula: string;
  /** Names with the input that each stands for. */
  names: (readonly [string, number])[];
  missing: number[];
}

const formulaRows = defineRowKernel('raster.formula', ({ formula: text, names, missing }: FormulaParams, block) => {
  const columns = block.inputs.map(({ cells }, k) => {
    const none = missing[k]!;
    return none === none ? Float64Array.from(cells, (v) => (v === none ? NaN : v)) : cells;
  });
  const index = new Map(names);
  const step = compileFormula(parseFormula(text), {
    column: (name) => (index.has(name) ? columns[index.get(name)!] : undefined),
    known: [...index.keys()],
  });
  const out = block.out[0]!;
  const some = new Float64Array(BLOCK);
  for (let s = 0; s < out.length; s += BLOCK) {
    const k = Math.min(BLOCK, out.length - s);
    step(s, k, some);
    // Infinite results (division by zero) are no values.
    for (let i = 0; i < k; i++) out[s + i] = Number.isFinite(some[i]!) ? some[i]! : NaN;
  }
  return momentsOf(out);
});

import { z } from 'zod';
import { sameCrs } from '../../data/crs';
import { cellCount, firstBand, measureRaster, missingOf, sameGrid, type RasterInfo } from '../../data/raster';
import { BLOCK, compileFormula } from '../../formula/compile';
import { namesIn, parseFormula } from '../../formula/parse';
import { defineMethod, input, output } from '../../method/define';
import { text } from '../../method/params';
import { summarise } from '../../numeric/statistics';
import type { Check } from '../../data/check';

const LETTERS = 'abcdefghijklmnopqrstuvwxyz';

/** The names grids go by: letters in order, and the names of their bands where no two share one. */
export function namesOf(bands: { name: string }[]): Map<string, number> {
  const names = new Map<string, number>();
  bands.forEach((_, i) => names.set(LETTERS[i]!, i));
  bands.forEach((b, i) => {
    if (!names.has(b.name) && bands.filter((o) => o.name === b.name).length === 1) names.set(b.name, i);
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
          message: `Grid ${LETTERS[i]} does not lie on grid a: another system, cell size, place or extent. Bring it there first (raster.reproject, raster.clip).`,
        },
      ];
    }
  }
  return [];
}

export const formula = defineMethod({
  id: 'raster.formula',
  version: 1,
  title: 'Formula',
  question: 'What do these grids give when computed together?',
  about:
    'A formula worked out for every cell. The grids are called a, b, c … in their order, or by the name of their band ([odd name] in brackets). Arithmetic, comparison (1 or 0), &&, ||, !, ?: and the functions abs min max round floor ceil sqrt pow exp log log10 sin cos tan atan2 hypot clamp isMissing coalesce if; angles in radians; PI and E. Missing in, missing out, but for isMissing, coalesce and the branch not taken.',
  keywords: ['raster calculator', 'map algebra', 'expression', 'compute', 'calculate', 'index'],
  sources: ['ECMA-262 (grammar of expressions)'],
  inputs: { rasters: input.rasters({ label: 'Grids' }) },
  params: z.object({
    formula: text({ label: 'Formula', help: 'Like (a - b) / (a + b), or if(a > 500, 1, 0).', editor: 'formula' }),
    unit: text({ label: 'Unit of the result', help: 'Like m; empty when it has none.' }).default(''),
  }),
  outputs: { result: output.raster('Result') },
  figures: {
    min: { label: 'Lowest', unit: 'result' },
    max: { label: 'Highest', unit: 'result' },
    mean: { label: 'Mean', unit: 'result' },
  },
  checks: ({ rasters }, p) => {
    const unlike = gridChecks(rasters);
    if (unlike.length) return unlike;
    const names = namesOf(rasters.map((r) => r.bands[0]!));
    const tree = parseFormula(p.formula);
    // An unknown name is refused here already, with what there is.
    compileFormula(tree, { column: (n) => (names.has(n) ? [] : undefined), known: [...names.keys()] });
    const used = namesIn(tree)
      .map((n) => names.get(n))
      .filter((i) => i !== undefined);
    const units = new Set(used.map((i) => rasters[i!]!.bands[0]!.unit).filter(Boolean));
    const idle = rasters.map((_, i) => i).filter((i) => !used.includes(i));
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
    bytes: cellCount(rasters[0]!.grid) * (4 + 4 * rasters.length),
    seconds: cellCount(rasters[0]!.grid) / 2e7,
  }),
  run: ({ rasters }, p, job) => {
    const bands = rasters.map(firstBand);
    const names = namesOf(bands);
    const n = cellCount(rasters[0]!.grid);
    const columns = bands.map((b) => {
      const missing = missingOf(b);
      return missing === missing ? Float64Array.from(b.cells, (v) => (v === missing ? NaN : v)) : b.cells;
    });
    const step = compileFormula(parseFormula(p.formula), {
      column: (name) => (names.has(name) ? columns[names.get(name)!] : undefined),
      known: [...names.keys()],
    });
    const wide = bands.some((b) => b.cells instanceof Float64Array);
    const out = wide ? new Float64Array(n) : new Float32Array(n);
    const block = new Float64Array(BLOCK);
    for (let s = 0; s < n; s += BLOCK) {
      if ((s & 0xfffff) === 0) job.progress(s / n, 'computing');
      const k = Math.min(BLOCK, n - s);
      step(s, k, block);
      // Infinite results (division by zero) are no values.
      for (let i = 0; i < k; i++) out[s + i] = Number.isFinite(block[i]!) ? block[i]! : NaN;
    }
    const { min, max, mean, count } = summarise(out);
    if (count === 0) job.note('look', 'formula.empty', 'Every cell of the result is missing.');
    const or = (v: number): number | null => (v === v ? v : null);
    return {
      result: measureRaster(rasters[0]!.grid, out, { name: 'result', unit: p.unit }),
      figures: { min: or(min), max: or(max), mean: or(mean) },
    };
  },
});

import * as z from 'zod';
import { HelkError } from '../../errors';
import type { Held } from '../../data/held';
import { cellCount, MISSING_CLASS, missingOf, type BandInfo, type ClassEntry } from '../../data/raster';
import { defineMethod, input, output } from '../../method/define';
import { text } from '../../method/params';
import { blockBytes, defineRowKernel, overRows } from '../../method/rows';
import type { Check } from '../../data/check';

export interface RecodeRule {
  /** Closed interval; a single value has both ends alike. */
  from: number;
  to: number;
  value: number;
  label: string;
  /** `#rrggbb`, where the rule names one. */
  colour?: string;
}

export interface Recode {
  rules: RecodeRule[];
  /** What becomes of values that no rule covers; null when nothing is said. */
  rest: 'keep' | 'missing' | { value: number; label: string; colour?: string } | null;
}

const NUMBER = String.raw`[+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:e[+-]?\d+)?`;
const RULE = new RegExp(
  String.raw`^(?:(${NUMBER})\s*(?:\.\.|to)\s*(${NUMBER})|(${NUMBER}(?:\s*,\s*${NUMBER})*)|(\*|others))\s*(?:=|->)\s*(?:(keep|missing)|([+-]?\d+)(?:\s+(.*))?)$`,
  'i',
);

/** Takes a colour off the end of a label. */
function labelled(text: string): { label: string; colour?: string } {
  const m = /^(.*?)\s*(#[0-9a-f]{6})$/i.exec(text.trim());
  return m ? { label: m[1]!.trim(), colour: m[2]!.toLowerCase() } : { label: text.trim() };
}

/** Rules as text that `parseRules` reads back to the same. */
export function formatRules({ rules, rest }: Recode): string {
  const target = (r: { value: number; label: string; colour?: string }): string =>
    r.value === MISSING_CLASS
      ? 'missing'
      : [r.value, r.label.replace(/[;\n]/g, ' ').trim(), r.colour].filter((x) => x !== '' && x !== undefined).join(' ');
  const lines = rules.map((r) => `${span(r)} -> ${target(r)}`);
  if (rest) lines.push(`others -> ${typeof rest === 'string' ? rest : target(rest)}`);
  return lines.join('; ');
}

/**
 * Reads rules like `1 to 5 -> 2 reed; 6, 8 -> 1 water; others -> keep`: intervals (both ends belong), values, and the others. `1..5`, `=` and
 * `*` are read as well.
 *
 * @throws HelkError `method.parameter` with the rule that cannot be read.
 */
export function parseRules(text: string): Recode {
  const rules: RecodeRule[] = [];
  let rest: Recode['rest'] = null;
  for (const part of text
    .split(/[;\n]/)
    .map((s) => s.trim())
    .filter(Boolean)) {
    const m = RULE.exec(part);
    if (!m)
      throw new HelkError(
        'method.parameter',
        `rules: "${part}" cannot be read; write 1 to 5 -> 2 reed, or 6, 8 -> 1 water, or others -> keep.`,
        'rules',
      );
    const named = labelled(m[7] ?? '');
    if (m[4]) {
      rest = m[5] ? (m[5].toLowerCase() as 'keep' | 'missing') : { value: Number(m[6]), ...named };
      continue;
    }
    const value = m[5] ? (m[5].toLowerCase() === 'missing' ? MISSING_CLASS : NaN) : Number(m[6]);
    if (value !== value)
      throw new HelkError('method.parameter', `rules: "${part}": only the others can be kept.`, 'rules');
    const spans: [number, number][] = m[3]
      ? m[3].split(',').map((v): [number, number] => [Number(v), Number(v)])
      : [[Number(m[1]), Number(m[2])]];
    for (const [from, to] of spans) {
      if (from > to)
        throw new HelkError('method.parameter', `rules: in "${part}" the first value is above the second.`, 'rules');
      rules.push({ from, to, value, ...named });
    }
  }
  if (!rules.length) throw new HelkError('method.parameter', 'rules: there is no rule.', 'rules');
  return { rules, rest };
}

/**
 * Pairs of rules with different results that claim the same value.
 *
 * @param ends whether a common end counts: it does among whole numbers, hardly among measures
 */
export function clashes(rules: RecodeRule[], ends = true): [RecodeRule, RecodeRule][] {
  const out: [RecodeRule, RecodeRule][] = [];
  rules.forEach((a, i) => {
    for (const b of rules.slice(i + 1)) {
      const from = Math.max(a.from, b.from);
      const to = Math.min(a.to, b.to);
      if (a.value !== b.value && (ends || a.from === a.to || b.from === b.to ? from <= to : from < to))
        out.push([a, b]);
    }
  });
  return out;
}

/** `1 to 5`, or `3` for a single value. */
export const span = (r: Pick<RecodeRule, 'from' | 'to'>): string =>
  r.from === r.to ? String(r.from) : `${r.from} to ${r.to}`;

export const recode = defineMethod({
  id: 'raster.recode',
  version: 1,
  title: 'Recode',
  question: 'Which classes do these values make?',
  about:
    'Classes from values by rules: `1 to 5 -> 2 reed; 6, 8 -> 1 water; others -> keep`. A colour may stand behind the label (`#7fa08c`). Both ends of an interval belong to it; the first rule that fits a value wins. Values that no rule covers become missing unless the others are given a class or kept, and are counted; values that two rules with different results claim are counted as clashes.',
  keywords: ['reclassify', 'classes', 'categories', 'rules', 'merge classes', 'lookup'],
  sources: ['common practice, no source'],
  inputs: { raster: input.raster({ parts: true }) },
  params: z.object({
    rules: text({ label: 'Rules', help: 'Separated by semicolons: 1 to 5 -> 2 reed; others -> keep', widget: 'rules' }),
  }),
  serves: 'make classes of names',
  outputs: { recoded: output.raster('Recoded') },
  figures: {
    uncoveredValues: { label: 'Values no rule covers' },
    uncoveredCells: { label: 'Cells with such values' },
    clashes: { label: 'Values two rules claim' },
  },
  checks: ({ raster }, p): Check[] => {
    const { rules, rest } = parseRules(p.rules);
    const whole = /int/.test(raster.bands[0]!.storedType);
    const checks: Check[] = clashes(rules, whole).map(([a, b]) => ({
      level: 'look',
      code: 'recode.clash',
      about: 'rules',
      message: `${span(a)} and ${span(b)} claim the same values; the first rule wins.`,
    }));
    const f = raster.bands[0]!.facts;
    if (f?.values && rest === null) {
      const forgotten = f.values.filter((v) => !rules.some((r) => v.value >= r.from && v.value <= r.to));
      if (forgotten.length)
        checks.push({
          level: 'look',
          code: 'recode.forgotten',
          about: 'rules',
          message: `No rule covers ${forgotten
            .slice(0, 12)
            .map((v) => v.value)
            .join(
              ', ',
            )}${forgotten.length > 12 ? ' …' : ''} (${forgotten.reduce((s, v) => s + v.cells, 0)} cells): they become missing.`,
          mend: { label: 'Keep them as they are', set: { rules: `${p.rules.replace(/[;\s]+$/, '')}; others -> keep` } },
        });
      return checks;
    }
    if (f && rest === null) {
      const low = Math.min(...rules.map((r) => r.from));
      const high = Math.max(...rules.map((r) => r.to));
      if (f.summary.min < low || f.summary.max > high) {
        checks.push({
          level: 'look',
          code: 'recode.range',
          about: 'rules',
          message: `The values run from ${f.summary.min} to ${f.summary.max}, the rules from ${low} to ${high}: the others become missing.`,
        });
      }
      const sorted = [...rules].sort((a, b) => a.from - b.from);
      let reach = sorted[0]!.to;
      for (const r of sorted.slice(1)) {
        if (r.from > reach && !(whole && r.from <= reach + 1))
          checks.push({
            level: 'look',
            code: 'recode.between',
            about: 'rules',
            message: `No rule covers the values between ${reach} and ${r.from}: they become missing.`,
          });
        reach = Math.max(reach, r.to);
      }
    }
    return checks;
  },
  estimate: ({ raster }) => ({
    cells: cellCount(raster.grid),
    bytes: blockBytes(raster.grid),
    seconds: cellCount(raster.grid) / 3e7,
  }),
  run: async ({ raster }, p, job) => {
    const { grid, bands } = raster.head;
    const band = bands[0]!;
    const { rules, rest } = parseRules(p.rules);
    const uncovered = new Set<number>();
    const claimed = new Set<number>();
    let uncoveredCells = 0;
    let fraction = false;
    const result = recodedBand(band, rules, rest);
    const sink = job.raster('recoded', { grid, bands: [result] });
    const params = { rules: p.rules, missing: missingOf(band) };
    const told = await overRows(job, 'recoding', grid, [{ of: raster }], recodeRows, params, sink, ['int32']);
    for (const t of told) {
      for (const v of t.uncovered) if (uncovered.size < MOST_LISTED) uncovered.add(v);
      for (const v of t.claimed) claimed.add(v);
      uncoveredCells += t.uncoveredCells;
      fraction ||= t.fraction;
    }
    if (fraction) job.note('look', 'recode.rounded', 'Kept values were rounded: classes are whole numbers.');
    if (uncoveredCells && rest === null)
      job.note(
        'look',
        'recode.uncovered',
        `${uncovered.size} ${uncovered.size === 1 ? 'value' : 'values'} in ${uncoveredCells} cells are covered by no rule and became missing.`,
      );
    return {
      recoded: sink,
      figures: { uncoveredValues: uncovered.size, uncoveredCells, clashes: claimed.size },
    };
  },
});

/** The band of classes that rules make, with the names and colours they give. */
function recodedBand(band: BandInfo, rules: RecodeRule[], rest: Recode['rest']): BandInfo & { held: Held } {
  const labels = new Map<number, string>(
    (band.classes ?? []).filter(() => rest === 'keep').map((c) => [c.value, c.label]),
  );
  for (const r of [...rules].reverse())
    if (r.value !== MISSING_CLASS) labels.set(r.value, r.label || labels.get(r.value) || String(r.value));
  if (rest && typeof rest === 'object') labels.set(rest.value, rest.label || String(rest.value));
  const colours = new Map<number, string | null>(
    (band.classes ?? []).filter(() => rest === 'keep').map((c) => [c.value, c.colour]),
  );
  for (const r of [...rules, ...(rest && typeof rest === 'object' ? [rest] : [])].reverse())
    if (r.colour) colours.set(r.value, r.colour);
  const classes: ClassEntry[] = [...labels]
    .sort((a, b) => a[0] - b[0])
    .map(([value, label]) => ({ value, label, colour: colours.get(value) ?? null }));
  return {
    name: band.name,
    unit: null,
    kind: 'category',
    storedType: 'int16',
    missingCode: null,
    classes,
    held: { type: 'int32', missing: MISSING_CLASS },
  };
}

/** Values that are listed one by one. */
const MOST_LISTED = 1_000_000;

const recodeRows = defineRowKernel('raster.recode', (p: { rules: string; missing: number }, block) => {
  const { rules, rest } = parseRules(p.rules);
  const clashing = clashes(rules);
  const { cells } = block.inputs[0]!;
  const out = block.out[0]!;
  const uncovered = new Set<number>();
  const claimed = new Set<number>();
  let uncoveredCells = 0;
  let fraction = false;
  for (let i = 0; i < out.length; i++) {
    const v = cells[i]!;
    if (v !== v || v === p.missing) {
      out[i] = MISSING_CLASS;
      continue;
    }
    let rule: RecodeRule | undefined;
    for (const r of rules) {
      if (v >= r.from && v <= r.to) {
        rule = r;
        break;
      }
    }
    for (const [a, b] of clashing) if (v >= a.from && v <= a.to && v >= b.from && v <= b.to) claimed.add(v);
    if (rule) out[i] = rule.value;
    else {
      uncoveredCells++;
      if (uncovered.size < MOST_LISTED) uncovered.add(v);
      if (rest === 'keep') {
        fraction ||= v !== Math.round(v);
        out[i] = Math.round(v);
      } else out[i] = rest && rest !== 'missing' ? rest.value : MISSING_CLASS;
    }
  }
  return {
    uncovered: Float64Array.from(uncovered),
    claimed: Float64Array.from(claimed),
    uncoveredCells,
    fraction,
  };
});

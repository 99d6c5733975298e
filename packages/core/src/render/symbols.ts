import type { Column, Features } from '../data/features';
import { own } from '../data/own';
import { labelsOver } from '../formula/over-features';
import { classBreaks, classOf, type BreakRule } from '../numeric/classes';
import { categoryColours } from './categories';
import { inOrder, meantWords } from './meanings';
import { colourTable } from './paint';
import { rampTable } from './ramps';
import type { Scale } from './style';

/** What decides the colour of a feature. */
export type ColourBy =
  | { kind: 'one' }
  | {
      kind: 'classes';
      column: string;
      rule: BreakRule;
      classes: number;
      own: number[];
      ramp: string;
      reversed: boolean;
      /** Equal steps lie symmetric around this value, as residuals do around 0. */
      around?: number;
    }
  /** The very colours of the raster that is drawn below, so that measured and estimated values can be compared by eye. */
  | { kind: 'raster'; column: string }
  /** `labels` are what categories are called, where that is not what they are. */
  | { kind: 'category'; column: string; colours: Record<string, string>; labels?: Record<string, string> };

export interface VectorStyle {
  colour: string;
  width: number;
  /** Opacity of the inside of polygons. */
  fill: number;
  opacity: number;
  /** Of polygons and points; null for the colour of the feature itself. */
  outline: string | null;
  by: ColourBy;
  /** Point radius, or line width, grows with the square root of a column. */
  size: { column: string; largest: number } | null;
  /** A column of truth: features for which it holds are drawn twice as wide. */
  emphasis: string | null;
  /** A formula; a column's name is one. Lines break at \\n. */
  label: { formula: string; size: number } | null;
  /** Of lines: a dot at both ends of each, where something stops or joins. */
  ends?: boolean;
}

export const PLAIN_VECTOR: VectorStyle = {
  colour: '#d6246e',
  width: 2,
  fill: 0.15,
  opacity: 1,
  outline: null,
  by: { kind: 'one' },
  size: null,
  emphasis: null,
  label: null,
};

/** Colour of values that are missing. */
export const MISSING_COLOUR = '#b9b4aa';
const MOST_CATEGORIES = 200;

export interface LegendEntry {
  colour: string;
  text: string;
  count: number;
  /** Category, or ends of the class. */
  key: string;
}

/** A style worked out over the features it is for. */
export interface Symbols {
  /** Index into `colours` of each feature. */
  index: Uint16Array;
  colours: string[];
  /** Relative size of each feature, 0 to 1; null when all are alike. */
  size: Float64Array | null;
  emphasised: Uint8Array | null;
  labels: (string | null)[] | null;
  legend: LegendEntry[];
  breaks: number[];
  /** What the legend tells numbers in, where that is not the column's own unit. */
  unit: string | null;
  /** Why a part of the style could not be applied. */
  problem: string | null;
}

const columnOf = (f: Features, name: string): Column | undefined => f.columns.find((c) => c.name === name);

/** Numbers of a column without missing ones, ascending. */
export function sortedValues(c: Column): Float64Array {
  if (c.type === 'text') return new Float64Array();
  return (c.values as Float64Array).filter((v, i) => v === v && !c.missing?.[i]).sort();
}

/** Categories of a column as text with their counts, most frequent first. */
export function categoriesOf(c: Column): { key: string; count: number }[] {
  const counts = new Map<string, number>();
  for (let i = 0; i < c.values.length; i++) {
    if (c.missing?.[i]) continue;
    const k = String(c.values[i]);
    counts.set(k, (counts.get(k) ?? 0) + 1);
  }
  return [...counts]
    .map(([key, count]) => ({ key, count }))
    .sort((a, b) => b.count - a.count || (a.key < b.key ? -1 : 1));
}

/** Inner breaks of a classed column: the rule's, or one's own within the range. */
export function breaksFor(by: Extract<ColourBy, { kind: 'classes' }>, sorted: Float64Array): number[] {
  if (by.rule === 'own') return [...by.own].sort((a, b) => a - b);
  if (by.around !== undefined && by.rule === 'equal' && sorted.length) {
    const { around, classes } = by;
    const reach = Math.max(around - sorted[0]!, sorted[sorted.length - 1]! - around);
    return Array.from({ length: classes - 1 }, (_, k) => around + reach * ((2 * (k + 1)) / classes - 1));
  }
  return classBreaks(sorted, by.classes, by.rule);
}

/** `n` colours spread over a ramp. */
export function rampColours(ramp: string, reversed: boolean, n: number): string[] {
  const t = rampTable(ramp, reversed);
  return Array.from({ length: n }, (_, k) => hexOf(t, 3 * (n === 1 ? 128 : Math.round((k * 255) / (n - 1)))));
}

/** Three bytes of a colour table as `#rrggbb`. */
const hexOf = (t: ArrayLike<number>, i: number): string =>
  `#${[0, 1, 2].map((k) => t[i + k]!.toString(16).padStart(2, '0')).join('')}`;

/** How a number is written, with as many digits as one in a range of that size has. */
type Format = (v: number, range?: number) => string;

/** Sizes of ranges whose numbers have 0, 1, 2 … digits behind the point. */
const DIGITS = [1000, 100, 1, 0.1, 0.01, 0.001, 1e-4, 1e-5];

/** As many digits as breaks have that somebody gave. */
function asTyped(breaks: readonly number[]): number {
  const digits = breaks.map((b) => /\.(\d+)$/.exec(String(Number(b.toPrecision(6))))?.[1]!.length ?? 0);
  return DIGITS[Math.min(DIGITS.length - 1, Math.max(0, ...digits))]!;
}

/** As many digits as tell breaks apart, and are off by no more than a tenth of the smallest step between them. */
function rangeOf(breaks: readonly number[], sorted: Float64Array): number {
  const [low, high] = [sorted[0] ?? 0, sorted[sorted.length - 1] ?? 0];
  let least = high - low;
  for (let i = 1; i < breaks.length; i++) least = Math.min(least, breaks[i]! - breaks[i - 1]!);
  const digits = least > 0 ? Math.ceil(-Math.log10(least / 4) - 1e-9) : 0;
  return DIGITS[Math.min(DIGITS.length - 1, Math.max(0, digits))]!;
}

/** Applies a style to features. O(n log n) for classes, O(n) otherwise. @param scale of the raster below, for colours taken from it */
export function symbolsOf(s: VectorStyle, f: Features, format: Format = String, scale: Scale | null = null): Symbols {
  const n = f.featureOffsets.length - 1;
  const out: Symbols = {
    index: new Uint16Array(n),
    colours: [s.colour],
    size: null,
    emphasised: null,
    labels: null,
    legend: [],
    breaks: [],
    unit: null,
    problem: null,
  };
  if (s.by.kind === 'classes') classes(s.by, f, out, format);
  else if (s.by.kind === 'category') categories(s.by, f, out);
  else if (s.by.kind === 'raster') likeRaster(s.by.column, f, scale, out);
  if (s.size) {
    const c = columnOf(f, s.size.column);
    const sorted = c ? sortedValues(c) : null;
    const top = sorted?.length ? Math.max(Math.abs(sorted[0]!), Math.abs(sorted[sorted.length - 1]!)) : 0;
    if (c && top > 0)
      out.size = Float64Array.from(c.values as Float64Array, (v, i) =>
        v === v && !c.missing?.[i] ? Math.sqrt(Math.abs(v) / top) : 0,
      );
  }
  const e = s.emphasis ? columnOf(f, s.emphasis) : undefined;
  if (e && e.type !== 'text')
    out.emphasised = Uint8Array.from(e.values as Float64Array, (v, i) => (v > 0 && !e.missing?.[i] ? 1 : 0));
  if (s.label?.formula.trim()) {
    try {
      out.labels = labelsOver(f, s.label.formula);
    } catch (x) {
      out.problem = x instanceof Error ? x.message : String(x);
    }
  }
  return out;
}

function classes(by: Extract<ColourBy, { kind: 'classes' }>, f: Features, out: Symbols, format: Format): void {
  const c = columnOf(f, by.column);
  if (!c || c.type === 'text') {
    out.problem = `There is no column "${by.column}" of numbers.`;
    return;
  }
  const sorted = sortedValues(c);
  out.breaks = breaksFor(by, sorted);
  const k = out.breaks.length + 1;
  // Times of some length are told in minutes, unless the column is called otherwise.
  const minutes = c.unit === 's' && c.name !== 'seconds' && sorted[sorted.length - 1]! >= 120;
  if (minutes) out.unit = 'min';
  const told = (v: number): string =>
    minutes ? format(v / 60) : format(v, by.rule === 'own' ? asTyped(out.breaks) : rangeOf(out.breaks, sorted));
  out.colours = [...rampColours(by.ramp, by.reversed, k), MISSING_COLOUR];
  const counts = new Uint32Array(k + 1);
  const v = c.values as Float64Array;
  /** The value that all of a class have; not a number where they have several. */
  const only = new Float64Array(k + 1);
  for (let i = 0; i < v.length; i++) {
    const at = v[i] !== v[i] || c.missing?.[i] ? k : classOf(v[i]!, out.breaks);
    out.index[i] = at;
    if (!counts[at]!++) only[at] = v[i]!;
    else if (only[at] !== v[i]) only[at] = NaN;
  }
  if (!sorted.length) return;
  // A few values, each a class of its own, are told by themselves and not as ranges.
  const few = by.rule !== 'own' && only.subarray(0, k).every((x, i) => !counts[i] || x === x);
  const ends = [sorted[0]!, ...out.breaks, sorted[sorted.length - 1]!];
  out.legend = out.colours.slice(0, k).map((colour, i) => ({
    colour,
    text: few && counts[i] ? told(only[i]!) : between(ends[i]!, ends[i + 1]!, i === 0, told),
    count: counts[i]!,
    key: String(i),
  }));
  if (counts[k]) out.legend.push({ colour: MISSING_COLOUR, text: 'missing', count: counts[k]!, key: '' });
}

/** A class in words; breaks may lie beyond the values (own ones, or those that lie symmetric around a value). */
function between(from: number, to: number, first: boolean, format: (v: number) => string): string {
  if (from <= to) return `${format(from)} to ${format(to)}`;
  return first ? `below ${format(to)}` : `${format(from)} and above`;
}

/** Colours of a raster's scale at the values of a column. */
function likeRaster(column: string, f: Features, scale: Scale | null, out: Symbols): void {
  const c = columnOf(f, column);
  if (!c || c.type === 'text') {
    out.problem = `There is no column "${column}" of numbers.`;
    return;
  }
  if (!scale) {
    out.problem = 'There is no raster in this pane to take colours from.';
    return;
  }
  const { table, index } = colourTable(scale);
  out.colours = Array.from({ length: table.length / 3 }, (_, i) => hexOf(table, 3 * i));
  const gone = out.colours.push(MISSING_COLOUR) - 1;
  const v = c.values as Float64Array;
  for (let i = 0; i < v.length; i++) out.index[i] = v[i] !== v[i] || c.missing?.[i] ? gone : index(v[i]!);
}

function categories(by: Extract<ColourBy, { kind: 'category' }>, f: Features, out: Symbols): void {
  const c = columnOf(f, by.column);
  if (!c) {
    out.problem = `There is no column "${by.column}".`;
    return;
  }
  const all = categoriesOf(c);
  const shown = inOrder(all.slice(0, MOST_CATEGORIES), (x) => x.key);
  const suggested = categoryColours(shown.map((x) => x.key));
  const at = new Map(shown.map((x, i) => [x.key, i]));
  out.colours = [...shown.map((x, i) => by.colours[x.key] ?? suggested[i]!), MISSING_COLOUR];
  let other = 0;
  for (let i = 0; i < c.values.length; i++) {
    const k = c.missing?.[i] ? undefined : at.get(String(c.values[i]));
    if (k === undefined) other++;
    out.index[i] = k ?? shown.length;
  }
  out.legend = shown.map((x, i) => ({
    colour: out.colours[i]!,
    text: own(by.labels ?? {}, x.key) || meantWords(x.key) || '(empty)',
    count: x.count,
    key: x.key,
  }));
  if (other)
    out.legend.push({
      colour: MISSING_COLOUR,
      text: all.length > shown.length ? 'others' : 'missing',
      count: other,
      key: '',
    });
}

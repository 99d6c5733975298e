import { categoriesOf, displayUnit, formatNumber, sortedValues, type Column } from '@helk/core';
import { quantileSorted } from '@helk/core/numeric/statistics';

const BINS = 40;

const MOST_KNOWN = 60;

/** The most frequent texts of a column, to choose from while typing. */
export const knownValues = (c: Column): string[] =>
  categoriesOf(c)
    .slice(0, MOST_KNOWN)
    .map((x) => x.key)
    .filter((k) => k !== '');

/** What a column's head tells: its type, spread, and a histogram of numbers or the most frequent texts. */
export function columnStatistics(c: Column): {
  type: string;
  bars: number[];
  /** Value at which a bar begins; one more than there are bars. */
  ends: number[];
  /** A line with a key is a value that can be picked. */
  lines: { name: string; value: string; key?: string }[];
} {
  const unit = displayUnit(c.unit);
  const missing = c.missing?.reduce((s, v) => s + v, 0) ?? 0;
  const gone = { name: 'missing', value: formatNumber(missing) };
  if (c.type !== 'number') {
    const all = categoriesOf(c);
    const label = (k: string): string => (c.type === 'boolean' ? (k === '1' ? 'yes' : 'no') : k || '(empty)');
    return {
      type: c.type === 'boolean' ? 'yes or no' : 'text',
      bars: [],
      ends: [],
      lines: [
        { name: 'different', value: formatNumber(all.length) },
        ...all.slice(0, 5).map((x) => ({ name: label(x.key), value: formatNumber(x.count), key: x.key })),
        gone,
      ],
    };
  }
  const s = sortedValues(c);
  if (!s.length) return { type: 'number', bars: [], ends: [], lines: [gone] };
  const [low, high] = [s[0]!, s[s.length - 1]!];
  const bins = new Uint32Array(BINS);
  let sum = 0;
  for (const v of s) {
    bins[Math.min(BINS - 1, Math.floor(((v - low) / (high - low || 1)) * BINS))]!++;
    sum += v;
  }
  const mean = sum / s.length;
  let square = 0;
  for (const v of s) square += (v - mean) ** 2;
  const most = bins.reduce((a, b) => Math.max(a, b), 1);
  const range = high - low || Math.abs(high);
  const show = (v: number): string => `${formatNumber(v, range)} ${unit}`.trim();
  return {
    type: unit ? `number, ${unit}` : 'number',
    bars: Array.from(bins, (b) => (100 * b) / most),
    ends: Array.from({ length: BINS + 1 }, (_, k) => low + (k * (high - low)) / BINS),
    lines: [
      { name: 'lowest', value: show(low) },
      { name: 'median', value: show(quantileSorted(s, 0.5)) },
      { name: 'mean', value: show(mean) },
      { name: 'highest', value: show(high) },
      { name: 's.d.', value: show(Math.sqrt(square / Math.max(1, s.length - 1))) },
      { name: 'sum', value: `${formatNumber(sum)} ${unit}`.trim() },
      gone,
    ],
  };
}

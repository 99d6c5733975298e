import { takeFeatures, type Features } from '../data/features';
import { LOCATION, longColumns, placeNames, wideColumns, type TimeStack } from '../data/stack';
import type { StackHandle } from '../data/stack-store';
import { textColumn, type Table } from '../data/table';
import { writeDelimited } from './delimited';
import type { ByteSink } from './source';

/** Rows that are written at once. */
const ROWS = 2 ** 16;

/** A time stack in long form, some places at a time. O(values). */
export async function writeLong(
  handle: StackHandle,
  out: ByteSink,
  separator: ',' | '\t',
  progress?: (share: number) => void,
): Promise<void> {
  const { head } = handle;
  const t = head.steps.count;
  const each = Math.max(1, Math.floor(ROWS / t));
  const places = await handle.places();
  // Rows without a key are told by their number, from 1, wherever they are written.
  const names = placeNames(places, head.key);
  for (let from = 0; from === 0 || from < head.count; from += each) {
    progress?.(from / Math.max(1, head.count));
    const n = Math.min(each, head.count - from);
    const variables = [];
    for (const [j, v] of head.variables.entries())
      variables.push({ name: v.name, unit: v.unit, values: await handle.series(j, from, n) });
    const rows = Array.from({ length: n }, (_, i) => from + i);
    const part: Features = {
      ...takeFeatures({ ...places, columns: [] }, rows),
      columns: [textColumn(LOCATION, names.slice(from, from + n))],
    };
    const columns = longColumns({
      kind: 'stack',
      places: part,
      key: LOCATION,
      steps: head.steps,
      variables,
      grid: null,
      made: '',
    });
    const text = writeDelimited({ kind: 'table', columns }, separator);
    await out.write(new TextEncoder().encode(from === 0 ? text : text.slice(text.indexOf('\n') + 1)));
  }
}

/** A row for each place: its name, what else is known of it, and a column for each step. */
export function wideTable(s: TimeStack): Table {
  const steps = wideColumns(s);
  const taken = new Set([LOCATION, ...steps.map((c) => c.name)]);
  return {
    kind: 'table',
    columns: [
      textColumn(LOCATION, placeNames(s.places, s.key)),
      ...s.places.columns.filter((c) => c.name !== s.key && !taken.has(c.name)),
      ...steps,
    ],
  };
}

/** The places with a column for each step. */
export function wideFeatures(s: TimeStack): Features {
  const steps = wideColumns(s);
  const taken = new Set(steps.map((c) => c.name));
  return { ...s.places, columns: [...s.places.columns.filter((c) => !taken.has(c.name)), ...steps] };
}

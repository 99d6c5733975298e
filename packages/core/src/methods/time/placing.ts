import { HelkError } from '../../errors';
import { plural } from '../../data/check';
import { featureCount, type Features } from '../../data/features';
import { formatNumber } from '../../data/number-words';
import type { Table } from '../../data/table';
import type { Job } from '../../method/job';
import { defineKernel } from '../../method/parallel';
import { BoxIndex } from '../../numeric/boxes';
import { isInside } from '../../numeric/inside';
import { columnOf } from '../features/common';

interface Areas {
  areas: Features;
}
/** The boxes of areas, once a thread. */
const held = new WeakMap<object, BoxIndex>();

const kernel = defineKernel('time.placing', (s: Areas, xy: Float64Array): Int32Array => {
  let index = held.get(s);
  if (!index) held.set(s, (index = new BoxIndex(s.areas)));
  const out = new Int32Array(xy.length / 2).fill(-1);
  for (let i = 0; i < out.length; i++) {
    const [x, y] = [xy[2 * i]!, xy[2 * i + 1]!];
    if (x === x) out[i] = index.near(x, y, x, y).find((a) => isInside(s.areas, a, x, y)) ?? -1;
  }
  return out;
});

/** Points that a thread places in one go. */
const SOME = 50_000;

/** The area that each point lies in, the first where areas overlap; -1 for none. @param points in the system of the areas */
export async function placesOfPoints(areas: Features, points: Features, job: Job): Promise<Int32Array> {
  const n = featureCount(points);
  const out = new Int32Array(n).fill(-1);
  let placeless = 0;
  const blocks = function* (): Generator<Float64Array> {
    for (let from = 0; from < n; from += SOME) {
      const xy = new Float64Array(2 * Math.min(SOME, n - from)).fill(NaN);
      for (let i = 0; 2 * i < xy.length; i++) {
        const p = points.featureOffsets[from + i]!;
        if (p === points.featureOffsets[from + i + 1]) {
          placeless++;
          continue;
        }
        const c = points.ringOffsets[points.partOffsets[p]!]!;
        xy[2 * i] = points.xy[2 * c]!;
        xy[2 * i + 1] = points.xy[2 * c + 1]!;
      }
      yield xy;
    }
  };
  await job.parallel(kernel, { areas: { ...areas, columns: [] } }, blocks(), (r, i) => {
    out.set(r, i * SOME);
    job.progress(0.1 + (0.6 * Math.min(n, (i + 1) * SOME)) / Math.max(1, n), 'placing events');
  });
  if (placeless)
    job.note(
      'look',
      'points.noPlace',
      `${plural(placeless, 'event')} without a place ${placeless === 1 ? 'does' : 'do'} not count.`,
    );
  return out;
}

/** Where rows lie: their coordinates, else their place. */
export function whereOf(rows: Features | Table, place: Int32Array, points: boolean): Float64Array[] {
  if (!points || rows.kind !== 'features') return [Float64Array.from(place)];
  const n = featureCount(rows);
  const [x, y] = [new Float64Array(n).fill(NaN), new Float64Array(n).fill(NaN)];
  for (let i = 0; i < n; i++) {
    const p = rows.featureOffsets[i]!;
    if (p === rows.featureOffsets[i + 1]) continue;
    const c = rows.ringOffsets[rows.partOffsets[p]!]!;
    x[i] = rows.xy[2 * c]!;
    y[i] = rows.xy[2 * c + 1]!;
  }
  return [x, y];
}

const keyText = (v: string | number): string => String(v).trim();

/** The place that each row names; -1 for none. @throws HelkError where a key names two places, or none fits */
export function placesOfKeys(
  locations: Features,
  rows: Features | Table,
  key: string,
  rowKey: string,
  job: Job,
): Int32Array {
  const own = columnOf(locations.columns, key, 'keyColumn');
  const other = columnOf(rows.columns, rowKey, 'tableKey');
  const at = new Map<string, number>();
  let doubled = 0;
  for (let i = 0; i < own.values.length; i++) {
    if (own.missing?.[i]) continue;
    const k = keyText(own.values[i]!);
    if (at.has(k)) doubled++;
    else at.set(k, i);
  }
  if (doubled)
    throw new HelkError(
      'method.parameter',
      `keyColumn: "${key}" names ${plural(doubled, 'place')} that another has the same key as; a key is a place's own.`,
      'keyColumn',
    );
  const out = new Int32Array(other.values.length).fill(-1);
  for (let r = 0; r < out.length; r++) if (!other.missing?.[r]) out[r] = at.get(keyText(other.values[r]!)) ?? -1;
  const met = new Set(out);
  met.delete(-1);
  if (!met.size)
    throw new HelkError(
      'method.input',
      `No key of "${rowKey}" is one of "${key}": are these the right columns, and written alike?`,
      'tableKey',
    );
  if (met.size < at.size)
    job.note(
      'look',
      'stack.idle',
      `${plural(at.size - met.size, 'place')} of ${formatNumber(at.size)} ${at.size - met.size === 1 ? 'is' : 'are'} named in no row.`,
    );
  return out;
}

import { columnsOf, featuresOf, metresPerDegree, metresPerUnit, type DatasetInfo } from '@helk/core';

/** How large shapes are, as a column of their own. */
export interface Measure {
  noun: 'area' | 'length';
  column: string;
  formula: string;
  unit: string;
}

/** Units in which sizes are told, with what each is in metres or square metres, from small to large. */
const AREAS = [
  ['m2', 1],
  ['ha', 1e4],
  ['km2', 1e6],
] as const;
const LENGTHS = [
  ['m', 1],
  ['km', 1000],
] as const;

/**
 * The measure that shapes have, in the unit in which their numbers are short, guessed from the ground that they share; null for points
 * and for what has no shapes. The column has a name that none has yet.
 */
export function measureFor(item: { info: DatasetInfo }): Measure | null {
  const f = featuresOf(item.info);
  if (!f || f.geometry === 'point' || !f.crs || !f.extent || !f.count) return null;
  const [w, s, e, n] = f.extent;
  const [perX, perY] = f.crs.geographic ? metresPerDegree((s + n) / 2) : [metresPerUnit(f.crs), metresPerUnit(f.crs)];
  const [width, height] = [(e - w) * perX, (n - s) * perY];
  const area = f.geometry === 'polygon';
  const each = area ? (width * height) / f.count : Math.hypot(width, height) / Math.sqrt(f.count);
  const unit = [...(area ? AREAS : LENGTHS)].reverse().find(([, size]) => each >= 2 * size)?.[0] ?? (area ? 'm2' : 'm');
  const noun = area ? 'area' : 'length';
  const taken = new Set(columnsOf(item.info).map((c) => c.name));
  let column: string = noun;
  for (let k = 2; taken.has(column); k++) column = `${noun}_${k}`;
  return { noun, column, formula: `${noun}(${unit})`, unit };
}

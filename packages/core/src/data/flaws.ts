import { featureCount, type Column, type Features } from './features';

/** What makes features ones that nothing can work with: offsets that run backwards, columns of other lengths. O(features and rings) */
export function featuresFlaw(f: Features): string | null {
  const levels: [string, Uint32Array, number][] = [
    ['features', f.featureOffsets, f.partOffsets.length - 1],
    ['parts', f.partOffsets, f.ringOffsets.length - 1],
    ['rings', f.ringOffsets, f.xy.length / 2],
  ];
  for (const [name, offsets, end] of levels) {
    if (offsets.length === 0 || offsets[0] !== 0 || offsets[offsets.length - 1] !== end)
      return `its ${name} do not add up`;
    for (let i = 1; i < offsets.length; i++) if (offsets[i]! < offsets[i - 1]!) return `its ${name} run backwards`;
  }
  if (f.z && f.z.length * 2 !== f.xy.length) return 'its heights and places are not alike in number';
  return columnsFlaw(f.columns, featureCount(f));
}

/** The same of columns that should have so many values. */
export function columnsFlaw(columns: readonly Column[], rows: number): string | null {
  const names = new Set<string>();
  for (const c of columns) {
    if (names.has(c.name)) return `it has two columns called "${c.name}"`;
    names.add(c.name);
    if (c.values.length !== rows || (c.missing && c.missing.length !== rows))
      return `its column "${c.name}" has ${c.values.length} values, not ${rows}`;
    if (c.values instanceof Float64Array !== (c.type !== 'text')) return `its column "${c.name}" is of another type`;
  }
  return null;
}

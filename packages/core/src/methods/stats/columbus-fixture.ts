import { readFileSync } from 'node:fs';
import reference from '../../../../../reference/fixtures/spatial.json';
import type { Features } from '../../data/features';
import { readFile } from '../../formats';
import { rowsOf, type Rows } from '../../numeric/sparse-rows';

/** Check values by R's spdep and spatialreg; see `reference/statistics/spatial.R`. */
export { reference };

async function layer(file: string, crs: 'none' | 'own'): Promise<Features> {
  const path = new URL(`../../../../../reference/fixtures/${file}`, import.meta.url);
  const { layers } = await readFile(file, new Uint8Array(readFileSync(path)));
  const d = layers[0]!.data as Features;
  return crs === 'none' ? { ...d, crs: null } : d;
}

/** Columbus, Ohio (Anselin 1988), as spData ships it, in coordinates without a system. */
export const columbus = (): Promise<Features> => layer('columbus.geojson', 'none');
export const northCarolina = (crs: 'none' | 'own' = 'none'): Promise<Features> => layer('nc.geojson', crs);

export const numbers = (f: Features, name: string): Float64Array =>
  f.columns.find((c) => c.name === name)!.values as Float64Array;

/** Rows from lists of neighbours as R has them, from 1. */
export function rowsFrom(lists: readonly (readonly number[])[]): Rows {
  const [from, to]: [number[], number[]] = [[], []];
  lists.forEach((l, i) => {
    for (const j of l) {
      from.push(i);
      to.push(j - 1);
    }
  });
  return rowsOf(lists.length, from, to, null);
}

/** The other way round: to be held against those of R. */
export const listsOf = (w: Rows): number[][] =>
  Array.from({ length: w.offsets.length - 1 }, (_, i) =>
    Array.from(w.neighbours.subarray(w.offsets[i], w.offsets[i + 1]), (j) => j + 1),
  );

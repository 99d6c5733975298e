import { zipSync } from 'fflate';

const PART = /\.(shp|dbf|shx|prj|cpg|sbn|sbx|qix|qpj|shp\.xml)$/i;
const stem = (name: string): string => name.replace(PART, '').toLowerCase();

/** Files that only make sense together (the parts of a shapefile) as one archive each; the others as they are. */
export async function together(files: readonly File[]): Promise<File[]> {
  const shapes = files.filter((f) => /\.shp$/i.test(f.name));
  const parts = (shp: File): File[] => files.filter((f) => PART.test(f.name) && stem(f.name) === stem(shp.name));
  const used = new Set<File>();
  const made: File[] = [];
  for (const shp of shapes) {
    const all = parts(shp);
    for (const f of all) used.add(f);
    if (all.length === 1) {
      made.push(shp);
      continue;
    }
    const bytes: Record<string, Uint8Array> = {};
    for (const f of all) bytes[f.name] = new Uint8Array(await f.arrayBuffer());
    made.push(new File([zipSync(bytes, { level: 1 }) as Uint8Array<ArrayBuffer>], shp.name.replace(/\.shp$/i, '.zip')));
  }
  return [...files.filter((f) => !used.has(f)), ...made];
}

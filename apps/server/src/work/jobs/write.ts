import { writeFile } from 'node:fs/promises';
import { HelkError } from '@helk/core';
import { DEFAULT_FORMAT, writeDataset, writeGeoPackage, type WriteFormat } from '@helk/core/formats/write';
import { loadDataset } from '../../store/project-store';
import type { ExportTask, SaveTask } from '../tasks';
import { slice, type Hands } from './hands';

/** Writes a dataset, or several as one GeoPackage, into a file. */
export async function write(task: ExportTask, { db, progress }: Hands): Promise<{ outputs: string[]; format: string }> {
  const loaded = [];
  const share = (i: number): number => (0.4 * i) / task.datasets.length;
  for (const [k, id] of task.datasets.entries())
    loaded.push(await loadDataset(db, id, slice(progress, share(k), share(k + 1))));
  const first = loaded[0]!;
  const format = (task.format ?? DEFAULT_FORMAT[first.data.kind]) as WriteFormat;
  const bytes =
    loaded.length > 1
      ? writeGeoPackage(
          loaded.map(({ row, data }) => {
            if (data.kind === 'raster')
              throw new HelkError(
                'export.unsupported',
                `"${row.name}" is a raster; a GeoPackage takes features and tables.`,
                'datasets',
              );
            return { name: row.name, data };
          }),
        )
      : await writeDataset(first.data, format, first.row.name, (s) => progress(0.4 + 0.6 * s, 'writing'));
  await writeFile(task.target, bytes);
  return { outputs: [], format: loaded.length > 1 ? 'geopackage' : format };
}

/** A whole copy of a project in one file, without journal, as of this moment. */
export async function save(task: SaveTask, { db }: Hands): Promise<{ outputs: string[] }> {
  await db.raw('VACUUM INTO ?', [task.target]);
  return { outputs: [] };
}

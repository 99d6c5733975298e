import { openSync, closeSync } from 'node:fs';
import { writeFile } from 'node:fs/promises';
import { HelkError, kindOf, type Features, type Table } from '@helk/core';
import { canWrite, writeGeoPackage, writeTo, type WriteFormat } from '@helk/core/formats/write';
import { fileSink } from '@helk/node';
import { copyOf } from '../../store/copy';
import { openDataset } from '../../store/project-store';
import type { ExportTask, SaveTask } from '../tasks';
import { slice, type Hands } from './hands';

/** Writes a dataset, or several as one GeoPackage, into a file. */
export async function write(task: ExportTask, { db, progress }: Hands): Promise<{ outputs: string[]; format: string }> {
  if (task.datasets.length > 1) return writeSeveral(task, { db, progress });
  const { row, handle } = await openDataset(db, task.datasets[0]!);
  const format = (task.format ?? kindOf(handle).formats[0]!) as WriteFormat;
  const file = openSync(task.target, 'w');
  try {
    await writeTo(fileSink(file), handle, format, row.name, (s) => progress(s, 'writing'));
  } finally {
    closeSync(file);
  }
  return { outputs: [], format };
}

async function writeSeveral(
  task: ExportTask,
  { db, progress }: Pick<Hands, 'db' | 'progress'>,
): Promise<{ outputs: string[]; format: string }> {
  const tables: { name: string; data: Features | Table }[] = [];
  const share = (i: number): number => (0.4 * i) / task.datasets.length;
  for (const [k, id] of task.datasets.entries()) {
    const { row, handle } = await openDataset(db, id);
    if (!canWrite('geopackage', handle.kind))
      throw new HelkError(
        'export.unsupported',
        `"${row.name}" is a ${kindOf(handle).words.one}; a GeoPackage takes features and tables.`,
        'datasets',
      );
    tables.push({
      name: row.name,
      data: (await handle.load(slice(progress, share(k), share(k + 1)))) as Features | Table,
    });
  }
  await writeFile(task.target, writeGeoPackage(tables));
  return { outputs: [], format: 'geopackage' };
}

export async function save(task: SaveTask, { db }: Hands): Promise<{ outputs: string[] }> {
  await copyOf(db, task.target);
  return { outputs: [] };
}

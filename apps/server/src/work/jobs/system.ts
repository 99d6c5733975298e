import { HelkError, infoOf, parseCrs, type Features } from '@helk/core';
import { packBinary, unpackBinary } from '@helk/core/formats/binary';
import { getDatasetRow, readBlob, writeBlob } from '../../store/project-store';
import type { SystemTask } from '../tasks';
import type { Hands } from './hands';

/** Features carry their system with them: the stored buffer is written anew, and its facts with it. */
export async function giveSystem(task: SystemTask, { db, progress }: Hands): Promise<{ outputs: string[] }> {
  const row = await getDatasetRow(db, task.dataset);
  const f = unpackBinary(await readBlob(db, row.id)) as Features;
  if (f.kind !== 'features') throw new HelkError('request.invalid', 'A table has no coordinate system.', 'crs');
  f.crs = parseCrs(task.crs);
  const bytes = packBinary(f);
  progress(0.5, 'storing');
  await db.transaction(async (t) => {
    await t('blobs').where({ dataset_id: row.id }).delete();
    await writeBlob(t, row.id, bytes);
    await t('datasets')
      .where({ id: row.id })
      .update({ info: JSON.stringify(infoOf(f)) });
  });
  return { outputs: [] };
}

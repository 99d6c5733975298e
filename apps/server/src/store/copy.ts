import type { Knex } from 'knex';
import { countBin, emptyBin } from './bin';
import { openDatabase } from './database';

/** A whole copy of a project in one file, without journal, as of this moment. What lies in the bin is nobody else's and is left out. */
export async function copyOf(db: Knex, target: string): Promise<void> {
  await db.raw('VACUUM INTO ?', [target]);
  const copy = openDatabase(target);
  try {
    if (await countBin(copy)) {
      await emptyBin(copy);
      await copy.raw('VACUUM');
    }
    await copy.raw('PRAGMA journal_mode = DELETE');
  } finally {
    await copy.destroy();
  }
}

import { mkdir } from 'node:fs/promises';
import { join } from 'node:path';
import Database from 'better-sqlite3';

/** Held on to, since a connection that nobody holds is closed. */
const held: Database.Database[] = [];

/**
 * Keeps the data folder for this server alone until its process ends, however it ends: a second server would take the first one's runs
 * for interrupted ones and sweep away its uploads. The lock is one of SQLite, which the system gives back with the process.
 *
 * @throws Error when another server has it
 */
export async function holdFolder(dir: string): Promise<void> {
  await mkdir(dir, { recursive: true });
  const db = new Database(join(dir, 'in-use'), { timeout: 3000 });
  try {
    db.exec('BEGIN EXCLUSIVE');
  } catch (e) {
    db.close();
    if (!/locked|busy/i.test((e as Error).message)) throw e;
    throw new Error(`Another Helk is using ${dir}. Stop it, or set HELK_DATA to another folder.`);
  }
  held.push(db);
}

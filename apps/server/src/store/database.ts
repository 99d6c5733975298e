import { existsSync } from 'node:fs';
import knexFactory, { type Knex } from 'knex';
import BetterSqlite from 'knex/lib/dialects/better-sqlite3/index.js';
import { HelkError } from '@helk/core';
import { MIGRATIONS } from './migrations';

/** Marks a SQLite file as a Helk project ("HELK"). */
export const APPLICATION_ID = 0x48454c4b;

interface RawConnection {
  pragma(text: string): unknown;
}

/**
 * SQLite as Knex has it, but a file that is not there is never made: whoever comes late for a project that has been deleted must not
 * bring an empty one into being.
 */
class OnlyExisting extends BetterSqlite {
  override acquireRawConnection(): Promise<unknown> {
    const { filename } = this.config.connection as { filename: string };
    if (filename !== ':memory:' && !existsSync(filename))
      return Promise.reject(new HelkError('project.unknown', 'The project is no longer there.', 'project'));
    const Driver = this.driver as new (file: string, o: object) => unknown;
    return Promise.resolve(new Driver(filename, { fileMustExist: true }));
  }
}

/** One connection to a project file that is there; every process opens its own. */
export function openDatabase(file: string): Knex {
  return knexFactory({
    client: OnlyExisting,
    connection: { filename: file },
    useNullAsDefault: true,
    // What goes wrong is thrown, and said once by whoever catches it.
    log: { warn: () => undefined, error: () => undefined, deprecate: () => undefined, debug: () => undefined },
    pool: {
      min: 0,
      max: 1,
      afterCreate: (c: RawConnection, done: (e: Error | null, c: RawConnection) => void) => {
        c.pragma('journal_mode = WAL');
        c.pragma('synchronous = NORMAL');
        c.pragma('foreign_keys = ON');
        c.pragma('busy_timeout = 20000');
        c.pragma('trusted_schema = OFF');
        c.pragma('wal_autocheckpoint = 4000');
        done(null, c);
      },
    },
  });
}

/** Brings a project file to the present layout; each step in its own transaction. */
export async function migrate(db: Knex): Promise<void> {
  await db.migrate.latest({
    migrationSource: {
      getMigrations: () => Promise.resolve(MIGRATIONS.map((m) => m.name)),
      getMigrationName: (name: string) => name,
      getMigration: (name: string) => Promise.resolve(MIGRATIONS.find((m) => m.name === name)!),
    },
  });
  await db.raw(`PRAGMA application_id = ${APPLICATION_ID}`);
}

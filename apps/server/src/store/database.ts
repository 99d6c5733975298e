import knexFactory, { type Knex } from 'knex';
import { MIGRATIONS } from './migrations';

/** Marks a SQLite file as a Helk project ("HELK"). */
export const APPLICATION_ID = 0x48454c4b;

interface RawConnection {
  pragma(text: string): unknown;
}

/** One connection to a project file; every thread opens its own. */
export function openDatabase(file: string): Knex {
  return knexFactory({
    client: 'better-sqlite3',
    connection: { filename: file },
    useNullAsDefault: true,
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

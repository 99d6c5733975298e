import type { Knex } from 'knex';
import { kindOf, type DatasetInfo } from '@helk/core';

interface Step {
  name: string;
  up(db: Knex): Promise<void>;
  down(db: Knex): Promise<void>;
}

/** Tables whose rows went to the bin when there came to be one. */
const BINNED = ['datasets', 'recipes', 'run_tables', 'findings', 'sheets', 'reports', 'palettes'];

/** The layout of a project file, step by step. A step that has been released is never changed. */
export const MIGRATIONS: Step[] = [
  {
    name: '001-ground',
    up: async (db) => {
      await db.schema.createTable('project', (t) => {
        t.integer('one').primary();
        t.text('id').notNullable();
        t.text('name').notNullable();
        t.text('note').notNullable().defaultTo('');
        t.text('created_at').notNullable();
        t.text('opened_at');
        t.text('workbench');
      });
      await db.schema.createTable('runs', (t) => {
        t.text('id').primary();
        t.text('method').notNullable();
        t.integer('version').notNullable();
        t.text('title').notNullable();
        t.text('inputs').notNullable();
        t.text('params').notNullable();
        t.integer('seed').notNullable();
        t.text('state').notNullable().index();
        t.text('figures').notNullable().defaultTo('{}');
        t.text('notes').notNullable().defaultTo('[]');
        t.text('variant_of');
        t.text('problem');
        t.text('created_at').notNullable();
        t.text('started_at');
        t.text('ended_at');
      });
      await db.schema.createTable('datasets', (t) => {
        t.text('id').primary();
        t.integer('position').notNullable();
        t.text('state').notNullable().index();
        t.text('kind').notNullable();
        t.text('name').notNullable();
        t.text('note').notNullable().defaultTo('');
        t.text('info').notNullable();
        t.text('run_id').references('runs.id');
        t.text('role');
        t.text('batch');
        t.text('source');
        t.text('notes').notNullable().defaultTo('[]');
        t.text('created_at').notNullable();
      });
      await db.schema.createTable('raster_chunks', (t) => {
        t.text('dataset_id').notNullable().references('datasets.id').onDelete('CASCADE');
        t.integer('band').notNullable();
        t.integer('level').notNullable();
        t.integer('column').notNullable();
        t.integer('row').notNullable();
        t.binary('bytes').notNullable();
        t.primary(['dataset_id', 'band', 'level', 'column', 'row']);
      });
      await db.schema.createTable('blobs', (t) => {
        t.text('dataset_id').notNullable().references('datasets.id').onDelete('CASCADE');
        t.integer('part').notNullable();
        t.binary('bytes').notNullable();
        t.primary(['dataset_id', 'part']);
      });
    },
    down: async (db) => {
      for (const t of ['blobs', 'raster_chunks', 'datasets', 'runs', 'project']) await db.schema.dropTable(t);
    },
  },
  {
    name: '002-threads',
    up: (db) => db.schema.alterTable('datasets', (t) => t.text('thread')),
    down: (db) => db.schema.alterTable('datasets', (t) => t.dropColumn('thread')),
  },
  {
    // Pieces of any array of a dataset in place of chunks of rasters and parts of features; what few need to know of a dataset apart.
    name: '003-pieces',
    up: async (db) => {
      await db.schema.createTable('pieces', (t) => {
        t.text('dataset_id').notNullable().references('datasets.id').onDelete('CASCADE');
        t.text('array').notNullable();
        t.integer('level').notNullable();
        t.integer('key').notNullable();
        t.binary('bytes').notNullable();
        t.primary(['dataset_id', 'array', 'level', 'key']);
      });
      await db.schema.createTable('details', (t) => {
        t.text('dataset_id').primary().references('datasets.id').onDelete('CASCADE');
        t.text('detail').notNullable();
      });
      await db.raw(`INSERT INTO pieces ${OLD_CHUNKS('raster_chunks')}`);
      await db.schema.dropTable('raster_chunks');
      await db.raw(`INSERT INTO pieces ${OLD_PARTS('blobs')}`);
      await db.schema.dropTable('blobs');
      for (const { id, info } of (await db('datasets').select('id', 'info')) as { id: string; info: string }[]) {
        const now = parted(JSON.parse(info));
        await db('datasets')
          .where({ id })
          .update({ info: JSON.stringify(now.info) });
        if (now.detail !== null) await db('details').insert({ dataset_id: id, detail: JSON.stringify(now.detail) });
      }
    },
    down: () => Promise.reject(new Error('A project of this layout is not taken back to an older one.')),
  },
  {
    // How a dataset is drawn belongs to it, the system of maps to the project; what its inputs were taken to be in to a run.
    name: '004-looks',
    up: async (db) => {
      await db.schema.alterTable('datasets', (t) => t.text('look'));
      await db.schema.alterTable('project', (t) => t.text('crs'));
      await db.schema.alterTable('runs', (t) => t.text('systems').notNullable().defaultTo('{}'));
    },
    down: async (db) => {
      await db.schema.alterTable('datasets', (t) => t.dropColumn('look'));
      await db.schema.alterTable('project', (t) => t.dropColumn('crs'));
      await db.schema.alterTable('runs', (t) => t.dropColumn('systems'));
    },
  },
  {
    // How far works on a dataset have come that are not done yet.
    name: '005-drafts',
    up: (db) => db.schema.alterTable('datasets', (t) => t.text('drafts')),
    down: (db) => db.schema.alterTable('datasets', (t) => t.dropColumn('drafts')),
  },
  {
    // Recipes with all their versions, run tables; runs know their steps, their row and what they made, also when that is gone.
    name: '006-recipes',
    up: async (db) => {
      await db.schema.createTable('recipes', (t) => {
        t.text('id').primary();
        t.text('state').notNullable();
        t.integer('version').notNullable();
      });
      await db.schema.createTable('recipe_versions', (t) => {
        t.text('recipe_id').notNullable().references('recipes.id');
        t.integer('version').notNullable();
        t.text('body').notNullable();
        t.text('saved_at').notNullable();
        t.primary(['recipe_id', 'version']);
      });
      await db.schema.createTable('run_tables', (t) => {
        t.text('id').primary();
        t.text('state').notNullable();
        t.text('body').notNullable();
        t.text('created_at').notNullable();
      });
      await db.schema.alterTable('runs', (t) => {
        t.text('steps').notNullable().defaultTo('[]');
        t.text('made').notNullable().defaultTo('{}');
        t.text('of_table');
        t.text('naming');
      });
      await db.schema.alterTable('datasets', (t) => {
        t.text('step');
        t.text('replaced_by');
      });
      const made = new Map<string, Record<string, { role: string; step: null; name: string }>>();
      const rows = (await db('datasets')
        .whereNotNull('run_id')
        .whereNot({ state: 'staged' })
        .select('id', 'run_id', 'role', 'name')) as {
        id: string;
        run_id: string;
        role: string | null;
        name: string;
      }[];
      for (const r of rows)
        made.set(r.run_id, { ...made.get(r.run_id), [r.id]: { role: r.role ?? '', step: null, name: r.name } });
      for (const [id, m] of made)
        await db('runs')
          .where({ id })
          .update({ made: JSON.stringify(m) });
    },
    down: async (db) => {
      await db.schema.alterTable('datasets', (t) => t.dropColumns('step', 'replaced_by'));
      await db.schema.alterTable('runs', (t) => t.dropColumns('steps', 'made', 'of_table', 'naming'));
      for (const t of ['run_tables', 'recipe_versions', 'recipes']) await db.schema.dropTable(t);
    },
  },
  {
    // What is carried away: findings, map sheets, the pictures of both. Changes of datasets are counted.
    name: '007-sheets',
    up: async (db) => {
      await db.schema.createTable('pictures', (t) => {
        t.text('id').primary();
        t.text('type').notNullable();
        t.binary('bytes').notNullable();
      });
      await db.schema.createTable('findings', (t) => {
        t.text('id').primary();
        t.text('state').notNullable();
        t.float('position').notNullable();
        t.text('body').notNullable();
        t.text('created_at').notNullable();
      });
      await db.schema.createTable('sheets', (t) => {
        t.text('id').primary();
        t.text('state').notNullable();
        t.text('body').notNullable();
        t.text('created_at').notNullable();
        t.text('changed_at').notNullable();
      });
      await db.schema.alterTable('datasets', (t) => t.integer('revision').notNullable().defaultTo(0));
    },
    down: async (db) => {
      await db.schema.alterTable('datasets', (t) => t.dropColumn('revision'));
      for (const t of ['sheets', 'findings', 'pictures']) await db.schema.dropTable(t);
    },
  },
  {
    // Reports, and colours that were put together.
    name: '008-reports',
    up: async (db) => {
      for (const name of ['reports', 'palettes'])
        await db.schema.createTable(name, (t) => {
          t.text('id').primary();
          t.text('state').notNullable();
          t.text('body').notNullable();
          t.text('created_at').notNullable();
          t.text('changed_at').notNullable();
        });
    },
    down: async (db) => {
      for (const t of ['palettes', 'reports']) await db.schema.dropTable(t);
    },
  },
  {
    // What was removed lies in a bin, and it is known since when.
    name: '009-bin',
    up: async (db) => {
      for (const name of BINNED) await db.schema.alterTable(name, (t) => t.text('removed_at'));
    },
    down: async (db) => {
      for (const name of BINNED) await db.schema.alterTable(name, (t) => t.dropColumn('removed_at'));
    },
  },
  {
    // Pictures of the ground that lie under the data.
    name: '010-backgrounds',
    up: (db) =>
      db.schema.createTable('backgrounds', (t) => {
        t.text('id').primary();
        t.text('state').notNullable();
        t.text('body').notNullable();
        t.text('created_at').notNullable();
        t.text('changed_at').notNullable();
        t.text('removed_at');
      }),
    down: (db) => db.schema.dropTable('backgrounds'),
  },
];

/** The pieces as project files had them before the third step, as rows of today. */
export const OLD_CHUNKS = (table: string): string =>
  `SELECT dataset_id, 'band ' || band AS array, level, "row" * 16777216 + "column" AS key, bytes FROM ${table}`;
export const OLD_PARTS = (table: string): string =>
  `SELECT dataset_id, 'whole' AS array, 0 AS level, part AS key, bytes FROM ${table}`;

/** A description as an older file has it: brought up to date, what few need to know apart. */
export function parted(raw: unknown): { info: DatasetInfo; detail: unknown } {
  const kind = kindOf(raw as DatasetInfo);
  return kind.part(kind.upgrade ? kind.upgrade(raw as never) : (raw as DatasetInfo));
}

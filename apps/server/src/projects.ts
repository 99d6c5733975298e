import { copyFile, mkdir, open, readdir, rename, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import type { Response } from 'express';
import type { Knex } from 'knex';
import { HelkError } from '@helk/core';
import type { ApiProject, ProjectEvent } from '@helk/core/api/schemas';
import { APPLICATION_ID, migrate, openDatabase } from './store/database';
import { MIGRATIONS } from './store/migrations';
import { newId, now, recover } from './store/project-store';

const ENDING = '.helk';
const TABLES = [
  'project',
  'runs',
  'datasets',
  'raster_chunks',
  'blobs',
  'knex_migrations',
  'knex_migrations_lock',
  'sqlite_sequence',
];

/** An open project: its file, its connection, and who is listening to it. */
export class Project {
  busy = 0;
  readonly listeners = new Set<Response>();
  constructor(
    readonly id: string,
    readonly file: string,
    readonly db: Knex,
  ) {}

  send(event: ProjectEvent): void {
    const text = `data: ${JSON.stringify(event)}\n\n`;
    for (const r of this.listeners) r.write(text);
  }

  async describe(): Promise<ApiProject> {
    const row = (await this.db('project').first()) as {
      name: string;
      note: string;
      created_at: string;
      opened_at: string | null;
    };
    let bytes = 0;
    for (const end of ['', '-wal']) bytes += (await stat(this.file + end).catch(() => ({ size: 0 }))).size;
    return { id: this.id, name: row.name, note: row.note, bytes, createdAt: row.created_at, openedAt: row.opened_at };
  }
}

/** The projects in the data folder: one file each, opened when first asked for. */
export class Projects {
  private readonly open = new Map<string, Promise<Project>>();

  constructor(readonly dir: string) {}

  private get folder(): string {
    return join(this.dir, 'projects');
  }
  get uploads(): string {
    return join(this.dir, 'uploads');
  }

  /** Folders made, half-taken uploads removed, every project recovered from whatever stopped the last server. */
  async start(): Promise<{ interrupted: number }> {
    await mkdir(this.folder, { recursive: true });
    await rm(this.uploads, { recursive: true, force: true });
    await mkdir(this.uploads, { recursive: true });
    let interrupted = 0;
    for (const id of await this.ids()) {
      const p = await this.get(id).catch((e: unknown) => {
        process.stderr.write(`Project ${id} cannot be opened: ${(e as Error).message}\n`);
        return null;
      });
      if (p) interrupted += await recover(p.db);
    }
    return { interrupted };
  }

  private async ids(): Promise<string[]> {
    return (await readdir(this.folder)).filter((f) => f.endsWith(ENDING)).map((f) => f.slice(0, -ENDING.length));
  }

  async list(): Promise<ApiProject[]> {
    const all = await Promise.all(
      (await this.ids()).map((id) =>
        this.get(id).then(
          (p) => p.describe(),
          () => null,
        ),
      ),
    );
    return all
      .filter((p): p is ApiProject => p !== null)
      .sort((a, b) => (b.openedAt ?? b.createdAt).localeCompare(a.openedAt ?? a.createdAt));
  }

  get(id: string): Promise<Project> {
    let p = this.open.get(id);
    if (!p) {
      p = this.load(id);
      this.open.set(id, p);
      p.catch(() => this.open.delete(id));
    }
    return p;
  }

  private async load(id: string): Promise<Project> {
    const file = join(this.folder, id + ENDING);
    if (!/^[a-z0-9]{6,32}$/.test(id) || !(await stat(file).catch(() => null)))
      throw new HelkError('project.unknown', `There is no project "${id.slice(0, 40)}".`, 'project');
    const db = openDatabase(file);
    await migrate(db);
    return new Project(id, file, db);
  }

  async create(name: string): Promise<Project> {
    const id = newId();
    const db = openDatabase(join(this.folder, id + ENDING));
    await migrate(db);
    await db('project').insert({ one: 1, id, name, created_at: now() });
    const p = new Project(id, join(this.folder, id + ENDING), db);
    this.open.set(id, Promise.resolve(p));
    return p;
  }

  async opened(p: Project): Promise<void> {
    await p.db('project').update({ opened_at: now() });
  }

  /** A whole copy in one file, without journal, as of this moment. */
  async save(p: Project, target: string): Promise<void> {
    await p.db.raw('VACUUM INTO ?', [target]);
  }

  /**
   * A saved project from outside becomes one of ours: checked for being a whole SQLite file of our kind, not newer than we are,
   * with our tables and nothing that acts by itself (triggers, views).
   */
  async adopt(upload: string, name: string): Promise<Project> {
    const refuse = (why: string): never => {
      throw new HelkError('project.invalid', `"${name}" ${why}`, name);
    };
    const head = Buffer.alloc(72);
    const f = await open(upload);
    const { bytesRead } = await f.read(head, 0, 72, 0);
    await f.close();
    if (
      bytesRead < 72 ||
      head.toString('latin1', 0, 15) !== 'SQLite format 3' ||
      head.readUInt32BE(68) !== APPLICATION_ID
    )
      refuse('is not a Helk project file.');
    const db = openDatabase(upload);
    try {
      const check = (await db.raw('PRAGMA quick_check(1)')) as { quick_check: string }[];
      if (check[0]?.quick_check !== 'ok') refuse('is a damaged Helk project file.');
      const objects = (await db('sqlite_master').select('type', 'name')) as { type: string; name: string }[];
      if (
        objects.some(
          (o) => (o.type === 'table' && !TABLES.includes(o.name)) || (o.type !== 'table' && o.type !== 'index'),
        )
      )
        refuse('holds tables that are not Helk’s.');
      const steps = (await db('knex_migrations').select('name')) as { name: string }[];
      if (steps.some((s) => !MIGRATIONS.some((m) => m.name === s.name)))
        refuse('was made by a newer Helk; update this one first.');
      if (!(await db('project').first())) refuse('has no project in it.');
      await db.raw('PRAGMA wal_checkpoint(TRUNCATE)');
    } catch (e) {
      if (e instanceof HelkError) throw e;
      refuse('is a damaged Helk project file.');
    } finally {
      await db.destroy();
    }
    const id = newId();
    const file = join(this.folder, id + ENDING);
    await copyFile(upload, `${file}.part`);
    await rename(`${file}.part`, file);
    const p = await this.get(id);
    await recover(p.db);
    await p.db('project').update({ id });
    return p;
  }

  async remove(p: Project): Promise<void> {
    for (const r of p.listeners) r.end();
    this.open.delete(p.id);
    await p.db.destroy();
    for (const end of ['', '-wal', '-shm']) await rm(p.file + end, { force: true });
  }

  async close(): Promise<void> {
    for (const p of await Promise.all(this.open.values())) {
      for (const r of p.listeners) r.end();
      await p.db.destroy();
    }
    this.open.clear();
  }
}

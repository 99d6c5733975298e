import { open, readdir, rename, mkdir, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Response } from 'express';
import type { Knex } from 'knex';
import { HelkError, parseCrs, suggestSystems, systemText, toProblem, type DatasetInfo } from '@helk/core';
import type { ApiProject, ProjectEvent } from '@helk/core/api/schemas';
import { countBin } from './store/bin';
import { openDatabase, migrate } from './store/database';
import { newId, now } from './store/ids';
import { recover } from './store/project-store';
import { ProjectRow } from './store/rows';
import { removeWhole, type TempFolder } from './store/temp';
import type { Handle, TimeLimit, WorkerPool } from './work/pool';
import type { ProgressMessage, Task } from './work/tasks';

const ENDING = '.helk';
/** A project in the making: it is not there before it is whole. */
const MAKING = '.making';

/** An open project: its file, its connection, what is at work on it, and who is listening to it. */
export class Project {
  readonly listeners = new Set<Response>();
  private readonly gone = new AbortController();
  private readonly tasks = new Set<Handle>();
  constructor(
    readonly id: string,
    readonly file: string,
    readonly db: Knex,
    private readonly pool: WorkerPool,
  ) {}

  /** Aborts when the project is being deleted. */
  get deleted(): AbortSignal {
    return this.gone.signal;
  }

  /** @throws HelkError `project.unknown` when the project is being deleted */
  alive(): void {
    if (this.gone.signal.aborted) throw new HelkError('project.unknown', 'The project has been deleted.', 'project');
  }

  /** Starts a task on this project; deleting the project ends it first. */
  start(task: Task, onProgress?: (m: ProgressMessage) => void, limit?: TimeLimit): Handle {
    this.alive();
    const handle = this.pool.start(task, onProgress, limit);
    this.tasks.add(handle);
    void handle.done.finally(() => this.tasks.delete(handle));
    return handle;
  }

  /** No task from now on; those under way are ended. */
  async end(): Promise<void> {
    this.gone.abort();
    const under = [...this.tasks];
    for (const t of under) t.cancel();
    await Promise.all(under.map((t) => t.done));
    await this.close();
  }

  async close(): Promise<void> {
    for (const r of this.listeners) r.end();
    await this.db.destroy();
  }

  send(event: ProjectEvent): void {
    const text = `data: ${JSON.stringify(event)}\n\n`;
    for (const r of this.listeners) r.write(text);
  }

  /**
   * Gives a project that has no system the one that suits its data, once there is something that lies somewhere. From then on only the
   * analyst changes it, whatever comes and goes.
   */
  async settle(): Promise<void> {
    const { crs } = (await this.db('project').first('crs')) as { crs: string | null };
    if (crs !== null) return;
    const rows = (await this.db('datasets').where({ state: 'ready' }).select('info')) as { info: string }[];
    const [best] = suggestSystems(rows.map((r) => JSON.parse(r.info) as DatasetInfo));
    if (!best) return;
    await this.db('project')
      .where({ crs: null })
      .update({ crs: systemText(best.crs) });
    this.send({ type: 'project', project: await this.describe() });
  }

  /** Tells everybody that something went to the bin, or came from it. */
  async binned(ids: readonly string[], written = true): Promise<void> {
    if (ids.length) this.send({ type: written ? 'unwritten' : 'removed', ids: [...ids] });
    this.send({ type: 'project', project: await this.describe() });
  }

  async describe(): Promise<ApiProject> {
    const row = await readProjectRow(this.db);
    let bytes = 0;
    for (const end of ['', '-wal']) bytes += (await stat(this.file + end).catch(() => ({ size: 0 }))).size;
    return {
      id: this.id,
      name: row.name,
      note: row.note,
      crs: systemIn(row.crs),
      bytes,
      binned: await countBin(this.db),
      createdAt: row.created_at,
      openedAt: row.opened_at,
      problem: null,
    };
  }
}

/** The system a project is kept to; null where none is, or none that this Helk knows. */
function systemIn(text: string | null): ApiProject['crs'] {
  if (text === null) return null;
  try {
    return parseCrs(text);
  } catch {
    return null;
  }
}

/** The project's own row. @throws HelkError `project.invalid` when it is not there or not as it should be */
async function readProjectRow(db: Knex): Promise<ProjectRow> {
  const row: unknown = await db('project').first();
  if (!row)
    throw new HelkError('project.invalid', 'The file holds no project: it was cut short while it was being made.');
  const parsed = ProjectRow.safeParse(row);
  if (!parsed.success)
    throw new HelkError(
      'project.invalid',
      `The file is damaged: ${parsed.error.issues[0]!.path.join('.')} of the project cannot be read.`,
    );
  return parsed.data;
}

/** The projects in the data folder: one file each, opened when first asked for. */
export class Projects {
  private readonly open = new Map<string, Promise<Project>>();

  constructor(
    readonly dir: string,
    readonly temp: TempFolder,
    private readonly pool: WorkerPool,
  ) {}

  private get folder(): string {
    return join(this.dir, 'projects');
  }

  private fileOf(id: string, ending = ENDING): string {
    return join(this.folder, id + ending);
  }

  /**
   * Folders made, half-made things removed, every project recovered from whatever stopped the last server. A project that cannot be
   * opened is said and passed over.
   */
  async start(): Promise<{ interrupted: number }> {
    await mkdir(this.folder, { recursive: true });
    await this.temp.start();
    for (const f of await readdir(this.folder))
      if (f.endsWith(MAKING)) await removeWhole(join(this.folder, f)).catch(() => undefined);
    let interrupted = 0;
    for (const id of await this.ids()) {
      try {
        interrupted += await recover((await this.get(id)).db);
      } catch (e) {
        process.stderr.write(`Project ${id} cannot be opened: ${toProblem(e).message}\n`);
      }
    }
    return { interrupted };
  }

  private async ids(): Promise<string[]> {
    return (await readdir(this.folder)).filter((f) => f.endsWith(ENDING)).map((f) => f.slice(0, -ENDING.length));
  }

  /** All projects, the last used first; one that cannot be opened says why and stands at the end. */
  async list(): Promise<ApiProject[]> {
    const all = await Promise.all(
      (await this.ids()).map(async (id): Promise<ApiProject> => {
        try {
          return await (await this.get(id)).describe();
        } catch (e) {
          const { size, mtime } = await stat(this.fileOf(id)).catch(() => ({ size: 0, mtime: new Date() }));
          const p = toProblem(e);
          const why = p.code === 'run.failed' ? `The file cannot be opened (${p.message.slice(0, 120)}).` : p.message;
          const at = mtime.toISOString();
          return {
            id,
            name: `${id}${ENDING}`,
            note: '',
            crs: null,
            bytes: size,
            binned: 0,
            createdAt: at,
            openedAt: null,
            problem: why,
          };
        }
      }),
    );
    const used = (p: ApiProject): string => p.openedAt ?? p.createdAt;
    return all.sort((a, b) => Number(!!a.problem) - Number(!!b.problem) || used(b).localeCompare(used(a)));
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

  private async known(id: string): Promise<string> {
    const file = this.fileOf(id);
    if (!/^[a-z0-9]{6,32}$/.test(id) || !(await stat(file).catch(() => null)))
      throw new HelkError('project.unknown', `There is no project "${id.slice(0, 40)}".`, 'project');
    return file;
  }

  private async load(id: string): Promise<Project> {
    const file = await this.known(id);
    const db = openDatabase(file);
    try {
      await migrate(db);
      await readProjectRow(db);
      return new Project(id, file, db, this.pool);
    } catch (e) {
      await db.destroy();
      const problem = toProblem(e);
      if (problem.code !== 'run.failed') throw e;
      throw new HelkError('project.invalid', `The project file cannot be opened (${problem.message.slice(0, 120)}).`);
    }
  }

  /** A new project that nobody sees before it `appears`. */
  async make(name: string, id = newId()): Promise<Project> {
    const file = this.fileOf(id, MAKING);
    try {
      await newProjectFile(file, id, name);
    } catch (e) {
      await removeWhole(file);
      throw e;
    }
    return new Project(id, file, openDatabase(file), this.pool);
  }

  /** A project that has been made whole becomes one of the projects, in one step. */
  async appear(p: Project): Promise<Project> {
    await p.close();
    await this.adopt(p.file, p.id);
    return this.get(p.id);
  }

  /** A project in the making that will not be one. */
  async discard(p: Project): Promise<void> {
    await p.end();
    await removeWhole(p.file);
  }

  private async adopt(file: string, id: string): Promise<void> {
    // On the disk before it has its name: after a loss of power there is a whole file or none.
    const f = await open(file, 'r+');
    await f.sync();
    await f.close();
    await rename(file, this.fileOf(id));
  }

  async create(name: string): Promise<Project> {
    return this.appear(await this.make(name));
  }

  async opened(p: Project): Promise<void> {
    await p.db('project').update({ opened_at: now() });
  }

  /** A saved project from outside becomes one of ours, once every row of it has been looked at. */
  async takeOver(upload: string, name: string, signal: AbortSignal): Promise<Project> {
    const id = newId();
    const target = this.fileOf(id, MAKING);
    try {
      await newProjectFile(target, id, 'A project');
      await this.pool.result({ kind: 'adopt', upload, target, id, name }, signal);
      await this.adopt(target, id);
    } finally {
      await removeWhole(target);
    }
    const p = await this.get(id);
    await recover(p.db);
    return p;
  }

  /** Deletes a project whole, also one that cannot be opened. What is at work on it is ended first. */
  async remove(id: string): Promise<void> {
    const file = await this.known(id);
    const p = await this.get(id).catch(() => null);
    await p?.end();
    this.open.delete(id);
    // First the name: after a kill between the two the rest is swept at the start.
    await rename(file, this.fileOf(id, MAKING));
    await removeWhole(file);
    await removeWhole(this.fileOf(id, MAKING));
  }

  async close(): Promise<void> {
    for (const p of await Promise.allSettled(this.open.values())) if (p.status === 'fulfilled') await p.value.close();
    this.open.clear();
  }
}

/** An empty project in a file of its own, closed again. */
async function newProjectFile(file: string, id: string, name: string): Promise<void> {
  await writeFile(file, '', { flag: 'wx' });
  const db = openDatabase(file);
  try {
    await migrate(db);
    await db('project').insert({ one: 1, id, name, created_at: now() });
  } finally {
    await db.destroy();
  }
}

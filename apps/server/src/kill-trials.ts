import { spawn, type ChildProcess } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import Database from 'better-sqlite3';
import { crsOfCode, measureRaster, Random } from '@helk/core';
import type { ApiProject, ApiProjectDetail, ApiRecipe, ApiRun, ApiTable } from '@helk/core/api/schemas';
import { writeGeoTiff } from '@helk/core/formats';

/** The built server: what is killed is a whole process with its children, as a machine kills it. */
const MAIN = fileURLToPath(new URL('../../../dist/server/main.js', import.meta.url));

/** Processes that a process has started (Linux). */
function childrenOf(pid: number): string[] {
  try {
    return readFileSync(`/proc/${pid}/task/${pid}/children`, 'utf8').split(' ').filter(Boolean);
  } catch {
    return [];
  }
}

/** One server in a folder of its own, that can be killed and started again. */
export class Victim {
  base = '';
  private child: ChildProcess | null = null;

  constructor(readonly dir = mkdtempSync(join(tmpdir(), 'helk-kill-'))) {}

  /** Starts the server; resolves once it listens, or at once when `await` is false. */
  async start(o: { demo?: boolean; wait?: boolean } = {}): Promise<void> {
    const child = spawn(process.execPath, [MAIN], {
      env: {
        ...process.env,
        HELK_DATA: this.dir,
        HELK_PORT: '0',
        HELK_WEB: 'none',
        HELK_DEMO: o.demo ? 'yes' : 'none',
      },
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    this.child = child;
    const listening = new Promise<string>((resolve, reject) => {
      let said = '';
      child.stdout.on('data', (d: Buffer) => {
        said += String(d);
        const at = /Helk is at (http:\S+?)\/\s/.exec(said);
        if (at) resolve(at[1]!);
      });
      child.stderr.on('data', (d: Buffer) => (said += String(d)));
      child.once('exit', (code) => reject(new Error(`The server did not start (${code}): ${said}`)));
    });
    if (o.wait === false) listening.catch(() => undefined);
    else this.base = await listening;
  }

  async kill(signal: 'SIGKILL' | 'SIGTERM' = 'SIGKILL'): Promise<void> {
    const { child } = this;
    this.child = null;
    if (!child || child.exitCode !== null) return;
    const gone = new Promise((r) => child.once('exit', r));
    const workers = childrenOf(child.pid!);
    child.kill(signal);
    await gone;
    // Whoever worked for it ends with it.
    for (let k = 0; workers.some((w) => existsSync(`/proc/${w}`)); k++) {
      if (k > 600) throw new Error('Working processes outlive their server.');
      await new Promise((r) => setTimeout(r, 100));
    }
  }

  async remove(): Promise<void> {
    await this.kill();
    rmSync(this.dir, { recursive: true, force: true, maxRetries: 5, retryDelay: 200 });
  }

  /** An answer, or null when the server was killed before it came. */
  async ask<T>(path: string, method = 'GET', body?: object | Uint8Array): Promise<T | null> {
    const raw = body instanceof Uint8Array;
    try {
      const r = await fetch(this.base + path, {
        method,
        ...(body
          ? {
              body: raw ? (body as never) : JSON.stringify(body),
              headers: { 'Content-Type': raw ? 'application/octet-stream' : 'application/json' },
            }
          : {}),
      });
      const text = await r.text();
      return (text && r.headers.get('content-type')?.includes('json') ? JSON.parse(text) : null) as T | null;
    } catch {
      return null;
    }
  }

  async ended(p: string, run: string): Promise<ApiRun> {
    for (;;) {
      const r = await this.ask<ApiRun>(`/api/projects/${p}/runs/${run}`);
      if (!r) throw new Error('The server is gone.');
      if (r.state !== 'queued' && r.state !== 'running') return r;
      await new Promise((x) => setTimeout(x, 20));
    }
  }
}

/** A grid as a GeoTIFF, large enough for several chunks when `n` is. */
export async function gridFile(n: number): Promise<Uint8Array> {
  const r = new Random(n);
  const cells = Float32Array.from({ length: n * n }, () => r.uniform());
  const grid = { crs: crsOfCode(32627), x: 4e5, y: 64e5, dx: 10, dy: 10, columns: n, rows: n };
  return writeGeoTiff(measureRaster(grid, cells, { name: 'z', unit: 'm' }));
}

interface Moment {
  /** The longest wait between the beginning of the work and the kill, in milliseconds. */
  within: number;
  /** Kills at the first start, with the sample project being made. */
  first?: boolean;
  /** Begins the work; what it comes to is not waited for. */
  act?(v: Victim, project: string, dataset: string): Promise<unknown>;
}

const runOf = (method: string, role: string, dataset: string): object => ({
  method,
  inputs: { [role]: [dataset] },
  params: {},
});
const large = await gridFile(1400);

/** A chain of some steps, of which the last result is kept. */
const SLOPES = {
  helkRecipe: 1,
  title: 'Slopes',
  inputs: [{ name: 'ground', kind: 'raster' }],
  steps: [
    { id: 'fill', method: 'terrain.fill', inputs: { elevation: 'ground' } },
    { id: 'slope', method: 'terrain.slope', inputs: { elevation: 'fill.filled' } },
    { id: 'steep', method: 'terrain.slope', inputs: { elevation: 'slope.slope' } },
  ],
  keep: ['fill.filled', 'steep.slope'],
};

/** Begins a table of eight runs; answers with its id. */
export async function startTable(v: Victim, p: string, d: string): Promise<string> {
  const rows = Array.from({ length: 8 }, (_, k) => ({ id: `r${k}`, cells: [d, String(k + 1)] }));
  const body = {
    title: 'Many',
    method: 'terrain.slope',
    names: 'Slope {zFactor}',
    columns: ['in:elevation', 'zFactor'],
    rows,
  };
  const table = await v.ask<ApiTable>(`/api/projects/${p}/tables`, 'POST', body);
  await v.ask(`/api/projects/${p}/tables/${table!.id}/run`, 'POST', {});
  return table!.id;
}

/** What is under way when the server is killed. */
export const MOMENTS: Record<string, Moment> = {
  'first start': { within: 9000, first: true },
  'creation of a project': {
    within: 60,
    act: (v) => Promise.all([1, 2, 3, 4].map((k) => v.ask('/api/projects', 'POST', { name: `P ${k}` }))),
  },
  import: { within: 1500, act: (v, p) => v.ask(`/api/projects/${p}/imports?name=b.tif`, 'POST', large) },
  run: {
    within: 700,
    act: (v, p, d) => v.ask(`/api/projects/${p}/runs`, 'POST', runOf('terrain.slope', 'elevation', d)),
  },
  publish: {
    within: 30,
    act: async (v, p, d) => {
      const r = await v.ask<ApiRun>(`/api/projects/${p}/runs`, 'POST', runOf('terrain.slope', 'elevation', d));
      // Storing is the last thing before a result is seen.
      while (((await v.ask<ApiRun>(`/api/projects/${p}/runs/${r!.id}`))?.progress ?? 1) < 0.75) continue;
    },
  },
  'a recipe': {
    within: 1200,
    act: async (v, p, d) => {
      const made = await v.ask<ApiRecipe>(`/api/projects/${p}/recipes`, 'POST', { recipe: SLOPES });
      return v.ask(`/api/projects/${p}/runs`, 'POST', runOf(`recipe:${made!.id}`, 'ground', d));
    },
  },
  'a run table': { within: 1500, act: startTable },
  'deletion of a project': { within: 40, act: (v, p) => v.ask(`/api/projects/${p}`, 'DELETE') },
  export: { within: 300, act: (v, p, d) => v.ask(`/api/projects/${p}/datasets/${d}/export`) },
  'saving a project': { within: 200, act: (v, p) => v.ask(`/api/projects/${p}/file`) },
  review: { within: 600, act: (v, p) => v.ask(`/api/projects/${p}/reviews?name=b.tif`, 'POST', large) },
  'opening a saved project': {
    within: 400,
    act: async (v, p) => {
      const saved = new Uint8Array(await (await fetch(`${v.base}/api/projects/${p}/file`)).arrayBuffer());
      return v.ask('/api/projects/file?name=saved.helk', 'POST', saved);
    },
  },
  cancel: {
    within: 60,
    act: async (v, p, d) => {
      const r = await v.ask<ApiRun>(`/api/projects/${p}/runs`, 'POST', runOf('terrain.slope', 'elevation', d));
      return v.ask(`/api/projects/${p}/runs/${r!.id}/cancel`, 'POST');
    },
  },
};

/**
 * Kills a server in the middle of something, starts it again and looks at everything that is left.
 *
 * @returns what is wrong, in words; nothing when all is whole
 */
export async function trial(name: string, seed: number): Promise<string[]> {
  const moment = MOMENTS[name]!;
  const wait = moment.within * new Random(seed).uniform();
  const v = new Victim();
  try {
    let project: string | null = null;
    if (moment.first) await v.start({ demo: true, wait: false });
    else {
      await v.start();
      project = (await v.ask<ApiProject>('/api/projects', 'POST', { name: 'A trial' }))!.id;
      const run = await v.ask<ApiRun>(`/api/projects/${project}/imports?name=a.tif`, 'POST', await gridFile(700));
      const { outputs } = await v.ended(project, run!.id);
      const doing = moment.act!(v, project, outputs[0]!).catch(() => undefined);
      if (name === 'publish') await doing;
    }
    await new Promise((r) => setTimeout(r, wait));
    await v.kill();
    await v.start();
    return await inspect(v, name === 'deletion of a project' ? null : project);
  } finally {
    await v.remove();
  }
}

/** Everything that must hold after a restart; `survivor` is a project that must be there with its dataset. */
async function inspect(v: Victim, survivor: string | null): Promise<string[]> {
  const wrong: string[] = [];
  const all = await v.ask<ApiProject[]>('/api/projects');
  if (!all) return ['the list of projects does not answer'];
  for (const p of all) if (p.problem) wrong.push(`${p.id}: ${p.problem}`);
  if (survivor && !all.some((p) => p.id === survivor)) wrong.push('the project is gone');
  for (const p of all) {
    const d = await v.ask<ApiProjectDetail>(`/api/projects/${p.id}`);
    if (!d?.datasets) {
      wrong.push(`${p.id} does not open`);
      continue;
    }
    if (p.id === survivor && d.datasets.length < 1) wrong.push('its dataset is gone');
    for (const r of d.runs) {
      if (r.state === 'queued' || r.state === 'running') wrong.push(`run ${r.title} is ${r.state}`);
      const made = d.datasets.filter((x) => x.runId === r.id).length;
      if (r.state !== 'done' && made) wrong.push(`run ${r.title} is ${r.state} and has made ${made}`);
    }
    for (const x of d.datasets) {
      const r = await fetch(`${v.base}/api/projects/${p.id}/datasets/${x.id}/export`);
      if (!r.ok) wrong.push(`${x.name} cannot be read: ${await r.text()}`);
      else await r.arrayBuffer();
    }
    const again = await v.ask<ApiRun>(`/api/projects/${p.id}/imports?name=c.tif`, 'POST', await gridFile(20));
    if (!again || (await v.ended(p.id, again.id)).state !== 'done') wrong.push(`${p.id} takes nothing in any more`);
  }
  await v.kill();
  const folder = join(v.dir, 'projects');
  for (const f of readdirSync(folder)) {
    if (!/\.helk(-wal|-shm)?$/.test(f)) wrong.push(`${f} was left`);
    if (!f.endsWith('.helk')) continue;
    const db = new Database(join(folder, f));
    const count = (sql: string): number => (db.prepare(sql).get() as { n: number }).n;
    if (count("SELECT count(*) AS n FROM datasets WHERE state = 'staged'")) wrong.push(`${f} holds staged datasets`);
    for (const t of ['pieces', 'details'])
      if (count(`SELECT count(*) AS n FROM ${t} WHERE dataset_id NOT IN (SELECT id FROM datasets)`))
        wrong.push(`${f} holds ${t} of nobody`);
    db.close();
  }
  const uploads = join(v.dir, 'uploads');
  if (existsSync(uploads)) for (const f of readdirSync(uploads)) wrong.push(`upload ${f} was left`);
  return wrong;
}

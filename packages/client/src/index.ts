import { OPERATIONS, type Operations } from './operations';

export type { Operations };
export type Project = Operations['project']['answer']['project'];
export type Dataset = Operations['project']['answer']['datasets'][number];
export type Run = Operations['run']['answer'];
export type Recipe = Operations['recipes']['answer'][number];
export type Table = Operations['tables']['answer'][number];
export type Method = Operations['methods']['answer'][number];

/** A refusal of the server: its sentence, its code, and what it is about. */
export class HelkRefusal extends Error {
  constructor(
    message: string,
    readonly code: string,
    readonly status: number,
    readonly path: string | null,
  ) {
    super(message);
    this.name = 'HelkRefusal';
  }
}

export interface Connection {
  /** Where the server is, like `http://127.0.0.1:4780`. */
  address: string;
  /** Access token, where the server asks for one. */
  token?: string;
  /** Another way to fetch, for tests and proxies. */
  fetch?: typeof fetch;
}

type Ask<K extends keyof Operations> = (Operations[K]['params'] extends undefined
  ? object
  : { params: Operations[K]['params'] }) &
  (Operations[K]['query'] extends undefined ? object : { query?: Operations[K]['query'] }) &
  (Operations[K]['body'] extends undefined ? object : { body?: Operations[K]['body'] }) & { signal?: AbortSignal };

/** What a run is asked for, beside its inputs and settings. */
export interface RunOptions {
  /** By role (of a recipe by input): datasets, their ids, or names that only one has; `#2` for a band. */
  inputs?: Record<string, Given | readonly Given[]>;
  params?: Record<string, unknown>;
  seed?: number;
  /** Hears how far it is: a share from 0 to 1, and what is being done. */
  onProgress?: (share: number, stage: string) => void;
  /** Cancels the run. */
  signal?: AbortSignal;
}
type Given = string | Dataset;

/** A run that ended well, with its results. */
export interface Done {
  run: Run;
  figures: Run['figures'];
  results: Dataset[];
}

/** Between two looks at a run, ms: soon at first, then less often. */
const LOOKS = [40, 80, 160, 320, 500];

const pause = (ms: number): Promise<void> => new Promise((r) => setTimeout(r, ms));

/** Connects to a server. @throws HelkRefusal when it does not let us in */
export async function connect(to: string | Connection): Promise<Helk> {
  const helk = new Helk(typeof to === 'string' ? { address: to } : to);
  await helk.call('health', {});
  return helk;
}

/** A server of Helk. */
export class Helk {
  private readonly address: string;
  private readonly fetch: typeof fetch;

  constructor(private readonly connection: Connection) {
    this.address = connection.address.replace(/\/+$/, '');
    this.fetch = connection.fetch ?? ((...a) => fetch(...a));
  }

  /** Calls one operation of the API. @throws HelkRefusal with the server's sentence */
  async call<K extends keyof Operations>(name: K, ask: Ask<K>): Promise<Operations[K]['answer']> {
    const [verb, path, kind] = OPERATIONS[name];
    const { params, query, body, signal } = ask as {
      params?: Record<string, string>;
      query?: Record<string, unknown>;
      body?: unknown;
      signal?: AbortSignal;
    };
    const url = new URL(this.address + path.replace(/\{(\w+)\}/g, (_, p: string) => encodeURIComponent(params![p]!)));
    for (const [k, v] of Object.entries(query ?? {})) if (v !== undefined) url.searchParams.set(k, String(v as string));
    const raw = body instanceof Uint8Array;
    const headers: Record<string, string> = {};
    if (body !== undefined) headers['Content-Type'] = raw ? 'application/octet-stream' : 'application/json';
    if (this.connection.token) headers['Authorization'] = `Bearer ${this.connection.token}`;
    const r = await this.fetch(url, {
      method: verb,
      headers,
      signal: signal ?? null,
      ...(body === undefined ? {} : { body: raw ? (body as never) : JSON.stringify(body) }),
    });
    if (!r.ok) {
      const p = (await r.json().catch(() => null)) as { detail?: string; code?: string; path?: string | null } | null;
      throw new HelkRefusal(p?.detail ?? `The server answered ${r.status}.`, p?.code ?? '', r.status, p?.path ?? null);
    }
    const answer =
      kind === 'json' ? await r.json() : kind === 'bytes' ? new Uint8Array(await r.arrayBuffer()) : undefined;
    return answer as Operations[K]['answer'];
  }

  methods = (): Promise<Method[]> => this.call('methods', {});

  projects = (): Promise<Project[]> => this.call('projects', {});

  /** A project by its id or its name. @throws HelkRefusal when there is none, or several of that name */
  async project(idOrName: string): Promise<OpenProject> {
    const all = await this.projects();
    const p = only(
      all,
      (x) => x.id === idOrName,
      (x) => x.name === idOrName,
      idOrName,
      'project',
    );
    return new OpenProject(this, p.id);
  }

  async createProject(name: string): Promise<OpenProject> {
    return new OpenProject(this, (await this.call('createProject', { body: { name } })).id);
  }
}

/** One project: its datasets, and what is run on them. */
export class OpenProject {
  constructor(
    readonly helk: Helk,
    readonly id: string,
  ) {}

  private detail = (): Promise<Operations['project']['answer']> =>
    this.helk.call('project', { params: { project: this.id } });

  /** Its datasets, those that meet all words of `find` (in name or note), of one kind where that is given. */
  async datasets(by: { find?: string; kind?: Dataset['kind'] } = {}): Promise<Dataset[]> {
    const words = (by.find ?? '').toLowerCase().split(/\s+/).filter(Boolean);
    return (await this.detail()).datasets.filter(
      (d) => (!by.kind || d.kind === by.kind) && words.every((w) => `${d.name} ${d.note}`.toLowerCase().includes(w)),
    );
  }

  /** One dataset by its id or its name, with everything that is known of it. */
  async dataset(idOrName: string): Promise<Dataset> {
    return only(
      (await this.detail()).datasets,
      (d) => d.id === idOrName,
      (d) => d.name === idOrName,
      idOrName,
      'dataset',
    );
  }

  recipes = (): Promise<Recipe[]> => this.helk.call('recipes', { params: { project: this.id } });
  tables = (): Promise<Table[]> => this.helk.call('tables', { params: { project: this.id } });

  /** Takes a file in; answers with the datasets that came of it. */
  async takeIn(name: string, bytes: Uint8Array, o: Pick<RunOptions, 'onProgress' | 'signal'> = {}): Promise<Dataset[]> {
    const run = await this.helk.call('import', { params: { project: this.id }, query: { name }, body: bytes });
    return (await this.wait(run, o)).results;
  }

  /** Runs a method of the catalogue to its end. @throws HelkRefusal with the run's own sentence when it does not end well */
  async run(method: string, o: RunOptions = {}): Promise<Done> {
    return this.wait(await this.start(method, o), o);
  }

  /** Runs a recipe of the project, by its id or title, to its end. */
  async runRecipe(idOrTitle: string, o: RunOptions = {}): Promise<Done> {
    const all = await this.recipes();
    const r = only(
      all,
      (x) => x.id === idOrTitle,
      (x) => x.recipe.title === idOrTitle,
      idOrTitle,
      'recipe',
    );
    return this.run(`recipe:${r.id}`, o);
  }

  /** Starts a run and does not wait for it. */
  async start(method: string, o: RunOptions = {}): Promise<Run> {
    const datasets = (await this.detail()).datasets;
    const ref = (given: Given): string => {
      if (typeof given !== 'string') return given.id;
      const [text, band] = given.split('#') as [string, string?];
      const d = only(
        datasets,
        (x) => x.id === text,
        (x) => x.name === text || x.name === given,
        given,
        'dataset',
      );
      return band === undefined || d.name === given ? d.id : `${d.id}#${band}`;
    };
    const inputs = Object.fromEntries(
      Object.entries(o.inputs ?? {}).map(([role, given]) => [
        role,
        (Array.isArray(given) ? (given as Given[]) : [given as Given]).map(ref),
      ]),
    );
    return this.helk.call('startRun', {
      params: { project: this.id },
      body: { method, inputs, params: o.params ?? {}, seed: o.seed ?? 1, variantOf: null },
    });
  }

  /** Waits for a run; cancels it when the signal says so. @throws HelkRefusal when it does not end well */
  async wait(run: Run | string, o: Pick<RunOptions, 'onProgress' | 'signal'> = {}): Promise<Done> {
    const params = { project: this.id, run: typeof run === 'string' ? run : run.id };
    for (let k = 0; ; k++) {
      if (o.signal?.aborted) await this.helk.call('cancelRun', { params });
      const now = await this.helk.call('run', { params });
      if (now.state === 'done') {
        o.onProgress?.(1, '');
        const { datasets } = await this.detail();
        return { run: now, figures: now.figures, results: datasets.filter((d) => now.outputs.includes(d.id)) };
      }
      if (now.state !== 'queued' && now.state !== 'running')
        throw new HelkRefusal(
          now.problem?.message ?? `The run is ${now.state}.`,
          now.problem?.code ?? '',
          0,
          now.problem?.path ?? null,
        );
      o.onProgress?.(now.progress, now.stage);
      await pause(LOOKS[Math.min(k, LOOKS.length - 1)]!);
    }
  }

  /** Runs the rows of a run table that are not done (or those named), and waits for all of them; rows that fail do not stop the others. */
  async runTable(idOrTitle: string, o: Pick<RunOptions, 'onProgress'> & { rows?: string[] } = {}): Promise<Run[]> {
    const all = await this.tables();
    const t = only(
      all,
      (x) => x.id === idOrTitle,
      (x) => x.title === idOrTitle,
      idOrTitle,
      'run table',
    );
    const started = await this.helk.call('runTable', {
      params: { project: this.id, table: t.id },
      body: o.rows ? { rows: o.rows } : {},
    });
    const ended: Run[] = [];
    for (const r of started) {
      await this.wait(r).catch((e: unknown) => {
        if (!(e instanceof HelkRefusal)) throw e;
      });
      ended.push(await this.helk.call('run', { params: { project: this.id, run: r.id } }));
      o.onProgress?.(ended.length / started.length, `row ${ended.length} of ${started.length}`);
    }
    return ended;
  }

  /** A dataset as a file, in a format or the usual one of its kind. */
  fetch = (dataset: Dataset | string, format?: string): Promise<Uint8Array> =>
    this.helk.call('export', {
      params: { project: this.id, dataset: typeof dataset === 'string' ? dataset : dataset.id },
      ...(format ? { query: { format } } : {}),
    });
}

/** The one that is meant: by its id, else by a name that only one has. */
function only<T>(
  all: readonly T[],
  byId: (x: T) => boolean,
  byName: (x: T) => boolean,
  asked: string,
  what: string,
): T {
  const own = all.find(byId);
  if (own) return own;
  const named = all.filter(byName);
  if (named.length === 1) return named[0]!;
  throw new HelkRefusal(
    named.length ? `${named.length} ${what}s are called “${asked}”; give the id.` : `There is no ${what} “${asked}”.`,
    `${what.replace('run ', '')}.unknown`,
    404,
    what,
  );
}

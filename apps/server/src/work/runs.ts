import { setTimeout as pause } from 'node:timers/promises';
import {
  forecast,
  HelkError,
  kindOf,
  refuseMemory,
  systemOf,
  systemText,
  toProblem,
  type DatasetInfo,
  type Forecast,
  type Method,
  type Problem,
} from '@helk/core';
import type { LayerChoice } from '@helk/core/formats';
import { datasetsIn, refOf } from '@helk/core/api/refs';
import type { ApiRun, ProjectEvent } from '@helk/core/api/schemas';
import type { Project } from '../projects';
import { endRun, getDatasetRow, getRun, listDatasets, wholeInfo, type RunRow } from '../store/project-store';
import { methodIn, pinned } from '../store/recipes';
import type { Config } from '../config';
import { newId, now } from '../store/ids';
import type { TempFile } from '../store/temp';
import type { Handle, TimeLimit } from './pool';
import { readBounds, readingTime, takingTime } from './bounds';
import type { Machine } from './machine';
import type { ProgressMessage, ServiceTask, Task } from './tasks';

/** Milliseconds between two tries to record how a run ended. */
const RETRY = 3000;

export interface RunRequest {
  method: string;
  inputs: Record<string, string[]>;
  params: Record<string, unknown>;
  seed: number;
  variantOf: string | null;
  /** What its results are to be called. */
  naming?: string | null;
  table?: ApiRun['table'];
}

interface Live {
  project: Project;
  run: ApiRun;
  handle: Handle;
}

/** Starts, follows, cancels and ends the runs of all projects. */
export class RunService {
  private readonly live = new Map<string, Live>();

  constructor(
    private readonly config: Config,
    private readonly machine: Machine,
  ) {}

  /** @param known the method, where it has been worked out already */
  async forecast(project: Project, r: Omit<RunRequest, 'variantOf'>, known?: Method): Promise<Forecast> {
    const params = await pinned(project.db, r.method, r.params);
    const f = forecast(
      known ?? (await methodIn(project.db, r.method, undefined, params)),
      await this.infos(project, r.inputs),
      params,
    );
    if (!f.estimate) return f;
    return { ...f, estimate: { ...f.estimate, seconds: f.estimate.seconds * this.machine.factor(r.method) } };
  }

  private async infos(project: Project, inputs: Record<string, string[]>): Promise<Record<string, DatasetInfo[]>> {
    const out: Record<string, DatasetInfo[]> = {};
    for (const [role, refs] of Object.entries(inputs)) {
      out[role] = await Promise.all(
        refs.map(async (ref) => {
          const { dataset, band } = refOf(ref);
          const row = await getDatasetRow(project.db, dataset);
          const info = await wholeInfo(project.db, row);
          if (band === null) return info;
          const kind = kindOf(info);
          const bands = kind.bands?.(info) ?? [];
          if (!(band >= 0 && band < bands.length))
            throw new HelkError(
              'method.input',
              bands.length
                ? `"${row.name}" has ${bands.length} ${bands.length === 1 ? 'band' : 'bands'}, none numbered ${band + 1}.`
                : `"${row.name}" is a ${kind.words.one} and has no bands.`,
              role,
            );
          return kind.pickInfo!(info, band);
        }),
      );
    }
    return out;
  }

  /** Refuses at once what can be known before the run; everything else happens in the queue. */
  async start(project: Project, r: RunRequest): Promise<ApiRun> {
    const params = await pinned(project.db, r.method, r.params);
    const method: Method = await methodIn(project.db, r.method, undefined, params);
    const infos = await this.infos(project, r.inputs);
    const f = forecast(method, infos, params);
    const no = f.checks.find((c) => c.level === 'refused');
    if (no) throw new HelkError('method.refused', no.message, no.about ?? null);
    refuseMemory(method, f.estimate, infos, this.config.memoryLimit);
    if (r.variantOf) await getRun(project.db, r.variantOf);
    const id = await this.record(project, {
      method: method.id,
      version: method.version,
      title: method.title,
      inputs: r.inputs,
      params: f.plain,
      seed: r.seed,
      systems: await systemsOf(project, r.inputs),
      variantOf: r.variantOf,
      naming: r.naming ?? null,
      table: r.table ?? null,
    });
    const task: Task = { kind: 'run', file: project.file, runId: id, memoryLimit: this.config.memoryLimit };
    return this.launch(project, id, task, {}, (run) => this.learn(run, f.estimate?.seconds ?? 0));
  }

  /** What a run took corrects the estimates of those that come. */
  private learn(run: ApiRun, estimated: number): void {
    if (run.state !== 'done' || !run.startedAt || !run.endedAt) return;
    this.machine.learn(run.method, estimated, (Date.parse(run.endedAt) - Date.parse(run.startedAt)) / 1000);
  }

  /** Records a row of a run table that cannot run, with the reason: it stands among the others, to be mended. */
  async refused(project: Project, r: RunRequest, problem: Problem): Promise<ApiRun> {
    const method = await methodIn(project.db, r.method);
    const id = await this.record(project, {
      method: method.id,
      version: method.version,
      title: method.title,
      inputs: r.inputs,
      params: r.params,
      seed: r.seed,
      variantOf: null,
      naming: r.naming ?? null,
      table: r.table ?? null,
    });
    await endRun(project.db, id, 'failed', problem);
    const run = await getRun(project.db, id);
    project.send({ type: 'run', run });
    return run;
  }

  async takeIn(
    project: Project,
    upload: TempFile,
    o: { name: string; batch: string | null; crs: string | null; choices?: LayerChoice[] },
  ): Promise<ApiRun> {
    try {
      const limit = await readingTime(upload.path, this.config);
      const id = await this.record(project, {
        method: 'import',
        version: 1,
        title: o.name,
        inputs: {},
        params: o.choices ? { layers: o.choices } : {},
        seed: 0,
        variantOf: null,
      });
      const task: Task = {
        kind: 'import',
        file: project.file,
        runId: id,
        upload: upload.path,
        ...o,
        choices: o.choices ?? null,
        bounds: readBounds(this.config),
      };
      return await this.launch(project, id, task, { limit, upload });
    } catch (e) {
      await upload.remove();
      throw e;
    }
  }

  /** Takes features from a service into a project. */
  async fetchIn(
    project: Project,
    o: Omit<ServiceTask, 'kind' | 'file' | 'runId'> & { title: string },
  ): Promise<ApiRun> {
    const { title, token, ...wish } = o;
    const given = Object.entries(wish).filter(([, v]) => v !== null);
    const id = await this.record(project, {
      method: 'import',
      version: 1,
      title,
      inputs: {},
      params: { service: Object.fromEntries(given) },
      seed: 0,
      variantOf: null,
    });
    const task: Task = { kind: 'service', file: project.file, runId: id, token, ...wish };
    return this.launch(project, id, task, { limit: takingTime(this.config) });
  }

  private async record(
    project: Project,
    r: {
      method: string;
      version: number;
      title: string;
      inputs: object;
      params: object;
      seed: number;
      systems?: Record<string, string | null>;
      variantOf: string | null;
      naming?: string | null;
      table?: ApiRun['table'];
    },
  ): Promise<string> {
    const id = newId();
    const row: Partial<RunRow> = {
      id,
      method: r.method,
      version: r.version,
      title: r.title,
      inputs: JSON.stringify(r.inputs),
      params: JSON.stringify(r.params),
      seed: r.seed,
      systems: JSON.stringify(r.systems ?? {}),
      state: 'queued',
      variant_of: r.variantOf,
      naming: r.naming ?? null,
      of_table: r.table ? JSON.stringify(r.table) : null,
      created_at: now(),
    };
    await project.db('runs').insert(row);
    return id;
  }

  private async launch(
    project: Project,
    id: string,
    task: Task,
    { limit, upload }: { limit?: TimeLimit; upload?: TempFile } = {},
    over: (run: ApiRun) => void = () => undefined,
  ): Promise<ApiRun> {
    const run = await getRun(project.db, id);
    const onProgress = ({ share, stage }: ProgressMessage): void => {
      const live = this.live.get(id);
      if (!live) return;
      live.run = { ...live.run, state: 'running', startedAt: live.run.startedAt ?? now(), progress: share, stage };
      project.send({ type: 'run', run: live.run });
    };
    const handle = project.start(task, onProgress, limit);
    this.live.set(id, { project, run, handle });
    project.send({ type: 'run', run });
    void handle.done
      .then(async (result) => {
        await upload?.remove();
        // A project that is being deleted takes its runs with it.
        if (project.deleted.aborted) return;
        if (!result.ok) await this.ended(project, id, result.problem);
        const finished = await getRun(project.db, id);
        const datasets = finished.outputs.length
          ? (await listDatasets(project.db)).filter((d) => finished.outputs.includes(d.id))
          : [];
        this.live.delete(id);
        over(finished);
        const events: ProjectEvent[] = [
          ...(datasets.length ? [{ type: 'datasets' as const, datasets }] : []),
          { type: 'run', run: finished },
        ];
        for (const e of events) project.send(e);
        if (datasets.length) await project.settle();
      })
      .catch((e: unknown) => process.stderr.write(`Run ${id}: ${e instanceof Error ? e.message : String(e)}\n`))
      .finally(() => {
        this.live.delete(id);
      });
    return run;
  }

  /**
   * Records how a run ended. Where there is no room even for that, the run is told as failed from memory, and recording is tried again
   * until it works: nothing is left "running" that is not.
   */
  private async ended(project: Project, id: string, problem: Problem): Promise<void> {
    const state = problem.code === 'run.cancelled' ? 'cancelled' : 'failed';
    for (;;) {
      try {
        await endRun(project.db, id, state, problem);
        return;
      } catch (e) {
        if (project.deleted.aborted) return;
        const live = this.live.get(id);
        const why = toProblem(e);
        if (live && live.run.state !== state) {
          const shown = why.code === 'store.full' ? why : problem;
          live.run = { ...live.run, state, problem: shown, endedAt: now() };
          project.send({ type: 'run', run: live.run });
        }
        await pause(RETRY, undefined, { ref: false });
      }
    }
  }

  /** The run as it stands this moment, progress included. */
  async current(project: Project, id: string): Promise<ApiRun> {
    return this.mine(project, id)?.run ?? getRun(project.db, id);
  }

  async cancel(project: Project, id: string): Promise<ApiRun> {
    this.mine(project, id)?.handle.cancel();
    return this.current(project, id);
  }

  /** A run under way, when it is one of this project. */
  private mine(project: Project, id: string): Live | undefined {
    const live = this.live.get(id);
    return live?.project === project ? live : undefined;
  }

  liveRuns(project: Project): ApiRun[] {
    return [...this.live.values()].filter((l) => l.project === project).map((l) => l.run);
  }
}

/** The system that each input is taken to be in, so that a result can be known to rest on one that has been put right since. */
async function systemsOf(project: Project, inputs: Record<string, string[]>): Promise<Record<string, string | null>> {
  const out: Record<string, string | null> = {};
  for (const id of datasetsIn(inputs)) {
    const info = JSON.parse((await getDatasetRow(project.db, id)).info) as DatasetInfo;
    const crs = systemOf(info);
    if (kindOf(info).placed) out[id] = crs && systemText(crs);
  }
  return out;
}

import { spawn, type ChildProcess } from 'node:child_process';
import { setPriority } from 'node:os';
import { fileURLToPath } from 'node:url';
import { HelkError, type ErrorCode, type Problem } from '@helk/core';
import {
  LANES,
  laneOf,
  type FromHost,
  type Lane,
  type ProgressMessage,
  type Task,
  type TaskResult,
  type ToHost,
} from './tasks';

/** How long a cancelled task may take to stop by itself before its process is ended. */
const GRACE = 600;
/** An idle process is kept this long; one that has grown beyond this many bytes, where nobody says otherwise, is not kept at all. */
const IDLE = 60_000;
const LEAN = 2 ** 29;
/** What Node.js itself needs beside the data of a task, in bytes. */
const OWN = 192 * 2 ** 20;

/** The bundled host; when the server itself runs from its sources, the one that `scripts/build.mjs node` made. */
const HOST = fileURLToPath(
  new URL(import.meta.url.endsWith('.ts') ? '../../../../dist/server/host.js' : './host.js', import.meta.url),
);

export interface Handle {
  done: Promise<TaskResult>;
  cancel(): void;
}

export interface PoolSettings {
  /** Processes that compute at the same time. */
  threads: number;
  /** Processes that wait for services at the same time. */
  services: number;
  /** Bytes the data of one task may take; more cannot be had by its process. */
  memory: number;
  /** Bytes beyond which a process is not kept for the next task. */
  lean?: number;
}

/** How long a task may be at work, and what is said of one that is ended for it. */
export interface TimeLimit {
  seconds: number;
  problem: Problem;
}

interface Job {
  task: Task;
  limit: TimeLimit | undefined;
  onProgress: (m: ProgressMessage) => void;
  settle: (r: TaskResult) => void;
  cancelled: boolean;
}

const perLane = <T>(make: () => T): Record<Lane, T> =>
  Object.fromEntries(LANES.map((l) => [l, make()])) as Record<Lane, T>;

const problem = (code: ErrorCode, message: string): Problem => ({ code, message, path: null });
const STOPPED = problem('run.cancelled', 'It was cancelled; nothing was changed.');

/**
 * The processes that do the work. Each does one task at a time and is kept for the next. A process, not a thread: what
 * comes from outside may be made to run for ever inside a library or to swell, and only a process can be ended whatever it does and
 * held by the system to a limit of memory, buffers included.
 */
export class WorkerPool {
  private readonly waiting = perLane<Job[]>(() => []);
  private readonly hosts = perLane(() => new Set<Host>());
  private closed = false;

  constructor(private readonly settings: PoolSettings) {}

  /** Queues a task behind the others of its lane. */
  start(task: Task, onProgress: (m: ProgressMessage) => void = () => undefined, limit?: TimeLimit): Handle {
    const lane = laneOf(task);
    let settle!: (r: TaskResult) => void;
    const done = new Promise<TaskResult>((r) => (settle = r));
    const job: Job = { task, limit, onProgress, settle, cancelled: false };
    this.waiting[lane].push(job);
    this.next(lane);
    return {
      done,
      cancel: () => {
        if (job.cancelled) return;
        job.cancelled = true;
        const at = this.waiting[lane].indexOf(job);
        if (at >= 0) {
          this.waiting[lane].splice(at, 1);
          settle({ ok: false, problem: STOPPED });
        } else for (const h of this.hosts[lane]) if (h.job === job) h.stop();
      },
    };
  }

  /** Waits for a task that has no progress to show; throws what it failed with. */
  async result(task: Task, signal?: AbortSignal): Promise<Extract<TaskResult, { ok: true }>> {
    const handle = this.start(task);
    signal?.addEventListener('abort', () => handle.cancel(), { once: true });
    const r = await handle.done;
    if (!r.ok) throw new HelkError(r.problem.code, r.problem.message, r.problem.path);
    return r;
  }

  private next(lane: Lane): void {
    const most = { work: this.settings.threads, services: this.settings.services, samples: 1, glances: 1 }[lane];
    const hosts = this.hosts[lane];
    while (!this.closed && this.waiting[lane].length) {
      let host = [...hosts].find((h) => h.free);
      if (!host) {
        if (hosts.size >= most) return;
        host = this.host(lane);
      }
      host.take(this.waiting[lane].shift()!, () => this.next(lane));
    }
  }

  /** Has a process ready before the first task comes, since one takes a second to start. */
  warm(): void {
    if (!this.hosts.work.size) this.host('work');
  }

  private host(lane: Lane): Host {
    const hosts = this.hosts[lane];
    const host = new Host(
      this.settings.memory,
      this.settings.lean ?? LEAN,
      () => lane === 'work' && hosts.size === 1,
      () => {
        hosts.delete(host);
        // One that died before it did anything would only die again.
        if (!this.closed && lane === 'work' && host.served) this.warm();
        this.next(lane);
      },
    );
    hosts.add(host);
    return host;
  }

  /** Ends all processes; what was under way is told as stopped. */
  async close(): Promise<void> {
    this.closed = true;
    for (const lane of LANES) {
      for (const j of this.waiting[lane].splice(0)) j.settle({ ok: false, problem: STOPPED });
      await Promise.all([...this.hosts[lane]].map((h) => h.end()));
    }
  }
}

/** One process of the pool, seen from the server. */
class Host {
  job: Job | null = null;
  /** Whether it has ended a task. */
  served = false;
  private readonly child: ChildProcess;
  private readonly gone: Promise<void>;
  private then: () => void = () => undefined;
  private timers: NodeJS.Timeout[] = [];
  private said = '';
  /** Why the process is being ended, where it is we who end it. */
  private verdict: Problem | null = null;

  constructor(
    private readonly memory: number,
    private readonly lean: number,
    private readonly stays: () => boolean,
    onGone: () => void,
  ) {
    const heap = Math.ceil(memory / 2 ** 20);
    // The limit is of all private memory that can be written to: heap, buffers, shared memory and that of compiled libraries alike.
    this.child = spawn(
      '/bin/sh',
      [
        '-c',
        'ulimit -d "$1" && shift && exec "$@"',
        'host',
        String(Math.ceil((memory + OWN) / 1024)),
        process.execPath,
        HOST,
        String(heap),
      ],
      {
        stdio: ['ignore', 'ignore', 'pipe', 'ipc'],
        serialization: 'advanced',
        // Nothing of the server's surroundings is told to those who read foreign files.
        env: { PATH: process.env['PATH'] ?? '', LANG: 'C.UTF-8' },
      },
    );
    if (this.child.pid !== undefined) {
      try {
        // The server's own answers come first.
        setPriority(this.child.pid, 5);
      } catch {
        // Not allowed here; then they share.
      }
    }
    this.child.stderr!.on('data', (d: Buffer) => (this.said = (this.said + d.toString('utf8')).slice(-4000)));
    this.child.on('message', (m: FromHost) => this.hear(m));
    this.gone = new Promise((r) => {
      const ended = (signal: string | null): void => {
        this.settle({ ok: false, problem: this.verdict ?? this.death(signal) });
        onGone();
        r();
      };
      this.child.once('error', () => ended(null));
      this.child.once('exit', (_code, signal) => ended(signal));
    });
    this.rest();
  }

  /** It can be given a task: one that is being ended, having grown too large, would only tell that it was stopped. */
  get free(): boolean {
    return !this.job && !this.verdict;
  }

  take(job: Job, then: () => void): void {
    this.quiet();
    this.job = job;
    this.then = then;
    this.send({ say: 'do', task: job.task });
  }

  /** Asks the task to stop; ends the process when it does not. */
  stop(): void {
    this.send({ say: 'cancel' });
    this.after(GRACE, () => this.kill(STOPPED));
  }

  async end(): Promise<void> {
    this.kill(STOPPED);
    await this.gone;
  }

  private hear(m: FromHost): void {
    if (m.say === 'progress') this.job?.onProgress(m.message);
    // A new process takes a while to start, which is not the task's fault.
    const limit = this.job?.limit;
    if (m.say === 'begun' && limit) this.after(limit.seconds * 1000, () => this.kill(limit.problem));
    if (m.say !== 'done') return;
    this.served = true;
    const stopped = this.job?.cancelled && !m.result.ok;
    this.settle(stopped ? { ok: false, problem: STOPPED } : m.result);
    if (m.resident > this.lean || this.verdict) this.kill(STOPPED);
    else {
      this.rest();
      this.then();
    }
  }

  /** A process with nothing to do ends after a while, unless it is the last. */
  private rest(): void {
    this.after(IDLE, () => (this.stays() ? this.rest() : this.kill(STOPPED)));
  }

  private settle(r: TaskResult): void {
    this.quiet();
    const { job } = this;
    this.job = null;
    job?.settle(r);
  }

  private after(ms: number, f: () => void): void {
    this.timers.push(setTimeout(f, ms).unref());
  }

  private quiet(): void {
    for (const t of this.timers.splice(0)) clearTimeout(t);
  }

  private send(m: ToHost): void {
    if (this.child.connected) this.child.send(m, () => undefined);
  }

  private kill(why: Problem): void {
    this.verdict ??= why;
    this.child.kill('SIGKILL');
  }

  /** What an end that nobody asked for most likely was. */
  private death(signal: string | null): Problem {
    const swollen = /bad_alloc|out of memory|allocation failed|OutOfMemory/i.test(this.said);
    // At the wall an allocation inside the engine gives nothing back, and what is done with that is a fault of the segment.
    if (signal === 'SIGSEGV') process.stderr.write(`A worker stopped (${signal}): ${this.said}\n`);
    if (swollen || ['SIGABRT', 'SIGKILL', 'SIGTRAP', 'SIGSEGV', 'SIGBUS'].includes(signal ?? ''))
      return problem(
        'method.memory',
        `It needed more than the ${(this.memory / 2 ** 30).toFixed(1)} GiB of memory that may be used; nothing was changed.`,
      );
    process.stderr.write(`A worker stopped (${signal ?? 'exit'}): ${this.said}\n`);
    return problem(
      'run.failed',
      'The worker stopped unexpectedly; nothing was changed, and the log of the server says more.',
    );
  }
}

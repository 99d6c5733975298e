// npm run fuzz [mutants] [seed]: mutants of good files of every format are read in a child process with a wall of memory; what hangs,
// swells, breaks off or says what no person should read is told with its number, and exit code 1.
import { spawn, type ChildProcess } from 'node:child_process';
import { fileURLToPath } from 'node:url';

export interface Fault {
  at: number;
  name: string;
  why: string;
}

export interface Outcome {
  faults: Fault[];
  /** HDF5 files over which the library itself never comes to an end: only the watch ends them, as the server's does. */
  ended: Fault[];
}

/**
 * Memory of the child beside what Node.js needs, in bytes: buffers of mutants that have been read lie about until they are collected, which
 * takes its time on a busy machine. And how long one mutant may take, in milliseconds.
 */
const MEMORY = 1.5 * 2 ** 30;
const PATIENCE = 30_000;

/** Reads mutants `0 … n - 1` of a seed. A child that ends or hangs is replaced, and its mutant told. */
export async function fuzz(n: number, seed: number, say: (s: string) => void = () => undefined): Promise<Outcome> {
  const faults: Fault[] = [];
  const ended: Fault[] = [];
  const found = (f: Fault): void => {
    faults.push(f);
    say(`mutant ${f.at} of ${f.name}: ${f.why}`);
  };
  let next = 0;
  while (next < n) {
    const child = begin();
    let last: Said = { at: next, name: '' };
    let hung = false;
    const why = await new Promise<string | null>((end) => {
      let watch: NodeJS.Timeout;
      const alive = (): void => {
        clearTimeout(watch);
        watch = setTimeout(() => {
          hung = true;
          child.kill('SIGKILL');
          end(`took longer than ${PATIENCE / 1000} s`);
        }, PATIENCE);
      };
      alive();
      let said = '';
      child.stderr!.on('data', (d: Buffer) => (said = (said + String(d)).slice(-2000)));
      child.on('message', (m: Said) => {
        alive();
        if (m.ready) child.send({ from: next, to: n, seed });
        else if (m.done) {
          next = n;
          end(null);
        } else if (m.fault) found({ at: m.at, name: m.name, why: m.fault });
        else {
          last = m;
          if (m.at && m.at % 1000 === 0) say(`${m.at} read, ${faults.length} faults`);
        }
      });
      child.once('exit', (code, signal) => {
        clearTimeout(watch);
        end(`the process ended (${signal ?? code}): ${said}`);
      });
    });
    child.kill('SIGKILL');
    if (why) {
      const f = { at: last.at, name: last.name, why };
      if (hung && last.hdf5) {
        ended.push(f);
        say(`mutant ${f.at} of ${f.name} was ended by the watch`);
      } else found(f);
      next = last.at + 1;
    }
  }
  return { faults, ended };
}

/** What the child tells. */
interface Said {
  ready?: true;
  done?: true;
  fault?: string;
  at: number;
  name: string;
  hdf5?: boolean;
}

function begin(): ChildProcess {
  const file = fileURLToPath(new URL('./fuzz-child.ts', import.meta.url));
  const limit = Math.ceil((MEMORY + 2 ** 28) / 1024);
  return spawn(
    '/bin/sh',
    ['-c', 'ulimit -d "$1" && shift && exec "$@"', 'fuzz', String(limit), process.execPath, '--import', 'tsx', file],
    { stdio: ['ignore', 'ignore', 'pipe', 'ipc'] },
  );
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  const [n, seed] = [Number(process.argv[2] ?? 100_000), Number(process.argv[3] ?? 1)];
  const print = (s: string): void => void process.stdout.write(`${s}\n`);
  const { faults, ended } = await fuzz(n, seed, print);
  print(`${n} mutants, ${faults.length} faults, ${ended.length} ended by the watch`);
  process.exitCode = faults.length ? 1 : 0;
}

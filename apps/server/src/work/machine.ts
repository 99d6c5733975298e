import { readFileSync } from 'node:fs';
import { rename, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import * as z from 'zod';

const Factor = z.object({ factor: z.number().min(1e-3).max(1e3), runs: z.number().int().min(1) });
const Settings = z.object({ all: Factor.nullable(), methods: z.record(z.string().max(200), Factor) });
type Factor = z.infer<typeof Factor>;

/** Runs that are over sooner tell more of starting than of computing, s. */
const SHORT = 0.5;
/** So many runs are remembered: what was long ago was perhaps another machine's load. */
const MEMORY = 12;
/** From how many runs on a method has a factor of its own. */
const OWN = 2;
/** A single run is not believed beyond this. */
const MOST = 50;

/**
 * How much slower or faster this machine is than estimates take it to be, learned from runs: of each method, and of all together for those
 * that have not run yet. Factors are means of ratios (geometric), the last runs counting most. Kept in the settings of the data folder; a file
 * that cannot be read is as if nothing had been learned.
 */
export class Machine {
  private readonly file: string;
  private settings: z.infer<typeof Settings> = { all: null, methods: {} };
  private writing: Promise<void> = Promise.resolve();

  constructor(dataDir: string) {
    this.file = join(dataDir, 'machine.json');
    try {
      const read = Settings.safeParse(JSON.parse(readFileSync(this.file, 'utf8')));
      if (read.success) this.settings = read.data;
    } catch {
      // Nothing has been learned yet.
    }
  }

  /** By what an estimate of a method is multiplied here. */
  factor(method: string): number {
    const own = this.settings.methods[method];
    return own && own.runs >= OWN ? own.factor : (this.settings.all?.factor ?? own?.factor ?? 1);
  }

  /** Learns from a run that ended well. @param estimated seconds as the method gives them, not corrected; @param took seconds */
  learn(method: string, estimated: number, took: number): void {
    if (!(estimated > 0) || !(took > 0) || Math.max(estimated, took) < SHORT) return;
    const ratio = Math.min(MOST, Math.max(1 / MOST, took / estimated));
    const next = (f: Factor | null | undefined): Factor => {
      const runs = Math.min(MEMORY, (f?.runs ?? 0) + 1);
      const log = f ? Math.log(f.factor) + (Math.log(ratio) - Math.log(f.factor)) / runs : Math.log(ratio);
      return { factor: Math.exp(log), runs };
    };
    this.settings = {
      all: next(this.settings.all),
      methods: { ...this.settings.methods, [method]: next(this.settings.methods[method]) },
    };
    const text = JSON.stringify(this.settings);
    // Whole or not at all; what cannot be written is learned again.
    this.writing = this.writing
      .then(() => writeFile(`${this.file}.making`, text))
      .then(() => rename(`${this.file}.making`, this.file))
      .catch(() => undefined);
  }

  /** When all that was learned lies on the disk. */
  written(): Promise<void> {
    return this.writing;
  }
}

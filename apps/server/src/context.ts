import { join } from 'node:path';
import type { Config } from './config';
import { Projects } from './projects';
import { TempFolder } from './store/temp';
import { WorkerPool } from './work/pool';
import { Machine } from './work/machine';
import { RunService } from './work/runs';

/** What handlers share. */
export interface Context {
  config: Config;
  projects: Projects;
  temp: TempFolder;
  pool: WorkerPool;
  runs: RunService;
}

export async function makeContext(config: Config): Promise<Context & { interrupted: number }> {
  const pool = new WorkerPool({ threads: config.threads, services: config.services, memory: config.memoryLimit });
  pool.warm();
  const temp = new TempFolder(join(config.dataDir, 'uploads'));
  const projects = new Projects(config.dataDir, temp, pool);
  const { interrupted } = await projects.start();
  return { config, projects, temp, pool, runs: new RunService(config, new Machine(config.dataDir)), interrupted };
}

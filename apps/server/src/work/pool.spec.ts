import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { WorkerPool } from './pool';
import type { TaskResult } from './tasks';

describe('the pool of processes', () => {
  const dir = mkdtempSync(join(tmpdir(), 'helk-pool-'));
  // Every process has grown too large after its first task.
  const pool = new WorkerPool({ threads: 1, services: 1, memory: 2 ** 31, lean: 1 });
  afterAll(async () => {
    await pool.close();
    rmSync(dir, { recursive: true, force: true });
  });

  it('gives no task to a process that is being ended', async () => {
    const upload = join(dir, 'place.geojson');
    writeFileSync(upload, '{"type":"Point","coordinates":[1,2]}');
    const bounds = { maxCells: 1e6, maxUnpacked: 1e6, maxBytes: 1e6 };
    const task = { kind: 'review', upload, name: 'place.geojson', crs: null, steps: {}, bounds } as const;
    const found: TaskResult[] = [];
    // The next one comes the moment the one before is told.
    for (let k = 0; k < 4; k++) found.push(await pool.start(task).done);
    expect(found.map((r) => (r.ok ? 'done' : r.problem.message))).toEqual(['done', 'done', 'done', 'done']);
  }, 120_000);
});

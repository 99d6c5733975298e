import { crsOfCode, handleOn, measureRaster } from '@helk/core';
import type { Knex } from 'knex';
import { setupNode } from '@helk/node';
import { Machine } from '../work/machine';
import { RunService } from '../work/runs';
import { configFrom } from '../config';
import type { Project } from '../projects';
import { migrate, openDatabase } from './database';
import { newId, now } from './ids';
import { begin, endRun, getRun, publish, stageHandle } from './project-store';

setupNode();

const problem = (code: 'run.cancelled' | 'run.failed') => ({ code, message: 'It ended.', path: null });

describe('the end of a run', () => {
  let db: Knex;
  beforeEach(async () => {
    db = openDatabase(':memory:');
    await migrate(db);
  });
  afterEach(() => db.destroy());

  const running = async (): Promise<string> => {
    const id = newId();
    await db('runs').insert({
      id,
      method: 'terrain.slope',
      version: 1,
      title: 'Slope',
      inputs: '{}',
      params: '{}',
      seed: 1,
      state: 'queued',
      created_at: now(),
    });
    await begin(db, id);
    return id;
  };
  const staged = (runId: string): Promise<string> => {
    const grid = { crs: crsOfCode(32627), x: 0, y: 0, dx: 1, dy: 1, columns: 2, rows: 1 };
    const data = measureRaster(grid, Float32Array.of(1, 2), { name: 'z', unit: 'm' });
    const made = { name: 'z', runId, role: null, batch: null, source: null };
    return stageHandle(db, made, handleOn(data), () => undefined);
  };
  const outcome = { params: {}, figures: {}, notes: [] };

  it('stays done when a cancel comes after its results have been published', async () => {
    const run = await running();
    const d = await staged(run);
    await publish(db, run, [d], outcome);
    await endRun(db, run, 'cancelled', problem('run.cancelled'));
    const r = await getRun(db, run);
    expect([r.state, r.outputs, r.problem]).toEqual(['done', [d], null]);
  });

  it('cannot be published once it has been ended, and leaves nothing staged', async () => {
    const run = await running();
    const d = await staged(run);
    await endRun(db, run, 'interrupted', problem('run.failed'));
    await expectAsync(publish(db, run, [d], outcome)).toBeRejected();
    expect((await getRun(db, run)).state).toBe('interrupted');
    expect(await db('datasets').select('id')).toEqual([]);
    expect(await db('pieces').select('dataset_id')).toEqual([]);
  });

  it('is told at once when there is no room to record it, and recorded when there is', async () => {
    const run = await running();
    const sent: string[] = [];
    let full = true;
    const fake = {
      // A disk that is full for writing.
      db: Object.assign((table: string) => {
        if (full && table === 'runs' && sent.length < 2) {
          const q = db(table);
          return Object.assign(q, {
            update: () => Promise.reject(Object.assign(new Error('database or disk is full'), { code: 'SQLITE_FULL' })),
          });
        }
        return db(table);
      }, db),
      deleted: new AbortController().signal,
      send: (e: { type: string; run?: { state: string; problem: { code: string } | null } }) => {
        if (e.run) sent.push(`${e.run.state} ${e.run.problem?.code ?? ''}`.trim());
        full = e.run?.state !== 'failed';
      },
      start: () => ({
        done: Promise.resolve({ ok: false, problem: problem('run.failed') }),
        cancel: () => undefined,
      }),
    } as unknown as Project;
    const service = new RunService(configFrom({ HELK_DATA: '/tmp/none' }, '/tmp'), new Machine('/tmp/none'));
    await (service as unknown as { launch(p: Project, id: string, t: object): Promise<unknown> }).launch(fake, run, {});
    while ((await getRun(db, run)).state !== 'failed') await new Promise((r) => setTimeout(r, 50));
    expect(sent.slice(0, 2)).toEqual(['running', 'failed store.full']);
    expect((await getRun(db, run)).problem!.code).toBe('run.failed');
  }, 30_000);
});

import type { ApiProject, ApiProjectDetail, ApiRun } from '@helk/core/api/schemas';
import { gridFile, MOMENTS, startTable, trial, Victim } from './kill-trials';
import { endlessPackage } from './testing';

describe('a server that is asked to stop', () => {
  it('does, although a reader never ends, and leaves its folder to the next', async () => {
    const v = new Victim();
    await v.start();
    const p = (await v.ask<ApiProject>('/api/projects', 'POST', { name: 'A trial' }))!.id;
    const run = (await v.ask<ApiRun>(`/api/projects/${p}/imports?name=v.gpkg`, 'POST', endlessPackage()))!.id;
    while ((await v.ask<ApiRun>(`/api/projects/${p}/runs/${run}`))?.state !== 'running') continue;
    const second = new Victim(v.dir);
    await expectAsync(second.start()).toBeRejectedWithError(/Another Helk is using/);
    await v.kill('SIGTERM');
    await v.start();
    expect((await v.ended(p, run)).state).toBe('interrupted');
    await v.remove();
  }, 120_000);
});

describe('a server that is killed', () => {
  for (const [k, moment] of Object.keys(MOMENTS).entries())
    it(`in the middle of: ${moment}, leaves everything whole`, async () => {
      expect(await trial(moment, 20 + k)).toEqual([]);
    }, 240_000);

  it('in the middle of a run table, goes on with the rows that are not done', async () => {
    const v = new Victim();
    try {
      await v.start();
      const p = (await v.ask<ApiProject>('/api/projects', 'POST', { name: 'A trial' }))!.id;
      const taken = await v.ask<ApiRun>(`/api/projects/${p}/imports?name=a.tif`, 'POST', await gridFile(900));
      const [d] = (await v.ended(p, taken!.id)).outputs;
      const table = await startTable(v, p, d!);
      const rows = async (): Promise<ApiRun[]> =>
        (await v.ask<ApiProjectDetail>(`/api/projects/${p}`))!.runs.filter((r) => r.table?.id === table);
      while (!(await rows()).some((r) => r.state === 'done')) continue;
      await v.kill();
      await v.start();
      const done = (await rows()).filter((r) => r.state === 'done').length;
      expect(done).toBeGreaterThan(0);
      const rest = (await v.ask<ApiRun[]>(`/api/projects/${p}/tables/${table}/run`, 'POST', {}))!;
      expect(rest.length).toBe(8 - done);
      for (const r of rest) expect((await v.ended(p, r.id)).state).toBe('done');
      const all = (await v.ask<ApiProjectDetail>(`/api/projects/${p}`))!.datasets.filter((x) => x.role === 'slope');
      expect(all.map((x) => x.name).sort()).toEqual(Array.from({ length: 8 }, (_, k) => `Slope ${k + 1}`));
    } finally {
      await v.remove();
    }
  }, 240_000);
});

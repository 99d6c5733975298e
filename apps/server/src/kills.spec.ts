import type { ApiProject, ApiRun } from '@helk/core/api/schemas';
import { MOMENTS, trial, Victim } from './kill-trials';
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
});

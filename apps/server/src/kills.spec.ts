import { MOMENTS, trial } from './kill-trials';

describe('a server that is killed', () => {
  for (const [k, moment] of Object.keys(MOMENTS).entries())
    it(`in the middle of: ${moment}, leaves everything whole`, async () => {
      expect(await trial(moment, 20 + k)).toEqual([]);
    }, 240_000);
});

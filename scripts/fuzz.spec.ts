import { fuzz } from './fuzz';

describe('mutants of files of every format', () => {
  it('are read or refused in words, in bounded time and memory', async () => {
    const { faults } = await fuzz(4000, 7);
    expect(faults.map((f) => `${f.at} ${f.name}: ${f.why}`)).toEqual([]);
  }, 900_000);
});

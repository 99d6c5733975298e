import { writeFile } from 'node:fs/promises';
import { sampleBytes } from '../../samples';
import type { SampleTask } from '../tasks';

export async function makeSample({ sample, target }: SampleTask): Promise<{ outputs: string[] }> {
  await writeFile(target, await sampleBytes(sample));
  return { outputs: [] };
}

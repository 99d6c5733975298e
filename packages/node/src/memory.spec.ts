import { spawn } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { methods } from '@helk/core';

interface Trial {
  id: string;
  said?: number;
  allowed?: number;
  taken?: number;
  failed?: string;
}

/** Every method once, in a process of its own on one thread. */
function trials(): Promise<Trial[]> {
  const script = new URL('./memory-trials.ts', import.meta.url).pathname;
  return new Promise((done, failed) => {
    const child = spawn(process.execPath, ['--expose-gc', '--import', 'tsx', script], {
      // What is let go of goes back to the system at once, so that the high-water mark is that of one method.
      env: { ...process.env, MALLOC_MMAP_THRESHOLD_: '131072' },
      stdio: ['ignore', 'pipe', 'inherit'],
    });
    let text = '';
    child.stdout.on('data', (d: Buffer) => (text += d.toString()));
    child.once('error', failed);
    child.once('exit', () => {
      const lines = text.trim().split('\n').filter(Boolean);
      done(lines.map((l) => JSON.parse(l) as Trial));
    });
  });
}

const MIB = 2 ** 20;

describe('the memory that a method says it needs', () => {
  it('holds it, results apart, as the process itself measures (high-water mark of resident memory)', async () => {
    try {
      // Setting the mark back changes nothing but the mark.
      writeFileSync('/proc/self/clear_refs', '5');
    } catch {
      pending('the high-water mark cannot be set back on this machine');
      return;
    }
    const all = await trials();
    expect(all.map((t) => t.id)).toEqual(
      methods()
        .filter((m) => Object.keys(m.inputs).length)
        .map((m) => m.id),
    );
    expect(all.filter((t) => t.failed).map((t) => `${t.id}: ${t.failed}`)).toEqual([]);
    const over = all
      .filter((t) => t.taken! > t.allowed!)
      .map((t) => `${t.id} said ${(t.said! / MIB).toFixed(1)} MiB and took ${(t.taken! / MIB).toFixed(1)}`);
    expect(over).toEqual([]);
  }, 1_200_000);
});

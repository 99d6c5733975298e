import { parentPort } from 'node:worker_threads';
import { kernelOf, methods, toProblem } from '@helk/core';
import { GLANCES } from '@helk/core/glance/registry';
import { setupNode } from './index';
import type { FromThread, ToThread } from './threads';

setupNode();
// Kernels are known once the methods and glances are.
methods();
void GLANCES.length;

/** What the blocks of the work at hand share. */
let at: { work: number; kernel: string; shared: unknown } | null = null;

parentPort!.on('message', (m: ToThread) => {
  if ('shared' in m) {
    at = m;
    return;
  }
  const { work, i, block } = m;
  const answer = (a: FromThread, along: ArrayBuffer[] = []): void => parentPort!.postMessage(a, along);
  Promise.resolve()
    .then(() => {
      if (at?.work !== work) throw new Error('The work of this block has been given up.');
      return kernelOf(at.kernel).run(at.shared, block);
    })
    .then(
      (result) => answer({ work, i, result }, transfers(result)),
      (e: unknown) => answer({ work, i, problem: toProblem(e) }),
    );
});

/** Memory of typed arrays that goes along with a result and need not be copied. */
function transfers(v: unknown, found = new Set<ArrayBuffer>()): ArrayBuffer[] {
  if (ArrayBuffer.isView(v)) {
    if (v.buffer instanceof ArrayBuffer && v.byteLength === v.buffer.byteLength) found.add(v.buffer);
  } else if (typeof v === 'object' && v) for (const x of Object.values(v)) transfers(x, found);
  return [...found];
}

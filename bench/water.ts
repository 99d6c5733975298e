import { accumulateD8, d8 } from '@helk/core/methods/terrain/flow';
import { accumulateDivided, downstreamOrder, mfdDivision } from '@helk/core/methods/terrain/accumulate';
import { streamLinks } from '@helk/core/methods/terrain/stream-links';
import { labelUpstream } from '@helk/core/methods/terrain/watersheds';

const ten = (): number => 10;

/** Seconds of each step of the water chain on filled cells. */
export function waterKernels(filled: Float32Array, size: number): Record<string, number> {
  const out: Record<string, number> = {};
  const clock = <T>(name: string, f: () => T): T => {
    const t = process.hrtime.bigint();
    const r = f();
    out[name] = Number(process.hrtime.bigint() - t) / 1e9;
    return r;
  };
  const { direction } = clock('flow direction', () => d8(filled, size, size, ten, ten));
  const acc = clock('accumulation D8', () => accumulateD8(direction, size, size));
  clock('accumulation MFD', () =>
    accumulateDivided(direction, size, size, mfdDivision(filled, size, size, direction, ten, ten)),
  );
  const order = downstreamOrder(direction, size, size);
  const links = clock('streams', () => streamLinks(direction, (i) => acc[i]! >= 2000, size, size, order));
  clock('watersheds', () => {
    const outlets = new Map(links.cells.map((c, k): [number, number] => [c[c.length - 1]!, k]));
    return labelUpstream(direction, order, outlets, size, size);
  });
  return out;
}

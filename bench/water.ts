import { LocalJob } from '@helk/core';
import { accumulateD8, d8 } from '@helk/core/methods/terrain/flow';
import { accumulateDivided, downstreamOrder, mfdDivision } from '@helk/core/methods/terrain/accumulate';
import { streamLinks } from '@helk/core/methods/terrain/stream-links';
import { labelUpstream } from '@helk/core/methods/terrain/watersheds';
import { addViewshed } from '@helk/core/methods/terrain/visibility';
import { isolines } from '@helk/core/numeric/contour';

const ten = (): number => 10;

/** Seconds of each step of the water chain on filled cells, of one viewshed over all of them and of twenty contour levels. */
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
  // One observer, 10 km around: 3.1 million cells.
  clock('visibility, 10 km', () =>
    addViewshed(
      filled,
      size,
      size,
      size >> 1,
      size >> 1,
      1.6,
      0,
      10_000,
      10,
      10,
      0,
      new Float32Array(size * size),
      new LocalJob(),
      0,
      1,
    ),
  );
  let low = Infinity;
  let high = -Infinity;
  for (const z of filled) {
    if (z < low) low = z;
    if (z > high) high = z;
  }
  clock('contours, 20', () => {
    for (let k = 1; k <= 20; k++) isolines(filled, size, size, low + (k * (high - low)) / 21);
  });
  return out;
}

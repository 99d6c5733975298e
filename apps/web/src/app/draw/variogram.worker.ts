/// <reference lib="webworker" />
import { straightened } from '@helk/core/numeric/anisotropy';
import { rankedModels } from '@helk/core/numeric/model-choice';
import { empiricalVariogram, fitVariogram, type Lag } from '@helk/core/numeric/variogram';
import { variogramMap, type VariogramMap } from '@helk/core/numeric/variogram-map';
import type { VariogramAnswer, VariogramRequest } from './messages';

let samples: Extract<VariogramRequest, { kind: 'samples' }> | null = null;
/** The last lags and map, so that dragging the model counts no pairs anew. */
let lags: { key: string; value: Lag[] } | null = null;
let map: { key: string; value: VariogramMap } | null = null;
/** Cells of the map from its middle to an edge. */
const REACH = 7;

addEventListener('message', (e: MessageEvent<VariogramRequest>) => {
  const m = e.data;
  if (m.kind === 'samples') {
    samples = m;
    lags = map = null;
    return;
  }
  try {
    postMessage(answer(m));
  } catch (x) {
    postMessage({ id: m.id, error: x instanceof Error ? x.message : String(x) } satisfies VariogramAnswer);
  }
});

function answer(m: Extract<VariogramRequest, { kind: 'fit' }>): VariogramAnswer {
  if (!samples) throw new Error('There are no samples yet.');
  const { z } = samples;
  // Lags and model count distances as the longest range does; the map shows them as they are.
  const { x, y } = straightened(samples.x, samples.y, m.anisotropy);
  const key = JSON.stringify([m.lag, m.maxDistance, m.direction, m.anisotropy]);
  if (lags?.key !== key)
    lags = { key, value: empiricalVariogram(x, y, z, m.lag, m.maxDistance, m.direction ?? undefined) };
  const all = m.held.nugget !== undefined && m.held.sill !== undefined && m.held.range !== undefined;
  const fit =
    lags.value.length < (all ? 1 : 3)
      ? null
      : m.model === 'auto'
        ? rankedModels({ x, y, z }, lags.value, m.held)[0]!
        : fitVariogram(lags.value, m.model, m.held);
  if (m.map) {
    const of = String(m.maxDistance);
    if (map?.key !== of)
      map = { key: of, value: variogramMap(samples.x, samples.y, z, m.maxDistance / REACH, m.maxDistance) };
  }
  return { id: m.id, lags: lags.value, fit, map: m.map ? map!.value : null };
}

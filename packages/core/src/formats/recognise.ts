import { handleOn, ofKind, type AnyHandle, type Dataset } from '../data/kinds';
import { isNetwork, networkOf } from '../data/network';
import type { Features } from '../data/features';
import type { OpenLayer } from './reader';

/** A kind that is written as another: how it is told, and how it is made of it. */
interface Recognised {
  fits(handle: AnyHandle): boolean;
  made(data: Dataset): Dataset;
}

/** Kinds without a format of their own. A new one is a line here. */
const RECOGNISED: readonly Recognised[] = [
  {
    fits: ({ head }) => {
      const info = ofKind('features', head);
      return info?.geometry === 'line' && isNetwork(info.columns);
    },
    made: (d) => networkOf(d as Features),
  },
];

/** A layer as the kind that it was written from. @throws HelkError `file.damaged` where it only looks like it */
export async function recognised(layer: OpenLayer): Promise<OpenLayer> {
  const as = RECOGNISED.find((r) => r.fits(layer.handle));
  return as ? { ...layer, handle: handleOn(as.made(await layer.handle.load())) } : layer;
}

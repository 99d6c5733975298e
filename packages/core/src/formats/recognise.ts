import { handleOn, ofKind, type AnyHandle, type Dataset } from '../data/kinds';
import { isNetwork, networkOf } from '../data/network';
import type { Features } from '../data/features';
import type { Table } from '../data/table';
import { WEIGHT_COLUMNS, weightsFromRows } from '../data/weights';
import { unpack } from './archive';
import { FEED_BESIDE, readFeed } from './gtfs';
import type { OpenLayer, ReadOptions } from './reader';

/** A kind that is written as another: how it is told, and how it is made of it. */
interface Recognised {
  fits(handle: AnyHandle): boolean;
  made(data: Dataset, options: ReadOptions): Promise<Dataset>;
}

/** Kinds without a format of their own. A new one is a line here. */
const RECOGNISED: readonly Recognised[] = [
  {
    fits: ({ head }) => {
      const info = ofKind('features', head);
      return info?.geometry === 'line' && isNetwork(info.columns);
    },
    made: async (d, options) => {
      const network = networkOf(d as Features);
      // Its timetable lies beside it.
      const feed = options.sibling?.(FEED_BESIDE);
      if (!feed) return network;
      return {
        ...network,
        timetable: readFeed(await unpack(feed, FEED_BESIDE, options), FEED_BESIDE, options).timetable,
      };
    },
  },
  {
    fits: ({ head }) => {
      const info = ofKind('table', head);
      return (
        info?.columns.length === WEIGHT_COLUMNS.length &&
        info.rows > 0 &&
        WEIGHT_COLUMNS.every((name, k) => info.columns[k]!.name === name && info.columns[k]!.type === 'number')
      );
    },
    made: (d) => {
      const [from, to, weight] = (d as Table).columns.map((c) => c.values as Float64Array);
      return Promise.resolve(weightsFromRows(from!, to!, weight!));
    },
  },
];

/** A layer as the kind that it was written from. @throws HelkError `file.damaged` where it only looks like it */
export async function recognised(layer: OpenLayer, options: ReadOptions): Promise<OpenLayer> {
  const as = RECOGNISED.find((r) => r.fits(layer.handle));
  return as ? { ...layer, handle: handleOn(await as.made(await layer.handle.load(), options)) } : layer;
}

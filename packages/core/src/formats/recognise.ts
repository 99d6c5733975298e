import { HelkError } from '../errors';
import { handleOn, ofKind, type AnyHandle, type Dataset } from '../data/kinds';
import { isNetwork, networkOf } from '../data/network';
import type { Features } from '../data/features';
import type { Table } from '../data/table';
import { isLong, LONG_HEAD, stackOfLong } from '../data/stack-long';
import { WEIGHT_COLUMNS, weightsFromRows } from '../data/weights';
import { unpack } from './archive';
import { FEED_BESIDE, readFeed } from './gtfs';
import { headText, type OpenLayer, type ReadOptions } from './reader';

/** A kind that is written as another: how it is told, and how it is made of it. */
interface Recognised {
  fits(handle: AnyHandle, options: ReadOptions): boolean;
  /** Ending of the file beside it that it takes with it. */
  takes?: string;
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
  // A time stack lies in two files: its rows, and its places beside them. Either is read with the other.
  {
    fits: ({ head }, options) =>
      isLong(ofKind('table', head)?.columns ?? []) && options.sibling?.(PLACES_BESIDE) !== undefined,
    takes: 'geojson',
    made: async (d, options) => {
      const places = await beside(PLACES_BESIDE, options);
      if (places?.kind !== 'features')
        throw new HelkError('file.content', 'The file beside it has no places.', PLACES_BESIDE);
      return stackOfLong((d as Table).columns, places, ROWS_BESIDE);
    },
  },
  {
    fits: ({ head }, options) => {
      const rows = ofKind('features', head) ? options.sibling?.(ROWS_BESIDE) : undefined;
      return rows !== undefined && LONG_HEAD.test(headText(rows, 400) ?? '');
    },
    takes: 'csv',
    made: async (d, options) => {
      const rows = await beside(ROWS_BESIDE, options);
      return rows?.kind === 'table' && isLong(rows.columns) ? stackOfLong(rows.columns, d as Features, ROWS_BESIDE) : d;
    },
  },
];

/** Endings of the two files of a time stack. */
export const PLACES_BESIDE = 'geojson';
const ROWS_BESIDE = 'csv';

/** What a file beside another holds. */
async function beside(extension: string, options: ReadOptions): Promise<Dataset | undefined> {
  const bytes = options.sibling!(extension)!;
  const [layer] = await options.within!(`beside.${extension}`, bytes, { ...options, sibling: () => undefined });
  return layer?.data;
}

/** A layer as the kind that it was written from. @throws HelkError `file.damaged` where it only looks like it */
export async function recognised(layer: OpenLayer, options: ReadOptions): Promise<OpenLayer> {
  const as = RECOGNISED.find((r) => r.fits(layer.handle, options));
  if (!as) return layer;
  const handle = handleOn(await as.made(await layer.handle.load(), options));
  if (!as.takes || handle.kind === 'features') return { ...layer, handle };
  // Rows whose places lie beside need no coordinates.
  return { ...layer, handle, takes: as.takes, notes: layer.notes.filter((n) => n.code !== 'table.noCoordinates') };
}

import { HelkError } from '../errors';
import { dataOf } from '../data/kinds';
import { NETWORK_IN_FEED, isFeed, readFeed } from './gtfs';
import { baseName, claim, type Layer, type ReadOptions } from './reader';

type Entries = readonly (readonly [name: string, bytes: Uint8Array])[];

/** Archives whose files belong together. */
export interface Bundle {
  fits(names: readonly string[]): boolean;
  read(entries: Entries, name: string, options: ReadOptions): Promise<Layer[]>;
}

const GROWTH = 4;

/** A timetable; with the lines of a network in it, that network. */
const feed: Bundle = {
  fits: isFeed,
  read: async (entries, name, options) => {
    // Text becomes numbers and names of several times its size.
    claim(GROWTH * entries.reduce((s, [, bytes]) => s + bytes.length, 0), options, name);
    const own = entries.find(([e]) => e === NETWORK_IN_FEED);
    const { timetable, notes } = readFeed(
      entries.filter((e) => e !== own),
      name,
      options,
    );
    if (!own) return [{ name: baseName(name), data: timetable, notes }];
    const [layer] = await options.within!(NETWORK_IN_FEED, own[1], options);
    const network = dataOf('network', layer?.data);
    if (!network) throw new HelkError('file.content', `"${name}": its ${NETWORK_IN_FEED} is no network.`, name);
    return [{ name: baseName(name), data: { ...network, timetable }, notes }];
  },
};

/** A new one is a line here. */
export const BUNDLES: readonly Bundle[] = [feed];

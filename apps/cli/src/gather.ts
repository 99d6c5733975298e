import { handleOn, HelkError, parseCrs, type Extent } from '@helk/core';
import { columnsOfCollection, findCollection, openService, searchService } from '@helk/core/services/catalogue';
import { collect } from '@helk/core/services/collect';
import { serviceAddress } from '@helk/core/services/get';
import { outgoing } from '@helk/node';
import type { Arguments } from './arguments';
import { checkTarget, withResults } from './write';

const print = (s: string): void => void process.stdout.write(`${s}\n`);

/** Lists what a service has, or takes the features of one of its collections into a folder. */
export async function gather(a: Arguments): Promise<void> {
  const [address, collection, more] = a.positional;
  if (!address) throw new HelkError('request.invalid', 'Give the address of a service.');
  if (more !== undefined) throw new HelkError('request.invalid', `"${more}" is one argument too many.`);
  if (collection) checkTarget(a);
  const get = outgoing({});
  const service = await openService(get, serviceAddress(address).href);
  if (!collection) {
    const found = await searchService(get, service, { words: a.find ?? '', bbox: boxOf(a.bbox) });
    if (a.json) return print(JSON.stringify({ title: service.title, ...found }, null, 2));
    print(`${service.title}: ${found.hits.length} ${found.hits.length === 1 ? 'dataset' : 'datasets'}`);
    const wide = Math.max(0, ...found.hits.map((h) => h.collection.length));
    for (const h of found.hits) print(`${h.collection.padEnd(wide)}  ${h.title}`);
    return;
  }
  const c = await findCollection(get, service, collection);
  const described = await columnsOfCollection(get, c);
  const columns =
    a.columns
      ?.split(',')
      .map((s) => s.trim())
      .filter(Boolean) ?? null;
  const tell = process.stderr.isTTY && !a.json;
  const got = await collect(
    get,
    c,
    described,
    { columns, bbox: boxOf(a.bbox), crs: a.crs ? parseCrs(a.crs) : null },
    (share, stage) => {
      if (tell) process.stderr.write(`\r${(share * 100).toFixed(0).padStart(3)} %  ${stage.padEnd(30)}`);
    },
  );
  if (tell) process.stderr.write('\r'.padEnd(40) + '\r');
  // The id comes from the service, so nothing of it may act as a path.
  const safe = (s: string): string => s.replace(/[^\p{L}\p{N}._-]+/gu, '-').replace(/^[.-]+/, '') || 'features';
  const { files, lost } = await withResults(a, (results) =>
    results.write(
      got.layers.map((l, k) => ({
        role: collection,
        name: l.name,
        file: got.layers.length > 1 ? `${safe(collection)}-${k + 1}` : safe(collection),
        handle: handleOn(l.data),
      })),
    ),
  );
  const notes = [...(got.layers[0]?.notes ?? []), ...(a.as ? lost : [])];
  if (a.json)
    return print(
      JSON.stringify({ service: service.title, collection, pages: got.pages, outputs: files, notes }, null, 2),
    );
  for (const n of notes) print(`${n.level === 'look' ? 'look here' : n.level}: ${n.message}`);
  for (const f of files) print(f.file);
}

function boxOf(text: string | null): Extent | null {
  if (text === null) return null;
  const n = text
    .split(/[,;\s]+/)
    .filter(Boolean)
    .map(Number);
  if (n.length !== 4 || !n.every(Number.isFinite))
    throw new HelkError('request.invalid', `"${text}" are not four numbers; write west,south,east,north.`, 'bbox');
  return n as Extent;
}

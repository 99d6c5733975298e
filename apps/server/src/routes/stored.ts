import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { Express } from 'express';
import { HelkError, kindOf } from '@helk/core';
import { WHOLE } from '@helk/core/data/whole-store';
import type { Context } from '../context';
import { piecesInOrder, piecesOf } from '../store/pieces';
import { detailOf, getDatasetRow } from '../store/project-store';
import { hang } from './hang';

/** What is stored of a dataset, as it is stored. */
export function storedRoutes(app: Express, { projects }: Context): void {
  // The stored bytes go out as they are: whoever reads them unpacks them, no thread here touches a cell.
  hang(app, 'piece', async ({ params, res }) => {
    const p = await projects.get(params['project']!);
    const [level, key] = [Number(params['level']), Number(params['key'])];
    const bytes = await piecesOf(p.db, params['dataset']!).get(params['array']!, level, key);
    if (!bytes) throw new HelkError('dataset.unknown', 'The dataset has no such piece.', 'dataset');
    // Pieces never change once a dataset is published.
    res.setHeader('Cache-Control', 'private, max-age=31536000, immutable');
    if (bytes.length === 0) {
      res.status(204).end();
      return;
    }
    res.setHeader('Content-Type', 'application/octet-stream');
    res.end(bytes);
  });

  hang(app, 'whole', async ({ params, res }) => {
    const p = await projects.get(params['project']!);
    const row = await getDatasetRow(p.db, params['dataset']!);
    const pieces = piecesInOrder(p.db, row.id, WHOLE);
    const first = await pieces.next();
    if (first.done)
      throw new HelkError(
        'request.invalid',
        `A ${kindOf({ kind: row.kind }).words.one} is not kept in one piece; ask for its pieces.`,
        'dataset',
      );
    res.setHeader('Content-Type', 'application/octet-stream');
    async function* all(): AsyncGenerator<Buffer> {
      yield first.value as Buffer;
      yield* pieces;
    }
    await pipeline(Readable.from(all()), res);
  });

  hang(app, 'detail', async ({ params }) => {
    const p = await projects.get(params['project']!);
    const row = await getDatasetRow(p.db, params['dataset']!);
    return { detail: await detailOf(p.db, row.id) };
  });
}

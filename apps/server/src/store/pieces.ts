import type { Knex } from 'knex';
import type { PieceStore } from '@helk/core';

/** The pieces of one dataset in a project file. Nothing is looked at: what they hold is the business of the dataset's kind. */
export function piecesOf(db: Knex, dataset: string): PieceStore {
  return {
    get: async (array, level, key) => {
      const row = (await db('pieces').where({ dataset_id: dataset, array, level, key }).first('bytes')) as
        { bytes: Buffer } | undefined;
      return row?.bytes;
    },
    put: async (array, level, key, bytes) => {
      await db('pieces').insert({
        dataset_id: dataset,
        array,
        level,
        key,
        bytes: Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength),
      });
    },
  };
}

/** The pieces of one array of a level in their order, one at a time. */
export async function* piecesInOrder(db: Knex, dataset: string, array: string): AsyncGenerator<Buffer> {
  const { get } = piecesOf(db, dataset);
  for (let key = 0; ; key++) {
    const bytes = await get(array, 0, key);
    if (!bytes) return;
    yield bytes as Buffer;
  }
}

import type { Knex } from 'knex';
import { HelkError } from '@helk/core';
import { DrawingShape } from '@helk/core/sheet/drawing';
import { newId } from './ids';

/** Most bytes of a picture. */
export const LARGEST_PICTURE = 16 * 2 ** 20;

export interface PictureRow {
  id: string;
  type: string;
  bytes: Uint8Array;
}

const begins = (bytes: Uint8Array, ...with_: number[]): boolean => with_.every((b, i) => bytes[i] === b);

function photoType(bytes: Uint8Array): string | null {
  if (begins(bytes, 0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a)) return 'image/png';
  return begins(bytes, 0xff, 0xd8, 0xff) ? 'image/jpeg' : null;
}

/** What a tile is, by its first bytes; what a service calls it counts for nothing. Null for what is no picture. */
export function tileType(bytes: Uint8Array): string | null {
  const webp = begins(bytes, 0x52, 0x49, 0x46, 0x46) && begins(bytes.subarray(8), 0x57, 0x45, 0x42, 0x50);
  return photoType(bytes) ?? (webp ? 'image/webp' : null);
}

/** What a picture is, by what is in it; null for what is none that can be kept and laid on a sheet. */
export function pictureType(bytes: Uint8Array): string | null {
  if (bytes.length > LARGEST_PICTURE) return null;
  const photo = photoType(bytes);
  if (photo) return photo;
  if (!begins(bytes, 0x7b)) return null;
  try {
    return DrawingShape.safeParse(JSON.parse(Buffer.from(bytes).toString('utf8'))).success ? 'application/json' : null;
  } catch {
    return null;
  }
}

/** Keeps a picture. @throws HelkError `picture.invalid` */
export async function addPicture(db: Knex, bytes: Uint8Array): Promise<{ id: string; type: string }> {
  if (bytes.length > LARGEST_PICTURE)
    throw new HelkError(
      'picture.invalid',
      `The picture has ${(bytes.length / 2 ** 20).toFixed(1)} MiB; at most ${LARGEST_PICTURE / 2 ** 20} MiB are kept.`,
    );
  const type = pictureType(bytes);
  if (!type) throw new HelkError('picture.invalid', 'The file is no PNG and no JPEG picture.');
  const row: PictureRow = { id: newId(), type, bytes };
  await db('pictures').insert({ ...row, bytes: Buffer.from(bytes) });
  return { id: row.id, type };
}

export async function getPicture(db: Knex, id: string): Promise<PictureRow> {
  const row = (await db('pictures').where({ id }).first()) as PictureRow | undefined;
  if (!row)
    throw new HelkError('picture.unknown', `There is no picture "${id.slice(0, 40)}" in this project.`, 'picture');
  return row;
}

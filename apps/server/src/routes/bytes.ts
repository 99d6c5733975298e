import { createWriteStream } from 'node:fs';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { Request, Response } from 'express';
import { HelkError } from '@helk/core';
import { newId } from '../store/project-store';

/** Streams a request's body into a file of the upload folder; refuses and removes it when it is too large or cut off. */
export async function receive(req: Request, folder: string, most: number): Promise<string> {
  const tooLarge = (): HelkError =>
    new HelkError(
      'file.tooLarge',
      `The file is larger than the ${(most / 2 ** 30).toFixed(1)} GiB that are taken in at once.`,
    );
  const declared = Number(req.headers['content-length'] ?? 0);
  if (declared > most) throw tooLarge();
  const path = join(folder, newId());
  let size = 0;
  const meter = new Transform({
    transform(chunk: Buffer, _encoding, done) {
      size += chunk.length;
      if (size > most) done(tooLarge());
      else done(null, chunk);
    },
  });
  try {
    await pipeline(req, meter, createWriteStream(path));
  } catch (e) {
    await rm(path, { force: true });
    if (e instanceof HelkError) throw e;
    throw new HelkError('request.invalid', 'The upload broke off; nothing was taken in.');
  }
  return path;
}

/** Sends a temporary file as a download and removes it. The name is only a suggestion to the browser, never a path. */
export async function download(res: Response, path: string, name: string, mime: string): Promise<void> {
  const plain = name.replace(/[^\w .()-]+/g, '_').slice(0, 120) || 'helk';
  res.setHeader('Content-Type', mime);
  res.setHeader('Content-Disposition', `attachment; filename="${plain}"; filename*=UTF-8''${encodeURIComponent(name)}`);
  try {
    await new Promise<void>((resolve, reject) =>
      res.sendFile(path, { dotfiles: 'allow' }, (e: Error | undefined) =>
        e && !res.headersSent ? reject(e) : resolve(),
      ),
    );
  } finally {
    await rm(path, { force: true });
  }
}

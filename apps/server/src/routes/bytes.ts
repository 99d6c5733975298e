import { createWriteStream } from 'node:fs';
import { Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { Request, Response } from 'express';
import { fromProblem, HelkError, toProblem } from '@helk/core';
import type { TempFile, TempFolder } from '../store/temp';

/** Streams a request's body into a temporary file; refuses and removes it when it is too large, cut off, or has no room. */
export async function receive(req: Request, temp: TempFolder, most: number): Promise<TempFile> {
  const tooLarge = (): HelkError =>
    new HelkError(
      'file.tooLarge',
      `The file is larger than the ${(most / 2 ** 30).toFixed(1)} GiB that are taken in at once.`,
    );
  const declared = Number(req.headers['content-length'] ?? 0);
  if (declared > most) throw tooLarge();
  const file = temp.take();
  let size = 0;
  const meter = new Transform({
    transform(chunk: Buffer, _encoding, done) {
      size += chunk.length;
      if (size > most) done(tooLarge());
      else done(null, chunk);
    },
  });
  try {
    await pipeline(req, meter, createWriteStream(file.path));
  } catch (e) {
    await file.remove();
    if (e instanceof HelkError) throw e;
    const p = toProblem(e);
    if (p.code === 'store.full') throw fromProblem(p);
    throw new HelkError('request.invalid', 'The upload broke off; nothing was taken in.');
  }
  return file;
}

/** What a download is called and is. The name is only a suggestion to the browser, never a path. */
function head(res: Response, name: string, mime: string): void {
  const plain = name.replace(/[^\w .()-]+/g, '_').slice(0, 120) || 'helk';
  res.setHeader('Content-Type', mime);
  res.setHeader('Content-Disposition', `attachment; filename="${plain}"; filename*=UTF-8''${encodeURIComponent(name)}`);
}

/** Sends a text as a download. */
export function attach(res: Response, name: string, mime: string, text: string): void {
  head(res, name, mime);
  res.send(text);
}

/** Sends a file as a download. */
export async function download(res: Response, path: string, name: string, mime: string): Promise<void> {
  head(res, name, mime);
  await new Promise<void>((resolve, reject) =>
    res.sendFile(path, { dotfiles: 'allow' }, (e: Error | undefined) =>
      e && !res.headersSent ? reject(e) : resolve(),
    ),
  );
}

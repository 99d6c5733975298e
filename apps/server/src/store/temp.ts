import { mkdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { newId } from './ids';

/** What SQLite may leave beside a file. */
const BESIDE = ['', '-wal', '-shm', '-journal'];

/** A file and what stands beside it are gone; that they never were is no fault. */
export async function removeWhole(path: string): Promise<void> {
  for (const end of BESIDE) await rm(path + end, { force: true });
}

/** A file that somebody holds for a while, and gives back. */
export class TempFile {
  constructor(readonly path: string) {}
  remove(): Promise<void> {
    return removeWhole(this.path);
  }
}

/** The one owner of temporary files: uploads, exports, projects in the making. Whatever a stopped server left is removed at the start. */
export class TempFolder {
  constructor(private readonly dir: string) {}

  async start(): Promise<void> {
    await rm(this.dir, { recursive: true, force: true });
    await mkdir(this.dir, { recursive: true });
  }

  /** A path of a random name. Whoever takes it removes it. */
  take(): TempFile {
    return new TempFile(join(this.dir, newId()));
  }

  /** A file for as long as `f` takes. */
  async use<T>(f: (file: TempFile) => Promise<T>): Promise<T> {
    const file = this.take();
    try {
      return await f(file);
    } finally {
      await file.remove();
    }
  }
}

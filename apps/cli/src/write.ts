import { closeSync, mkdirSync, openSync, renameSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { HelkError, kindOf, lossesOf, type AnyHandle, type DatasetKind, type Note, type OpenSink } from '@helk/core';
import { openFile } from '@helk/core/formats';
import { TiffSink } from '@helk/core/formats/geotiff-write';
import {
  canWrite,
  formatNamed,
  WRITE_FORMATS,
  writeTo,
  writtenBeside,
  type WriteFormat,
} from '@helk/core/formats/write';
import { fileSink, fileSource } from '@helk/node';
import type { Arguments } from './arguments';

export interface Written {
  role: string;
  name: string;
  kind: string;
  file: string;
}

/** The folder and format of results, checked before anything is computed. @throws HelkError naming what is missing or misspelt */
export function checkTarget(a: Pick<Arguments, 'out' | 'as'>): void {
  if (!a.out) throw new HelkError('request.invalid', 'Give the folder for the results with --out DIR.');
  if (a.as !== null && !formatNamed(a.as))
    throw new HelkError(
      'export.unsupported',
      `There is no format "${a.as}"; use ${Object.keys(WRITE_FORMATS).join(', ')}, or a usual file ending (tif, gpkg, shp).`,
      'as',
    );
}

/**
 * Files of results in the folder that was named, all or none: they get their names only when every one is written.
 *
 * Errors: HelkError `file.missing` when the folder cannot be written, `export.unsupported` for what a format cannot hold
 */
export class Results {
  private readonly parts: { temporary: string; file: string }[] = [];
  private readonly begun = new Map<string, { part: { temporary: string; file: string }; extension: string }>();
  private readonly open: number[] = [];

  constructor(private readonly a: Pick<Arguments, 'out' | 'as'>) {}

  /** The wanted format where it can hold such a thing, else the usual one. */
  private formatFor(kind: DatasetKind): WriteFormat {
    const wanted = this.a.as === null ? undefined : formatNamed(this.a.as);
    return wanted && canWrite(wanted, kind) ? wanted : kindOf({ kind }).formats[0]!;
  }

  private begin(
    name: string,
    format: WriteFormat,
    extension = WRITE_FORMATS[format].extension,
  ): { part: { temporary: string; file: string }; handle: number } {
    return this.guarded(() => {
      mkdirSync(this.a.out!, { recursive: true });
      const file = join(this.a.out!, `${name}.${extension}`);
      const part = { temporary: `${file}.part`, file };
      this.parts.push(part);
      const handle = openSync(part.temporary, 'w+');
      this.open.push(handle);
      return { part, handle };
    });
  }

  /** Where a result goes that comes part by part: into its file, where the format can be written so. */
  readonly openSink: OpenSink = (role, kind, head) => {
    const format = this.formatFor(kind);
    if (format !== 'geotiff') {
      const { sink, end } = kindOf({ kind }).collect!(head);
      return { sink, end: async (p) => kindOf({ kind }).wrap(await end(p)) };
    }
    const { part, handle } = this.begin(role, format);
    const sink = new TiffSink({ kind, ...head }, fileSink(handle));
    return {
      sink,
      end: async () => {
        await sink.end();
        this.begun.set(role, { part, extension: WRITE_FORMATS[format].extension });
        return (await openFile(part.file, fileSource(handle))).layers[0]!.handle;
      },
    };
  };

  /** Writes what has not been written while it was made. */
  async write(
    all: { role: string; name: string; file: string; handle: AnyHandle }[],
  ): Promise<{ files: Written[]; lost: Note[] }> {
    const files: Written[] = [];
    const lost: Note[] = [];
    for (const o of all) {
      const format = this.formatFor(o.handle.kind);
      const begun = this.begun.get(o.role);
      let file: string;
      // What was written while it was made gets the name that it has now.
      if (begun) file = begun.part.file = join(this.a.out!, `${o.file}.${begun.extension}`);
      else {
        const to = this.begin(o.file, format);
        await writeTo(fileSink(to.handle), o.handle, format, o.file);
        file = to.part.file;
        for (const more of await writtenBeside(o.handle, format)) {
          const side = this.begin(o.file, format, more.extension);
          await fileSink(side.handle).write(more.bytes);
        }
      }
      for (const message of lossesOf(o.handle.head, format))
        lost.push({ level: 'info', code: 'export.lost', message: `${o.role}: ${message}` });
      files.push({ role: o.role, name: o.name, kind: o.handle.kind, file });
    }
    this.close();
    this.guarded(() => {
      for (const { temporary, file } of this.parts) renameSync(temporary, file);
    });
    return { files, lost };
  }

  /** Nothing is left of what was begun. */
  abandon(): void {
    this.close();
    for (const { temporary } of this.parts) rmSync(temporary, { force: true });
  }

  private close(): void {
    for (const h of this.open.splice(0)) closeSync(h);
  }

  private guarded<T>(act: () => T): T {
    try {
      return act();
    } catch (e) {
      throw new HelkError(
        'file.missing',
        `The folder "${this.a.out}" cannot be written (${(e as NodeJS.ErrnoException).code ?? 'unknown reason'}).`,
        'out',
      );
    }
  }
}

/** Work that makes results: written whole, or nothing of them. */
export async function withResults<T>(a: Pick<Arguments, 'out' | 'as'>, work: (r: Results) => Promise<T>): Promise<T> {
  const results = new Results(a);
  try {
    return await work(results);
  } catch (e) {
    results.abandon();
    throw e;
  }
}

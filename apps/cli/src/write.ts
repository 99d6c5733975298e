import { mkdirSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { HelkError, infoOf, type Dataset } from '@helk/core';
import type { Layer } from '@helk/core/formats';
import { DEFAULT_FORMAT, formatNamed, lossesOf, WRITE_FORMATS, writeDataset } from '@helk/core/formats/write';
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
 * Writes datasets into the folder that was named, all or none: they get their names only when every one is written.
 *
 * @throws HelkError `file.missing` when the folder cannot be written, `export.unsupported` for what a format cannot hold
 */
export async function writeAll(
  a: Pick<Arguments, 'out' | 'as'>,
  all: { role: string; name: string; file: string; data: Dataset }[],
): Promise<{ files: Written[]; lost: Layer['notes'] }> {
  const files: Written[] = [];
  const ready: { temporary: string; file: string }[] = [];
  const lost: Layer['notes'] = [];
  try {
    mkdirSync(a.out!, { recursive: true });
    for (const o of all) {
      const wanted = a.as === null ? undefined : formatNamed(a.as);
      const fits = wanted && WRITE_FORMATS[wanted].kinds.includes(o.data.kind);
      const format = fits ? wanted : DEFAULT_FORMAT[o.data.kind];
      const file = join(a.out!, `${o.file}.${WRITE_FORMATS[format].extension}`);
      const temporary = `${file}.part`;
      ready.push({ temporary, file });
      writeFileSync(temporary, await writeDataset(o.data, format, o.file));
      for (const message of lossesOf(infoOf(o.data), format))
        lost.push({ level: 'info', code: 'export.lost', message: `${o.role}: ${message}` });
      files.push({ role: o.role, name: o.name, kind: o.data.kind, file });
    }
    for (const { temporary, file } of ready) renameSync(temporary, file);
  } catch (e) {
    for (const { temporary } of ready) rmSync(temporary, { force: true });
    if ((e as NodeJS.ErrnoException).code && !(e instanceof HelkError))
      throw new HelkError(
        'file.missing',
        `The folder "${a.out}" cannot be written (${(e as NodeJS.ErrnoException).code}).`,
        'out',
      );
    throw e;
  }
  return { files, lost };
}

import { closeSync, createReadStream, createWriteStream, openSync } from 'node:fs';
import { rm, stat } from 'node:fs/promises';
import { Readable, Writable } from 'node:stream';
import { configure, TextReader, Uint8ArrayReader, ZipWriter } from '@zip.js/zip.js';
import type { Knex } from 'knex';
import { FreeNames, kindOf, toProblem } from '@helk/core';
import { WRITE_FORMATS, writeTo, writtenBeside, type WriteFormat } from '@helk/core/formats/write';
import { writeRecipe } from '@helk/core/recipe/shape';
import { csvOf } from '@helk/core/recipe/grid';
import { markdownOf } from '@helk/core/report/markdown';
import { lineageOf, readmeOf, type PackedFile } from '@helk/core/report/readme';
import { fileName } from '@helk/core/sheet/fields';
import { fileSink } from '@helk/node';
import { copyOf } from '../../store/copy';
import { openDataset } from '../../store/project-store';
import { listFindings } from '../../store/findings';
import { listRecipes } from '../../store/recipes';
import { listTables } from '../../store/run-tables';
import { drawingsOf, pageOf, toldOf } from '../../store/told';
import { reports, sheets } from '../../store/written';
import type { PackTask } from '../tasks';
import { slice, type Hands } from './hands';

/** Share of the work after which the data are in. */
const DATA = 0.85;

/**
 * A project as one zip that others can read: data in open formats, how they were made, what was written and seen, and a readme. What
 * cannot be written is named in the readme; the rest goes on.
 */
export async function pack(task: PackTask, { db, progress }: Hands): Promise<{ outputs: string[] }> {
  // Threads of a browser are not there.
  configure({ useWebWorkers: false });
  const zip = new ZipWriter<unknown>(Writable.toWeb(createWriteStream(task.target)) as WritableStream<Uint8Array>);
  const names = new FreeNames([], ' ', true);
  const files: PackedFile[] = [];
  const left: string[] = [];
  const part = `${task.target}.part`;
  const text = async (path: string, about: string, content: string): Promise<void> => {
    await zip.add(path, new TextReader(content));
    files.push({ path, bytes: Buffer.byteLength(content), of: { about } });
  };
  const file = async (path: string, of: PackedFile['of']): Promise<void> => {
    const { size } = await stat(part);
    await zip.add(path, Readable.toWeb(createReadStream(part)) as ReadableStream<Uint8Array>, { level: 6 });
    files.push({ path, bytes: size, of });
  };
  try {
    for (const [k, id] of task.datasets.entries()) {
      const told = slice(progress, (DATA * k) / task.datasets.length, (DATA * (k + 1)) / task.datasets.length);
      const { row, handle } = await openDataset(db, id);
      const format = kindOf(handle).formats[0] as WriteFormat;
      const name = names.take(fileName(row.name, 'data'));
      const sink = openSync(part, 'w');
      try {
        await writeTo(fileSink(sink), handle, format, row.name, (s) => told(s, `writing ${row.name}`));
      } catch (e) {
        const p = toProblem(e);
        if (p.code !== 'export.unsupported') throw e;
        left.push(`${row.name}: ${p.message}`);
        continue;
      } finally {
        closeSync(sink);
      }
      await file(`data/${name}.${WRITE_FORMATS[format].extension}`, { dataset: id, format });
      for (const b of await writtenBeside(handle, format)) {
        const path = `data/${name}.${b.extension}`;
        await zip.add(path, new Uint8ArrayReader(b.bytes));
        files.push({ path, bytes: b.bytes.length, of: { dataset: id, format } });
      }
    }
    await written(db, text, (share) => progress(DATA + 0.05 * share, 'what was written'));
    if (task.project) {
      progress(DATA + 0.05, 'the project');
      await rm(part, { force: true });
      await copyOf(db, part);
      await file('project.helk', { about: 'the whole project, to be opened in Helk' });
    }
    const facts = await toldOf(db);
    const all = Object.values(facts.datasets).filter((d) => !task.datasets.includes(d!.id));
    if (all.length)
      left.push(
        `${all.length} other ${all.length === 1 ? 'dataset' : 'datasets'} of the project: ${all.map((d) => d!.name).join(', ')}`,
      );
    await text(
      'lineage.json',
      'how everything was made, for programs',
      `${JSON.stringify(lineageOf(facts, files), null, 1)}\n`,
    );
    await zip.add('readme.md', new TextReader(markdownOf(readmeOf(facts, files, left))));
    await zip.close();
  } finally {
    await rm(part, { force: true });
  }
  return { outputs: [] };
}

/** What was written and seen: recipes, run tables, sheets, reports, findings. */
async function written(
  db: Knex,
  text: (path: string, about: string, content: string) => Promise<void>,
  told: (share: number) => void,
): Promise<void> {
  const names = new FreeNames([], ' ', true);
  const path = (folder: string, name: string, ending: string): string =>
    names.take(`${folder}/${fileName(name, folder)}`) + ending;
  for (const { recipe } of await listRecipes(db))
    await text(path('recipes', recipe.title, '.json'), 'a recipe, to be run on other data', writeRecipe(recipe));
  for (const t of await listTables(db))
    await text(
      path('run-tables', t.title, '.csv'),
      `a run table of ${t.method}`,
      csvOf([t.columns, ...t.rows.map((r) => r.cells)]),
    );
  for (const { sheet } of await sheets.list(db))
    await text(
      path('sheets', sheet.name, '.json'),
      'a map sheet, to be opened in Helk',
      `${JSON.stringify(sheet, null, 1)}\n`,
    );
  told(0.4);
  for (const { report } of await reports.list(db))
    await text(path('reports', report.title, '.html'), 'a report, to be read', await pageOf(db, report));
  told(0.7);
  const findings = await listFindings(db);
  const drawings = await drawingsOf(db, findings);
  for (const [i, f] of findings.entries()) {
    const svg = drawings.get(f.drawing ?? '');
    if (svg)
      await text(
        path('findings', `${i + 1} ${f.title}`, '.svg'),
        `seen on ${f.createdAt.slice(0, 10)}${f.note ? `: ${f.note}` : ''}`,
        svg,
      );
  }
  told(1);
}

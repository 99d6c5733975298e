import { mkdirSync, readFileSync, renameSync, statSync, writeFileSync } from 'node:fs';
import { basename, dirname, isAbsolute, join } from 'node:path';
import {
  foresee,
  FreeNames,
  HelkError,
  methodOf,
  parseCrs,
  studied,
  toProblem,
  type Infos,
  type Method,
} from '@helk/core';
import { csvOf, gridIn } from '@helk/core/recipe/grid';
import {
  namesByPattern,
  readRunTable,
  reportRows,
  usualPattern,
  type RowDone,
  type TableRow,
} from '@helk/core/recipe/table';
import type { OpenLayer } from '@helk/core/formats';
import type { Arguments } from './arguments';
import { add, choose, givenIn, inputSpec, settingsIn, type Given } from './inputs';
import { methodIn } from './recipe';
import { runOnce, type Ran } from './run';
import { checkTarget } from './write';

const print = (s: string): void => void process.stdout.write(`${s}\n`);

/** A row ready to run, or why it is not. */
interface Ready {
  row: TableRow;
  name: string;
  given: Given;
  settings: Record<string, string>;
  infos: Infos | null;
  reason: string | null;
}

/** `table run TABLE`: a row a run. */
export async function table(a: Arguments): Promise<void> {
  const [what, path, more] = a.positional;
  if (what !== 'run' || path === undefined)
    throw new HelkError('request.invalid', 'Write ./helk table run TABLE --method ID (or --recipe FILE) --out DIR.');
  if (more !== undefined) throw new HelkError('request.invalid', `"${more}" is one argument too many.`);
  if ((a.method === null) === (a.recipe === null))
    throw new HelkError('request.invalid', 'Say what each row runs: --method ID or --recipe FILE, one of them.');
  checkTarget(a);
  const m = a.method === null ? methodIn(a.recipe!) : methodOf(a.method);
  const read = readRunTable(await gridIn(bytesOf(path), basename(path)), m);
  const usual = settingsIn(a);
  const common = await givenIn(a, m);
  const rows = await ready(m, read.rows, common, usual, a, dirname(path));
  const pattern = a.names ?? usualPattern(read, m.title);
  const names = namesByPattern(
    pattern,
    rows.map((r) => ({ row: r.row.row, inputs: r.given.names, params: r.settings })),
    m,
  );
  const free = new FreeNames(['report'], ' ', true);
  for (const [k, r] of rows.entries()) r.name = free.take(safe(names[k]!));
  const done: (RowDone & { ran: Ran | null; row: number })[] = [];
  for (const [k, r] of rows.entries()) {
    done.push(await one(m, r, a, `row ${k + 1} of ${rows.length}: `));
    report(a.out!, done);
    const last = done.at(-1)!;
    if (!a.json) print(`row ${r.row.row}: ${last.name}: ${last.state}${last.reason ? `: ${last.reason}` : ''}`);
  }
  const failed = done.filter((d) => d.state !== 'done').length;
  if (a.json)
    print(
      JSON.stringify(
        {
          ...(a.method === null ? { recipe: m.title } : { method: m.id, version: m.version }),
          names: pattern,
          done: done.length - failed,
          failed,
          report: join(a.out!, 'report.csv'),
          rows: done.map(({ ran, given: _, ...d }, k) => ({
            ...d,
            inputs: rows[k]!.given.inputs,
            params: ran?.params ?? rows[k]!.settings,
            outputs: ran?.outputs ?? [],
          })),
        },
        null,
        2,
      ),
    );
  if (failed)
    throw new HelkError(
      'table.rows',
      `${failed} of ${done.length} rows failed, the others are done; ${join(a.out!, 'report.csv')} says which and why.`,
    );
}

function bytesOf(path: string): Uint8Array {
  try {
    return new Uint8Array(readFileSync(path));
  } catch (e) {
    throw new HelkError(
      'file.missing',
      `"${path}" cannot be read (${(e as NodeJS.ErrnoException).code ?? 'unknown reason'}).`,
      path,
    );
  }
}

/** Rows with their inputs opened and checked, before any of them runs. A file is opened once, however many rows name it. */
async function ready(
  m: Method,
  rows: readonly TableRow[],
  common: Given,
  usual: Record<string, string>,
  a: Arguments,
  beside: string,
): Promise<Ready[]> {
  const crs = a.crs ? parseCrs(a.crs) : null;
  const opened = new Map<string, Promise<OpenLayer>>();
  const open = (written: string): Promise<OpenLayer> => {
    const { path, layer } = inputSpec(`x=${written}`);
    // A table and the files it names are mostly kept together.
    const near = join(beside, path);
    const there = isAbsolute(path) || statSync(path, { throwIfNoEntry: false }) ? path : near;
    let l = opened.get(written);
    if (!l) opened.set(written, (l = choose(statSync(there, { throwIfNoEntry: false }) ? there : path, layer, crs)));
    return l;
  };
  const out: Ready[] = [];
  for (const row of rows) {
    const given: Given = {
      handles: { ...common.handles },
      names: { ...common.names },
      inputs: { ...common.inputs },
      read: [...common.read],
    };
    const r: Ready = { row, name: '', given, settings: { ...usual, ...row.params }, infos: null, reason: null };
    out.push(r);
    try {
      for (const [name, list] of Object.entries(row.inputs)) {
        given.handles[name] = [];
        given.names[name] = [];
        given.inputs[name] = [];
        for (const written of list) add(given, name, written, await open(written));
      }
      r.infos = await studied(given.handles);
      const no = foresee(m, r.infos, r.settings).checks.find((c) => c.level === 'refused');
      if (no) r.reason = no.message;
    } catch (e) {
      r.reason = toProblem(e).message;
    }
  }
  return out;
}

async function one(
  m: Method,
  r: Ready,
  a: Arguments,
  words: string,
): Promise<RowDone & { ran: Ran | null; row: number }> {
  const base = {
    row: r.row.row,
    name: r.name,
    given: {
      ...r.settings,
      ...Object.fromEntries(Object.entries(r.given.inputs).map(([k, v]) => [`in:${k}`, v.join('; ')])),
    },
  };
  const failed = (reason: string): RowDone & { ran: null; row: number } => ({
    ...base,
    state: 'failed',
    reason,
    seconds: null,
    figures: {},
    ran: null,
  });
  if (r.reason !== null) return failed(r.reason);
  try {
    const ran = await runOnce(
      m,
      r.given,
      r.settings,
      { ...a, seed: r.row.seed ?? a.seed },
      {
        infos: r.infos!,
        file: (role, of) => (of > 1 ? `${r.name}.${role}` : r.name),
        words,
      },
    );
    return { ...base, state: 'done', reason: '', seconds: ran.seconds, figures: ran.figures, ran };
  } catch (e) {
    return failed(toProblem(e).message);
  }
}

/** Written anew after each row, so that what is done is told whatever comes. */
function report(out: string, done: readonly RowDone[]): void {
  const file = join(out, 'report.csv');
  try {
    mkdirSync(out, { recursive: true });
    writeFileSync(`${file}.part`, csvOf(reportRows(done)));
    renameSync(`${file}.part`, file);
  } catch (e) {
    throw new HelkError(
      'file.missing',
      `The folder "${out}" cannot be written (${(e as NodeJS.ErrnoException).code ?? 'unknown reason'}).`,
      'out',
    );
  }
}

/** A name as that of a file: nothing of it may act as a path. */
const safe = (name: string): string =>
  name
    .replace(/[\p{Cc}/\\:*?"<>|]+/gu, '-')
    .replace(/^[.\s-]+/, '')
    .trim() || 'row';

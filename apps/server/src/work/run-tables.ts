import { HelkError, kindOf, toProblem, type Method, type Problem } from '@helk/core';
import { refOf } from '@helk/core/api/refs';
import type { ApiRun, ApiTable, ApiTableForecast } from '@helk/core/api/schemas';
import { csvOf } from '@helk/core/recipe/grid';
import {
  columnOf,
  namesByPattern,
  readRunTable,
  reportRows,
  usualPattern,
  type RowDone,
  type TableRow,
} from '@helk/core/recipe/table';
import type { Project } from '../projects';
import { listDatasets, listRuns } from '../store/project-store';
import { methodIn } from '../store/recipes';
import type { RunRequest, RunService } from './runs';

/** A row as it will run, or why it will not. */
interface Planned {
  id: string;
  name: string;
  request: RunRequest;
  problem: Problem | null;
}

/** What each row of a run table asks for, with the datasets it names found. @throws HelkError `table.invalid` */
async function plan(project: Project, table: ApiTable): Promise<{ method: Method; rows: Planned[] }> {
  const method = await methodIn(project.db, table.method);
  const grid = [table.columns, ...table.rows.map((r) => r.cells)];
  // Rows without anything in them are not there yet.
  const read = readRunTable(grid, method);
  const datasets = await listDatasets(project.db);
  const byId = new Map(datasets.map((d) => [d.id, d]));
  const find = (text: string): { ref: string; name: string } => {
    const { dataset, band } = refOf(text);
    const own = byId.get(dataset);
    if (own) {
      const bands = band === null ? [] : (kindOf(own.info as never).bands?.(own.info as never) ?? []);
      return { ref: text, name: band === null ? own.name : `${own.name} ${bands[band] ?? band + 1}` };
    }
    const named = datasets.filter((d) => d.name === text);
    if (named.length === 1) return { ref: named[0]!.id, name: text };
    throw new HelkError(
      'table.invalid',
      named.length ? `${named.length} datasets are called “${text}”; choose one.` : `There is no dataset “${text}”.`,
    );
  };
  const rows = read.rows.map((r: TableRow) => {
    const inputs: Record<string, string[]> = {};
    const names: Record<string, string[]> = {};
    let problem: Problem | null = null;
    try {
      for (const [name, list] of Object.entries(r.inputs)) {
        const found = list.map(find);
        inputs[name] = found.map((f) => f.ref);
        names[name] = found.map((f) => f.name);
      }
    } catch (e) {
      problem = toProblem(e);
    }
    return { r, inputs, names, problem };
  });
  const pattern = table.names.trim() || usualPattern(read, method.title);
  const called = namesByPattern(
    pattern,
    rows.map(({ r, names }) => ({ row: r.row, inputs: names, params: r.params })),
    method,
  );
  return {
    method,
    rows: rows.map(({ r, inputs, problem }, k) => {
      const row = table.rows[r.row - 1]!;
      return {
        id: row.id,
        name: called[k]!,
        request: {
          method: table.method,
          inputs,
          params: r.params,
          seed: r.seed ?? 1,
          variantOf: null,
          naming: called[k]!,
          table: { id: table.id, row: row.id, cells: row.cells },
        },
        problem,
      };
    }),
  };
}

/** What is known of each row before anything runs. */
export async function checkTable(project: Project, runs: RunService, table: ApiTable): Promise<ApiTableForecast> {
  const { method, rows } = await plan(project, table);
  const out: ApiTableForecast['rows'] = [];
  for (const r of rows) {
    let reason = r.problem?.message ?? null;
    const look: string[] = [];
    if (reason === null)
      try {
        for (const c of (await runs.forecast(project, r.request, method)).checks)
          if (c.level === 'refused') reason ??= c.message;
          else if (c.level === 'look') look.push(c.message);
      } catch (e) {
        reason = toProblem(e).message;
      }
    out.push({ id: r.id, name: r.name, reason, look });
  }
  return { rows: out };
}

/** Starts rows of a run table; each goes into the queue as a run of its own, so that none stops the others. */
export async function runTable(
  project: Project,
  runs: RunService,
  table: ApiTable,
  wanted: readonly string[] | undefined,
): Promise<ApiRun[]> {
  const { rows } = await plan(project, table);
  const last = lastRuns(await listRuns(project.db), table);
  const settled = (r: Planned): boolean => {
    const run = last.get(r.id);
    if (!run || JSON.stringify(run.table!.cells) !== JSON.stringify(r.request.table!.cells)) return false;
    return run.state === 'done' || run.state === 'queued' || run.state === 'running';
  };
  const out: ApiRun[] = [];
  for (const r of rows) {
    if (wanted ? !wanted.includes(r.id) : settled(r)) continue;
    try {
      if (r.problem) throw new HelkError(r.problem.code, r.problem.message, r.problem.path);
      out.push(await runs.start(project, r.request));
    } catch (e) {
      if (!(e instanceof HelkError)) throw e;
      out.push(await runs.refused(project, r.request, toProblem(e)));
    }
  }
  return out;
}

/** The run of each row that began last. */
export function lastRuns(all: readonly ApiRun[], table: Pick<ApiTable, 'id'>): Map<string, ApiRun> {
  return new Map(all.filter((r) => r.table?.id === table.id).map((r) => [r.table!.row, r]));
}

/** How each row ended, as CSV. */
export async function reportOf(project: Project, table: ApiTable): Promise<string> {
  const method = await methodIn(project.db, table.method);
  const datasets = new Map((await listDatasets(project.db)).map((d) => [d.id, d.name]));
  const last = lastRuns(await listRuns(project.db), table);
  const inputs = new Set(
    table.columns.filter((c) => c.trim() && columnOf(c, method).gives === 'input').map((c) => c.trim()),
  );
  const named = (cell: string): string =>
    cell
      .split(';')
      .map((ref) => datasets.get(refOf(ref.trim()).dataset) ?? ref.trim())
      .join('; ');
  const rows = table.rows.map((r, k): RowDone => {
    const run = last.get(r.id);
    return {
      row: k + 1,
      name: run?.outputs.map((id) => datasets.get(id)).find((n) => n !== undefined) ?? '',
      state: run?.state ?? 'not run',
      reason: run?.problem?.message ?? '',
      seconds: run?.startedAt && run.endedAt ? (Date.parse(run.endedAt) - Date.parse(run.startedAt)) / 1000 : null,
      given: Object.fromEntries(
        table.columns.map((c, i) => [c.trim(), inputs.has(c.trim()) ? named(r.cells[i] ?? '') : (r.cells[i] ?? '')]),
      ),
      figures: run?.figures ?? {},
    };
  });
  return csvOf(reportRows(rows));
}

import type { Express } from 'express';
import { displayUnit, HelkError, kindOf, parseCrs, systemOf, type DatasetInfo, type Note } from '@helk/core';
import type { Context } from '../context';
import type { Project } from '../projects';
import { getDatasetRow, toDataset, type DatasetRow } from '../store/project-store';
import { receive } from './bytes';
import { hang } from './hang';

export function datasetRoutes(app: Express, { projects, runs, temp, config }: Context): void {
  hang(app, 'import', async ({ params, query, req }) => {
    const p = await projects.get(params['project']!);
    if (query.crs) parseCrs(query.crs);
    const upload = await receive(req, temp, config.maxUpload);
    return runs.takeIn(p, upload, { name: query.name, batch: query.batch ?? null, crs: query.crs ?? null });
  });

  hang(app, 'patchDataset', async ({ params, body }) => {
    const p = await projects.get(params['project']!);
    const row = await getDatasetRow(p.db, params['dataset']!);
    const changes: Partial<DatasetRow> = {};
    if (body.name !== undefined) changes.name = body.name;
    if (body.note !== undefined) changes.note = body.note;
    if (body.thread !== undefined) changes.thread = body.thread || null;
    if (body.replacedBy !== undefined) changes.replaced_by = await successor(p, row, body.replacedBy);
    if (body.look) changes.look = lookFor(row, body.look);
    const { crs, unit, classes, band, bandName, role, wavelength } = body;
    const by = { crs, unit, classes, bandName, role, wavelength };
    if (Object.values(by).some((v) => v !== undefined)) {
      const info = JSON.parse(row.info) as DatasetInfo;
      const notes = JSON.parse(row.notes) as Note[];
      const unitByHand = notes.some((n) => n.code === 'unit.given');
      const given = kindOf(info).give(info, { ...by, band, unitByHand });
      changes.info = JSON.stringify(given);
      changes.notes = JSON.stringify(notesAfter(notes, body, given));
    }
    if (Object.keys(changes).length)
      await p
        .db('datasets')
        .where({ id: row.id })
        .update({ ...changes, revision: p.db.raw('revision + 1') });
    const dataset = toDataset(await getDatasetRow(p.db, row.id));
    p.send({ type: 'datasets', datasets: [dataset] });
    if (crs !== undefined) await p.settle();
    return dataset;
  });

  hang(app, 'draft', async ({ params }) => {
    const p = await projects.get(params['project']!);
    return { value: draftsOf(await getDatasetRow(p.db, params['dataset']!))[workOf(params)] ?? null };
  });

  hang(app, 'keepDraft', async ({ params, body }) => {
    const p = await projects.get(params['project']!);
    const row = await getDatasetRow(p.db, params['dataset']!);
    const { [workOf(params)]: _, ...others } = draftsOf(row);
    const all = body.value === null ? others : { ...others, [workOf(params)]: body.value };
    await p
      .db('datasets')
      .where({ id: row.id })
      .update({ drafts: Object.keys(all).length ? JSON.stringify(all) : null });
  });
}

/** A dataset that may take the place of another. @throws HelkError `request.invalid` for one of another kind, or itself */
async function successor(p: Project, row: DatasetRow, id: string | null): Promise<string | null> {
  if (id === null) return null;
  const next = await getDatasetRow(p.db, id);
  if (next.id === row.id || next.kind !== row.kind)
    throw new HelkError(
      'request.invalid',
      next.id === row.id
        ? 'A dataset cannot take its own place.'
        : `“${row.name}” is a ${kindOf({ kind: row.kind }).words.one}, and “${next.name}” is a ${kindOf({ kind: next.kind }).words.one}; only one of the same kind can take its place.`,
      'replacedBy',
    );
  return id;
}

const draftsOf = (row: DatasetRow): Record<string, unknown> =>
  row.drafts ? (JSON.parse(row.drafts) as Record<string, unknown>) : {};

/** @throws HelkError `request.invalid` for what is no name of a work */
function workOf(params: Record<string, string>): string {
  const work = params['work']!;
  if (!/^[a-z]{1,40}$/.test(work)) throw new HelkError('request.invalid', `"${work.slice(0, 40)}" is no work.`, 'work');
  return work;
}

/** A way of drawing as it is kept. @throws HelkError `request.invalid` for one that its kind has not */
function lookFor(row: DatasetRow, look: unknown): string {
  const kind = kindOf({ kind: row.kind });
  const parsed = kind.lookShape?.safeParse(look);
  if (parsed?.success) return JSON.stringify(parsed.data);
  const issue = parsed?.error.issues[0];
  throw new HelkError(
    'request.invalid',
    issue
      ? `This is no way of drawing ${kind.words.many}: ${issue.path.join('.') || 'it'}: ${issue.message}`
      : `A ${kind.words.one} has no way of drawing.`,
    'look',
  );
}

/** Notes of the arrival that asked for a system are answered by one; what was given by hand is remembered. */
function notesAfter(
  notes: readonly Note[],
  body: { crs?: string | undefined; unit?: string | undefined },
  info: DatasetInfo,
): Note[] {
  const crs = systemOf(info);
  const given = (code: string, message: string): Note => ({ level: 'info', code, message });
  return [
    ...notes.filter(
      ({ code }) =>
        (body.crs === undefined || !/^crs\.(standard|names|unknown|given)$/.test(code)) &&
        (body.unit === undefined || code !== 'unit.given'),
    ),
    ...(body.crs !== undefined && crs
      ? [given('crs.given', `The coordinate system was given by hand: ${crs.code ?? crs.name}.`)]
      : []),
    ...(body.unit ? [given('unit.given', `The unit was given by hand: ${displayUnit(body.unit)}.`)] : []),
  ];
}

import type { Knex } from 'knex';
import { describeMethod, HelkError, methods, parseCrs } from '@helk/core';
import { svgOf } from '@helk/core/render/svg';
import { historyOf } from '@helk/core/recipe/history';
import { lift } from '@helk/core/recipe/lift';
import type { Recipe } from '@helk/core/recipe/shape';
import { contentsOf } from '@helk/core/report/contents';
import { factsFrom, type ReportFacts, type ToldDataset, type ToldRun } from '@helk/core/report/facts';
import { htmlOf } from '@helk/core/report/html';
import type { Report } from '@helk/core/report/shape';
import type { Finding } from '@helk/core/sheet/finding';
import { drawnList, DrawingShape } from '@helk/core/sheet/drawing';
import { VERSION } from '@helk/core/version';
import { listFindings } from './findings';
import { now } from './ids';
import { getPicture } from './pictures';
import { listDatasets, listRuns } from './project-store';

/** What a project tells of itself to reports and readmes. */
export async function toldOf(db: Knex): Promise<ReportFacts> {
  const row = (await db('project').first('name', 'crs')) as { name: string; crs: string | null };
  const known = new Map(methods().map((m) => [m.id, m]));
  return factsFrom({
    name: row.name,
    system: row.crs === null ? null : parseCrs(row.crs),
    datasets: (await listDatasets(db)) as unknown as ToldDataset[],
    runs: (await listRuns(db)) as ToldRun[],
    findings: await listFindings(db),
    method: (id) => {
      const m = known.get(id);
      return m && describeMethod(m);
    },
    version: VERSION,
    date: now().slice(0, 10),
    recipe: 'nothing was made yet.',
  });
}

/** The procedure behind some results as a recipe; or why it cannot be one. */
export function recipeBehind(ids: readonly string[], past: ReportFacts): Recipe | string {
  try {
    return lift(historyOf(ids, past), past);
  } catch (e) {
    if (e instanceof HelkError) return e.message;
    throw e;
  }
}

/** How findings looked, as SVG by the id of their drawing. */
export async function drawingsOf(db: Knex, findings: readonly Finding[]): Promise<Map<string, string>> {
  const out = new Map<string, string>();
  for (const [i, f] of findings.entries()) {
    if (!f.drawing || out.has(f.drawing)) continue;
    const picture = await getPicture(db, f.drawing).catch(() => null);
    const read = picture && DrawingShape.safeParse(JSON.parse(Buffer.from(picture.bytes).toString('utf8')));
    if (read?.success)
      out.set(f.drawing, svgOf(drawnList(read.data), { href: (data) => data, title: f.title, marks: `f${i}-` }));
  }
  return out;
}

/** A report as a page of HTML that needs nothing else. */
export async function pageOf(db: Knex, report: Report): Promise<string> {
  const facts = await toldOf(db);
  const doc = contentsOf(report, { ...facts, recipe: recipeBehind(report.results, facts) });
  const wanted = facts.findings.filter((f) => report.findings.includes(f.id));
  return htmlOf(doc, { drawings: await drawingsOf(db, wanted) });
}

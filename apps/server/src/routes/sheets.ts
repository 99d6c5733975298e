import { readFile } from 'node:fs/promises';
import type { Express } from 'express';
import type { ApiFinding } from '@helk/core/api/schemas';
import { reportFrom } from '@helk/core/report/shape';
import { sheetFrom } from '@helk/core/sheet/shape';
import type { Context } from '../context';
import type { Project } from '../projects';
import { addFinding, getFinding, listFindings, orderFindings, saveFinding, setFinding } from '../store/findings';
import { addPicture, getPicture, LARGEST_PICTURE } from '../store/pictures';
import { pageOf } from '../store/told';
import { palettes, reports, sheets } from '../store/written';
import { attach, receive } from './bytes';
import { hang } from './hang';
import { kept } from './kept';

const found = (p: Project, finding: ApiFinding): ApiFinding => {
  p.send({ type: 'findings', findings: [finding] });
  return finding;
};

/** Findings, map sheets, reports and palettes of a project, and the pictures in them. */
export function sheetRoutes(app: Express, { projects, temp }: Context): void {
  const of = (params: Record<string, string>): Promise<Project> => projects.get(params['project']!);

  hang(app, 'findings', async ({ params }) => listFindings((await of(params)).db));
  hang(app, 'createFinding', async ({ params, body }) => {
    const p = await of(params);
    return found(p, await addFinding(p.db, body));
  });
  hang(app, 'saveFinding', async ({ params, body }) => {
    const p = await of(params);
    return found(p, await saveFinding(p.db, params['finding']!, body));
  });
  hang(app, 'orderFindings', async ({ params, body }) => {
    const p = await of(params);
    const findings = await orderFindings(p.db, body.ids);
    p.send({ type: 'findings', findings });
    return findings;
  });
  hang(app, 'deleteFinding', async ({ params }) => {
    const p = await of(params);
    await setFinding(p.db, params['finding']!, 'removed');
    await p.binned([params['finding']!]);
  });
  hang(app, 'restoreFinding', async ({ params }) => {
    const p = await of(params);
    await setFinding(p.db, params['finding']!, 'ready');
    await p.binned([]);
    return found(p, await getFinding(p.db, params['finding']!));
  });

  const sheet = kept(sheets, (p, sheets) => p.send({ type: 'sheets', sheets }));
  hang(app, 'sheets', async ({ params }) => sheets.list((await of(params)).db));
  hang(app, 'createSheet', async ({ params, body }) => sheet.add(await of(params), sheetFrom(body.sheet)));
  hang(app, 'saveSheet', async ({ params, body }) =>
    sheet.save(await of(params), params['sheet']!, sheetFrom(body.sheet)),
  );
  hang(app, 'deleteSheet', async ({ params }) => sheet.remove(await of(params), params['sheet']!));
  hang(app, 'restoreSheet', async ({ params }) => sheet.restore(await of(params), params['sheet']!));

  const report = kept(reports, (p, reports) => p.send({ type: 'reports', reports }));
  hang(app, 'reports', async ({ params }) => reports.list((await of(params)).db));
  hang(app, 'createReport', async ({ params, body }) => report.add(await of(params), reportFrom(body.report)));
  hang(app, 'saveReport', async ({ params, body }) =>
    report.save(await of(params), params['report']!, reportFrom(body.report)),
  );
  hang(app, 'deleteReport', async ({ params }) => report.remove(await of(params), params['report']!));
  hang(app, 'restoreReport', async ({ params }) => report.restore(await of(params), params['report']!));

  hang(app, 'reportPage', async ({ params, res }) => {
    const { db } = await of(params);
    const { report } = await reports.get(db, params['report']!);
    attach(res, `${report.title}.html`, 'text/html; charset=utf-8', await pageOf(db, report));
  });

  const palette = kept(palettes, (p, palettes) => p.send({ type: 'palettes', palettes }));
  hang(app, 'palettes', async ({ params }) => palettes.list((await of(params)).db));
  hang(app, 'createPalette', async ({ params, body }) => palette.add(await of(params), body.palette));
  hang(app, 'savePalette', async ({ params, body }) =>
    palette.save(await of(params), params['palette']!, body.palette),
  );
  hang(app, 'deletePalette', async ({ params }) => palette.remove(await of(params), params['palette']!));
  hang(app, 'restorePalette', async ({ params }) => palette.restore(await of(params), params['palette']!));

  hang(app, 'addPicture', async ({ params, req }) => {
    const p = await of(params);
    const upload = await receive(req, temp, LARGEST_PICTURE);
    try {
      return await addPicture(p.db, await readFile(upload.path));
    } finally {
      await upload.remove();
    }
  });
  hang(app, 'picture', async ({ params, res }) => {
    const { type, bytes } = await getPicture((await of(params)).db, params['picture']!);
    res.setHeader('Content-Type', type);
    // Pictures never change; nothing in them is run.
    res.setHeader('Cache-Control', 'private, max-age=31536000, immutable');
    res.setHeader('Content-Security-Policy', "default-src 'none'");
    res.send(Buffer.from(bytes));
  });
}

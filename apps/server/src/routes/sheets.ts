import { readFile } from 'node:fs/promises';
import type { Express } from 'express';
import type { ApiFinding, ApiSheet } from '@helk/core/api/schemas';
import { sheetFrom } from '@helk/core/sheet/shape';
import type { Context } from '../context';
import type { Project } from '../projects';
import { addFinding, getFinding, listFindings, orderFindings, saveFinding, setFinding } from '../store/findings';
import { addPicture, getPicture, LARGEST_PICTURE } from '../store/pictures';
import { addSheet, getSheet, listSheets, saveSheet, setSheet } from '../store/sheets';
import { receive } from './bytes';
import { hang } from './hang';

const found = (p: Project, finding: ApiFinding): ApiFinding => {
  p.send({ type: 'findings', findings: [finding] });
  return finding;
};
const drawn = (p: Project, sheet: ApiSheet): ApiSheet => {
  p.send({ type: 'sheets', sheets: [sheet] });
  return sheet;
};

/** Findings and map sheets of a project, and the pictures of both. */
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
    p.send({ type: 'unwritten', ids: [params['finding']!] });
  });
  hang(app, 'restoreFinding', async ({ params }) => {
    const p = await of(params);
    await setFinding(p.db, params['finding']!, 'ready');
    return found(p, await getFinding(p.db, params['finding']!));
  });

  hang(app, 'sheets', async ({ params }) => listSheets((await of(params)).db));
  hang(app, 'createSheet', async ({ params, body }) => {
    const p = await of(params);
    return drawn(p, await addSheet(p.db, sheetFrom(body.sheet)));
  });
  hang(app, 'saveSheet', async ({ params, body }) => {
    const p = await of(params);
    return drawn(p, await saveSheet(p.db, params['sheet']!, sheetFrom(body.sheet)));
  });
  hang(app, 'deleteSheet', async ({ params }) => {
    const p = await of(params);
    await setSheet(p.db, params['sheet']!, 'removed');
    p.send({ type: 'unwritten', ids: [params['sheet']!] });
  });
  hang(app, 'restoreSheet', async ({ params }) => {
    const p = await of(params);
    await setSheet(p.db, params['sheet']!, 'ready');
    return drawn(p, await getSheet(p.db, params['sheet']!));
  });

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

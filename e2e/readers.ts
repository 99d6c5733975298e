import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import type { Download, Page } from '@playwright/test';
import { getDocument, OPS } from 'pdfjs-dist/legacy/build/pdf.mjs';

const AXE = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

/** What breaks rules of accessibility, by rule. */
export async function faults(page: Page, within: string): Promise<string[]> {
  // As a function of its own: pages of Helk run no script that is written into them.
  await page.evaluate(AXE);
  return page.evaluate(async (where) => {
    const axe = (
      window as unknown as {
        axe: { run: (w: string, o: object) => Promise<{ violations: { id: string; nodes: { html: string }[] }[] }> };
      }
    ).axe;
    const r = await axe.run(where, { runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa'] });
    return r.violations.flatMap((v) => v.nodes.map((n) => `${v.id}: ${n.html.slice(0, 160)}`));
  }, within);
}

/** A page of a document as an outside reader sees it. */
export async function readPdf(download: Download) {
  const bytes = new Uint8Array(readFileSync(await download.path()));
  const doc = await getDocument({ data: bytes, isEvalSupported: false, verbosity: 0 }).promise;
  const pages = [];
  for (let n = 1; n <= doc.numPages; n++) {
    const page = await doc.getPage(n);
    const { items } = await page.getTextContent();
    const ops = await page.getOperatorList();
    const used = new Set<string>();
    const lines: [number, number][][] = [];
    let images = 0;
    ops.fnArray.forEach((fn, i) => {
      const args = ops.argsArray[i] as unknown[];
      if (fn === OPS.setFont) used.add(args[0] as string);
      if (fn === OPS.paintImageXObject) images++;
      if (fn === OPS.constructPath) {
        const [kinds, xy] = args as [number[], number[]];
        let at = 0;
        let line: [number, number][] = [];
        for (const k of kinds) {
          if (k === OPS.rectangle) at += 4;
          else if (k === OPS.curveTo) at += 6;
          else if (k === OPS.moveTo || k === OPS.lineTo) {
            if (k === OPS.moveTo) lines.push((line = []));
            line.push([xy[at]!, xy[at + 1]!]);
            at += 2;
          }
        }
      }
    });
    const fonts = [...used].map((f) => page.commonObjs.get(f) as { name: string; missingFile?: boolean });
    pages.push({
      size: page.view.slice(2),
      text: items
        .map((t) => ('str' in t ? t.str : ''))
        .join(' ')
        .replace(/\s+/g, ' '),
      fonts,
      images,
      lines,
    });
  }
  return pages;
}

/** Files that go with a document, by name. */
export async function attachedTo(download: Download): Promise<Record<string, string>> {
  const data = new Uint8Array(readFileSync(await download.path()));
  const doc = await getDocument({ data, isEvalSupported: false, verbosity: 0 }).promise;
  const all = ((await doc.getAttachments()) ?? {}) as Record<string, { content: Uint8Array }>;
  return Object.fromEntries(Object.entries(all).map(([name, a]) => [name, Buffer.from(a.content).toString('utf8')]));
}

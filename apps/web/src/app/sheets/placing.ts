import type { MapSheet, PaperBox, PartKind } from '@helk/core/sheet/shape';
import { recordOf } from './parts';

/** A name that no part of a sheet has. */
export function freeId(sheet: MapSheet, stem: string): string {
  const taken = new Set(sheet.parts.map((p) => p.id));
  for (let n = 1; ; n++) if (!taken.has(`${stem}${n}`)) return `${stem}${n}`;
}

/** Where a new part goes: a free place on the page, or else its middle. @param shape width to height, where it has one */
export function placed(sheet: MapSheet, kind: PartKind, shape?: number): { id: string; box: PaperBox } {
  const [w, h] = recordOf({ kind }).size;
  const { width: pw, height: ph, margin } = sheet.page;
  const width = Math.min(w, pw - 2 * margin);
  const height = Math.min(shape ? width / shape : h, ph - 2 * margin);
  const overlap = (x: number, y: number): number =>
    sheet.parts.reduce((sum, p) => {
      const dx = Math.min(x + width, p.x + p.width) - Math.max(x, p.x);
      const dy = Math.min(y + height, p.y + p.height) - Math.max(y, p.y);
      return sum + (dx > 0 && dy > 0 ? dx * dy : 0);
    }, 0);
  let best = { x: (pw - width) / 2, y: (ph - height) / 2, covered: Infinity };
  for (let i = 0; i <= 8; i++)
    for (let j = 0; j <= 8; j++) {
      const x = margin + ((pw - 2 * margin - width) * i) / 8;
      const y = margin + ((ph - 2 * margin - height) * j) / 8;
      const covered = overlap(x, y);
      if (covered < best.covered - 1e-6) best = { x, y, covered };
    }
  const r = (v: number): number => Math.round(v * 10) / 10;
  return { id: freeId(sheet, kind), box: { x: r(best.x), y: r(best.y), width: r(width), height: r(height) } };
}

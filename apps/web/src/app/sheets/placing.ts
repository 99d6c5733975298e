import type { MapSheet, PaperBox, PartKind } from '@helk/core/sheet/shape';
import { recordOf } from './parts';

/** A name that no part of a sheet has. */
export function freeId(sheet: MapSheet, stem: string): string {
  const taken = new Set(sheet.parts.map((p) => p.id));
  for (let n = 1; ; n++) if (!taken.has(`${stem}${n}`)) return `${stem}${n}`;
}

/** Shares of its size that a part may have where there is little room. */
const SMALLER = [1, 0.85, 0.7, 0.55];
/** Places that are tried along a side of the page. */
const TRIED = 16;
/** Between parts, mm. */
const APART = 2;

/** Where a new part goes: the first free place it fits into, smaller if need be; or else where it covers least. @param shape width to height, where it has one */
export function placed(sheet: MapSheet, kind: PartKind, shape?: number): { id: string; box: PaperBox } {
  const [w, h] = recordOf({ kind }).size;
  const { width: pw, height: ph, margin } = sheet.page;
  // What lies all over the page hides nothing.
  const others = sheet.parts.filter((p) => p.width * p.height < 0.9 * pw * ph);
  const covered = (b: PaperBox): number =>
    others.reduce((sum, p) => {
      const dx = Math.min(b.x + b.width, p.x + p.width) - Math.max(b.x, p.x) + APART;
      const dy = Math.min(b.y + b.height, p.y + p.height) - Math.max(b.y, p.y) + APART;
      return sum + (dx > 0 && dy > 0 ? dx * dy : 0);
    }, 0);
  let best: { box: PaperBox; covered: number } | null = null;
  for (const k of SMALLER) {
    const width = Math.min(w * k, pw - 2 * margin);
    const height = Math.min(shape ? width / shape : h * k, ph - 2 * margin);
    for (let i = TRIED; i >= 0; i--)
      for (let j = 0; j <= TRIED; j++) {
        const x = margin + ((pw - 2 * margin - width) * i) / TRIED;
        const y = margin + ((ph - 2 * margin - height) * j) / TRIED;
        const box = { x, y, width, height };
        const c = covered(box);
        if (!best || c < best.covered - 1e-6) best = { box, covered: c };
      }
    if (best!.covered === 0) break;
  }
  const r = (v: number): number => Math.round(v * 10) / 10;
  const { x, y, width, height } = best!.box;
  return { id: freeId(sheet, kind), box: { x: r(x), y: r(y), width: r(width), height: r(height) } };
}

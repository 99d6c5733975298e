import type { Legend } from '../../kinds/legend';
import { legendItems } from '../../draw/legend-items';
import type { DisplayItem } from '../../draw/display';
import { framesOf, type PartOf } from '@helk/core/sheet/shape';
import { INK, MM, PT, QUIET } from '../paper';
import { contrastCheck } from './contrast';
import type { PartContext, PartRecord } from './part';

/** Between columns, and between legends, in sizes of letters. */
const GUTTER = 1.6;
const GAP = 0.9;
/** Letters below which nobody reads, points. */
const LEAST = 5;

/** Legends of a key in its order and its words; what is left out is not among them. */
export function keyed(
  part: PartOf<'key'>,
  all: readonly { id: string; legend: Legend }[],
): { id: string; legend: Legend }[] {
  const rank = (id: string): number => (part.order.includes(id) ? part.order.indexOf(id) : part.order.length);
  return all
    .filter((k) => !part.hidden.includes(k.id))
    .map((k, i) => ({ ...k, i }))
    .sort((a, b) => rank(a.id) - rank(b.id) || a.i - b.i)
    .map(({ id, legend }) => ({ id, legend: worded(id, legend, part.words) }));
}

/** A legend in the words that somebody has given it. */
function worded(id: string, legend: Legend, words: Readonly<Record<string, string>>): Legend {
  const title = words[id] ?? legend.title;
  const entries = legend.entries
    .map((e, i) => ({ ...e, text: words[`${id}/${i}`] ?? e.text }))
    .filter((e, i) => words[`${id}/${i}`] !== '' && !(e.off ?? false));
  return { ...legend, title, entries, picks: false, switches: false };
}

/** What a key is, and how far down it goes, pixels. */
export function keyItems(
  part: PartOf<'key'>,
  all: readonly { id: string; legend: Legend }[],
): { items: DisplayItem[]; bottom: number } {
  const size = part.size * PT;
  const width = part.width * MM;
  const gutter = GUTTER * size;
  const each = (width - (part.columns - 1) * gutter) / part.columns;
  const depth = new Array<number>(part.columns).fill(part.y * MM);
  const items: DisplayItem[] = [];
  for (const { legend } of keyed(part, all)) {
    // The next column where the last one is full; where there is no other, the one that is least deep.
    const k = depth.indexOf(Math.min(...depth));
    const block = legendItems(legend, part.x * MM + k * (each + gutter), depth[k]!, each, {
      ink: INK,
      quiet: QUIET,
      size,
      whole: true,
    });
    items.push(...block.items);
    depth[k] = block.bottom + GAP * size;
  }
  return { items, bottom: Math.max(...depth) - GAP * size };
}

const legendsOf = async (part: PartOf<'key'>, ctx: PartContext): Promise<{ id: string; legend: Legend }[]> => {
  const f = ctx.frame(part.frame);
  return f ? (await ctx.drawing(f)).keys : [];
};

export const key: PartRecord<'key'> = {
  kind: 'key',
  label: 'Key',
  about: 'what colours and marks of a map mean',
  size: [60, 60],

  draw: async (part, ctx) => keyItems(part, await legendsOf(part, ctx)).items,

  async checks(part, ctx) {
    const all = await legendsOf(part, ctx);
    const over = keyItems(part, all).bottom / MM - (part.y + part.height);
    const faint = contrastCheck(part.id, INK, ctx.sheet.page.paper, part.size);
    if (over <= 0.5) return faint ? [faint] : [];
    const fits = (p: PartOf<'key'>): boolean => keyItems(p, all).bottom / MM <= p.y + p.height + 0.5;
    const smaller = (p: PartOf<'key'>): PartOf<'key'> => {
      for (let size = p.size; size >= LEAST; size -= 0.25)
        for (const columns of [p.columns, p.columns + 1, p.columns + 2].filter((c) => c <= 8))
          if (fits({ ...p, size, columns })) return { ...p, size, columns };
      return { ...p, height: keyItems(p, all).bottom / MM - p.y };
    };
    return [
      ...(faint ? [faint] : []),
      {
        part: part.id,
        text: `The key is ${over.toFixed(0)} mm longer than its place.`,
        mend: { label: 'Make it fit', how: (p) => (p.kind === 'key' ? smaller(p) : p) },
      },
    ];
  },

  begin(id, box, { sheet }) {
    const of = framesOf(sheet).find((f) => !f.around) ?? framesOf(sheet)[0];
    if (!of) return null;
    return { kind: 'key', id, ...box, frame: of.id, columns: 1, size: 8, hidden: [], order: [], words: {} };
  },
  editor: () => import('./key-editor').then((m) => m.KeyEditor),
};

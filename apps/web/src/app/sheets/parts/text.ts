import { filled, unknownFields } from '@helk/core/sheet/fields';
import type { PartOf } from '@helk/core/sheet/shape';
import { wrapped, type DisplayItem } from '../../draw/display';
import { MM, PT } from '../paper';
import { contrastCheck, readableOn } from './contrast';
import type { PartCheck, PartContext, PartRecord } from './part';

const LINE = 1.28;

/** Lines of a text as they stand on paper. */
function linesOf(part: PartOf<'text'>, ctx: PartContext): string[] {
  const look = { size: part.size * PT, face: part.face, weight: part.bold ? 600 : 400 };
  return wrapped(filled(part.text, ctx.values()), part.width * MM, look);
}

export const text: PartRecord<'text'> = {
  kind: 'text',
  label: 'Text',
  about: 'title, note, source: words, with fields that fill themselves in',
  size: [80, 10],

  draw(part, ctx) {
    const size = part.size * PT;
    const x = (part.x + (part.align === 'start' ? 0 : part.align === 'middle' ? part.width / 2 : part.width)) * MM;
    return Promise.resolve(
      linesOf(part, ctx).map((t, i): DisplayItem => ({
        kind: 'text',
        text: t,
        x,
        y: part.y * MM + size * (0.95 + i * LINE),
        size,
        fill: part.colour,
        face: part.face,
        weight: part.bold ? 600 : 400,
        anchor: part.align,
      })),
    );
  },

  checks(part, ctx) {
    const out: PartCheck[] = [];
    const unknown = unknownFields(part.text, ctx.values());
    if (unknown.length) {
      const named = unknown.map((u) => `{${u}}`).join(', ');
      out.push({ part: part.id, text: `Nothing is known of ${named}; it is printed as it is written.` });
    }
    const faint = contrastCheck(part.id, part.colour, ctx.sheet.page.paper, part.size);
    if (faint)
      out.push({
        ...faint,
        mend: { label: 'Make it ink', how: (p) => ({ ...p, colour: readableOn(ctx.sheet.page.paper) }) },
      });
    const tall = (linesOf(part, ctx).length * LINE * part.size * PT) / MM;
    if (tall > part.height + 1)
      out.push({
        part: part.id,
        text: `The text is ${(tall - part.height).toFixed(0)} mm longer than its place.`,
        mend: { label: 'Give it room', how: (p) => ({ ...p, height: Math.ceil(tall * 10) / 10 }) },
      });
    return Promise.resolve(out);
  },

  begin: (id, box) => ({
    kind: 'text',
    id,
    ...box,
    text: 'Words',
    size: 10,
    bold: false,
    face: 'sans',
    align: 'start',
    colour: '#1d282c',
  }),
  editor: () => import('./text-editor').then((m) => m.TextEditor),
};

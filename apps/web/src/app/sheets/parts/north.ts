import { framesOf } from '@helk/core/sheet/shape';
import type { DisplayItem, Point } from '../../draw/display';
import { INK, letters, MM, PT } from '../paper';
import { northOnPaper, northWords } from './north-words';
import type { PartRecord } from './part';

const RADIANS = Math.PI / 180;
/** For a part that is so wide, mm. */
const PLAIN = 26;

export const north: PartRecord<'north'> = {
  kind: 'north',
  label: 'North',
  about: 'where north is, on the grid or on the Earth',
  size: [16, 22],

  draw(part, ctx) {
    const f = ctx.frame(part.frame);
    if (!f) return Promise.resolve([]);
    const size = 6.5 * Math.min(4, Math.max(0.8, part.width / PLAIN));
    const told = part.told ? 2 * size * PT * 1.25 : 0;
    const angle = northOnPaper(f, part.of) * RADIANS;
    const [cx, cy] = [(part.x + part.width / 2) * MM, part.y * MM + (part.height * MM - told) / 2];
    const r = Math.max(2, Math.min(part.width * MM, part.height * MM - told) / 2 - 1.4 * size * PT);
    const at = (x: number, y: number): Point => [
      cx + x * Math.cos(angle) - y * Math.sin(angle),
      cy + x * Math.sin(angle) + y * Math.cos(angle),
    ];
    // A levelling rod's point on a ring: the needle of a field compass, one half of it dark.
    const w = 0.2 * r;
    const items: DisplayItem[] = [
      { kind: 'disc', x: cx, y: cy, radius: 0.52 * r, stroke: INK, line: 0.5 * PT },
      { kind: 'path', closed: true, points: [at(0, -r), at(-w, 0), at(0, r)], fill: INK, stroke: INK, line: 0.5 * PT },
      {
        kind: 'path',
        closed: true,
        points: [at(0, -r), at(w, 0), at(0, r)],
        fill: '#ffffff',
        stroke: INK,
        line: 0.5 * PT,
      },
    ];
    const [nx, ny] = at(0, -r - 0.8 * size * PT);
    items.push(letters('N', nx, ny + size * PT * 0.36, size + 1, { weight: 600, anchor: 'middle' }));
    if (part.told) {
      const middle = (part.x + part.width / 2) * MM;
      const bottom = (part.y + part.height) * MM;
      const name = part.of === 'true' ? 'true north' : 'grid north';
      const words =
        northWords(f)
          ?.replace('true north is ', '')
          .replace(/ (west|east) of grid north/, ' $1') ?? '';
      const second = /^\d/.test(words)
        ? part.of === 'grid'
          ? `true ${words}`
          : `grid ${words.endsWith('west') ? words.replace('west', 'east') : words.replace('east', 'west')}`
        : '';
      const look = { anchor: 'middle' as const, fill: INK };
      items.push(letters(name, middle, bottom - size * PT * 1.45, size, look));
      if (second) items.push(letters(second, middle, bottom - size * PT * 0.25, size, { ...look, face: 'mono' }));
    }
    return Promise.resolve(items);
  },

  begin(id, box, { sheet }) {
    const of = framesOf(sheet)[0];
    return of ? { kind: 'north', id, ...box, frame: of.id, of: 'grid', told: true } : null;
  },
  editor: () => import('./north-editor').then((m) => m.NorthEditor),
};

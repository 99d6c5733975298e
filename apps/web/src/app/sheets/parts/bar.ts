import { scaleBar } from '@helk/core/sheet/bar';
import { framesOf } from '@helk/core/sheet/shape';
import type { DisplayItem } from '../../draw/display';
import { INK, letters, MM, PT } from '../paper';
import type { PartRecord } from './part';

/** Height of the bar and size of its letters, as shares of what it has. */
const HIGH = 1.5;
const LETTERS = 7;
/** Height that these are for, mm; higher ones have larger letters. */
const PLAIN = 8.5;

export const bar: PartRecord<'bar'> = {
  kind: 'bar',
  label: 'Scale bar',
  about: 'how long a length on the ground is on paper',
  size: [70, 9],

  draw(part, ctx) {
    const f = ctx.frame(part.frame);
    if (!f) return Promise.resolve([]);
    const k = Math.min(4, Math.max(0.8, part.height / PLAIN));
    const size = LETTERS * k;
    const high = HIGH * k * MM;
    // The last text reaches beyond the end of the bar.
    const b = scaleBar(f, part.width - 12 * k, part.parts, part.unit);
    const [x, y] = [(part.x + 2 * k) * MM, part.y * MM];
    const each = (b.width * MM) / part.parts;
    const items: DisplayItem[] = Array.from({ length: part.parts }, (_, i) => ({
      kind: 'box',
      x: x + i * each,
      y,
      width: each,
      height: high,
      fill: i % 2 ? '#ffffff' : INK,
      stroke: INK,
      line: 0.5 * PT,
    }));
    const base = y + high + size * PT * 1.15;
    b.ticks.forEach((t, i) =>
      items.push(
        letters(i === part.parts ? `${t}\u00a0${b.unit}` : t, x + i * each, base, size, {
          face: 'mono',
          anchor: i === part.parts ? 'start' : 'middle',
        }),
      ),
    );
    // The unit stands behind the last number, which is over its mark all the same.
    const last = items.at(-1);
    const tick = b.ticks.at(-1)!;
    if (last?.kind === 'text') last.x -= (tick.length * size * PT * 0.6) / 2;
    return Promise.resolve(items);
  },

  begin(id, box, { sheet }) {
    const of = framesOf(sheet)[0];
    return of ? { kind: 'bar', id, ...box, frame: of.id, unit: 'metric', parts: 4 } : null;
  },
  editor: () => import('./bar-editor').then((m) => m.BarEditor),
};

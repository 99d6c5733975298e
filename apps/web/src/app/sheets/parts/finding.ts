import type { DisplayItem } from '../../draw/display';
import { letters, MM, QUIET } from '../paper';
import type { PartRecord } from './part';

export const finding: PartRecord<'finding'> = {
  kind: 'finding',
  label: 'Finding',
  about: 'a chart, table or view that was pinned',
  size: [90, 60],

  async draw(part, ctx): Promise<DisplayItem[]> {
    const list = await ctx.found(part.finding);
    const box = { x: part.x * MM, y: part.y * MM, width: part.width * MM, height: part.height * MM };
    if (!list) {
      if (!ctx.editing) return [];
      return [
        { kind: 'box', ...box, stroke: QUIET, dash: [4, 3] },
        letters('a finding that has been removed', box.x + box.width / 2, box.y + box.height / 2, 8, {
          anchor: 'middle',
          fill: QUIET,
        }),
      ];
    }
    const scale = Math.min(box.width / list.width, box.height / list.height);
    const move = {
      x: box.x + (box.width - list.width * scale) / 2,
      y: box.y + (box.height - list.height * scale) / 2,
      scale,
    };
    return [{ kind: 'group', clip: box, move, items: list.items }];
  },

  async checks(part, ctx) {
    const of = ctx.finding(part.finding);
    if (!of) return [{ part: part.id, text: 'The finding that stood here has been removed.' }];
    const list = await ctx.found(part.finding);
    const scale = list ? Math.min((part.width * MM) / list.width, (part.height * MM) / list.height) : 1;
    // Letters of charts are 11 pixels.
    const points = (11 * scale * 72) / 96;
    return points < 4.5
      ? [
          {
            part: part.id,
            text: `Its letters are ${points.toFixed(1)} points high here; few can read that. Make it larger.`,
          },
        ]
      : [];
  },

  begin: () => null,
  editor: () => import('./finding-editor').then((m) => m.FindingEditor),
};

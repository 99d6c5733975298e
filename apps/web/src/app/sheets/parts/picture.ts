import type { DisplayItem } from '../../draw/display';
import { letters, MM, QUIET } from '../paper';
import type { PartRecord } from './part';

export const picture: PartRecord<'picture'> = {
  kind: 'picture',
  label: 'Picture',
  about: 'a logo or photograph from a file',
  size: [40, 25],

  async draw(part, ctx): Promise<DisplayItem[]> {
    const box = { x: part.x * MM, y: part.y * MM, width: part.width * MM, height: part.height * MM };
    const image = part.picture ? await ctx.picture(part.picture) : null;
    if (!image)
      return ctx.editing
        ? [
            { kind: 'box', ...box, stroke: QUIET, dash: [4, 3] },
            letters('space for a picture', box.x + box.width / 2, box.y + box.height / 2, 8, {
              anchor: 'middle',
              fill: QUIET,
            }),
          ]
        : [];
    const k = Math.min(box.width / image.width, box.height / image.height);
    const [width, height] = [image.width * k, image.height * k];
    return [
      { kind: 'image', image, x: box.x + (box.width - width) / 2, y: box.y + (box.height - height) / 2, width, height },
    ];
  },

  begin: (id, box) => ({ kind: 'picture', id, ...box, picture: null, about: '' }),
  editor: () => import('./picture-editor').then((m) => m.PictureEditor),
};

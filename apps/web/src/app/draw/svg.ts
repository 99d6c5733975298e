import { svgOf } from '@helk/core/render/svg';
import { canvasOf, type DisplayList } from './display';

/** The same as SVG, with its images in it. */
export const toSvg = (list: DisplayList, o: { title?: string; paper?: boolean; marks?: string } = {}): string =>
  svgOf(list, { ...o, href: (image) => canvasOf(image).toDataURL('image/png') });

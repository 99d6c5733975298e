import { featuresOf, type VectorStyle } from '@helk/core';
import type { DatasetItem } from '../state/project.store';
import { features } from './features';
import type { ClientKind } from './kind';

/** Columns of streets by which they are told apart at first sight, in this order. */
const TELLING = /^(class|highway|kind|type)$/i;

/** Pieces of a network as the lines that they are. */
const asLines = (item: DatasetItem): DatasetItem => ({ ...item, info: featuresOf(item.info)! });

/** Streets that join: drawn, read and styled as lines. */
export const network: ClientKind<'network', VectorStyle> = {
  kind: 'network',
  goes: 'on top',
  swipes: false,

  look: (info, shows, colour) => {
    const lines = featuresOf(info)!;
    const telling = lines.columns.find((c) => c.type === 'text' && TELLING.test(c.name));
    return {
      ...features.look(lines, shows, colour),
      width: 1.4,
      ...(telling ? { by: { kind: 'category' as const, column: telling.name, colours: {} } } : {}),
    };
  },
  colour: features.colour,
  recoloured: features.recoloured,
  alike: () => false,
  thumbnail: async (canvas, item, look, tools, signal) =>
    features.thumbnail?.(canvas, asLines(item), look, tools, signal),
  driver: features.driver!,
  legend: (of) => features.legend!({ ...of, item: asLines(of.item) }),
  pickEntry: features.pickEntry!,
  editor: features.editor!,
  readout: () => Promise.resolve([]),
  told: features.told!,
};

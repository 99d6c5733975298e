import { featuresOf, type DatasetKind, type FeaturesInfo, type VectorStyle } from '@helk/core';
import type { DatasetItem } from '../state/project.store';
import { features } from './features';
import type { ClientKind } from './kind';

/** A dataset as the lines that it is stored and drawn as. */
const asLines = (item: DatasetItem): DatasetItem => ({ ...item, info: featuresOf(item.info)! });

/** How the client deals with a kind that is stored as lines: drawn, read and styled as they are. */
export const lineKind = <N extends DatasetKind>(
  kind: N,
  look: (lines: FeaturesInfo) => Partial<VectorStyle>,
): ClientKind<N, VectorStyle> => ({
  kind,
  goes: 'on top',
  swipes: false,

  look: (info, shows, colour) => {
    const lines = featuresOf(info)!;
    return { ...features.look(lines, shows, colour), ...look(lines) };
  },
  colour: features.colour,
  recoloured: features.recoloured,
  alike: () => false,
  thumbnail: async (canvas, item, looks, tools, signal) =>
    features.thumbnail?.(canvas, asLines(item), looks, tools, signal),
  driver: features.driver!,
  legend: (of) => features.legend!({ ...of, item: asLines(of.item) }),
  pickEntry: features.pickEntry!,
  editor: features.editor!,
  readout: () => Promise.resolve([]),
  told: features.told!,
});

/** Colours by a column, where there is it. */
export const byColumn = (lines: FeaturesInfo, column: string | undefined): Partial<VectorStyle> =>
  column !== undefined && lines.columns.some((c) => c.name === column)
    ? { by: { kind: 'category' as const, column, colours: {} } }
    : {};

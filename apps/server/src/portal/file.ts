import { join } from 'node:path';
import type { Features } from '@helk/core';
import { writeGeoJson } from '@helk/core/formats';

/** Where the portal's data are kept; the number rises when they are made otherwise. */
export const portalFile = (dataDir: string): string => join(dataDir, 'samples', 'portal-1.json');

/** The data as they are kept: features in longitude and latitude with their columns. */
export function portalText(sets: Record<string, Features>): string {
  const stored = Object.fromEntries(
    Object.entries(sets).map(([id, f]) => {
      const { features } = JSON.parse(writeGeoJson(f)) as { features: object[] };
      return [
        id,
        {
          geometry: f.geometry,
          columns: f.columns.map(({ name, type, unit }) => ({ name, type, unit })),
          features: features.map((x, i) => ({ ...x, id: i + 1 })),
        },
      ];
    }),
  );
  return JSON.stringify(stored);
}

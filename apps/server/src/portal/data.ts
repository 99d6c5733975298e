import { mkdir, readFile, rename, rm, stat } from 'node:fs/promises';
import { dirname } from 'node:path';
import { HelkError } from '@helk/core';
import { PORTAL_DATA } from '../samples';
import type { WorkerPool } from '../work/pool';

export interface PortalFeature {
  type: 'Feature';
  id: number;
  geometry: { type: string; coordinates: unknown } | null;
  properties: Record<string, unknown>;
}

/** One collection as it is served: features in longitude and latitude, each with its box. */
export interface PortalData {
  columns: { name: string; type: 'number' | 'text' | 'boolean'; unit: string | null }[];
  geometry: 'point' | 'line' | 'polygon';
  features: PortalFeature[];
  boxes: [number, number, number, number][];
  extent: [number, number, number, number];
}

type Stored = Record<string, Pick<PortalData, 'columns' | 'geometry' | 'features'>>;

/** Box of coordinates of any depth. */
export function boxOfCoordinates(v: unknown): [number, number, number, number] {
  const e: [number, number, number, number] = [Infinity, Infinity, -Infinity, -Infinity];
  const walk = (c: unknown): void => {
    if (!Array.isArray(c)) return;
    if (typeof c[0] === 'number') {
      const [x, y] = c as [number, number];
      e[0] = Math.min(e[0], x);
      e[1] = Math.min(e[1], y);
      e[2] = Math.max(e[2], x);
      e[3] = Math.max(e[3], y);
    } else c.forEach(walk);
  };
  walk(v);
  return e;
}

/** The portal's data: made by a worker when first asked for, kept beside the projects, then held in memory. */
export class PortalStore {
  private held: Promise<Map<string, PortalData>> | null = null;

  constructor(
    private readonly file: string,
    private readonly pool: WorkerPool,
  ) {}

  all(): Promise<Map<string, PortalData>> {
    this.held ??= this.load();
    this.held.catch(() => (this.held = null));
    return this.held;
  }

  private async load(): Promise<Map<string, PortalData>> {
    if (!(await stat(this.file).catch(() => null))) {
      await mkdir(dirname(this.file), { recursive: true });
      const target = `${this.file}.part`;
      await this.pool.result({ kind: 'sample', sample: PORTAL_DATA, target });
      await rename(target, this.file);
    }
    let stored: Stored;
    try {
      stored = JSON.parse(await readFile(this.file, 'utf8')) as Stored;
    } catch {
      // Made anew the next time.
      await rm(this.file, { force: true });
      throw new HelkError('file.damaged', 'The data of the stand-in portal cannot be read; ask again.');
    }
    return new Map(
      Object.entries(stored).map(([id, s]) => {
        const boxes = s.features.map((f) => boxOfCoordinates(f.geometry?.coordinates));
        const extent = boxOfCoordinates(boxes.flatMap((b) => [b.slice(0, 2), b.slice(2)]));
        return [id, { ...s, boxes, extent }];
      }),
    );
  }
}

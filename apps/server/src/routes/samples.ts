import { mkdir, readFile, rename, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Express } from 'express';
import { makeLandscape, makePeat, makeSeabed, type Landscape } from '@helk/demo';
import { HelkError } from '@helk/core';
import { writeDataset } from '@helk/core/formats/write';
import type { Context } from '../app';
import { newId } from '../store/project-store';
import { hang } from './hang';

interface Sample {
  file: string;
  set: string;
  about: string;
  make(land: Landscape): Promise<Uint8Array>;
}

const seabed = (file: string, about: string): Sample => ({
  file,
  set: 'Seabed',
  about,
  make: async (land) => (await makeSeabed(land)).find((f) => f.name === file)!.bytes,
});

const peat = (file: string, about: string, format: 'geojson' | 'csv'): Sample => ({
  file,
  set: 'Peat',
  about,
  make: (land) => writeDataset(makePeat(land), format, 'veyra-peat-probes'),
});

/** What is offered for trying out; each is made when first asked for and kept beside the projects. */
const SAMPLES: Sample[] = [
  seabed('veyra-seabed-west.nc', 'depth in km, positive down, NetCDF classic'),
  seabed('veyra-seabed-east.nc', 'depth in km, positive down, NetCDF-4'),
  peat('veyra-peat-probes.geojson', 'the peat survey, GeoJSON', 'geojson'),
  peat('veyra-peat-probes.csv', 'the peat survey, delimited text with coordinates', 'csv'),
];

export function sampleRoutes(app: Express, { config }: Context): void {
  const folder = join(config.dataDir, 'samples');
  let land: Landscape | null = null;
  const making = new Map<string, Promise<string>>();

  const have = (s: Sample): Promise<string> => {
    const path = join(folder, s.file);
    let job = making.get(s.file);
    job ??= (async () => {
      if (await stat(path).catch(() => null)) return path;
      await mkdir(folder, { recursive: true });
      land ??= makeLandscape();
      const part = `${path}.${newId()}`;
      await writeFile(part, await s.make(land));
      await rename(part, path);
      return path;
    })();
    making.set(s.file, job);
    job.catch(() => making.delete(s.file));
    return job;
  };

  hang(app, 'samples', () =>
    Promise.all(
      SAMPLES.map(async ({ file, set, about }) => ({
        file,
        set,
        about,
        bytes: (await stat(join(folder, file)).catch(() => null))?.size ?? null,
      })),
    ),
  );
  hang(app, 'sample', async ({ params, res }) => {
    const s = SAMPLES.find((x) => x.file === params['sample']);
    if (!s)
      throw new HelkError('dataset.unknown', `There is no sample file "${params['sample']!.slice(0, 60)}".`, 'sample');
    const bytes = await readFile(await have(s));
    res.setHeader('Content-Type', 'application/octet-stream');
    res.setHeader('Content-Disposition', `attachment; filename="${s.file}"`);
    res.end(bytes);
  });
}

import { makeLandscape, makePeat, makeSeabed, type Landscape } from '@helk/demo';
import { writeDataset } from '@helk/core/formats/write';
import { makePortal } from './portal/collections';
import { portalText } from './portal/file';

let land: Landscape | null = null;
/** Made once a process: it takes seconds. */
const landscape = (): Landscape => (land ??= makeLandscape());

export interface Sample {
  file: string;
  set: string;
  about: string;
  make(): Promise<Uint8Array>;
}

const seabed = (file: string, about: string): Sample => ({
  file,
  set: 'Seabed',
  about,
  make: async () => (await makeSeabed(landscape())).find((f) => f.name === file)!.bytes,
});

const peat = (file: string, about: string, format: 'geojson' | 'csv'): Sample => ({
  file,
  set: 'Peat',
  about,
  make: () => writeDataset(makePeat(landscape()), format, 'veyra-peat-probes'),
});

/** What is offered for trying out; each is made when first asked for and kept beside the projects. */
export const SAMPLES: Sample[] = [
  seabed('veyra-seabed-west.nc', 'depth in km, positive down, NetCDF classic'),
  seabed('veyra-seabed-east.nc', 'depth in km, positive down, NetCDF-4'),
  peat('veyra-peat-probes.geojson', 'the peat survey, GeoJSON', 'geojson'),
  peat('veyra-peat-probes.csv', 'the peat survey, delimited text with coordinates', 'csv'),
];

/** The name under which the portal's data are asked for; they are no file that is offered. */
export const PORTAL_DATA = 'portal';

/** The bytes of a sample; takes some seconds, meant for a worker. */
export async function sampleBytes(name: string): Promise<Uint8Array | string> {
  if (name === PORTAL_DATA) return portalText(await makePortal(landscape()));
  const s = SAMPLES.find((x) => x.file === name);
  if (!s) throw new Error(`There is no sample "${name}".`);
  return s.make();
}

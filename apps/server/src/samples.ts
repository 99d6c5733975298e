import {
  makeBuses,
  makeIslet,
  makeIsletGauge,
  makeIsletLand,
  makeLandscape,
  makeLibraryStops,
  makeMapPicture,
  makeMoisture,
  makePeat,
  makeQuarter,
  makeScene,
  makeSeabed,
  makeShelters,
  makeStreets,
  makeSurveyedTrees,
  makeTraining,
  makeVisited,
  type Landscape,
  type Quarter,
  type Scene,
  type SceneYear,
} from '@helk/demo';
import { PNG } from 'pngjs';
import { writeDataset } from '@helk/core/formats/write';
import { makePortal } from './portal/collections';
import { portalText } from './portal/file';

let land: Landscape | null = null;
/** Made once a process: it takes seconds. */
const landscape = (): Landscape => (land ??= makeLandscape());

let skarra: Landscape | null = null;
const islet = (): Landscape => (skarra ??= makeIsletLand());

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

const scenes = new Map<SceneYear, Scene>();
/** Made once a process, like the land. */
function sceneOf(year: SceneYear): Scene {
  const scene = scenes.get(year) ?? makeScene(landscape(), year);
  scenes.set(year, scene);
  return scene;
}

const scene = (year: SceneYear, about: string): Sample => ({
  file: `veyra-scene-${year}.tif`,
  set: 'Scenes',
  about,
  make: () => writeDataset(sceneOf(year).raster, 'geotiff', `veyra-scene-${year}`),
});

let quarter: Quarter | null = null;
const quarterOf = (): Quarter => (quarter ??= makeQuarter(landscape()));

export const MOISTURE = 'veyra-soil-moisture.nc';

/** What is offered for trying out; each is made when first asked for and kept beside the projects. */
export const SAMPLES: Sample[] = [
  seabed('veyra-seabed-west.nc', 'depth in km, positive down, NetCDF classic'),
  seabed('veyra-seabed-east.nc', 'depth in km, positive down, NetCDF-4'),
  {
    file: MOISTURE,
    set: 'Soil moisture',
    about: 'twelve months of 2025, NetCDF-4 with a time axis',
    make: () => makeMoisture(landscape()),
  },
  ...['skarra-elevation-w', 'skarra-elevation-e'].map((name): Sample => ({
    file: `${name}.tif`,
    set: 'Islet',
    about: 'elevation of the islet of Skarra, one of two tiles',
    make: () => writeDataset(makeIslet(islet()).find((t) => t.name === name)!.raster, 'geotiff', name),
  })),
  {
    file: 'skarra-gauge.geojson',
    set: 'Islet',
    about: 'a gauge on Skarra, read off an old map',
    make: () => writeDataset(makeIsletGauge(islet()), 'geojson', 'skarra-gauge'),
  },
  peat('veyra-peat-probes.geojson', 'the peat survey, GeoJSON', 'geojson'),
  peat('veyra-peat-probes.csv', 'the peat survey, delimited text with coordinates', 'csv'),
  scene(1994, 'six bands from blue to shortwave infrared, 20 m'),
  scene(2024, 'the same thirty years later, with a cloud and its shadow'),
  {
    file: 'veyra-training-areas.geojson',
    set: 'Scenes',
    about: 'squares of one kind of ground each, seen in 2024',
    make: () => writeDataset(makeTraining(sceneOf(2024)), 'geojson', 'veyra-training-areas'),
  },
  {
    file: 'veyra-visited-places.geojson',
    set: 'Scenes',
    about: 'what surveyors found in 2024, to judge a map by',
    make: () => writeDataset(makeVisited(sceneOf(2024)), 'geojson', 'veyra-visited-places'),
  },
  {
    file: 'veyra-riverside.las',
    set: 'Riverside',
    about: 'the riverside quarter from the air, classified, LAS 1.4',
    make: () => writeDataset(quarterOf().classified, 'las'),
  },
  {
    file: 'veyra-riverside-bare.las',
    set: 'Riverside',
    about: 'the same points, none with a class yet',
    make: () => writeDataset(quarterOf().unclassified, 'las'),
  },
  {
    file: 'veyra-riverside-trees.geojson',
    set: 'Riverside',
    about: 'trees as surveyors on foot found them, to judge by',
    make: () => writeDataset(makeSurveyedTrees(quarterOf()), 'geojson-native'),
  },
  {
    file: 'veyra-streets.geojson',
    set: 'Streets',
    about: 'streets with class, speed and one-way rules',
    make: () => writeDataset(makeStreets(landscape()).features, 'geojson-native'),
  },
  {
    file: 'veyra-buses.zip',
    set: 'Streets',
    about: 'the timetable of six bus lines, GTFS',
    make: () => makeBuses(landscape()),
  },
  {
    file: 'veyra-shelters.geojson',
    set: 'Streets',
    about: 'nine flood shelters, one off every street',
    make: () => writeDataset(makeShelters(landscape()), 'geojson-native'),
  },
  {
    file: 'veyra-library-stops.geojson',
    set: 'Streets',
    about: 'forty stops of the library van',
    make: () => writeDataset(makeLibraryStops(landscape()), 'geojson-native'),
  },
];

/** The name under which the portal's data are asked for; they are no file that is offered. */
export const PORTAL_DATA = 'portal';

/** The name under which the portal's map is asked for. */
export const PORTAL_MAP = 'portal-map';
/** Where the picture of the map lies, metres of UTM zone 27N, and metres to a pixel. */
export const MAP_FRAME = { x: 521_400, y: 6_461_500, width: 27_600, height: 21_000, cell: 12 } as const;

/** The bytes of a sample; takes some seconds, meant for a worker. */
export async function sampleBytes(name: string): Promise<Uint8Array | string> {
  if (name === PORTAL_DATA) return portalText(await makePortal(landscape()));
  if (name === PORTAL_MAP) {
    const { width, height, rgba } = makeMapPicture(landscape());
    const png = new PNG({ width, height });
    png.data.set(rgba);
    return PNG.sync.write(png);
  }
  const s = SAMPLES.find((x) => x.file === name);
  if (!s) throw new Error(`There is no sample "${name}".`);
  return s.make();
}

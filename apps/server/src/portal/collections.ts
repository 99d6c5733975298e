import {
  makeLandCover,
  makeLandscape,
  makeMappedStreams,
  makeParishes,
  makePeat,
  makeShelters,
  makeSightings,
  type Landscape,
} from '@helk/demo';
import type { Features } from '@helk/core';

/** A dataset on the stand-in portal, as its catalogue describes it. All of it is invented. */
export interface PortalSet {
  id: string;
  title: string;
  description: string;
  keywords: string[];
  updated: string;
  /** What its columns mean. */
  columns: Record<string, string>;
  make(land: Landscape): Features | Promise<Features>;
}

export const PORTAL_TITLE = 'Veyra survey office (stand-in)';
export const PORTAL_ABOUT =
  'A small catalogue and feature service that ships with Helk, to try out taking data from a service. The island of Veyra and everything on it are invented.';
export const LICENSE = 'Invented data, free to use';

const COVER = {
  id: 'Number of the area',
  class: 'Land cover: water, reed, meadow, moor, conifer, arable or built',
};

export const PORTAL_SETS: PortalSet[] = [
  {
    id: 'peat-probes',
    title: 'Peat survey of the eastern moor',
    description:
      'Depth and moisture of the peat at 214 probes in six survey blocks. -99.99 stands where a probe was not measured; a depth of 0 means that there is no peat. Depths in cm below the surface, probed with a rod; moisture of the upper 30 cm.',
    keywords: ['peat', 'soil', 'moor', 'depth', 'moisture', 'survey', 'geology'],
    updated: '2024-09-12',
    columns: {
      probe: 'Number of the probe',
      block: 'Survey block, A to F',
      depth_cm: 'Depth of the peat; -99.99 when not measured',
      moisture: 'Moisture by weight; -99.99 when not measured',
    },
    make: (land) => makePeat(land),
  },
  {
    id: 'parishes',
    title: 'Parishes with solar roofs',
    description:
      'The 236 parishes of the island with solar roofs per 1000 households in four years, income and housing.',
    keywords: ['parish', 'administration', 'energy', 'solar', 'income', 'households', 'boundaries'],
    updated: '2024-12-31',
    columns: {
      parish: 'Number of the parish',
      name: 'Name',
      households: 'Households',
      solar_1994: 'Solar roofs in 1994',
      solar_2004: 'Solar roofs in 2004',
      solar_2014: 'Solar roofs in 2014',
      solar_2024: 'Solar roofs in 2024',
      income: 'Income index, the island is 100',
      detached: 'Share of detached homes',
      land: 'Upland or lowland',
    },
    make: (land) => makeParishes(land),
  },
  {
    id: 'shelters',
    title: 'Flood shelters',
    description: 'Halls that open as shelters when the river rises, with the places they hold.',
    keywords: ['flood', 'shelter', 'emergency', 'hall', 'safety'],
    updated: '2024-03-01',
    columns: { name: 'Name of the hall', places: 'People it holds' },
    make: (land) => makeShelters(land),
  },
  {
    id: 'newt-sightings',
    title: 'Sightings of newts',
    description: 'Eleven thousand dated sightings of the bog newt over 96 months, as walkers reported them.',
    keywords: ['newt', 'nature', 'species', 'observation', 'wildlife'],
    updated: '2024-01-15',
    columns: { date: 'Day of the sighting', month: 'Months since January 2016', stage: 'Larva, juvenile or adult' },
    make: (land) => makeSightings(land),
  },
  ...([1978, 2024] as const).map((year) => ({
    id: `land-cover-${year}`,
    title: `Land cover ${year}`,
    description: `Areas of seven kinds of land cover in ${year}${year === 1978 ? ', drawn from air photographs; nothing below six hectares' : ', from satellite scenes; small areas are kept'}.`,
    keywords: ['land cover', 'land use', 'vegetation', 'moor', String(year)],
    updated: year === 1978 ? '1979-06-30' : '2024-11-05',
    columns: COVER,
    make: (land: Landscape) => makeLandCover(land, year),
  })),
  {
    id: 'mapped-streams',
    title: 'Streams of the 1:10 000 map',
    description: 'Brooks and rivers as they were drawn on the 1:10 000 map.',
    keywords: ['water', 'stream', 'river', 'brook', 'hydrography', 'map'],
    updated: '2011-08-20',
    columns: { kind: 'Brook or river', order: 'Order after Strahler' },
    make: (land) => makeMappedStreams(land),
  },
];

/** All sets made, as `{ id: features }`. Takes some seconds; meant for a worker. */
export async function makePortal(land = makeLandscape()): Promise<Record<string, Features>> {
  const out: Record<string, Features> = {};
  for (const s of PORTAL_SETS) out[s.id] = await s.make(land);
  return out;
}

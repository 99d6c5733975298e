import { mkdir, writeFile } from 'node:fs/promises';
import { dirname } from 'node:path';
import {
  makeBuses,
  makeElevation,
  makeGauge,
  makeLandscape,
  makeLibraryStops,
  makeMoisture,
  makeStreets,
  makeWalk,
} from '@helk/demo';
import { PLAIN_VECTOR } from '@helk/core';
import { writeGeoJson, writeGeoTiff } from '@helk/core/formats';
import { writeGeoPackage } from '@helk/core/formats/write';
import type { ApiRun } from '@helk/core/api/schemas';
import type { Context } from './context';
import { makePortal } from './portal/collections';
import { portalFile, portalText } from './portal/file';
import type { Project } from './projects';
import { MOISTURE } from './samples';
import { newId } from './store/ids';

/** Sets that lie in the project as GeoPackages, by their names on the portal. */
const FILES = ['land-cover-1978', 'land-cover-2024', 'parishes', 'shelters', 'newt-sightings', 'peat-probes'];

/**
 * The sample project: the survey's tiles taken in through the same door as any file, and one short worked thread on them.
 * Made only where there is no project at all.
 */
export async function makeDemo(context: Context, log: (s: string) => void): Promise<string> {
  log('Making the sample island of Veyra …');
  // It appears once it is whole; one that a stopped server left unfinished has been swept away and is made again.
  const p = await context.projects.make('Veyra landscape plan');
  try {
    await fill(p, context);
  } catch (e) {
    await context.projects.discard(p);
    throw e;
  }
  await context.projects.appear(p);
  log('The sample project is ready.');
  return p.id;
}

async function fill(p: Project, { projects, temp, runs }: Context): Promise<void> {
  const land = makeLandscape();
  const { tiles } = makeElevation(land);
  await p
    .db('project')
    .update({ note: 'The island council’s survey office prepares its landscape plan. All data are invented.' });
  const finished = async (run: ApiRun): Promise<ApiRun> => {
    for (;;) {
      const r = await runs.current(p, run.id);
      if (r.state === 'done') return r;
      if (r.state !== 'queued' && r.state !== 'running')
        throw new Error(`The sample project could not be made: ${r.problem?.message ?? r.state}`);
      await new Promise((resolve) => setTimeout(resolve, 30));
    }
  };
  const batch = newId();
  const ids: string[] = [];
  const take = async (name: string, bytes: Uint8Array | string, set: string | null): Promise<string[]> => {
    const upload = temp.take();
    await writeFile(upload.path, bytes);
    return (await finished(await runs.takeIn(p, upload, { name, batch: set, crs: null }))).outputs;
  };
  for (const t of tiles) ids.push(...(await take(`${t.name}.tif`, await writeGeoTiff(t.raster), batch)));
  const run = (method: string, inputs: Record<string, string[]>, params = {}): Promise<ApiRun> =>
    runs.start(p, { method, inputs, params, seed: 1, variantOf: null }).then(finished);
  const mosaic = await run('raster.mosaic', { tiles: ids });
  await run('raster.gaps', { raster: mosaic.outputs });
  // What the stand-in portal offers lies in the project as files too.
  const sets = await makePortal(land);
  await mkdir(dirname(portalFile(projects.dir)), { recursive: true });
  await writeFile(portalFile(projects.dir), portalText(sets));
  const streams = await take('veyra-mapped-streams.geojson', writeGeoJson(sets['mapped-streams']!), null);
  const gauge = await take('veyra-gauge.geojson', writeGeoJson(makeGauge(land)), null);
  const path = await take('veyra-ridge-path.geojson', writeGeoJson(makeWalk(land)), null);
  const taken: string[][] = [];
  for (const id of FILES)
    taken.push(await take(`veyra-${id}.gpkg`, writeGeoPackage([{ name: `veyra-${id}`, data: sets[id]! }]), null));
  const streets = [
    ...(await take(
      'veyra-streets.gpkg',
      writeGeoPackage([{ name: 'veyra-streets', data: makeStreets(land).features }]),
      null,
    )),
    ...(await take('veyra-buses.zip', await makeBuses(land), null)),
    ...(await take('veyra-library-stops.geojson', writeGeoJson(makeLibraryStops(land)), null)),
  ];
  const moisture = await take(MOISTURE, await makeMoisture(land), null);
  const called = (thread: string, datasets: string[]): Promise<number> =>
    p.db('datasets').whereIn('id', datasets).update({ thread });
  await called('Terrain of the island', [...ids, ...streams, ...gauge, ...path]);
  await called('Land cover change', [...taken[0]!, ...taken[1]!]);
  await called('Parishes and shelters', [...taken[2]!, ...taken[3]!]);
  await called('Streets and buses', streets);
  await called('Newts', taken[4]!);
  await called('Peat survey', taken[5]!);
  await called('Soil moisture', moisture);
  // The worked thread: from the mosaic to the land that drains to the gauge at the town.
  const projected = await run('raster.reproject', { raster: mosaic.outputs }, { crs: 'EPSG:32627' });
  const whole = await run('raster.fillGaps', { raster: projected.outputs });
  const filled = await run('terrain.fill', { elevation: whole.outputs.slice(0, 1) });
  const drained = await run(
    'terrain.watersheds',
    { elevation: filled.outputs.slice(0, 1), outlets: gauge },
    { snap: '200 m' },
  );
  const [elevation, watershed] = [filled.outputs[0]!, drained.outputs[0]!];
  const layers = [elevation, watershed, gauge[0]!].map((dataset) => ({ dataset, visible: true }));
  const look = { ...PLAIN_VECTOR, colour: '#7a4f9a', fill: 0.2 };
  await p
    .db('datasets')
    .where({ id: watershed })
    .update({ look: JSON.stringify(look) });
  const opened = {
    version: 1,
    panes: [{ id: 1, kind: 'map', layers, swipe: null, panel: null }],
    activePane: 1,
    selected: elevation,
  };
  await p.db('project').update({ workbench: JSON.stringify(opened) });
}

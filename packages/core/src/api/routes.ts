import * as z from 'zod';
import { BACKGROUND_ROUTES } from './background-routes';
import { RECIPE_ROUTES } from './recipe-routes';
import { SHEET_ROUTES } from './sheet-routes';
import * as s from './schemas';

export interface RouteSpec {
  verb: 'get' | 'post' | 'put' | 'patch' | 'delete';
  path: string;
  summary: string;
  query?: z.ZodObject;
  body?: z.ZodType | 'bytes';
  /** Success status and what is sent: a schema, `bytes`, `events` or nothing. */
  status: number;
  response?: z.ZodType | 'bytes' | 'events';
}

const text = (max: number) => z.string().max(max);

/** Every route of the HTTP API. The server hangs its handlers on these; the OpenAPI document lists them. */
export const ROUTES = {
  health: {
    verb: 'get',
    path: '/api/health',
    summary: 'Whether the server answers',
    status: 200,
    response: z.object({ ok: z.boolean(), version: z.string() }),
  },
  openapi: {
    verb: 'get',
    path: '/api/openapi.json',
    summary: 'This document',
    status: 200,
    response: z.looseObject({}),
  },
  methods: {
    verb: 'get',
    path: '/api/methods',
    summary: 'All methods, described',
    status: 200,
    response: z.array(s.MethodShape),
  },
  method: {
    verb: 'get',
    path: '/api/methods/:method',
    summary: 'One method, described',
    status: 200,
    response: s.MethodShape,
  },
  searchCrs: {
    verb: 'get',
    path: '/api/crs',
    summary: 'Coordinate systems by name, code, area; those that cover a place first',
    status: 200,
    query: z.object({
      q: text(200).default(''),
      lon: z.coerce.number().min(-180).max(180).optional(),
      lat: z.coerce.number().min(-90).max(90).optional(),
    }),
    response: z.array(s.CrsHitShape),
  },
  crs: { verb: 'get', path: '/api/crs/:code', summary: 'One coordinate system', status: 200, response: s.CrsShape },
  samples: {
    verb: 'get',
    path: '/api/samples',
    summary: 'Sample files of the invented island that can be taken in',
    status: 200,
    response: z.array(s.SampleShape),
  },
  sample: {
    verb: 'get',
    path: '/api/samples/:sample',
    summary: 'One sample file',
    status: 200,
    response: 'bytes',
  },
  services: {
    verb: 'get',
    path: '/api/services',
    summary: 'Services that are offered to be asked',
    status: 200,
    response: z.array(s.ServiceOffer),
  },
  searchService: {
    verb: 'post',
    path: '/api/services/search',
    summary: 'What a service (OGC API - Features, with Records where it has them) holds on a subject',
    body: s.ServiceSearch,
    status: 200,
    response: s.ServiceHits,
  },
  describeService: {
    verb: 'post',
    path: '/api/services/describe',
    summary: 'One collection of a service: description, columns with units, extent, count, some features',
    body: s.ServiceAsk,
    status: 200,
    response: s.ServiceCollection,
  },
  takeService: {
    verb: 'post',
    path: '/api/projects/:project/services/take',
    summary: 'Take the features of a collection; answers with the run that fetches them',
    body: s.ServiceTake,
    status: 202,
    response: s.RunShape,
  },
  projects: {
    verb: 'get',
    path: '/api/projects',
    summary: 'All projects',
    status: 200,
    response: z.array(s.ProjectShape),
  },
  createProject: {
    verb: 'post',
    path: '/api/projects',
    summary: 'A new, empty project',
    body: s.NewProject,
    status: 201,
    response: s.ProjectShape,
  },
  openProject: {
    verb: 'post',
    path: '/api/projects/file',
    summary: 'A project from a saved file',
    query: z.object({ name: text(200).default('project') }),
    body: 'bytes',
    status: 201,
    response: s.ProjectShape,
  },
  project: {
    verb: 'get',
    path: '/api/projects/:project',
    summary: 'A project with its datasets and runs',
    status: 200,
    response: s.ProjectDetail,
  },
  patchProject: {
    verb: 'patch',
    path: '/api/projects/:project',
    summary: 'Rename or annotate a project',
    body: s.ProjectPatch,
    status: 200,
    response: s.ProjectShape,
  },
  deleteProject: { verb: 'delete', path: '/api/projects/:project', summary: 'Delete a project whole', status: 204 },
  saveProject: {
    verb: 'get',
    path: '/api/projects/:project/file',
    summary: 'The project as one file',
    status: 200,
    response: 'bytes',
  },
  saveWorkbench: {
    verb: 'put',
    path: '/api/projects/:project/workbench',
    summary: 'Keep what stands in the panes',
    body: s.Workbench,
    status: 204,
  },
  events: {
    verb: 'get',
    path: '/api/projects/:project/events',
    summary: 'Runs and datasets as they change (server-sent events)',
    status: 200,
    response: 'events',
  },
  import: {
    verb: 'post',
    path: '/api/projects/:project/imports',
    summary: 'Take in a file; answers with the run that reads it',
    body: 'bytes',
    status: 202,
    response: s.RunShape,
    query: z.object({ name: text(300).min(1), batch: text(40).optional(), crs: text(400).optional() }),
  },
  review: {
    verb: 'post',
    path: '/api/projects/:project/reviews',
    summary: 'Look into a file before taking it in: its layers with extent, range, unit, steps',
    body: 'bytes',
    status: 201,
    response: s.ReviewShape,
    query: z.object({ name: text(300).min(1), crs: text(400).optional() }),
  },
  reviewAgain: {
    verb: 'post',
    path: '/api/projects/:project/reviews/:review/steps',
    summary: 'The same file at other steps (times, levels)',
    body: s.ReviewAgain,
    status: 200,
    response: s.ReviewShape,
  },
  takeReview: {
    verb: 'post',
    path: '/api/projects/:project/reviews/:review/take',
    summary: 'Take in the chosen layers with factor, offset, unit and name as decided',
    body: s.ReviewTaken,
    status: 202,
    response: s.RunShape,
  },
  dropReview: {
    verb: 'delete',
    path: '/api/projects/:project/reviews/:review',
    summary: 'Forget a file that was looked into; nothing stays behind',
    status: 204,
  },
  patchDataset: {
    verb: 'patch',
    path: '/api/projects/:project/datasets/:dataset',
    summary:
      'Rename or annotate a dataset; name the thread that begins with it; give it a system or unit it lacks; name and colour its classes; say what its bands are',
    body: s.DatasetPatch,
    status: 200,
    response: s.DatasetShape,
  },
  draft: {
    verb: 'get',
    path: '/api/projects/:project/datasets/:dataset/drafts/:work',
    summary:
      'How far a work on a dataset has come that is not done yet (labelling places, drawing examples); null where it was not begun',
    status: 200,
    response: s.Draft,
  },
  keepDraft: {
    verb: 'put',
    path: '/api/projects/:project/datasets/:dataset/drafts/:work',
    summary: 'Keep how far a work on a dataset has come; null forgets it',
    body: s.Draft,
    status: 204,
  },
  deleteDataset: {
    verb: 'delete',
    path: '/api/projects/:project/datasets/:dataset',
    summary: 'Remove a dataset; it lies in the bin until that is emptied',
    status: 204,
  },
  restoreDataset: {
    verb: 'post',
    path: '/api/projects/:project/datasets/:dataset/restore',
    summary: 'Bring back a removed dataset',
    status: 200,
    response: s.DatasetShape,
  },
  bin: {
    verb: 'get',
    path: '/api/projects/:project/bin',
    summary: 'All that was removed and can be brought back',
    status: 200,
    response: z.array(s.BinnedShape),
  },
  removeDatasets: {
    verb: 'post',
    path: '/api/projects/:project/bin',
    summary: 'Remove several datasets at once, or none where one of them is being read',
    body: s.Ids,
    status: 204,
  },
  bringBack: {
    verb: 'post',
    path: '/api/projects/:project/bin/return',
    summary: 'Bring back what was removed, whatever it is',
    body: s.Ids,
    status: 204,
  },
  emptyBin: {
    verb: 'post',
    path: '/api/projects/:project/bin/empty',
    summary: 'Let what was removed go for good: all of it, or what is named',
    body: z.object({ ids: z.array(s.Ids.shape.ids.element).max(10_000).nullable().default(null) }),
    status: 204,
  },
  piece: {
    verb: 'get',
    path: '/api/projects/:project/datasets/:dataset/pieces/:array/:level/:key',
    status: 200,
    response: 'bytes',
    summary:
      'One stored piece of an array. Of a raster the arrays are "band 0", "band 1", …, the pieces chunks of 512 x 512 cells, key = row * 16777216 + column, row by row from the north, little-endian, as a zlib stream; level 0 is held as the band says, coarser levels of measures are float32 (float64 for wide types); 204 when every cell is missing. Of a point cloud "chunks" (level 0, key 0) is a JSON list of chunks, "X", "Y", "Z", "order" and "attribute 0", … the values of each under its level and place in that list: whole numbers as differences, bytes of equal weight together, as a zlib stream',
  },
  whole: {
    verb: 'get',
    path: '/api/projects/:project/datasets/:dataset/whole',
    summary: 'Geometries and columns as one buffer',
    status: 200,
    response: 'bytes',
  },
  detail: {
    verb: 'get',
    path: '/api/projects/:project/datasets/:dataset/detail',
    summary: 'What listings leave out of a description: histograms, places of holes, extremes',
    status: 200,
    response: z.object({ detail: z.unknown() }),
  },
  export: {
    verb: 'get',
    path: '/api/projects/:project/datasets/:dataset/export',
    summary: 'The dataset as a file',
    query: z.object({ format: text(20).optional() }),
    status: 200,
    response: 'bytes',
  },
  exportSeveral: {
    verb: 'get',
    path: '/api/projects/:project/export',
    summary: 'Several feature sets and tables as one GeoPackage',
    query: z.object({ datasets: text(4000) }),
    status: 200,
    response: 'bytes',
  },
  packProject: {
    verb: 'get',
    path: '/api/projects/:project/package',
    summary:
      'A project as one zip that others can read: data in open formats, recipes, sheets, reports, findings, lineage as JSON, a readme',
    query: z.object({
      /** Results, sources as well, or those named. */
      of: z.enum(['results', 'all', 'named']).default('results'),
      datasets: text(16_000).default(''),
      /** Whether the whole project lies in it as well. */
      project: z
        .enum(['yes', 'no'])
        .default('no')
        .transform((v) => v === 'yes'),
    }),
    status: 200,
    response: 'bytes',
  },
  forecast: {
    verb: 'post',
    path: '/api/projects/:project/forecast',
    summary: 'Checks, suggestions and cost of a run, before it',
    body: s.ForecastRequest,
    status: 200,
    response: s.ForecastShape,
  },
  glance: {
    verb: 'post',
    path: '/api/projects/:project/glances/:glance',
    summary:
      'A small question to data, answered at once; nothing is made: imagery.spectra, imagery.examplePlaces, imagery.clusterCounts, imagery.examples, imagery.matrixPlaces',
    body: s.GlanceRequest,
    status: 200,
    response: z.object({ answer: z.unknown() }),
  },
  startRun: {
    verb: 'post',
    path: '/api/projects/:project/runs',
    summary: 'Start a run; it is queued behind others',
    body: s.NewRun,
    status: 202,
    response: s.RunShape,
  },
  run: { verb: 'get', path: '/api/projects/:project/runs/:run', summary: 'One run', status: 200, response: s.RunShape },
  cancelRun: {
    verb: 'post',
    path: '/api/projects/:project/runs/:run/cancel',
    summary: 'Cancel a run',
    status: 200,
    response: s.RunShape,
  },
  ...RECIPE_ROUTES,
  ...SHEET_ROUTES,
  ...BACKGROUND_ROUTES,
} as const satisfies Record<string, RouteSpec>;

export type RouteName = keyof typeof ROUTES;

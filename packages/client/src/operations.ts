// Made from the OpenAPI document by scripts/client-types.ts (npm run docs); changed there, not here.
// prettier-ignore
export interface Operations {
  /** Whether the server answers. */
  health: {
    params: undefined;
    query: undefined;
    body: undefined;
    answer: { ok: boolean; version: string; };
  };
  /** This document. */
  openapi: {
    params: undefined;
    query: undefined;
    body: undefined;
    answer: Record<string, unknown>;
  };
  /** All methods, described. */
  methods: {
    params: undefined;
    query: undefined;
    body: undefined;
    answer: ({ id: string; title: string; question: string; family: string; } & Record<string, unknown>)[];
  };
  /** One method, described. */
  method: {
    params: { method: string; };
    query: undefined;
    body: undefined;
    answer: { id: string; title: string; question: string; family: string; } & Record<string, unknown>;
  };
  /** Coordinate systems by name, code, area; those that cover a place first. */
  searchCrs: {
    params: undefined;
    query: { q?: string; lon?: number; lat?: number; };
    body: undefined;
    answer: { code: string; name: string; area: string; geographic: boolean; unit: string; covers: boolean; }[];
  };
  /** One coordinate system. */
  crs: {
    params: { code: string; };
    query: undefined;
    body: undefined;
    answer: { code: string | null; name: string; proj4: string; geographic: boolean; unit: string; caution?: string; };
  };
  /** Sample files of the invented island that can be taken in. */
  samples: {
    params: undefined;
    query: undefined;
    body: undefined;
    answer: ({ file: string; set: string; about: string; bytes: number | null; })[];
  };
  /** One sample file. */
  sample: {
    params: { sample: string; };
    query: undefined;
    body: undefined;
    answer: Uint8Array;
  };
  /** Services that are offered to be asked. */
  services: {
    params: undefined;
    query: undefined;
    body: undefined;
    answer: { title: string; about: string; address: string; }[];
  };
  /** What a service (OGC API - Features, with Records where it has them) holds on a subject. */
  searchService: {
    params: undefined;
    query: undefined;
    body: { address: string; words?: string; bbox?: [number, number, number, number] | null; };
    answer: { address: string; title: string; description: string; catalogue: boolean; total: number | null; hits: ({ collection: string; title: string; description: string; keywords: string[]; updated: string; license: string; extent: number[] | null; })[]; };
  };
  /** One collection of a service: description, columns with units, extent, count, some features. */
  describeService: {
    params: undefined;
    query: undefined;
    body: { address: string; collection: string; };
    answer: { id: string; title: string; description: string; extent: number[] | null; count: number | null; crs: { code: string; name: string; }[]; storage: string | null; columns: ({ name: string; title: string; type: string; unit: string | null; examples: string[]; })[]; preview: ({ geometry: 'point' | 'line' | 'polygon'; count: number; rings: number[][]; })[]; };
  };
  /** Take the features of a collection; answers with the run that fetches them. */
  takeService: {
    params: { project: string; };
    query: undefined;
    body: { address: string; collection: string; columns?: string[] | null; bbox?: [number, number, number, number] | null; crs?: string | null; name?: string | null; };
    answer: { id: string; method: string; version: number; title: string; inputs: Record<string, string[]>; params: Record<string, unknown>; seed: number; systems: Record<string, string | null>; state: 'queued' | 'running' | 'done' | 'failed' | 'cancelled' | 'interrupted'; progress: number; stage: string; figures: Record<string, number | string | null>; notes: ({ level: 'info' | 'look' | 'refused'; code: string; message: string; })[]; outputs: string[]; made: Record<string, { role: string; step: string | null; name: string; }>; steps: ({ id: string; method: string; version: number; title: string; inputs: Record<string, string[]>; params: Record<string, unknown>; seed: number; makes: Record<string, string>; figures: Record<string, number | string | null>; units: Record<string, string>; notes: ({ level: 'info' | 'look' | 'refused'; code: string; message: string; })[]; seconds: number; })[]; table: { id: string; row: string; cells: string[]; } | null; variantOf: string | null; problem: ({ code: string; message: string; path: string | null; }) | null; createdAt: string; startedAt: string | null; endedAt: string | null; };
  };
  /** All projects. */
  projects: {
    params: undefined;
    query: undefined;
    body: undefined;
    answer: ({ id: string; name: string; note: string; crs: ({ code: string | null; name: string; proj4: string; geographic: boolean; unit: string; caution?: string; }) | null; bytes: number; binned: number; createdAt: string; openedAt: string | null; problem: string | null; })[];
  };
  /** A new, empty project. */
  createProject: {
    params: undefined;
    query: undefined;
    body: { name: string; };
    answer: { id: string; name: string; note: string; crs: ({ code: string | null; name: string; proj4: string; geographic: boolean; unit: string; caution?: string; }) | null; bytes: number; binned: number; createdAt: string; openedAt: string | null; problem: string | null; };
  };
  /** A project from a saved file. */
  openProject: {
    params: undefined;
    query: { name?: string; };
    body: Uint8Array;
    answer: { id: string; name: string; note: string; crs: ({ code: string | null; name: string; proj4: string; geographic: boolean; unit: string; caution?: string; }) | null; bytes: number; binned: number; createdAt: string; openedAt: string | null; problem: string | null; };
  };
  /** A project with its datasets and runs. */
  project: {
    params: { project: string; };
    query: undefined;
    body: undefined;
    answer: { project: { id: string; name: string; note: string; crs: ({ code: string | null; name: string; proj4: string; geographic: boolean; unit: string; caution?: string; }) | null; bytes: number; binned: number; createdAt: string; openedAt: string | null; problem: string | null; }; datasets: ({ id: string; name: string; note: string; kind: 'raster' | 'features' | 'table' | 'cloud' | 'network' | 'timetable' | 'weights' | 'stack'; info: { kind: 'raster' | 'features' | 'table' | 'cloud' | 'network' | 'timetable' | 'weights' | 'stack'; } & Record<string, unknown>; runId: string | null; role: string | null; step: string | null; replacedBy: string | null; batch: string | null; thread: string | null; source: { file: string; format: string; bytes: number; sha256: string; } & Record<string, unknown> | null; checks: ({ level: 'fine' | 'look' | 'refused'; code: string; message: string; about?: string; mend?: { label: string; set?: Record<string, unknown>; run?: { method: string; role: string; input: string; params?: Record<string, unknown>; each?: number[]; }; }; })[]; look: Record<string, unknown> | null; createdAt: string; revision: number; })[]; runs: ({ id: string; method: string; version: number; title: string; inputs: Record<string, string[]>; params: Record<string, unknown>; seed: number; systems: Record<string, string | null>; state: 'queued' | 'running' | 'done' | 'failed' | 'cancelled' | 'interrupted'; progress: number; stage: string; figures: Record<string, number | string | null>; notes: ({ level: 'info' | 'look' | 'refused'; code: string; message: string; })[]; outputs: string[]; made: Record<string, { role: string; step: string | null; name: string; }>; steps: ({ id: string; method: string; version: number; title: string; inputs: Record<string, string[]>; params: Record<string, unknown>; seed: number; makes: Record<string, string>; figures: Record<string, number | string | null>; units: Record<string, string>; notes: ({ level: 'info' | 'look' | 'refused'; code: string; message: string; })[]; seconds: number; })[]; table: { id: string; row: string; cells: string[]; } | null; variantOf: string | null; problem: ({ code: string; message: string; path: string | null; }) | null; createdAt: string; startedAt: string | null; endedAt: string | null; })[]; recipes: ({ id: string; version: number; recipe: { helkRecipe: 1; title: string; question?: string; about: string; inputs: ({ name: string; kind: 'raster' | 'features' | 'table' | 'cloud' | 'network' | 'timetable' | 'weights' | 'stack'; label: string; many?: boolean; help?: string; })[]; steps: ({ id: string; method: string; version?: number; title?: string; inputs: Record<string, string | string[]>; params: Record<string, string | number | boolean | null | ((string | number)[])>; open?: string[]; makes?: Record<string, string>; seed?: number; note?: string; })[]; keep: string[]; }; method: { id: string; title: string; question: string; family: string; } & Record<string, unknown> | null; checks: ({ level: 'look' | 'refused'; code: string; step: string | null; about: string | null; message: string; })[]; versions: { version: number; savedAt: string; }[]; })[]; tables: { title: string; method: string; names: string; columns: string[]; rows: { id: string; cells: string[]; }[]; id: string; createdAt: string; }[]; findings: ({ title: string; note: string; kind: string; seen: Record<string, unknown>; rests: { dataset: string; name: string; stand: string; }[]; figures: { name: string; value: string; }[]; drawing: string | null; id: string; position: number; createdAt: string; })[]; sheets: ({ id: string; sheet: { format: 'helk-sheet'; version: 1; name: string; page: { width: number; height: number; margin: number; paper: string; }; parts: (({ kind: 'frame'; id: string; x: number; y: number; width: number; height: number; crs: { code: string | null; name: string; proj4: string; geographic: boolean; unit: string; caution?: string; }; centre: [number, number]; scale: number; turn: number; layers: ({ dataset: string; visible: boolean; look: Record<string, unknown>; scale: Record<string, unknown> | null; })[]; time: { at: number; window: number; } | null; ground?: ({ of: 'coasts' | string; strength: number; }) | null; edge: boolean; grid: ({ of: 'degrees' | 'system'; step: number | null; draw: 'lines' | 'crosses' | 'ticks'; labels: boolean; }) | null; linked: string | null; around: string | null; }) | { kind: 'key'; id: string; x: number; y: number; width: number; height: number; frame: string; columns: number; size: number; hidden: string[]; order: string[]; words: Record<string, string>; } | ({ kind: 'bar'; id: string; x: number; y: number; width: number; height: number; frame: string; unit: 'metric' | 'miles' | 'nautical'; parts: number; }) | ({ kind: 'north'; id: string; x: number; y: number; width: number; height: number; frame: string; of: 'true' | 'grid'; told: boolean; }) | ({ kind: 'text'; id: string; x: number; y: number; width: number; height: number; text: string; size: number; bold: boolean; face: 'sans' | 'voice' | 'mono'; align: 'start' | 'middle' | 'end'; colour: string; }) | { kind: 'finding'; id: string; x: number; y: number; width: number; height: number; finding: string; } | ({ kind: 'picture'; id: string; x: number; y: number; width: number; height: number; picture: string | null; about: string; }))[]; many: (({ by: 'features'; frame: string; pattern: string; dataset: string; column: string | null; scale: 'kept' | 'fit'; alone: boolean; only: number[] | null; }) | { by: 'steps'; frame: string; pattern: string; dataset: string; } | { by: 'rows'; frame: string; pattern: string; table: string; } | { by: 'columns'; frame: string; pattern: string; dataset: string; columns: string[]; }) | null; }; createdAt: string; changedAt: string; })[]; reports: ({ id: string; report: { format: 'helk-report'; version: 1; title: string; by: string; asked: string; answer: string; results: string[]; findings: string[]; settings: 'all' | 'telling'; }; createdAt: string; changedAt: string; })[]; palettes: ({ id: string; palette: { format: 'helk-palette'; version: 1; name: string; kind: 'sequential' | 'diverging' | 'cyclic' | 'classes'; colours: string[]; }; createdAt: string; changedAt: string; })[]; backgrounds: ({ id: string; background: { format: 'helk-background'; version: 1; name: string; credit: string; address: string; service: 'xyz' | 'tiles' | 'wms'; tile: string; crs: { code: string | null; name: string; proj4: string; geographic: boolean; unit: string; caution?: string; }; extent: [number, number, number, number] | null; levels: { name: string; resolution: number; x: number; y: number; width: number; height: number; columns: number; rows: number; }[]; }; createdAt: string; changedAt: string; })[]; workbench: { version: 1; } & Record<string, unknown> | null; };
  };
  /** Rename or annotate a project. */
  patchProject: {
    params: { project: string; };
    query: undefined;
    body: { name?: string; note?: string; crs?: string; };
    answer: { id: string; name: string; note: string; crs: ({ code: string | null; name: string; proj4: string; geographic: boolean; unit: string; caution?: string; }) | null; bytes: number; binned: number; createdAt: string; openedAt: string | null; problem: string | null; };
  };
  /** Delete a project whole. */
  deleteProject: {
    params: { project: string; };
    query: undefined;
    body: undefined;
    answer: undefined;
  };
  /** The project as one file. */
  saveProject: {
    params: { project: string; };
    query: undefined;
    body: undefined;
    answer: Uint8Array;
  };
  /** Keep what stands in the panes. */
  saveWorkbench: {
    params: { project: string; };
    query: undefined;
    body: { version: 1; } & Record<string, unknown>;
    answer: undefined;
  };
  /** Runs and datasets as they change (server-sent events). */
  events: {
    params: { project: string; };
    query: undefined;
    body: undefined;
    answer: Uint8Array;
  };
  /** Take in a file; answers with the run that reads it. */
  import: {
    params: { project: string; };
    query: { name: string; batch?: string; crs?: string; };
    body: Uint8Array;
    answer: { id: string; method: string; version: number; title: string; inputs: Record<string, string[]>; params: Record<string, unknown>; seed: number; systems: Record<string, string | null>; state: 'queued' | 'running' | 'done' | 'failed' | 'cancelled' | 'interrupted'; progress: number; stage: string; figures: Record<string, number | string | null>; notes: ({ level: 'info' | 'look' | 'refused'; code: string; message: string; })[]; outputs: string[]; made: Record<string, { role: string; step: string | null; name: string; }>; steps: ({ id: string; method: string; version: number; title: string; inputs: Record<string, string[]>; params: Record<string, unknown>; seed: number; makes: Record<string, string>; figures: Record<string, number | string | null>; units: Record<string, string>; notes: ({ level: 'info' | 'look' | 'refused'; code: string; message: string; })[]; seconds: number; })[]; table: { id: string; row: string; cells: string[]; } | null; variantOf: string | null; problem: ({ code: string; message: string; path: string | null; }) | null; createdAt: string; startedAt: string | null; endedAt: string | null; };
  };
  /** Look into a file before taking it in: its layers with extent, range, unit, steps. */
  review: {
    params: { project: string; };
    query: { name: string; crs?: string; };
    body: Uint8Array;
    answer: { id: string; file: string; bytes: number; layers: ({ layer: string; kind: 'raster' | 'features' | 'table' | 'cloud' | 'network' | 'timetable' | 'weights' | 'stack'; extent: number[] | null; crs: ({ code: string | null; name: string; unit: string; }) | null; columns: number; rows: number; min: number | null; max: number | null; missing: number; unit: string | null; scalable: boolean; steps: string[]; step: number; notes: ({ level: 'info' | 'look' | 'refused'; code: string; message: string; })[]; })[]; };
  };
  /** The same file at other steps (times, levels). */
  reviewAgain: {
    params: { project: string; review: string; };
    query: undefined;
    body: { steps: Record<string, number>; };
    answer: { id: string; file: string; bytes: number; layers: ({ layer: string; kind: 'raster' | 'features' | 'table' | 'cloud' | 'network' | 'timetable' | 'weights' | 'stack'; extent: number[] | null; crs: ({ code: string | null; name: string; unit: string; }) | null; columns: number; rows: number; min: number | null; max: number | null; missing: number; unit: string | null; scalable: boolean; steps: string[]; step: number; notes: ({ level: 'info' | 'look' | 'refused'; code: string; message: string; })[]; })[]; };
  };
  /** Take in the chosen layers with factor, offset, unit and name as decided. */
  takeReview: {
    params: { project: string; review: string; };
    query: undefined;
    body: { batch?: string | null; crs?: string | null; layers: { layer: string; name?: string; step?: number; factor?: number; offset?: number; unit?: string; crs?: string; }[]; };
    answer: { id: string; method: string; version: number; title: string; inputs: Record<string, string[]>; params: Record<string, unknown>; seed: number; systems: Record<string, string | null>; state: 'queued' | 'running' | 'done' | 'failed' | 'cancelled' | 'interrupted'; progress: number; stage: string; figures: Record<string, number | string | null>; notes: ({ level: 'info' | 'look' | 'refused'; code: string; message: string; })[]; outputs: string[]; made: Record<string, { role: string; step: string | null; name: string; }>; steps: ({ id: string; method: string; version: number; title: string; inputs: Record<string, string[]>; params: Record<string, unknown>; seed: number; makes: Record<string, string>; figures: Record<string, number | string | null>; units: Record<string, string>; notes: ({ level: 'info' | 'look' | 'refused'; code: string; message: string; })[]; seconds: number; })[]; table: { id: string; row: string; cells: string[]; } | null; variantOf: string | null; problem: ({ code: string; message: string; path: string | null; }) | null; createdAt: string; startedAt: string | null; endedAt: string | null; };
  };
  /** Forget a file that was looked into; nothing stays behind. */
  dropReview: {
    params: { project: string; review: string; };
    query: undefined;
    body: undefined;
    answer: undefined;
  };
  /** Rename or annotate a dataset; name the thread that begins with it; give it a system or unit it lacks; name and colour its classes; say what its bands are. */
  patchDataset: {
    params: { project: string; dataset: string; };
    query: undefined;
    body: { name?: string; note?: string; thread?: string; crs?: string; unit?: string; replacedBy?: string | null; look?: Record<string, unknown>; band?: number; classes?: ({ value: number; label: string; colour: string | null; unsure?: boolean; })[]; bandName?: string; role?: ('coastal' | 'blue' | 'green' | 'red' | 'rededge' | 'nir' | 'swir1' | 'swir2' | 'thermal' | 'pan') | null; wavelength?: number | null; };
    answer: { id: string; name: string; note: string; kind: 'raster' | 'features' | 'table' | 'cloud' | 'network' | 'timetable' | 'weights' | 'stack'; info: { kind: 'raster' | 'features' | 'table' | 'cloud' | 'network' | 'timetable' | 'weights' | 'stack'; } & Record<string, unknown>; runId: string | null; role: string | null; step: string | null; replacedBy: string | null; batch: string | null; thread: string | null; source: { file: string; format: string; bytes: number; sha256: string; } & Record<string, unknown> | null; checks: ({ level: 'fine' | 'look' | 'refused'; code: string; message: string; about?: string; mend?: { label: string; set?: Record<string, unknown>; run?: { method: string; role: string; input: string; params?: Record<string, unknown>; each?: number[]; }; }; })[]; look: Record<string, unknown> | null; createdAt: string; revision: number; };
  };
  /** Remove a dataset; it lies in the bin until that is emptied. */
  deleteDataset: {
    params: { project: string; dataset: string; };
    query: undefined;
    body: undefined;
    answer: undefined;
  };
  /** How far a work on a dataset has come that is not done yet (labelling places, drawing examples); null where it was not begun. */
  draft: {
    params: { project: string; dataset: string; work: string; };
    query: undefined;
    body: undefined;
    answer: { value: unknown; };
  };
  /** Keep how far a work on a dataset has come; null forgets it. */
  keepDraft: {
    params: { project: string; dataset: string; work: string; };
    query: undefined;
    body: { value: unknown; };
    answer: undefined;
  };
  /** Bring back a removed dataset. */
  restoreDataset: {
    params: { project: string; dataset: string; };
    query: undefined;
    body: undefined;
    answer: { id: string; name: string; note: string; kind: 'raster' | 'features' | 'table' | 'cloud' | 'network' | 'timetable' | 'weights' | 'stack'; info: { kind: 'raster' | 'features' | 'table' | 'cloud' | 'network' | 'timetable' | 'weights' | 'stack'; } & Record<string, unknown>; runId: string | null; role: string | null; step: string | null; replacedBy: string | null; batch: string | null; thread: string | null; source: { file: string; format: string; bytes: number; sha256: string; } & Record<string, unknown> | null; checks: ({ level: 'fine' | 'look' | 'refused'; code: string; message: string; about?: string; mend?: { label: string; set?: Record<string, unknown>; run?: { method: string; role: string; input: string; params?: Record<string, unknown>; each?: number[]; }; }; })[]; look: Record<string, unknown> | null; createdAt: string; revision: number; };
  };
  /** All that was removed and can be brought back. */
  bin: {
    params: { project: string; };
    query: undefined;
    body: undefined;
    answer: ({ id: string; what: 'dataset' | 'recipe' | 'run table' | 'finding' | 'map sheet' | 'report' | 'palette' | 'background'; name: string; words: string; bytes: number; removedAt: string | null; })[];
  };
  /** Remove several datasets at once, or none where one of them is being read. */
  removeDatasets: {
    params: { project: string; };
    query: undefined;
    body: { ids: string[]; };
    answer: undefined;
  };
  /** Bring back what was removed, whatever it is. */
  bringBack: {
    params: { project: string; };
    query: undefined;
    body: { ids: string[]; };
    answer: undefined;
  };
  /** Let what was removed go for good: all of it, or what is named. */
  emptyBin: {
    params: { project: string; };
    query: undefined;
    body: { ids?: string[] | null; };
    answer: undefined;
  };
  /** One stored piece of an array. Of a raster the arrays are "band 0", "band 1", …, the pieces chunks of 512 x 512 cells, key = row * 16777216 + column, row by row from the north, little-endian, as a zlib stream; level 0 is held as the band says, coarser levels of measures are float32 (float64 for wide types); 204 when every cell is missing. Of a point cloud "chunks" (level 0, key 0) is a JSON list of chunks, "X", "Y", "Z", "order" and "attribute 0", … the values of each under its level and place in that list: whole numbers as differences, bytes of equal weight together, as a zlib stream. */
  piece: {
    params: { project: string; dataset: string; array: string; level: string; key: string; };
    query: undefined;
    body: undefined;
    answer: Uint8Array;
  };
  /** Geometries and columns as one buffer. */
  whole: {
    params: { project: string; dataset: string; };
    query: undefined;
    body: undefined;
    answer: Uint8Array;
  };
  /** What listings leave out of a description: histograms, places of holes, extremes. */
  detail: {
    params: { project: string; dataset: string; };
    query: undefined;
    body: undefined;
    answer: { detail: unknown; };
  };
  /** The dataset as a file. */
  export: {
    params: { project: string; dataset: string; };
    query: { format?: string; };
    body: undefined;
    answer: Uint8Array;
  };
  /** Several feature sets and tables as one GeoPackage. */
  exportSeveral: {
    params: { project: string; };
    query: { datasets: string; };
    body: undefined;
    answer: Uint8Array;
  };
  /** A project as one zip that others can read: data in open formats, recipes, sheets, reports, findings, lineage as JSON, a readme. */
  packProject: {
    params: { project: string; };
    query: { of?: 'results' | 'all' | 'named'; datasets?: string; project?: 'yes' | 'no'; };
    body: undefined;
    answer: Uint8Array;
  };
  /** Checks, suggestions and cost of a run, before it. */
  forecast: {
    params: { project: string; };
    query: undefined;
    body: { method: string; inputs: Record<string, string[]>; params?: Record<string, unknown>; seed?: number; draft?: boolean; };
    answer: { checks: ({ level: 'fine' | 'look' | 'refused'; code: string; message: string; about?: string; mend?: { label: string; set?: Record<string, unknown>; run?: { method: string; role: string; input: string; params?: Record<string, unknown>; each?: number[]; }; }; })[]; suggestions: Record<string, { value: unknown; reason: string; }>; estimate: { cells: number; of?: string; bytes: number; seconds: number; } | null; plain: Record<string, unknown>; refused?: { code: string; message: string; path: string | null; }; };
  };
  /** A small question to data, answered at once; nothing is made: imagery.spectra, imagery.examplePlaces, imagery.clusterCounts, imagery.examples, imagery.matrixPlaces. */
  glance: {
    params: { project: string; glance: string; };
    query: undefined;
    body: { inputs?: Record<string, string>; params?: Record<string, unknown>; };
    answer: { answer: unknown; };
  };
  /** Start a run; it is queued behind others. */
  startRun: {
    params: { project: string; };
    query: undefined;
    body: { method: string; inputs: Record<string, string[]>; params?: Record<string, unknown>; seed?: number; variantOf?: string | null; };
    answer: { id: string; method: string; version: number; title: string; inputs: Record<string, string[]>; params: Record<string, unknown>; seed: number; systems: Record<string, string | null>; state: 'queued' | 'running' | 'done' | 'failed' | 'cancelled' | 'interrupted'; progress: number; stage: string; figures: Record<string, number | string | null>; notes: ({ level: 'info' | 'look' | 'refused'; code: string; message: string; })[]; outputs: string[]; made: Record<string, { role: string; step: string | null; name: string; }>; steps: ({ id: string; method: string; version: number; title: string; inputs: Record<string, string[]>; params: Record<string, unknown>; seed: number; makes: Record<string, string>; figures: Record<string, number | string | null>; units: Record<string, string>; notes: ({ level: 'info' | 'look' | 'refused'; code: string; message: string; })[]; seconds: number; })[]; table: { id: string; row: string; cells: string[]; } | null; variantOf: string | null; problem: ({ code: string; message: string; path: string | null; }) | null; createdAt: string; startedAt: string | null; endedAt: string | null; };
  };
  /** One run. */
  run: {
    params: { project: string; run: string; };
    query: undefined;
    body: undefined;
    answer: { id: string; method: string; version: number; title: string; inputs: Record<string, string[]>; params: Record<string, unknown>; seed: number; systems: Record<string, string | null>; state: 'queued' | 'running' | 'done' | 'failed' | 'cancelled' | 'interrupted'; progress: number; stage: string; figures: Record<string, number | string | null>; notes: ({ level: 'info' | 'look' | 'refused'; code: string; message: string; })[]; outputs: string[]; made: Record<string, { role: string; step: string | null; name: string; }>; steps: ({ id: string; method: string; version: number; title: string; inputs: Record<string, string[]>; params: Record<string, unknown>; seed: number; makes: Record<string, string>; figures: Record<string, number | string | null>; units: Record<string, string>; notes: ({ level: 'info' | 'look' | 'refused'; code: string; message: string; })[]; seconds: number; })[]; table: { id: string; row: string; cells: string[]; } | null; variantOf: string | null; problem: ({ code: string; message: string; path: string | null; }) | null; createdAt: string; startedAt: string | null; endedAt: string | null; };
  };
  /** Cancel a run. */
  cancelRun: {
    params: { project: string; run: string; };
    query: undefined;
    body: undefined;
    answer: { id: string; method: string; version: number; title: string; inputs: Record<string, string[]>; params: Record<string, unknown>; seed: number; systems: Record<string, string | null>; state: 'queued' | 'running' | 'done' | 'failed' | 'cancelled' | 'interrupted'; progress: number; stage: string; figures: Record<string, number | string | null>; notes: ({ level: 'info' | 'look' | 'refused'; code: string; message: string; })[]; outputs: string[]; made: Record<string, { role: string; step: string | null; name: string; }>; steps: ({ id: string; method: string; version: number; title: string; inputs: Record<string, string[]>; params: Record<string, unknown>; seed: number; makes: Record<string, string>; figures: Record<string, number | string | null>; units: Record<string, string>; notes: ({ level: 'info' | 'look' | 'refused'; code: string; message: string; })[]; seconds: number; })[]; table: { id: string; row: string; cells: string[]; } | null; variantOf: string | null; problem: ({ code: string; message: string; path: string | null; }) | null; createdAt: string; startedAt: string | null; endedAt: string | null; };
  };
  /** JSON schema of a recipe file. */
  recipeSchema: {
    params: undefined;
    query: undefined;
    body: undefined;
    answer: Record<string, unknown>;
  };
  /** What is wrong with a recipe, and what it is as a method. */
  checkRecipe: {
    params: undefined;
    query: undefined;
    body: { recipe: unknown; draft?: boolean; };
    answer: { recipe: { helkRecipe: 1; title: string; question?: string; about: string; inputs: ({ name: string; kind: 'raster' | 'features' | 'table' | 'cloud' | 'network' | 'timetable' | 'weights' | 'stack'; label: string; many?: boolean; help?: string; })[]; steps: ({ id: string; method: string; version?: number; title?: string; inputs: Record<string, string | string[]>; params: Record<string, string | number | boolean | null | ((string | number)[])>; open?: string[]; makes?: Record<string, string>; seed?: number; note?: string; })[]; keep: string[]; }; method: { id: string; title: string; question: string; family: string; } & Record<string, unknown> | null; checks: ({ level: 'look' | 'refused'; code: string; step: string | null; about: string | null; message: string; })[]; };
  };
  /** A recipe of how some results were made; it is not kept by that. */
  liftRecipe: {
    params: { project: string; };
    query: undefined;
    body: { datasets: string[]; };
    answer: { helkRecipe: 1; title: string; question?: string; about: string; inputs: ({ name: string; kind: 'raster' | 'features' | 'table' | 'cloud' | 'network' | 'timetable' | 'weights' | 'stack'; label: string; many?: boolean; help?: string; })[]; steps: ({ id: string; method: string; version?: number; title?: string; inputs: Record<string, string | string[]>; params: Record<string, string | number | boolean | null | ((string | number)[])>; open?: string[]; makes?: Record<string, string>; seed?: number; note?: string; })[]; keep: string[]; };
  };
  /** Recipes of a project, each described as a method too. */
  recipes: {
    params: { project: string; };
    query: undefined;
    body: undefined;
    answer: ({ id: string; version: number; recipe: { helkRecipe: 1; title: string; question?: string; about: string; inputs: ({ name: string; kind: 'raster' | 'features' | 'table' | 'cloud' | 'network' | 'timetable' | 'weights' | 'stack'; label: string; many?: boolean; help?: string; })[]; steps: ({ id: string; method: string; version?: number; title?: string; inputs: Record<string, string | string[]>; params: Record<string, string | number | boolean | null | ((string | number)[])>; open?: string[]; makes?: Record<string, string>; seed?: number; note?: string; })[]; keep: string[]; }; method: { id: string; title: string; question: string; family: string; } & Record<string, unknown> | null; checks: ({ level: 'look' | 'refused'; code: string; step: string | null; about: string | null; message: string; })[]; versions: { version: number; savedAt: string; }[]; })[];
  };
  /** A recipe, as from a file; refused with the step and the reason when it cannot run. */
  createRecipe: {
    params: { project: string; };
    query: undefined;
    body: { recipe: unknown; draft?: boolean; };
    answer: { id: string; version: number; recipe: { helkRecipe: 1; title: string; question?: string; about: string; inputs: ({ name: string; kind: 'raster' | 'features' | 'table' | 'cloud' | 'network' | 'timetable' | 'weights' | 'stack'; label: string; many?: boolean; help?: string; })[]; steps: ({ id: string; method: string; version?: number; title?: string; inputs: Record<string, string | string[]>; params: Record<string, string | number | boolean | null | ((string | number)[])>; open?: string[]; makes?: Record<string, string>; seed?: number; note?: string; })[]; keep: string[]; }; method: { id: string; title: string; question: string; family: string; } & Record<string, unknown> | null; checks: ({ level: 'look' | 'refused'; code: string; step: string | null; about: string | null; message: string; })[]; versions: { version: number; savedAt: string; }[]; };
  };
  /** The next version of a recipe; older ones are kept. */
  saveRecipe: {
    params: { project: string; recipe: string; };
    query: undefined;
    body: { recipe: unknown; draft?: boolean; };
    answer: { id: string; version: number; recipe: { helkRecipe: 1; title: string; question?: string; about: string; inputs: ({ name: string; kind: 'raster' | 'features' | 'table' | 'cloud' | 'network' | 'timetable' | 'weights' | 'stack'; label: string; many?: boolean; help?: string; })[]; steps: ({ id: string; method: string; version?: number; title?: string; inputs: Record<string, string | string[]>; params: Record<string, string | number | boolean | null | ((string | number)[])>; open?: string[]; makes?: Record<string, string>; seed?: number; note?: string; })[]; keep: string[]; }; method: { id: string; title: string; question: string; family: string; } & Record<string, unknown> | null; checks: ({ level: 'look' | 'refused'; code: string; step: string | null; about: string | null; message: string; })[]; versions: { version: number; savedAt: string; }[]; };
  };
  /** Remove a recipe; what it made stays, and it can be brought back. */
  deleteRecipe: {
    params: { project: string; recipe: string; };
    query: undefined;
    body: undefined;
    answer: undefined;
  };
  /** A recipe as it was at a version. */
  recipeVersion: {
    params: { project: string; recipe: string; version: string; };
    query: undefined;
    body: undefined;
    answer: { helkRecipe: 1; title: string; question?: string; about: string; inputs: ({ name: string; kind: 'raster' | 'features' | 'table' | 'cloud' | 'network' | 'timetable' | 'weights' | 'stack'; label: string; many?: boolean; help?: string; })[]; steps: ({ id: string; method: string; version?: number; title?: string; inputs: Record<string, string | string[]>; params: Record<string, string | number | boolean | null | ((string | number)[])>; open?: string[]; makes?: Record<string, string>; seed?: number; note?: string; })[]; keep: string[]; };
  };
  /** A recipe as a file. */
  recipeFile: {
    params: { project: string; recipe: string; };
    query: undefined;
    body: undefined;
    answer: Uint8Array;
  };
  /** Bring back a removed recipe. */
  restoreRecipe: {
    params: { project: string; recipe: string; };
    query: undefined;
    body: undefined;
    answer: { id: string; version: number; recipe: { helkRecipe: 1; title: string; question?: string; about: string; inputs: ({ name: string; kind: 'raster' | 'features' | 'table' | 'cloud' | 'network' | 'timetable' | 'weights' | 'stack'; label: string; many?: boolean; help?: string; })[]; steps: ({ id: string; method: string; version?: number; title?: string; inputs: Record<string, string | string[]>; params: Record<string, string | number | boolean | null | ((string | number)[])>; open?: string[]; makes?: Record<string, string>; seed?: number; note?: string; })[]; keep: string[]; }; method: { id: string; title: string; question: string; family: string; } & Record<string, unknown> | null; checks: ({ level: 'look' | 'refused'; code: string; step: string | null; about: string | null; message: string; })[]; versions: { version: number; savedAt: string; }[]; };
  };
  /** Run tables of a project. */
  tables: {
    params: { project: string; };
    query: undefined;
    body: undefined;
    answer: { title: string; method: string; names: string; columns: string[]; rows: { id: string; cells: string[]; }[]; id: string; createdAt: string; }[];
  };
  /** A run table: a row a run of a method or recipe. */
  createTable: {
    params: { project: string; };
    query: undefined;
    body: { title: string; method: string; names?: string; columns: string[]; rows: { id: string; cells: string[]; }[]; };
    answer: { title: string; method: string; names: string; columns: string[]; rows: { id: string; cells: string[]; }[]; id: string; createdAt: string; };
  };
  /** Change a run table. */
  saveTable: {
    params: { project: string; table: string; };
    query: undefined;
    body: { title: string; method: string; names?: string; columns: string[]; rows: { id: string; cells: string[]; }[]; };
    answer: { title: string; method: string; names: string; columns: string[]; rows: { id: string; cells: string[]; }[]; id: string; createdAt: string; };
  };
  /** Remove a run table; what its rows made stays, and it can be brought back. */
  deleteTable: {
    params: { project: string; table: string; };
    query: undefined;
    body: undefined;
    answer: undefined;
  };
  /** Bring back a removed run table. */
  restoreTable: {
    params: { project: string; table: string; };
    query: undefined;
    body: undefined;
    answer: { title: string; method: string; names: string; columns: string[]; rows: { id: string; cells: string[]; }[]; id: string; createdAt: string; };
  };
  /** What each row will be called, and why it cannot run where it cannot. */
  checkTable: {
    params: { project: string; table: string; };
    query: undefined;
    body: undefined;
    answer: { rows: ({ id: string; name: string; reason: string | null; look: string[]; })[]; };
  };
  /** Run rows: those named, else all that are not done; a row that cannot run is recorded as failed. */
  runTable: {
    params: { project: string; table: string; };
    query: undefined;
    body: { rows?: string[]; };
    answer: ({ id: string; method: string; version: number; title: string; inputs: Record<string, string[]>; params: Record<string, unknown>; seed: number; systems: Record<string, string | null>; state: 'queued' | 'running' | 'done' | 'failed' | 'cancelled' | 'interrupted'; progress: number; stage: string; figures: Record<string, number | string | null>; notes: ({ level: 'info' | 'look' | 'refused'; code: string; message: string; })[]; outputs: string[]; made: Record<string, { role: string; step: string | null; name: string; }>; steps: ({ id: string; method: string; version: number; title: string; inputs: Record<string, string[]>; params: Record<string, unknown>; seed: number; makes: Record<string, string>; figures: Record<string, number | string | null>; units: Record<string, string>; notes: ({ level: 'info' | 'look' | 'refused'; code: string; message: string; })[]; seconds: number; })[]; table: { id: string; row: string; cells: string[]; } | null; variantOf: string | null; problem: ({ code: string; message: string; path: string | null; }) | null; createdAt: string; startedAt: string | null; endedAt: string | null; })[];
  };
  /** How each row ended, with its figures, as CSV. */
  tableReport: {
    params: { project: string; table: string; };
    query: undefined;
    body: undefined;
    answer: Uint8Array;
  };
  /** Findings of a project, in their order. */
  findings: {
    params: { project: string; };
    query: undefined;
    body: undefined;
    answer: ({ title: string; note: string; kind: string; seen: Record<string, unknown>; rests: { dataset: string; name: string; stand: string; }[]; figures: { name: string; value: string; }[]; drawing: string | null; id: string; position: number; createdAt: string; })[];
  };
  /** Keep something that was seen. */
  createFinding: {
    params: { project: string; };
    query: undefined;
    body: { title: string; note?: string; kind: string; seen: Record<string, unknown>; rests: { dataset: string; name: string; stand: string; }[]; figures?: { name: string; value: string; }[]; drawing: string | null; };
    answer: { title: string; note: string; kind: string; seen: Record<string, unknown>; rests: { dataset: string; name: string; stand: string; }[]; figures: { name: string; value: string; }[]; drawing: string | null; id: string; position: number; createdAt: string; };
  };
  /** Put findings into an order; those not named come after the others. */
  orderFindings: {
    params: { project: string; };
    query: undefined;
    body: { ids: string[]; };
    answer: ({ title: string; note: string; kind: string; seen: Record<string, unknown>; rests: { dataset: string; name: string; stand: string; }[]; figures: { name: string; value: string; }[]; drawing: string | null; id: string; position: number; createdAt: string; })[];
  };
  /** Change a finding. */
  saveFinding: {
    params: { project: string; finding: string; };
    query: undefined;
    body: { title: string; note?: string; kind: string; seen: Record<string, unknown>; rests: { dataset: string; name: string; stand: string; }[]; figures?: { name: string; value: string; }[]; drawing: string | null; };
    answer: { title: string; note: string; kind: string; seen: Record<string, unknown>; rests: { dataset: string; name: string; stand: string; }[]; figures: { name: string; value: string; }[]; drawing: string | null; id: string; position: number; createdAt: string; };
  };
  /** Remove a finding; it can be brought back. */
  deleteFinding: {
    params: { project: string; finding: string; };
    query: undefined;
    body: undefined;
    answer: undefined;
  };
  /** Bring back a removed finding. */
  restoreFinding: {
    params: { project: string; finding: string; };
    query: undefined;
    body: undefined;
    answer: { title: string; note: string; kind: string; seen: Record<string, unknown>; rests: { dataset: string; name: string; stand: string; }[]; figures: { name: string; value: string; }[]; drawing: string | null; id: string; position: number; createdAt: string; };
  };
  /** Map sheets of a project. */
  sheets: {
    params: { project: string; };
    query: undefined;
    body: undefined;
    answer: ({ id: string; sheet: { format: 'helk-sheet'; version: 1; name: string; page: { width: number; height: number; margin: number; paper: string; }; parts: (({ kind: 'frame'; id: string; x: number; y: number; width: number; height: number; crs: { code: string | null; name: string; proj4: string; geographic: boolean; unit: string; caution?: string; }; centre: [number, number]; scale: number; turn: number; layers: ({ dataset: string; visible: boolean; look: Record<string, unknown>; scale: Record<string, unknown> | null; })[]; time: { at: number; window: number; } | null; ground?: ({ of: 'coasts' | string; strength: number; }) | null; edge: boolean; grid: ({ of: 'degrees' | 'system'; step: number | null; draw: 'lines' | 'crosses' | 'ticks'; labels: boolean; }) | null; linked: string | null; around: string | null; }) | { kind: 'key'; id: string; x: number; y: number; width: number; height: number; frame: string; columns: number; size: number; hidden: string[]; order: string[]; words: Record<string, string>; } | ({ kind: 'bar'; id: string; x: number; y: number; width: number; height: number; frame: string; unit: 'metric' | 'miles' | 'nautical'; parts: number; }) | ({ kind: 'north'; id: string; x: number; y: number; width: number; height: number; frame: string; of: 'true' | 'grid'; told: boolean; }) | ({ kind: 'text'; id: string; x: number; y: number; width: number; height: number; text: string; size: number; bold: boolean; face: 'sans' | 'voice' | 'mono'; align: 'start' | 'middle' | 'end'; colour: string; }) | { kind: 'finding'; id: string; x: number; y: number; width: number; height: number; finding: string; } | ({ kind: 'picture'; id: string; x: number; y: number; width: number; height: number; picture: string | null; about: string; }))[]; many: (({ by: 'features'; frame: string; pattern: string; dataset: string; column: string | null; scale: 'kept' | 'fit'; alone: boolean; only: number[] | null; }) | { by: 'steps'; frame: string; pattern: string; dataset: string; } | { by: 'rows'; frame: string; pattern: string; table: string; } | { by: 'columns'; frame: string; pattern: string; dataset: string; columns: string[]; }) | null; }; createdAt: string; changedAt: string; })[];
  };
  /** A map sheet, as from a file; refused with the reason where its parts do not fit together. */
  createSheet: {
    params: { project: string; };
    query: undefined;
    body: { sheet: unknown; };
    answer: { id: string; sheet: { format: 'helk-sheet'; version: 1; name: string; page: { width: number; height: number; margin: number; paper: string; }; parts: (({ kind: 'frame'; id: string; x: number; y: number; width: number; height: number; crs: { code: string | null; name: string; proj4: string; geographic: boolean; unit: string; caution?: string; }; centre: [number, number]; scale: number; turn: number; layers: ({ dataset: string; visible: boolean; look: Record<string, unknown>; scale: Record<string, unknown> | null; })[]; time: { at: number; window: number; } | null; ground?: ({ of: 'coasts' | string; strength: number; }) | null; edge: boolean; grid: ({ of: 'degrees' | 'system'; step: number | null; draw: 'lines' | 'crosses' | 'ticks'; labels: boolean; }) | null; linked: string | null; around: string | null; }) | { kind: 'key'; id: string; x: number; y: number; width: number; height: number; frame: string; columns: number; size: number; hidden: string[]; order: string[]; words: Record<string, string>; } | ({ kind: 'bar'; id: string; x: number; y: number; width: number; height: number; frame: string; unit: 'metric' | 'miles' | 'nautical'; parts: number; }) | ({ kind: 'north'; id: string; x: number; y: number; width: number; height: number; frame: string; of: 'true' | 'grid'; told: boolean; }) | ({ kind: 'text'; id: string; x: number; y: number; width: number; height: number; text: string; size: number; bold: boolean; face: 'sans' | 'voice' | 'mono'; align: 'start' | 'middle' | 'end'; colour: string; }) | { kind: 'finding'; id: string; x: number; y: number; width: number; height: number; finding: string; } | ({ kind: 'picture'; id: string; x: number; y: number; width: number; height: number; picture: string | null; about: string; }))[]; many: (({ by: 'features'; frame: string; pattern: string; dataset: string; column: string | null; scale: 'kept' | 'fit'; alone: boolean; only: number[] | null; }) | { by: 'steps'; frame: string; pattern: string; dataset: string; } | { by: 'rows'; frame: string; pattern: string; table: string; } | { by: 'columns'; frame: string; pattern: string; dataset: string; columns: string[]; }) | null; }; createdAt: string; changedAt: string; };
  };
  /** Change a map sheet. */
  saveSheet: {
    params: { project: string; sheet: string; };
    query: undefined;
    body: { sheet: unknown; };
    answer: { id: string; sheet: { format: 'helk-sheet'; version: 1; name: string; page: { width: number; height: number; margin: number; paper: string; }; parts: (({ kind: 'frame'; id: string; x: number; y: number; width: number; height: number; crs: { code: string | null; name: string; proj4: string; geographic: boolean; unit: string; caution?: string; }; centre: [number, number]; scale: number; turn: number; layers: ({ dataset: string; visible: boolean; look: Record<string, unknown>; scale: Record<string, unknown> | null; })[]; time: { at: number; window: number; } | null; ground?: ({ of: 'coasts' | string; strength: number; }) | null; edge: boolean; grid: ({ of: 'degrees' | 'system'; step: number | null; draw: 'lines' | 'crosses' | 'ticks'; labels: boolean; }) | null; linked: string | null; around: string | null; }) | { kind: 'key'; id: string; x: number; y: number; width: number; height: number; frame: string; columns: number; size: number; hidden: string[]; order: string[]; words: Record<string, string>; } | ({ kind: 'bar'; id: string; x: number; y: number; width: number; height: number; frame: string; unit: 'metric' | 'miles' | 'nautical'; parts: number; }) | ({ kind: 'north'; id: string; x: number; y: number; width: number; height: number; frame: string; of: 'true' | 'grid'; told: boolean; }) | ({ kind: 'text'; id: string; x: number; y: number; width: number; height: number; text: string; size: number; bold: boolean; face: 'sans' | 'voice' | 'mono'; align: 'start' | 'middle' | 'end'; colour: string; }) | { kind: 'finding'; id: string; x: number; y: number; width: number; height: number; finding: string; } | ({ kind: 'picture'; id: string; x: number; y: number; width: number; height: number; picture: string | null; about: string; }))[]; many: (({ by: 'features'; frame: string; pattern: string; dataset: string; column: string | null; scale: 'kept' | 'fit'; alone: boolean; only: number[] | null; }) | { by: 'steps'; frame: string; pattern: string; dataset: string; } | { by: 'rows'; frame: string; pattern: string; table: string; } | { by: 'columns'; frame: string; pattern: string; dataset: string; columns: string[]; }) | null; }; createdAt: string; changedAt: string; };
  };
  /** Remove a map sheet; it can be brought back. */
  deleteSheet: {
    params: { project: string; sheet: string; };
    query: undefined;
    body: undefined;
    answer: undefined;
  };
  /** Bring back a removed map sheet. */
  restoreSheet: {
    params: { project: string; sheet: string; };
    query: undefined;
    body: undefined;
    answer: { id: string; sheet: { format: 'helk-sheet'; version: 1; name: string; page: { width: number; height: number; margin: number; paper: string; }; parts: (({ kind: 'frame'; id: string; x: number; y: number; width: number; height: number; crs: { code: string | null; name: string; proj4: string; geographic: boolean; unit: string; caution?: string; }; centre: [number, number]; scale: number; turn: number; layers: ({ dataset: string; visible: boolean; look: Record<string, unknown>; scale: Record<string, unknown> | null; })[]; time: { at: number; window: number; } | null; ground?: ({ of: 'coasts' | string; strength: number; }) | null; edge: boolean; grid: ({ of: 'degrees' | 'system'; step: number | null; draw: 'lines' | 'crosses' | 'ticks'; labels: boolean; }) | null; linked: string | null; around: string | null; }) | { kind: 'key'; id: string; x: number; y: number; width: number; height: number; frame: string; columns: number; size: number; hidden: string[]; order: string[]; words: Record<string, string>; } | ({ kind: 'bar'; id: string; x: number; y: number; width: number; height: number; frame: string; unit: 'metric' | 'miles' | 'nautical'; parts: number; }) | ({ kind: 'north'; id: string; x: number; y: number; width: number; height: number; frame: string; of: 'true' | 'grid'; told: boolean; }) | ({ kind: 'text'; id: string; x: number; y: number; width: number; height: number; text: string; size: number; bold: boolean; face: 'sans' | 'voice' | 'mono'; align: 'start' | 'middle' | 'end'; colour: string; }) | { kind: 'finding'; id: string; x: number; y: number; width: number; height: number; finding: string; } | ({ kind: 'picture'; id: string; x: number; y: number; width: number; height: number; picture: string | null; about: string; }))[]; many: (({ by: 'features'; frame: string; pattern: string; dataset: string; column: string | null; scale: 'kept' | 'fit'; alone: boolean; only: number[] | null; }) | { by: 'steps'; frame: string; pattern: string; dataset: string; } | { by: 'rows'; frame: string; pattern: string; table: string; } | { by: 'columns'; frame: string; pattern: string; dataset: string; columns: string[]; }) | null; }; createdAt: string; changedAt: string; };
  };
  /** Reports of a project. */
  reports: {
    params: { project: string; };
    query: undefined;
    body: undefined;
    answer: ({ id: string; report: { format: 'helk-report'; version: 1; title: string; by: string; asked: string; answer: string; results: string[]; findings: string[]; settings: 'all' | 'telling'; }; createdAt: string; changedAt: string; })[];
  };
  /** A report of some results, as from a file. */
  createReport: {
    params: { project: string; };
    query: undefined;
    body: { report: unknown; };
    answer: { id: string; report: { format: 'helk-report'; version: 1; title: string; by: string; asked: string; answer: string; results: string[]; findings: string[]; settings: 'all' | 'telling'; }; createdAt: string; changedAt: string; };
  };
  /** Change a report. */
  saveReport: {
    params: { project: string; report: string; };
    query: undefined;
    body: { report: unknown; };
    answer: { id: string; report: { format: 'helk-report'; version: 1; title: string; by: string; asked: string; answer: string; results: string[]; findings: string[]; settings: 'all' | 'telling'; }; createdAt: string; changedAt: string; };
  };
  /** Remove a report; it can be brought back. */
  deleteReport: {
    params: { project: string; report: string; };
    query: undefined;
    body: undefined;
    answer: undefined;
  };
  /** Bring back a removed report. */
  restoreReport: {
    params: { project: string; report: string; };
    query: undefined;
    body: undefined;
    answer: { id: string; report: { format: 'helk-report'; version: 1; title: string; by: string; asked: string; answer: string; results: string[]; findings: string[]; settings: 'all' | 'telling'; }; createdAt: string; changedAt: string; };
  };
  /** A report as a page of HTML that needs nothing else. */
  reportPage: {
    params: { project: string; report: string; };
    query: undefined;
    body: undefined;
    answer: Uint8Array;
  };
  /** Palettes of a project. */
  palettes: {
    params: { project: string; };
    query: undefined;
    body: undefined;
    answer: ({ id: string; palette: { format: 'helk-palette'; version: 1; name: string; kind: 'sequential' | 'diverging' | 'cyclic' | 'classes'; colours: string[]; }; createdAt: string; changedAt: string; })[];
  };
  /** Keep colours that somebody has put together. */
  createPalette: {
    params: { project: string; };
    query: undefined;
    body: { palette: { format: 'helk-palette'; version: 1; name: string; kind: 'sequential' | 'diverging' | 'cyclic' | 'classes'; colours: string[]; }; };
    answer: { id: string; palette: { format: 'helk-palette'; version: 1; name: string; kind: 'sequential' | 'diverging' | 'cyclic' | 'classes'; colours: string[]; }; createdAt: string; changedAt: string; };
  };
  /** Change a palette. */
  savePalette: {
    params: { project: string; palette: string; };
    query: undefined;
    body: { palette: { format: 'helk-palette'; version: 1; name: string; kind: 'sequential' | 'diverging' | 'cyclic' | 'classes'; colours: string[]; }; };
    answer: { id: string; palette: { format: 'helk-palette'; version: 1; name: string; kind: 'sequential' | 'diverging' | 'cyclic' | 'classes'; colours: string[]; }; createdAt: string; changedAt: string; };
  };
  /** Remove a palette; it can be brought back. */
  deletePalette: {
    params: { project: string; palette: string; };
    query: undefined;
    body: undefined;
    answer: undefined;
  };
  /** Bring back a removed palette. */
  restorePalette: {
    params: { project: string; palette: string; };
    query: undefined;
    body: undefined;
    answer: { id: string; palette: { format: 'helk-palette'; version: 1; name: string; kind: 'sequential' | 'diverging' | 'cyclic' | 'classes'; colours: string[]; }; createdAt: string; changedAt: string; };
  };
  /** Take in a picture for findings and sheets: PNG, JPEG or a drawing of Helk, 16 MB at most. */
  addPicture: {
    params: { project: string; };
    query: undefined;
    body: Uint8Array;
    answer: { id: string; type: string; };
  };
  /** A picture of the project. */
  picture: {
    params: { project: string; picture: string; };
    query: undefined;
    body: undefined;
    answer: Uint8Array;
  };
  /** What can be laid under the data from an address: tiles {z}/{x}/{y}, OGC API - Tiles, or a Web Map Service. */
  openTiles: {
    params: undefined;
    query: undefined;
    body: { address: string; crs?: string; };
    answer: ({ format: 'helk-background'; version: 1; name: string; credit: string; address: string; service: 'xyz' | 'tiles' | 'wms'; tile: string; crs: { code: string | null; name: string; proj4: string; geographic: boolean; unit: string; caution?: string; }; extent: [number, number, number, number] | null; levels: { name: string; resolution: number; x: number; y: number; width: number; height: number; columns: number; rows: number; }[]; })[];
  };
  /** Backgrounds of a project. */
  backgrounds: {
    params: { project: string; };
    query: undefined;
    body: undefined;
    answer: ({ id: string; background: { format: 'helk-background'; version: 1; name: string; credit: string; address: string; service: 'xyz' | 'tiles' | 'wms'; tile: string; crs: { code: string | null; name: string; proj4: string; geographic: boolean; unit: string; caution?: string; }; extent: [number, number, number, number] | null; levels: { name: string; resolution: number; x: number; y: number; width: number; height: number; columns: number; rows: number; }[]; }; createdAt: string; changedAt: string; })[];
  };
  /** Keep a background with the project. */
  createBackground: {
    params: { project: string; };
    query: undefined;
    body: { background: { format: 'helk-background'; version: 1; name: string; credit: string; address: string; service: 'xyz' | 'tiles' | 'wms'; tile: string; crs: { code: string | null; name: string; proj4: string; geographic: boolean; unit: string; caution?: string; }; extent: [number, number, number, number] | null; levels: { name: string; resolution: number; x: number; y: number; width: number; height: number; columns: number; rows: number; }[]; }; };
    answer: { id: string; background: { format: 'helk-background'; version: 1; name: string; credit: string; address: string; service: 'xyz' | 'tiles' | 'wms'; tile: string; crs: { code: string | null; name: string; proj4: string; geographic: boolean; unit: string; caution?: string; }; extent: [number, number, number, number] | null; levels: { name: string; resolution: number; x: number; y: number; width: number; height: number; columns: number; rows: number; }[]; }; createdAt: string; changedAt: string; };
  };
  /** Remove a background; it can be brought back. */
  deleteBackground: {
    params: { project: string; background: string; };
    query: undefined;
    body: undefined;
    answer: undefined;
  };
  /** A tile of a background, fetched from its service: PNG, JPEG or WebP; nothing where there is none. */
  tile: {
    params: { project: string; background: string; level: string; row: string; column: string; };
    query: undefined;
    body: undefined;
    answer: Uint8Array;
  };
}

/** Verb, path and kind of answer of each. */
// prettier-ignore
export const OPERATIONS: Record<keyof Operations, readonly [string, string, 'json' | 'bytes' | 'none']> = {
  health: ['GET', '/api/health', 'json'],
  openapi: ['GET', '/api/openapi.json', 'json'],
  methods: ['GET', '/api/methods', 'json'],
  method: ['GET', '/api/methods/{method}', 'json'],
  searchCrs: ['GET', '/api/crs', 'json'],
  crs: ['GET', '/api/crs/{code}', 'json'],
  samples: ['GET', '/api/samples', 'json'],
  sample: ['GET', '/api/samples/{sample}', 'bytes'],
  services: ['GET', '/api/services', 'json'],
  searchService: ['POST', '/api/services/search', 'json'],
  describeService: ['POST', '/api/services/describe', 'json'],
  takeService: ['POST', '/api/projects/{project}/services/take', 'json'],
  projects: ['GET', '/api/projects', 'json'],
  createProject: ['POST', '/api/projects', 'json'],
  openProject: ['POST', '/api/projects/file', 'json'],
  project: ['GET', '/api/projects/{project}', 'json'],
  patchProject: ['PATCH', '/api/projects/{project}', 'json'],
  deleteProject: ['DELETE', '/api/projects/{project}', 'none'],
  saveProject: ['GET', '/api/projects/{project}/file', 'bytes'],
  saveWorkbench: ['PUT', '/api/projects/{project}/workbench', 'none'],
  events: ['GET', '/api/projects/{project}/events', 'bytes'],
  import: ['POST', '/api/projects/{project}/imports', 'json'],
  review: ['POST', '/api/projects/{project}/reviews', 'json'],
  reviewAgain: ['POST', '/api/projects/{project}/reviews/{review}/steps', 'json'],
  takeReview: ['POST', '/api/projects/{project}/reviews/{review}/take', 'json'],
  dropReview: ['DELETE', '/api/projects/{project}/reviews/{review}', 'none'],
  patchDataset: ['PATCH', '/api/projects/{project}/datasets/{dataset}', 'json'],
  deleteDataset: ['DELETE', '/api/projects/{project}/datasets/{dataset}', 'none'],
  draft: ['GET', '/api/projects/{project}/datasets/{dataset}/drafts/{work}', 'json'],
  keepDraft: ['PUT', '/api/projects/{project}/datasets/{dataset}/drafts/{work}', 'none'],
  restoreDataset: ['POST', '/api/projects/{project}/datasets/{dataset}/restore', 'json'],
  bin: ['GET', '/api/projects/{project}/bin', 'json'],
  removeDatasets: ['POST', '/api/projects/{project}/bin', 'none'],
  bringBack: ['POST', '/api/projects/{project}/bin/return', 'none'],
  emptyBin: ['POST', '/api/projects/{project}/bin/empty', 'none'],
  piece: ['GET', '/api/projects/{project}/datasets/{dataset}/pieces/{array}/{level}/{key}', 'bytes'],
  whole: ['GET', '/api/projects/{project}/datasets/{dataset}/whole', 'bytes'],
  detail: ['GET', '/api/projects/{project}/datasets/{dataset}/detail', 'json'],
  export: ['GET', '/api/projects/{project}/datasets/{dataset}/export', 'bytes'],
  exportSeveral: ['GET', '/api/projects/{project}/export', 'bytes'],
  packProject: ['GET', '/api/projects/{project}/package', 'bytes'],
  forecast: ['POST', '/api/projects/{project}/forecast', 'json'],
  glance: ['POST', '/api/projects/{project}/glances/{glance}', 'json'],
  startRun: ['POST', '/api/projects/{project}/runs', 'json'],
  run: ['GET', '/api/projects/{project}/runs/{run}', 'json'],
  cancelRun: ['POST', '/api/projects/{project}/runs/{run}/cancel', 'json'],
  recipeSchema: ['GET', '/api/recipe-schema.json', 'json'],
  checkRecipe: ['POST', '/api/recipes/check', 'json'],
  liftRecipe: ['POST', '/api/projects/{project}/recipes/lift', 'json'],
  recipes: ['GET', '/api/projects/{project}/recipes', 'json'],
  createRecipe: ['POST', '/api/projects/{project}/recipes', 'json'],
  saveRecipe: ['PUT', '/api/projects/{project}/recipes/{recipe}', 'json'],
  deleteRecipe: ['DELETE', '/api/projects/{project}/recipes/{recipe}', 'none'],
  recipeVersion: ['GET', '/api/projects/{project}/recipes/{recipe}/versions/{version}', 'json'],
  recipeFile: ['GET', '/api/projects/{project}/recipes/{recipe}/file', 'bytes'],
  restoreRecipe: ['POST', '/api/projects/{project}/recipes/{recipe}/restore', 'json'],
  tables: ['GET', '/api/projects/{project}/tables', 'json'],
  createTable: ['POST', '/api/projects/{project}/tables', 'json'],
  saveTable: ['PUT', '/api/projects/{project}/tables/{table}', 'json'],
  deleteTable: ['DELETE', '/api/projects/{project}/tables/{table}', 'none'],
  restoreTable: ['POST', '/api/projects/{project}/tables/{table}/restore', 'json'],
  checkTable: ['POST', '/api/projects/{project}/tables/{table}/check', 'json'],
  runTable: ['POST', '/api/projects/{project}/tables/{table}/run', 'json'],
  tableReport: ['GET', '/api/projects/{project}/tables/{table}/report', 'bytes'],
  findings: ['GET', '/api/projects/{project}/findings', 'json'],
  createFinding: ['POST', '/api/projects/{project}/findings', 'json'],
  orderFindings: ['PUT', '/api/projects/{project}/findings', 'json'],
  saveFinding: ['PUT', '/api/projects/{project}/findings/{finding}', 'json'],
  deleteFinding: ['DELETE', '/api/projects/{project}/findings/{finding}', 'none'],
  restoreFinding: ['POST', '/api/projects/{project}/findings/{finding}/restore', 'json'],
  sheets: ['GET', '/api/projects/{project}/sheets', 'json'],
  createSheet: ['POST', '/api/projects/{project}/sheets', 'json'],
  saveSheet: ['PUT', '/api/projects/{project}/sheets/{sheet}', 'json'],
  deleteSheet: ['DELETE', '/api/projects/{project}/sheets/{sheet}', 'none'],
  restoreSheet: ['POST', '/api/projects/{project}/sheets/{sheet}/restore', 'json'],
  reports: ['GET', '/api/projects/{project}/reports', 'json'],
  createReport: ['POST', '/api/projects/{project}/reports', 'json'],
  saveReport: ['PUT', '/api/projects/{project}/reports/{report}', 'json'],
  deleteReport: ['DELETE', '/api/projects/{project}/reports/{report}', 'none'],
  restoreReport: ['POST', '/api/projects/{project}/reports/{report}/restore', 'json'],
  reportPage: ['GET', '/api/projects/{project}/reports/{report}/page', 'bytes'],
  palettes: ['GET', '/api/projects/{project}/palettes', 'json'],
  createPalette: ['POST', '/api/projects/{project}/palettes', 'json'],
  savePalette: ['PUT', '/api/projects/{project}/palettes/{palette}', 'json'],
  deletePalette: ['DELETE', '/api/projects/{project}/palettes/{palette}', 'none'],
  restorePalette: ['POST', '/api/projects/{project}/palettes/{palette}/restore', 'json'],
  addPicture: ['POST', '/api/projects/{project}/pictures', 'json'],
  picture: ['GET', '/api/projects/{project}/pictures/{picture}', 'bytes'],
  openTiles: ['POST', '/api/services/tiles', 'json'],
  backgrounds: ['GET', '/api/projects/{project}/backgrounds', 'json'],
  createBackground: ['POST', '/api/projects/{project}/backgrounds', 'json'],
  deleteBackground: ['DELETE', '/api/projects/{project}/backgrounds/{background}', 'none'],
  tile: ['GET', '/api/projects/{project}/backgrounds/{background}/tiles/{level}/{row}/{column}', 'bytes'],
};

import * as z from 'zod';
import { ROLE_NAMES } from '../data/band-roles';
import { KIND_NAMES } from '../data/kinds';
import { BackgroundEntry, type ApiBackground } from './background-schemas';
import { RecipeEntry, TableEntry, type ApiRecipe, type ApiTable } from './recipe-schemas';
import { Id, REF } from './refs';
import {
  FindingEntry,
  PaletteEntry,
  ReportEntry,
  SheetEntry,
  type ApiFinding,
  type ApiPalette,
  type ApiReport,
  type ApiSheet,
} from './sheet-schemas';

/** Shapes of requests and responses: the server checks by them, the OpenAPI document and the web client are made of them. */

export { Id } from './refs';
export type * from './background-schemas';
export type * from './recipe-schemas';
export type * from './sheet-schemas';

export const ProblemDocument = z.object({
  type: z.string(),
  title: z.string(),
  status: z.number().int(),
  detail: z.string(),
  code: z.string(),
  path: z.string().nullable(),
});

export const NoteShape = z.object({
  level: z.enum(['info', 'look', 'refused']),
  code: z.string(),
  message: z.string(),
});

export const MendShape = z.object({
  label: z.string(),
  set: z.record(z.string(), z.unknown()).optional(),
  run: z
    .object({
      method: z.string(),
      role: z.string(),
      input: z.string(),
      params: z.record(z.string(), z.unknown()).optional(),
      each: z.array(z.number().int().min(0)).optional(),
    })
    .optional(),
});

export const CheckShape = z.object({
  level: z.enum(['fine', 'look', 'refused']),
  code: z.string(),
  message: z.string(),
  about: z.string().optional(),
  mend: MendShape.optional(),
});

/** Grid, bands, columns and facts, as `DatasetInfo` of the core. */
export const InfoShape = z.looseObject({ kind: z.enum(KIND_NAMES) });

/** A way of drawing, of the shape that the kind of the dataset has. */
const Look = z.record(z.string().max(40), z.unknown());

export const DatasetShape = z.object({
  id: Id,
  name: z.string(),
  note: z.string(),
  kind: z.enum(KIND_NAMES),
  info: InfoShape,
  /** Run that made it; null for a source. */
  runId: Id.nullable(),
  role: z.string().nullable(),
  /** Step of the recipe that made it, where one did. */
  step: z.string().nullable(),
  /** What has been taken in as a newer one of it. */
  replacedBy: Id.nullable(),
  /** Sources taken in together. */
  batch: z.string().nullable(),
  /** What the thread that begins here is called; threads of one name stand together. */
  thread: z.string().nullable(),
  source: z.looseObject({ file: z.string(), format: z.string(), bytes: z.number(), sha256: z.string() }).nullable(),
  checks: z.array(CheckShape),
  /** How it is drawn; null until somebody has drawn it. */
  look: Look.nullable(),
  createdAt: z.string(),
  /** Counts its changes: of two tidings the later one is known by it. */
  revision: z.number().int(),
});

export const RunState = z.enum(['queued', 'running', 'done', 'failed', 'cancelled', 'interrupted']);

const FiguresShape = z.record(z.string(), z.union([z.number(), z.string(), z.null()]));

/** What one step of a recipe did in a run. */
export const StepDoneShape = z.object({
  id: z.string(),
  method: z.string(),
  version: z.number(),
  title: z.string(),
  /** By role: an input of the recipe, or STEP.ROLE. */
  inputs: z.record(z.string(), z.array(z.string())),
  params: z.record(z.string(), z.unknown()),
  seed: z.number(),
  makes: z.record(z.string(), z.string()),
  figures: FiguresShape,
  units: z.record(z.string(), z.string()),
  notes: z.array(NoteShape),
  seconds: z.number(),
});

/** The row of a run table that a run is of, and what stood in its cells when it began. */
export const OfTable = z.object({ id: Id, row: z.string().max(40), cells: z.array(z.string()) });

export const RunShape = z.object({
  id: Id,
  /** Method id, `recipe:ID` for a recipe of the project, or `import`. */
  method: z.string(),
  version: z.number(),
  title: z.string(),
  /** Datasets by role, `ID`, or `ID#2` for the second band of one. */
  inputs: z.record(z.string(), z.array(z.string())),
  params: z.record(z.string(), z.unknown()),
  seed: z.number(),
  /** In which system each of its inputs was taken to be when it ran, as code or definition. */
  systems: z.record(Id, z.string().nullable()),
  state: RunState,
  progress: z.number(),
  stage: z.string(),
  figures: FiguresShape,
  notes: z.array(NoteShape),
  outputs: z.array(Id),
  /** What it made, also what has been removed since. */
  made: z.record(Id, z.object({ role: z.string(), step: z.string().nullable(), name: z.string() })),
  /** Of a recipe: what each step did. */
  steps: z.array(StepDoneShape),
  table: OfTable.nullable(),
  variantOf: Id.nullable(),
  problem: z.object({ code: z.string(), message: z.string(), path: z.string().nullable() }).nullable(),
  createdAt: z.string(),
  startedAt: z.string().nullable(),
  endedAt: z.string().nullable(),
});

export const CrsShape = z.object({
  code: z.string().nullable(),
  name: z.string(),
  proj4: z.string(),
  geographic: z.boolean(),
  unit: z.string(),
  caution: z.string().optional(),
});

export const ProjectShape = z.object({
  id: Id,
  name: z.string(),
  note: z.string(),
  /** System of its maps, of drawing and of readouts; null until there is something that lies somewhere. */
  crs: CrsShape.nullable(),
  bytes: z.number(),
  /** How many things lie in its bin. */
  binned: z.number().int(),
  createdAt: z.string(),
  openedAt: z.string().nullable(),
  /** Why the project cannot be opened; null when it can. */
  problem: z.string().nullable(),
});

/** What stands in the panes; kept with the project so that it opens as it was left. */
export const Workbench = z.looseObject({ version: z.literal(1) });

export const ProjectDetail = z.object({
  project: ProjectShape,
  datasets: z.array(DatasetShape),
  runs: z.array(RunShape),
  recipes: z.array(RecipeEntry),
  tables: z.array(TableEntry),
  findings: z.array(FindingEntry),
  sheets: z.array(SheetEntry),
  reports: z.array(ReportEntry),
  palettes: z.array(PaletteEntry),
  backgrounds: z.array(BackgroundEntry),
  workbench: Workbench.nullable(),
});

/** What was removed from a project and can be brought back. */
export const BinnedShape = z.object({
  id: Id,
  what: z.enum(['dataset', 'recipe', 'run table', 'finding', 'map sheet', 'report', 'palette', 'background']),
  name: z.string(),
  /** Of a dataset, what it is in one line. */
  words: z.string(),
  bytes: z.number(),
  /** Not known of what was removed by an older Helk. */
  removedAt: z.string().nullable(),
});
export const Ids = z.object({ ids: z.array(Id).min(1).max(10_000) });

/** A file that ships with Helk to try things on. */
export const SampleShape = z.object({
  file: z.string(),
  set: z.string(),
  about: z.string(),
  bytes: z.number().nullable(),
});

/** A file that has been uploaded and looked into, but not taken in. */
export const ReviewShape = z.object({
  id: Id,
  file: z.string(),
  bytes: z.number(),
  layers: z.array(
    z.object({
      layer: z.string(),
      kind: z.enum(KIND_NAMES),
      extent: z.array(z.number()).nullable(),
      crs: z.object({ code: z.string().nullable(), name: z.string(), unit: z.string() }).nullable(),
      columns: z.number(),
      rows: z.number(),
      min: z.number().nullable(),
      max: z.number().nullable(),
      missing: z.number(),
      unit: z.string().nullable(),
      scalable: z.boolean(),
      steps: z.array(z.string()),
      step: z.number(),
      notes: z.array(NoteShape),
    }),
  ),
});

export const ReviewAgain = z.object({ steps: z.record(z.string(), z.number().int().min(-1)) });

export const ReviewTaken = z.object({
  batch: z.string().max(40).nullable().default(null),
  crs: z.string().max(400).nullable().default(null),
  layers: z
    .array(
      z.object({
        layer: z.string(),
        name: z.string().trim().max(200).optional(),
        step: z.number().int().min(-1).optional(),
        factor: z.number().optional(),
        offset: z.number().optional(),
        unit: z.string().max(20).optional(),
        crs: z.string().max(400).optional(),
      }),
    )
    .min(1, 'Choose at least one layer.'),
});

export const ServiceAddress = z.string().trim().min(1, 'An address is needed.').max(2000);
const Box = z.tuple([z.number(), z.number(), z.number(), z.number()]).nullable().default(null);

/** A service that is offered to be asked. */
export const ServiceOffer = z.object({ title: z.string(), about: z.string(), address: z.string() });

export const ServiceSearch = z.object({ address: ServiceAddress, words: z.string().max(300).default(''), bbox: Box });

/** What a service has that meets a search. */
export const ServiceHits = z.object({
  address: z.string(),
  title: z.string(),
  description: z.string(),
  /** Whether it was searched through a catalogue of records, or only by the titles of its collections. */
  catalogue: z.boolean(),
  total: z.number().nullable(),
  hits: z.array(
    z.object({
      collection: z.string(),
      title: z.string(),
      description: z.string(),
      keywords: z.array(z.string()),
      updated: z.string(),
      license: z.string(),
      extent: z.array(z.number()).nullable(),
    }),
  ),
});

export const ServiceAsk = z.object({ address: ServiceAddress, collection: z.string().min(1).max(300) });

/** One collection with its columns, and some of its features to look at. */
export const ServiceCollection = z.object({
  id: z.string(),
  title: z.string(),
  description: z.string(),
  extent: z.array(z.number()).nullable(),
  count: z.number().nullable(),
  /** Systems in which it can be asked for directly. */
  crs: z.array(z.object({ code: z.string(), name: z.string() })),
  storage: z.string().nullable(),
  columns: z.array(
    z.object({
      name: z.string(),
      title: z.string(),
      type: z.string(),
      unit: z.string().nullable(),
      /** Some values, as text. */
      examples: z.array(z.string()),
    }),
  ),
  preview: z.array(
    z.object({
      geometry: z.enum(['point', 'line', 'polygon']),
      count: z.number(),
      /** Rings as longitude, latitude, longitude, … */
      rings: z.array(z.array(z.number())),
    }),
  ),
});

export const ServiceTake = ServiceAsk.extend({
  columns: z.array(z.string().max(300)).min(1, 'Choose at least one column.').max(2000).nullable().default(null),
  bbox: Box,
  crs: z.string().max(400).nullable().default(null),
  name: z.string().trim().max(200).nullable().default(null),
});

const Title = z.string().trim().min(1, 'A name is needed.').max(200, 'A name has at most 200 characters.');

export const NewProject = z.object({ name: Title });
export const ProjectPatch = z.object({
  name: Title.optional(),
  note: z.string().max(10_000).optional(),
  /** Code or definition. */
  crs: z.string().max(400).optional(),
});
export const DatasetPatch = z.object({
  name: Title.optional(),
  note: z.string().max(10_000).optional(),
  /** Empty for none. */
  thread: z.string().trim().max(120).optional(),
  /** Set where the data carry none. */
  crs: z.string().max(400).optional(),
  unit: z.string().max(20).optional(),
  /** A newer one of the same kind that takes its place; null takes that back. */
  replacedBy: Id.nullable().optional(),
  look: Look.optional(),
  /** Which band is meant by classes, name, role and wavelength, from 0. */
  band: z.number().int().min(0).optional(),
  /** Names and colours of the classes of a band of a raster, the first where none is named. */
  classes: z
    .array(
      z.object({
        value: z.number().int(),
        label: z.string().max(200),
        colour: z
          .string()
          .regex(/^#[0-9a-f]{6}$/i)
          .nullable(),
        unsure: z.boolean().optional(),
      }),
    )
    .max(4096)
    .optional(),
  /** What a band (the first where none is named) is called and shows; null takes back what was said. */
  bandName: z.string().trim().min(1).max(200).optional(),
  role: z.enum(ROLE_NAMES).nullable().optional(),
  /** nm. */
  wavelength: z.number().min(100).max(1e6).nullable().optional(),
});
/** How far somebody has come with a work on a dataset, that is not done yet. */
export const Draft = z.object({ value: z.unknown() });
/** Names of roles and settings; nothing that an object answers to by itself begins otherwise. */
const Role = z.string().regex(/^[A-Za-z]\w{0,60}$/, 'is not a name of an input or setting.');
/** Settings of a recipe are named with their step. */
const Setting = z.string().regex(/^[A-Za-z]\w{0,60}(\.[A-Za-z]\w{0,60})?$/, 'is not a name of a setting.');

/** A dataset, or one of its bands counted from 1. */
const Ref = z.string().regex(REF);

export const NewRun = z.object({
  method: z.string().max(200),
  inputs: z.record(Role, z.array(Ref).max(1000)),
  params: z.record(Setting, z.unknown()).default({}),
  seed: z.number().int().min(0).max(4294967295).default(1),
  variantOf: Id.nullable().default(null),
});
/** A draft is still being written: what cannot be read of it is an answer, not an error. */
export const ForecastRequest = NewRun.omit({ variantOf: true }).extend({ draft: z.boolean().default(false) });
export const GlanceRequest = z.object({
  inputs: z.record(Role, Id).default({}),
  params: z.record(Role, z.unknown()).default({}),
});
export const ForecastShape = z.object({
  checks: z.array(CheckShape),
  suggestions: z.record(z.string(), z.object({ value: z.unknown(), reason: z.string() })),
  estimate: z
    .object({ cells: z.number(), of: z.string().optional(), bytes: z.number(), seconds: z.number() })
    .nullable(),
  plain: z.record(z.string(), z.unknown()),
  /** Of a draft, why it cannot run as it is written yet. */
  refused: z.object({ code: z.string(), message: z.string(), path: z.string().nullable() }).optional(),
});
export const CrsHitShape = z.object({
  code: z.string(),
  name: z.string(),
  area: z.string(),
  geographic: z.boolean(),
  unit: z.string(),
  covers: z.boolean(),
});
export const MethodShape = z.looseObject({
  id: z.string(),
  title: z.string(),
  question: z.string(),
  family: z.string(),
});

export type ApiDataset = z.infer<typeof DatasetShape>;
export type ApiSample = z.infer<typeof SampleShape>;
export type ApiReview = z.infer<typeof ReviewShape>;
export type ApiServiceOffer = z.infer<typeof ServiceOffer>;
export type ApiServiceHits = z.infer<typeof ServiceHits>;
export type ApiServiceCollection = z.infer<typeof ServiceCollection>;
export type ApiServiceTake = z.input<typeof ServiceTake>;
export type ApiRun = z.infer<typeof RunShape>;
export type ApiBinned = z.infer<typeof BinnedShape>;
export type ApiProject = z.infer<typeof ProjectShape>;
export type ApiProjectDetail = z.infer<typeof ProjectDetail>;
export type ApiProblem = z.infer<typeof ProblemDocument>;
export type ApiForecast = z.infer<typeof ForecastShape>;
export type ApiCrsHit = z.infer<typeof CrsHitShape>;

/** What the event stream of a project sends. */
export type ProjectEvent =
  | { type: 'run'; run: ApiRun }
  | { type: 'datasets'; datasets: ApiDataset[] }
  | { type: 'removed'; ids: string[] }
  | { type: 'recipes'; recipes: ApiRecipe[] }
  | { type: 'tables'; tables: ApiTable[] }
  | { type: 'findings'; findings: ApiFinding[] }
  | { type: 'sheets'; sheets: ApiSheet[] }
  | { type: 'reports'; reports: ApiReport[] }
  | { type: 'palettes'; palettes: ApiPalette[] }
  | { type: 'backgrounds'; backgrounds: ApiBackground[] }
  | { type: 'unwritten'; ids: string[] }
  | { type: 'project'; project: ApiProject };

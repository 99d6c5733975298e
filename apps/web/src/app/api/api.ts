import { Injectable } from '@angular/core';
import { fromProblem, type CrsHit, type Forecast, type MethodDescription } from '@helk/core';
import { unpackBinary } from '@helk/core/formats/binary';
import type { Features, Table } from '@helk/core';
import type {
  ApiBackground,
  ApiBinned,
  ApiDataset,
  ApiFinding,
  ApiFindingBody,
  ApiProblem,
  ApiProject,
  ApiProjectDetail,
  ApiRecipe,
  ApiReview,
  ApiRun,
  ApiSample,
  ApiServiceCollection,
  ApiServiceHits,
  ApiServiceOffer,
  ApiServiceTake,
  ApiPalette,
  ApiReport,
  ApiSheet,
  ApiTable,
  ApiTableBody,
  ApiTableForecast,
  ProjectEvent,
} from '@helk/core/api/schemas';
import type { Recipe } from '@helk/core/recipe/shape';
import type { Background } from '@helk/core/render/background';
import type { Palette } from '@helk/core/render/palette';
import type { Report } from '@helk/core/report/shape';
import type { MapSheet } from '@helk/core/sheet/shape';
import { earlyAnswer, earlyEvents } from './early';

/** The only way to the server. Refusals arrive as HelkError with the server's sentence. */
@Injectable({ providedIn: 'root' })
export class Api {
  private async ask(path: string, init?: RequestInit): Promise<Response> {
    let r: Response;
    try {
      r = await fetch(path, init);
    } catch (e) {
      if ((e as Error).name === 'AbortError') throw e;
      throw new Error('Helk’s server does not answer. Is it still running?');
    }
    if (r.ok) return r;
    const p = (await r.json().catch(() => null)) as ApiProblem | null;
    throw p?.detail
      ? fromProblem({ code: p.code as never, message: p.detail, path: p.path })
      : new Error(`The server answered ${r.status}.`);
  }

  private async json<T>(path: string, verb = 'GET', body?: unknown, signal?: AbortSignal): Promise<T> {
    const init: RequestInit = { method: verb, signal: signal ?? null };
    if (body !== undefined) {
      init.body = JSON.stringify(body);
      init.headers = { 'Content-Type': 'application/json' };
      // Small changes arrive though the page is left meanwhile; more than 64 kB a browser refuses to keep alive.
      init.keepalive = verb === 'PUT' && init.body.length < 16_000;
    }
    const early = verb === 'GET' ? await earlyAnswer(path) : undefined;
    const r = early ?? (await this.ask(path, init));
    return (r.status === 204 ? undefined : await r.json()) as T;
  }

  methods = (): Promise<MethodDescription[]> => this.json('/api/methods');
  projects = (): Promise<ApiProject[]> => this.json('/api/projects');
  project = (id: string): Promise<ApiProjectDetail> => this.json(`/api/projects/${id}`);
  createProject = (name: string): Promise<ApiProject> => this.json('/api/projects', 'POST', { name });
  patchProject = (id: string, patch: { name?: string; note?: string; crs?: string }): Promise<ApiProject> =>
    this.json(`/api/projects/${id}`, 'PATCH', patch);
  deleteProject = (id: string): Promise<void> => this.json(`/api/projects/${id}`, 'DELETE');
  saveWorkbench = (id: string, w: object): Promise<void> => this.json(`/api/projects/${id}/workbench`, 'PUT', w);
  patchDataset = (p: string, d: string, patch: object): Promise<ApiDataset> =>
    this.json(`/api/projects/${p}/datasets/${d}`, 'PATCH', patch);
  removeDatasets = (p: string, ids: readonly string[]): Promise<void> =>
    this.json(`/api/projects/${p}/bin`, 'POST', { ids });
  /** Whatever of the project it is that was removed. */
  bringBack = (p: string, ids: readonly string[]): Promise<void> =>
    this.json(`/api/projects/${p}/bin/return`, 'POST', { ids });
  bin = (p: string): Promise<ApiBinned[]> => this.json(`/api/projects/${p}/bin`);
  /** @param ids only these of it; null all */
  emptyBin = (p: string, ids: readonly string[] | null): Promise<void> =>
    this.json(`/api/projects/${p}/bin/empty`, 'POST', { ids });
  forecast = (p: string, run: object, signal: AbortSignal): Promise<Forecast> =>
    this.json(`/api/projects/${p}/forecast`, 'POST', run, signal);
  glance = async <A>(p: string, glance: string, body: object): Promise<A> =>
    (await this.json<{ answer: A }>(`/api/projects/${p}/glances/${glance}`, 'POST', body)).answer;
  draft = async (p: string, d: string, work: string): Promise<unknown> =>
    (await this.json<{ value: unknown }>(`/api/projects/${p}/datasets/${d}/drafts/${work}`)).value;
  keepDraft = (p: string, d: string, work: string, value: unknown): Promise<void> =>
    this.json(`/api/projects/${p}/datasets/${d}/drafts/${work}`, 'PUT', { value });
  startRun = (p: string, run: object): Promise<ApiRun> => this.json(`/api/projects/${p}/runs`, 'POST', run);
  cancelRun = (p: string, r: string): Promise<ApiRun> => this.json(`/api/projects/${p}/runs/${r}/cancel`, 'POST');

  checkRecipe = (recipe: Recipe, signal: AbortSignal): Promise<Pick<ApiRecipe, 'recipe' | 'method' | 'checks'>> =>
    this.json('/api/recipes/check', 'POST', { recipe, draft: true }, signal);
  liftRecipe = (p: string, datasets: readonly string[]): Promise<Recipe> =>
    this.json(`/api/projects/${p}/recipes/lift`, 'POST', { datasets });
  createRecipe = (p: string, recipe: unknown, draft = false): Promise<ApiRecipe> =>
    this.json(`/api/projects/${p}/recipes`, 'POST', { recipe, draft });
  saveRecipe = (p: string, r: string, recipe: Recipe): Promise<ApiRecipe> =>
    this.json(`/api/projects/${p}/recipes/${r}`, 'PUT', { recipe, draft: true });
  recipeVersion = (p: string, r: string, version: number): Promise<Recipe> =>
    this.json(`/api/projects/${p}/recipes/${r}/versions/${version}`);
  recipeUrl = (p: string, r: string): string => `/api/projects/${p}/recipes/${r}/file`;
  deleteRecipe = (p: string, r: string): Promise<void> => this.json(`/api/projects/${p}/recipes/${r}`, 'DELETE');
  createTable = (p: string, body: ApiTableBody): Promise<ApiTable> =>
    this.json(`/api/projects/${p}/tables`, 'POST', body);
  saveTable = (p: string, t: string, body: ApiTableBody): Promise<ApiTable> =>
    this.json(`/api/projects/${p}/tables/${t}`, 'PUT', body);
  deleteTable = (p: string, t: string): Promise<void> => this.json(`/api/projects/${p}/tables/${t}`, 'DELETE');
  createFinding = (p: string, body: ApiFindingBody): Promise<ApiFinding> =>
    this.json(`/api/projects/${p}/findings`, 'POST', body);
  saveFinding = (p: string, f: string, body: ApiFindingBody): Promise<ApiFinding> =>
    this.json(`/api/projects/${p}/findings/${f}`, 'PUT', body);
  orderFindings = (p: string, ids: readonly string[]): Promise<ApiFinding[]> =>
    this.json(`/api/projects/${p}/findings`, 'PUT', { ids });
  deleteFinding = (p: string, f: string): Promise<void> => this.json(`/api/projects/${p}/findings/${f}`, 'DELETE');
  createSheet = (p: string, sheet: MapSheet): Promise<ApiSheet> =>
    this.json(`/api/projects/${p}/sheets`, 'POST', { sheet });
  saveSheet = (p: string, s: string, sheet: MapSheet): Promise<ApiSheet> =>
    this.json(`/api/projects/${p}/sheets/${s}`, 'PUT', { sheet });
  deleteSheet = (p: string, s: string): Promise<void> => this.json(`/api/projects/${p}/sheets/${s}`, 'DELETE');
  createReport = (p: string, report: Report): Promise<ApiReport> =>
    this.json(`/api/projects/${p}/reports`, 'POST', { report });
  saveReport = (p: string, r: string, report: Report): Promise<ApiReport> =>
    this.json(`/api/projects/${p}/reports/${r}`, 'PUT', { report });
  deleteReport = (p: string, r: string): Promise<void> => this.json(`/api/projects/${p}/reports/${r}`, 'DELETE');
  createPalette = (p: string, palette: Palette): Promise<ApiPalette> =>
    this.json(`/api/projects/${p}/palettes`, 'POST', { palette });
  savePalette = (p: string, id: string, palette: Palette): Promise<ApiPalette> =>
    this.json(`/api/projects/${p}/palettes/${id}`, 'PUT', { palette });
  deletePalette = (p: string, id: string): Promise<void> => this.json(`/api/projects/${p}/palettes/${id}`, 'DELETE');
  openTiles = (body: { address: string; crs: string }, signal: AbortSignal): Promise<Background[]> =>
    this.json('/api/services/tiles', 'POST', body, signal);
  createBackground = (p: string, background: Background): Promise<ApiBackground> =>
    this.json(`/api/projects/${p}/backgrounds`, 'POST', { background });
  deleteBackground = (p: string, id: string): Promise<void> =>
    this.json(`/api/projects/${p}/backgrounds/${id}`, 'DELETE');
  /** To which level, row and column are added. */
  /** A tile of a background; null where its service has none. */
  async tile(p: string, id: string, level: number, row: number, column: number): Promise<Blob | null> {
    const r = await this.ask(`/api/projects/${p}/backgrounds/${id}/tiles/${level}/${row}/${column}`);
    return r.status === 204 ? null : r.blob();
  }
  packageUrl = (
    p: string,
    of: 'results' | 'all' | 'named',
    project: boolean,
    datasets: readonly string[] = [],
  ): string =>
    `/api/projects/${p}/package?of=${of}&project=${project ? 'yes' : 'no'}${datasets.length ? `&datasets=${datasets.join()}` : ''}`;
  pictureUrl = (p: string, picture: string): string => `/api/projects/${p}/pictures/${picture}`;
  addPicture = async (p: string, bytes: Blob): Promise<string> => {
    const r = await this.ask(`/api/projects/${p}/pictures`, { method: 'POST', body: bytes });
    return ((await r.json()) as { id: string }).id;
  };
  picture = async (p: string, picture: string): Promise<Blob> => (await this.ask(this.pictureUrl(p, picture))).blob();
  checkTable = (p: string, t: string, signal: AbortSignal): Promise<ApiTableForecast> =>
    this.json(`/api/projects/${p}/tables/${t}/check`, 'POST', {}, signal);
  runTable = (p: string, t: string, rows?: string[]): Promise<ApiRun[]> =>
    this.json(`/api/projects/${p}/tables/${t}/run`, 'POST', rows ? { rows } : {});
  reportUrl = (p: string, t: string): string => `/api/projects/${p}/tables/${t}/report`;

  services = (): Promise<ApiServiceOffer[]> => this.json('/api/services');
  searchService = (
    body: { address: string; words: string; bbox: number[] | null },
    signal: AbortSignal,
  ): Promise<ApiServiceHits> => this.json('/api/services/search', 'POST', body, signal);
  describeService = (
    body: { address: string; collection: string },
    signal: AbortSignal,
  ): Promise<ApiServiceCollection> => this.json('/api/services/describe', 'POST', body, signal);
  takeService = (p: string, body: ApiServiceTake): Promise<ApiRun> =>
    this.json(`/api/projects/${p}/services/take`, 'POST', body);

  searchCrs(q: string, place: [number, number] | null): Promise<CrsHit[]> {
    const query = new URLSearchParams({ q });
    if (place) {
      query.set('lon', String(place[0]));
      query.set('lat', String(place[1]));
    }
    return this.json(`/api/crs?${query}`);
  }

  async openProject(file: File): Promise<ApiProject> {
    const r = await this.ask(`/api/projects/file?${new URLSearchParams({ name: file.name })}`, {
      method: 'POST',
      body: file,
    });
    return (await r.json()) as ApiProject;
  }

  async takeIn(project: string, file: File, o: { batch?: string | null; crs?: string | null } = {}): Promise<ApiRun> {
    const query = new URLSearchParams({ name: file.name });
    if (o.batch) query.set('batch', o.batch);
    if (o.crs) query.set('crs', o.crs);
    const r = await this.ask(`/api/projects/${project}/imports?${query}`, { method: 'POST', body: file });
    return (await r.json()) as ApiRun;
  }

  /** Looks into a file; it stays on the server until taken or dropped, outside the project. */
  async review(project: string, file: File): Promise<ApiReview> {
    const query = new URLSearchParams({ name: file.name });
    const r = await this.ask(`/api/projects/${project}/reviews?${query}`, { method: 'POST', body: file });
    return (await r.json()) as ApiReview;
  }
  reviewAgain = (p: string, review: string, steps: Record<string, number>): Promise<ApiReview> =>
    this.json(`/api/projects/${p}/reviews/${review}/steps`, 'POST', { steps });
  takeReview = (p: string, review: string, choice: object): Promise<ApiRun> =>
    this.json(`/api/projects/${p}/reviews/${review}/take`, 'POST', choice);
  dropReview = (p: string, review: string): Promise<void> =>
    this.json(`/api/projects/${p}/reviews/${review}`, 'DELETE');

  samples = (): Promise<ApiSample[]> => this.json('/api/samples');
  async sample(file: string): Promise<File> {
    const r = await this.ask(`/api/samples/${encodeURIComponent(file)}`);
    return new File([await r.blob()], file);
  }

  async detail(project: string, dataset: string): Promise<unknown> {
    return (await this.json<{ detail: unknown }>(`/api/projects/${project}/datasets/${dataset}/detail`)).detail;
  }

  async features(project: string, dataset: string): Promise<Features | Table> {
    const r = await this.ask(`/api/projects/${project}/datasets/${dataset}/whole`);
    return unpackBinary(new Uint8Array(await r.arrayBuffer()));
  }

  /** A stored piece of a dataset, as it lies there. */
  async piece(project: string, dataset: string, array: string, key: number): Promise<Uint8Array> {
    const r = await this.ask(
      `/api/projects/${project}/datasets/${dataset}/pieces/${encodeURIComponent(array)}/0/${key}`,
    );
    return new Uint8Array(await r.arrayBuffer());
  }

  exportUrl(project: string, dataset: string, format: string): string {
    return `/api/projects/${project}/datasets/${dataset}/export?format=${format}`;
  }

  /** Follows a project's events until the returned function is called; reconnects by itself. */
  follow(project: string, on: (e: ProjectEvent) => void, again: () => void): () => void {
    const early = earlyEvents(project);
    const source = early?.source ?? new EventSource(`/api/projects/${project}/events`);
    let lost = false;
    const hear = (m: MessageEvent): void => on(JSON.parse(m.data as string) as ProjectEvent);
    early?.held.forEach(hear);
    source.onmessage = hear;
    source.onerror = () => (lost = true);
    source.onopen = () => {
      // Whatever happened while the line was down is fetched anew.
      if (lost) again();
      lost = false;
    };
    return () => source.close();
  }
}

/** The sentence of whatever was thrown. */
export const sentence = (e: unknown): string => (e instanceof Error ? e.message : String(e));

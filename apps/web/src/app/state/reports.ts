import { computed, effect, inject, Injectable, untracked } from '@angular/core';
import { FreeNames } from '@helk/core';
import type { ApiReport } from '@helk/core/api/schemas';
import { historyOf, type PastRun } from '@helk/core/recipe/history';
import type { Recipe } from '@helk/core/recipe/shape';
import { contentsOf } from '@helk/core/report/contents';
import type { Document } from '@helk/core/report/document';
import { factsFrom, type ToldDataset, type ToldRun } from '@helk/core/report/facts';
import { reportFrom, type Report } from '@helk/core/report/shape';
import { VERSION } from '@helk/core/version';
import { Api, sentence } from '../api/api';
import { jsonIn } from '../parts/save';
import { Desk } from './desk';
import { KeptDrafts } from './kept-drafts';
import { ProjectStore } from './project.store';

/** Reports of a project, and the one that lies on the desk, as it is being written. */
@Injectable({ providedIn: 'root' })
export class Reports {
  private readonly store = inject(ProjectStore);
  private readonly desk = inject(Desk);
  private readonly api = inject(Api);
  private readonly drafts = new KeptDrafts<Report>(async (id, report) => {
    const p = this.store.project();
    if (p)
      await this.store.guarded(async () =>
        this.store.written({ reports: [await this.api.saveReport(p.id, id, report)] }),
      );
  });

  readonly id = computed(() => {
    const l = this.desk.lying();
    return l?.what === 'report' ? l.id : null;
  });
  private readonly entry = computed((): ApiReport | undefined => this.store.reports().find((r) => r.id === this.id()));
  readonly report = computed((): Report | undefined => {
    const e = this.entry();
    return e && (this.drafts.now(e.id) ?? e.report);
  });
  readonly canUndo = computed(() => this.drafts.canUndo(this.id() ?? ''));
  readonly canRedo = computed(() => this.drafts.canRedo(this.id() ?? ''));

  constructor() {
    let project = '';
    effect(() => {
      const id = this.store.project()?.id ?? '';
      if (project && id !== project) untracked(() => this.drafts.clear());
      project = id || project;
    });
  }

  change(patch: Partial<Report>, of: string | null = null): void {
    const [id, now] = [this.id(), this.report()];
    if (id && now) this.drafts.change(id, now, (r) => ({ ...r, ...patch }), of);
  }

  undo(): void {
    this.drafts.undo(this.id() ?? '');
  }

  redo(): void {
    this.drafts.redo(this.id() ?? '');
  }

  /** A report of how some results were made, with the findings that rest on them or on anything on their way. */
  async of(results: readonly string[], title?: string): Promise<void> {
    const there = this.store.datasetEntityMap();
    const history = historyOf(results, { datasets: there, runs: this.store.runEntityMap() as Record<string, PastRun> });
    const within = new Set([
      ...results,
      ...history.sources.map((s) => s.id),
      ...history.passages.flatMap((p) => p.makes.map((m) => m.dataset)),
    ]);
    const made = new Set(history.passages.flatMap((p) => p.makes.map((m) => m.dataset)));
    // A finding that shows only what went in says little of what came out, unless nothing was made.
    const tells = made.size ? made : within;
    const findings = this.store
      .findings()
      .filter((f) => f.rests.some((r) => tells.has(r.dataset)))
      .map((f) => f.id);
    const names = results.map((id) => there[id]?.name ?? '').filter(Boolean);
    await this.begin({
      format: 'helk-report',
      version: 1,
      title: (title ?? shortList(names)).slice(0, 300) || 'Report',
      by: '',
      asked: '',
      answer: '',
      results: [...results],
      findings,
      settings: 'telling',
    });
  }

  async openFile(file: File): Promise<void> {
    await this.store.guarded(async () => {
      await this.begin(reportFrom(await jsonIn(file, 'report')));
    });
  }

  private async begin(report: Report): Promise<void> {
    const p = this.store.project();
    if (!p) return;
    const title = new FreeNames(this.store.reports().map((r) => r.report.title)).take(report.title);
    const made = await this.store.guarded(() => this.api.createReport(p.id, { ...report, title }));
    if (!made) return;
    this.store.written({ reports: [made] });
    this.desk.lay({ what: 'report', id: made.id });
  }

  async remove(id: string, title: string): Promise<void> {
    const away = await this.store.putAway(id, `“${title}” was removed.`, (p) => this.api.deleteReport(p, id));
    if (away && this.id() === id) this.desk.clear();
  }

  /** The procedure behind some results; why there is none, in a sentence. */
  async recipe(results: readonly string[]): Promise<Recipe | string> {
    const p = this.store.project();
    if (!p || !results.length) return 'no result is named.';
    try {
      return await this.api.liftRecipe(p.id, results);
    } catch (e) {
      return sentence(e);
    }
  }

  /** What a report says as things stand. */
  contents(report: Report, recipe: Recipe | string): Document {
    const catalogue = new Map(this.store.builtIn().map((m) => [m.id, m]));
    const facts = factsFrom({
      name: this.store.project()?.name ?? '',
      system: this.store.project()?.crs ?? null,
      datasets: this.store.datasetEntities() as unknown as ToldDataset[],
      runs: this.store.runEntities() as ToldRun[],
      findings: this.store.findings(),
      method: (id) => catalogue.get(id),
      version: VERSION,
      date: new Date().toISOString().slice(0, 10),
      recipe,
    });
    return contentsOf(report, facts);
  }
}

/** Names in a title: two at most, then how many more. */
const shortList = (names: readonly string[]): string =>
  names.length <= 2 ? names.join(' and ') : `${names[0]} and ${names.length - 1} more`;

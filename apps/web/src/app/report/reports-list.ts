import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { Api } from '../api/api';
import { KeptRow } from '../parts/kept-row';
import { chosenFile } from '../parts/save';
import { BenchStore } from '../state/bench.store';
import { Desk } from '../state/desk';
import { ProjectStore } from '../state/project.store';
import { Reports } from '../state/reports';

/** Reports of the project, and the whole of it as a package. */
@Component({
  selector: 'helk-reports-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [KeptRow],
  template: `
    <header class="px-4 pt-4 pb-1"><h2 class="font-[600]">Reports</h2></header>
    @for (r of all(); track r.id) {
      <helk-kept-row
        [name]="r.title"
        [words]="r.words"
        [on]="r.id === reports.id()"
        [testId]="'report-' + r.title"
        (opened)="desk.lay({ what: 'report', id: r.id })"
        (removed)="reports.remove(r.id, r.title)"
      />
    } @empty {
      <p class="px-4 py-1 text-[12.5px] text-ink-2">
        None yet. A report tells how a result was made: sources and checks, steps, settings, figures, findings, recipe.
      </p>
    }
    <div class="px-4 pt-2 pb-1">
      <button
        class="btn w-full"
        (click)="begin()"
        [disabled]="!made()"
        data-testid="new-report"
        [title]="made() ? '' : 'Choose a result in the ledger first'"
      >
        <span class="truncate">{{ made() ? 'Report of “' + made()!.name + '”' : 'Report of a result' }}</span>
      </button>
    </div>
    <div class="px-4 pb-2 text-[12.5px]">
      <button class="link w-fit" (click)="file.click()">Open a file</button>
      <input
        #file
        type="file"
        accept=".json,application/json"
        class="hidden"
        data-testid="report-file"
        (change)="openFile(file)"
      />
    </div>

    <header class="px-4 pt-3 pb-1"><h2 class="font-[600]">Package</h2></header>
    <div class="px-4 pb-5 grid grid-cols-1 gap-1.5 text-[12.5px]">
      <p class="text-ink-2">
        One zip for the next person: data in open formats, recipes, sheets, reports and findings, how all was made as
        JSON, and a readme with units and systems.
      </p>
      <label class="tick"
        ><input
          type="checkbox"
          data-testid="pack-sources"
          [checked]="sources()"
          (change)="sources.set(!sources())"
        />sources as well</label
      >
      <label class="tick"
        ><input type="checkbox" data-testid="pack-project" [checked]="whole()" (change)="whole.set(!whole())" />the
        project itself, to be opened in Helk</label
      >
      <a
        class="btn w-full mt-1 grid place-items-center"
        data-testid="pack"
        [href]="address()"
        download
        (click)="packing()"
        >Pack it</a
      >
    </div>
  `,
})
export class ReportsList {
  protected readonly desk = inject(Desk);
  protected readonly reports = inject(Reports);
  private readonly store = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  private readonly api = inject(Api);
  protected readonly sources = signal(false);
  protected readonly whole = signal(false);
  protected readonly all = computed(() =>
    this.store.reports().map((r) => {
      const now = r.id === this.reports.id() ? (this.reports.report() ?? r.report) : r.report;
      const n = now.results.length;
      const f = now.findings.length;
      return {
        id: r.id,
        title: now.title,
        words: `${n} ${n === 1 ? 'result' : 'results'} · ${f} ${f === 1 ? 'finding' : 'findings'}`,
      };
    }),
  );
  /** The result that is chosen, or the last one that was made. */
  protected readonly made = computed(() => {
    const there = this.store.datasetEntityMap();
    const chosen = there[this.bench.selected() ?? ''];
    return chosen && !chosen.source ? chosen : this.store.datasetEntities().findLast((d) => !d.source && d.runId);
  });
  protected readonly address = computed(() =>
    this.api.packageUrl(this.store.project()?.id ?? '', this.sources() ? 'all' : 'results', this.whole()),
  );

  protected begin(): void {
    const d = this.made();
    if (d) void this.reports.of([d.id]);
  }

  protected openFile(field: HTMLInputElement): void {
    const file = chosenFile(field);
    if (file) void this.reports.openFile(file);
  }

  protected packing(): void {
    this.store.notify('It is being packed; the browser keeps it when it is ready.');
  }
}

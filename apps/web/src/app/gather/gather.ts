import { ChangeDetectionStrategy, Component, computed, inject, linkedSignal, resource, signal } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { formatBytes, kindOf } from '@helk/core';
import { ICONS } from '../parts/icons';
import { together } from './together';
import { Api } from '../api/api';
import { Card } from '../ledger/card';
import { DatasetChecks } from '../ledger/dataset-checks';
import { BenchStore } from '../state/bench.store';
import { REVIEWED, ReviewStore } from '../state/review.store';
import { ServiceStore } from '../state/service.store';
import { crsOf, ProjectStore, summaryOf, type DatasetItem } from '../state/project.store';

/** Where data come in: files dropped or chosen, what arrived, and what the checks say of it. */
@Component({
  selector: 'helk-gather',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DatasetChecks, NgIcon],
  viewProviders: [provideIcons(ICONS)],
  template: `
    <header class="px-4 pt-3 pb-2"><h2 class="font-[600]">Gather</h2></header>
    <div class="px-4">
      <label
        class="grid place-items-center gap-1 text-center border border-dashed rounded-[7px] px-3 py-6 cursor-pointer"
        [class]="over() ? 'border-act bg-act-soft' : 'border-ink-3 bg-leaf'"
        (dragover)="$event.preventDefault(); over.set(true)"
        (dragleave)="over.set(false)"
        (drop)="drop($event)"
      >
        <ng-icon name="lucideUpload" size="20" class="text-act" />
        <span class="font-[550]">Drop files here, or choose them</span>
        <span class="text-[12px] text-ink-2"
          >GeoTIFF, NetCDF, ASCII grid, GeoPackage, Shapefile, GeoJSON, FlatGeobuf, KML, GPX, delimited text, LAS, LAZ,
          PLY, xyz, or a zip of these</span
        >
        <input type="file" multiple class="sr-only" (change)="choose($any($event.target))" data-testid="files" />
      </label>
      <label
        class="flex items-center gap-2 mt-2 text-[12.5px] text-ink-2"
        title="Extent, range and unit are shown for confirmation; NetCDF is always looked at first"
      >
        <input type="checkbox" [checked]="lookFirst()" (change)="lookFirst.set($any($event.target).checked)" />
        Look before taking in
      </label>
    </div>
    <form class="px-4 pt-4" (submit)="$event.preventDefault(); ask()">
      <label class="block"
        ><span class="text-[12px] text-ink-2 block mb-1">From a service (OGC API)</span>
        <input
          class="w-full text-[12.5px]"
          [value]="address()"
          (input)="address.set($any($event.target).value)"
          placeholder="https://host/path"
          spellcheck="false"
          list="services"
          data-testid="service-address"
        />
      </label>
      <datalist id="services">
        @for (o of service.offers(); track o.address) {
          <option [value]="o.address">{{ o.title }}</option>
        }
      </datalist>
      <div class="flex items-start gap-2 mt-1.5">
        <p class="text-[12px] text-ink-2 flex-1 min-w-0 leading-snug">
          @if (offered(); as o) {
            <span [title]="o.about">{{ o.title }}: invented data to try.</span>
          }
        </p>
        <button class="btn flex-none" type="submit" [disabled]="!address().trim()" data-testid="service-ask">
          Look into it
        </button>
      </div>
    </form>
    @for (group of imports(); track group.title) {
      <h3 class="text-[12px] text-ink-2 px-4 pt-4 pb-1">{{ group.title }}</h3>
      @for (r of group.runs; track r.id) {
        <div class="px-4 py-1.5">
          <div class="flex items-center gap-2 text-[13px]">
            <span class="truncate flex-1" [title]="r.title">{{ r.title }}</span>
            @if (r.state === 'queued' || r.state === 'running') {
              <button class="link text-[12px]" (click)="store.cancelRun(r.id)">Cancel</button>
            }
          </div>
          @if (r.state === 'queued' || r.state === 'running') {
            <div class="h-1 rounded bg-line-soft mt-1">
              <div class="h-full bg-act rounded" [style.width.%]="r.progress * 100"></div>
            </div>
          } @else if (r.problem) {
            <div class="check check-refused mt-1" role="alert" data-testid="import-problem">
              {{ r.problem.message }}
            </div>
          }
        </div>
      }
    }
    <h3 class="text-[12px] text-ink-2 px-4 pt-4 pb-1">Taken in</h3>
    @for (d of sources(); track d.id) {
      <details class="mx-4 border-t border-line-soft py-1.5 text-[13px]">
        <summary class="cursor-pointer flex items-center gap-2 min-h-[28px]">
          <span class="truncate flex-1 font-[550]" [title]="d.name">{{ d.name }}</span>
          @if (looks(d)) {
            <span class="tag-look">{{ looks(d) }} {{ looks(d) === 1 ? 'check' : 'checks' }}</span>
          } @else {
            <span class="text-fine text-[12px]">in order</span>
          }
        </summary>
        <p class="num text-ink-2 py-1 leading-[1.5]">{{ facts(d) }}</p>
        <helk-dataset-checks class="mb-1" [item]="d" (system)="card.open(d.id, 'system')" />
        <button class="link text-[12.5px]" (click)="bench.show(d.id, bench.activePane(), false)">See it</button>
      </details>
    } @empty {
      <p class="px-4 py-2 text-ink-2">
        Nothing yet. What is taken in is never changed: every step makes a new dataset beside it.
      </p>
    }
    @if (samples.value(); as all) {
      <h3 class="text-[12px] text-ink-2 px-4 pt-4 pb-1">Sample files to try</h3>
      @for (s of all; track s.file) {
        <div class="mx-4 border-t border-line-soft py-1.5 text-[13px] flex items-center gap-2 min-h-[36px]">
          <span class="min-w-0 flex-1">
            <span class="block truncate">{{ s.file }}</span>
            <span class="block text-[12px] text-ink-2 truncate" [title]="s.about">{{ s.about }}</span>
          </span>
          <button
            class="link text-[12.5px] flex-none"
            (click)="fetchSample(s.file)"
            [attr.aria-label]="'Bring in ' + s.file"
          >
            Bring in
          </button>
        </div>
      }
    }
  `,
})
export class Gather {
  protected readonly store = inject(ProjectStore);
  protected readonly bench = inject(BenchStore);
  protected readonly card = inject(Card);
  protected readonly over = signal(false);
  protected readonly lookFirst = signal(false);
  private readonly api = inject(Api);
  private readonly review = inject(ReviewStore);
  protected readonly samples = resource({ loader: () => this.api.samples().catch(() => []) });
  protected readonly service = inject(ServiceStore);
  /** The service asked last, else the one that is offered. */
  protected readonly address = linkedSignal(() => this.service.address() || (this.service.offers()[0]?.address ?? ''));
  protected readonly offered = computed(() => this.service.offers().find((o) => o.address === this.address()));
  private readonly since = new Date().toISOString();
  protected readonly imports = computed(() => {
    const all = this.store.runEntities().filter((r) => r.method === 'import' && r.state !== 'done');
    const live = (r: (typeof all)[number]): boolean => r.state === 'queued' || r.state === 'running';
    return [
      { title: 'Under way', runs: all.filter(live) },
      { title: 'Not taken in', runs: all.filter((r) => !live(r) && r.createdAt > this.since).reverse() },
    ].filter((g) => g.runs.length);
  });
  /** What arrived last is what one wants to look at. */
  protected readonly sources = computed(() =>
    this.store
      .datasetEntities()
      .filter((d) => d.source)
      .reverse(),
  );

  protected ask(): void {
    void this.service.look(this.address());
  }

  protected looks(d: DatasetItem): number {
    return d.checks.filter((c) => c.level !== 'fine').length;
  }

  protected facts(d: DatasetItem): string {
    const crs = crsOf(d.info);
    const parts = [summaryOf(d)];
    const kind = kindOf(d.info);
    if (kind.placed) parts.push(crs ? (crs.code ?? crs.name) : 'system not known');
    parts.push(...kind.arrival(d.info));
    parts.push(formatBytes(d.source!.bytes));
    return parts.join(' · ');
  }

  protected drop(e: DragEvent): void {
    e.preventDefault();
    this.over.set(false);
    void this.take([...(e.dataTransfer?.files ?? [])]);
  }

  protected choose(field: HTMLInputElement): void {
    void this.take([...(field.files ?? [])]);
    field.value = '';
  }

  private async take(loose: File[]): Promise<void> {
    const files = await this.store.guarded(() => together(loose));
    if (!files) return;
    const first = files.filter((f) => this.lookFirst() || REVIEWED.test(f.name));
    if (first.length) void this.review.look(first);
    const rest = files.filter((f) => !first.includes(f));
    if (rest.length) void this.store.takeIn(rest);
  }

  protected async fetchSample(file: string): Promise<void> {
    const f = await this.store.guarded(() => this.api.sample(file));
    if (f) await this.take([f]);
  }
}

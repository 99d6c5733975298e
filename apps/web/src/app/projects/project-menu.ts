import { CdkMenu, CdkMenuItem, CdkMenuTrigger } from '@angular/cdk/menu';
import { Dialog, DialogRef } from '@angular/cdk/dialog';
import { ChangeDetectionStrategy, Component, computed, inject, signal, TemplateRef, viewChild } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { formatBytes, kindOf } from '@helk/core';
import type { ApiProject } from '@helk/core/api/schemas';
import { ICONS } from '../parts/icons';
import { ProjectStore, summaryOf } from '../state/project.store';

/** The project's name, and what can be done with projects: switch, make, open, save, delete. */
@Component({
  selector: 'helk-project-menu',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CdkMenu, CdkMenuItem, CdkMenuTrigger, NgIcon],
  viewProviders: [provideIcons(ICONS)],
  template: `
    <button
      class="flex items-center gap-1.5 min-w-0 text-left max-w-full h-[24px] px-2 -mx-2 rounded hover:bg-act-soft"
      [cdkMenuTriggerFor]="menu"
      aria-label="Projects"
      data-testid="project-menu"
    >
      <span class="min-w-0 font-[600] truncate leading-tight" data-testid="project-name">{{
        store.project()?.name ?? 'No project'
      }}</span>
      <ng-icon name="lucideChevronDown" size="14" class="text-ink-3 flex-none" />
    </button>
    <input
      #file
      type="file"
      accept=".helk"
      class="sr-only"
      tabindex="-1"
      aria-hidden="true"
      (change)="open($any($event.target))"
      data-testid="project-file"
    />
    <ng-template #menu>
      <div cdkMenu class="popover py-1 w-[300px] text-[13px]">
        <!-- However many there are, what can be done with them stays in sight. -->
        <div class="max-h-[min(44vh,420px)] overflow-auto" data-testid="project-list">
          @for (p of store.projects(); track p.id) {
            @if (p.problem) {
              <button cdkMenuItem class="item" (cdkMenuItemTriggered)="ask('broken', p)" data-testid="broken-project">
                <span class="truncate flex-1 text-ink-2">{{ p.name }}</span><span class="text-look flex-none"
                  >cannot be opened</span
                >
              </button>
            } @else {
              <button cdkMenuItem class="item" (cdkMenuItemTriggered)="store.open(p.id)">
                <span class="truncate flex-1" [class.font-[600]]="p.id === store.project()?.id">{{ p.name }}</span><span
                  class="num text-ink-2"
                  >{{ size(p.bytes) }}</span
                >
              </button>
            }
          }
        </div>
        <div class="border-t border-line-soft my-1"></div>
        <button cdkMenuItem class="item" (cdkMenuItemTriggered)="ask('new')">New project …</button>
        <button cdkMenuItem class="item" (cdkMenuItemTriggered)="file.click()">Open a saved project …</button>
        @if (store.project(); as p) {
          <button cdkMenuItem class="item" (cdkMenuItemTriggered)="save(p.id)">Save as one file</button>
          <button cdkMenuItem class="item" (cdkMenuItemTriggered)="ask('several')" [disabled]="!sets().length">
            Save several as one GeoPackage …
          </button>
          <button cdkMenuItem class="item" (cdkMenuItemTriggered)="ask('rename')">Rename …</button>
          <button cdkMenuItem class="item text-no" (cdkMenuItemTriggered)="ask('delete')">Delete …</button>
        }
      </div>
    </ng-template>
    <ng-template #dialog let-kind>
      <form class="popover p-5 w-[380px] grid grid-cols-1 gap-3" (submit)="done($event, kind)">
        @if (kind === 'delete') {
          <h2 class="voice text-[19px]">Delete “{{ store.project()?.name }}”?</h2>
          <p class="text-[13px] text-ink-2">
            All its {{ store.datasetEntities().length }} datasets and runs go with it. This cannot be undone; save it as
            one file first if you may want it again.
          </p>
        } @else if (kind === 'broken') {
          <h2 class="voice text-[19px]">“{{ about()?.name }}” cannot be opened</h2>
          <p class="text-[13px]">{{ about()?.problem }}</p>
          <p class="text-[13px] text-ink-2">
            The file ({{ size(about()?.bytes ?? 0) }}) stays where it is until it is deleted; the other projects are not
            touched by it.
          </p>
        } @else if (kind === 'several') {
          <h2 class="voice text-[19px]">Which go into one GeoPackage?</h2>
          <div class="max-h-[300px] overflow-auto border border-line rounded-[6px] bg-leaf py-1">
            @for (d of sets(); track d.id) {
              <label class="flex items-center gap-2 px-3 h-[28px] text-[13px]"
                ><input type="checkbox" name="dataset" [value]="d.id" [checked]="d.runId && d.role" /><span
                  class="truncate flex-1"
                  >{{ d.name }}</span
                ><span class="text-[12px] text-ink-2">{{ summary(d) }}</span></label
              >
            }
          </div>
          <p class="text-[12.5px] text-ink-2">Features and tables, each in its own system.</p>
        } @else {
          <h2 class="voice text-[19px]">
            {{ kind === 'new' ? 'What is the new project called?' : 'What should it be called?' }}
          </h2>
          <input
            name="name"
            required
            maxlength="200"
            [value]="kind === 'rename' ? store.project()?.name : ''"
            aria-label="Name of the project"
            autocomplete="off"
          />
        }
        <div class="flex justify-end gap-2">
          <button type="button" class="btn" (click)="close()">Keep as it is</button>
          <button class="btn btn-act" [class.!bg-no]="deletes(kind)" [class.!border-no]="deletes(kind)">
            {{ deletes(kind) ? 'Delete' : kind === 'new' ? 'Make it' : kind === 'several' ? 'Save' : 'Rename' }}
          </button>
        </div>
      </form>
    </ng-template>
  `,
  styles: `
    .item {
      display: flex;
      gap: 12px;
      align-items: center;
      width: 100%;
      height: 32px;
      padding: 0 14px;
      text-align: left;
    }
    .item:hover,
    .item:focus {
      background: var(--act-soft);
      outline: none;
    }
  `,
})
export class ProjectMenu {
  protected readonly store = inject(ProjectStore);
  private readonly dialogs = inject(Dialog);
  private readonly dialog = viewChild.required<TemplateRef<unknown>>('dialog');
  private opened: DialogRef | null = null;
  protected readonly size = formatBytes;

  protected readonly summary = summaryOf;
  protected readonly sets = computed(() => this.store.datasetEntities().filter((d) => kindOf(d.info).rows));

  /** The project that cannot be opened and is spoken of. */
  protected readonly about = signal<ApiProject | null>(null);
  protected readonly deletes = (kind: string): boolean => kind === 'delete' || kind === 'broken';

  protected ask(kind: 'new' | 'rename' | 'delete' | 'several' | 'broken', about: ApiProject | null = null): void {
    this.about.set(about);
    this.opened = this.dialogs.open(this.dialog(), { data: kind, templateContext: () => ({ $implicit: kind }) });
  }

  protected close(): void {
    this.opened?.close();
  }

  protected done(e: Event, kind: string): void {
    e.preventDefault();
    const name = String(new FormData(e.target as HTMLFormElement).get('name') ?? '').trim();
    const p = this.store.project();
    if (kind === 'several' && p) {
      const ids = new FormData(e.target as HTMLFormElement).getAll('dataset').map(String);
      if (!ids.length) return;
      const a = document.createElement('a');
      a.href = `/api/projects/${p.id}/export?datasets=${ids.join(',')}`;
      a.download = '';
      a.click();
      this.close();
      return;
    }
    const broken = this.about();
    if (kind === 'broken' && broken) void this.store.deleteProject(broken.id);
    else if (kind === 'delete' && p) void this.store.deleteProject(p.id);
    else if (name && kind === 'new') void this.store.createProject(name);
    else if (name) void this.store.patchProject({ name });
    else return;
    this.close();
  }

  protected open(field: HTMLInputElement): void {
    const f = field.files?.[0];
    field.value = '';
    if (f) void this.store.openFile(f);
  }

  protected save(id: string): void {
    const a = document.createElement('a');
    a.href = `/api/projects/${id}/file`;
    a.download = '';
    a.click();
  }
}

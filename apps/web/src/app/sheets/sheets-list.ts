import { CdkMenu, CdkMenuItem, CdkMenuTrigger } from '@angular/cdk/menu';
import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import type { Finding } from '@helk/core/sheet/finding';
import { pageNamed } from '@helk/core/sheet/pages';
import { ICONS } from '../parts/icons';
import { KeptRow } from '../parts/kept-row';
import { chosenFile } from '../parts/save';
import { Desk } from '../state/desk';
import { Findings } from '../state/findings';
import { MapSheets } from '../state/map-sheets';
import { ProjectStore } from '../state/project.store';
import { ReportsList } from '../report/reports-list';
import { DrawnList } from './drawn-list';
import { FirstSheet } from './first-sheet';
import { placed } from './placing';
import { TEMPLATES, type TemplateId } from './templates';

/** Findings and map sheets of the project. */
@Component({
  selector: 'helk-sheets-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CdkMenu, CdkMenuItem, CdkMenuTrigger, DrawnList, KeptRow, NgIcon, ReportsList],
  viewProviders: [provideIcons(ICONS)],
  templateUrl: './sheets-list.html',
})
export class SheetsList {
  protected readonly desk = inject(Desk);
  protected readonly findings = inject(Findings);
  protected readonly sheets = inject(MapSheets);
  private readonly store = inject(ProjectStore);
  private readonly first = inject(FirstSheet);
  protected readonly templates = TEMPLATES;
  /** The finding whose words are being written. */
  protected readonly open = signal<string | null>(null);
  protected readonly making = signal(false);
  protected readonly can = computed(() => this.first.maps().length > 0);
  protected readonly all = computed(() =>
    this.store.sheets().map((s) => {
      const sheet = s.id === this.sheets.id() ? (this.sheets.sheet() ?? s.sheet) : s.sheet;
      const { width, height } = sheet.page;
      const named = pageNamed(width, height);
      const maps = sheet.parts.filter((p) => p.kind === 'frame').length;
      return {
        id: s.id,
        name: sheet.name,
        on: this.sheets.id() === s.id,
        words: `${named ? `${named.name} ${named.across ? 'across' : 'upright'}` : `${width} × ${height} mm`} · ${maps === 1 ? 'one map' : `${maps} maps`}`,
      };
    }),
  );
  protected readonly kinds: Record<string, string> = { panes: 'view', panel: 'chart', figures: 'figures' };

  protected async make(template: TemplateId): Promise<void> {
    this.making.set(true);
    await this.store.guarded(async () => this.sheets.begin(await this.first.ofPanes(template)));
    this.making.set(false);
  }

  protected openFile(field: HTMLInputElement): void {
    const file = chosenFile(field);
    if (file) void this.sheets.openFile(file);
  }

  protected show(f: Finding): void {
    this.desk.clear();
    this.findings.show(f);
  }

  /** Puts a finding onto the sheet that lies on the desk. */
  protected async place(f: Finding): Promise<void> {
    const list = await this.findings.drawing(f);
    this.sheets.change((s) => {
      const at = placed(s, 'finding', list ? list.width / list.height : 1.5);
      return { ...s, parts: [...s.parts, { kind: 'finding', id: at.id, ...at.box, finding: f.id }] };
    });
    const last = this.sheets.sheet()?.parts.at(-1);
    if (last) this.sheets.chosen.set([last.id]);
  }

  protected move(f: Finding, by: number): void {
    const ids = this.findings.all().map((x) => x.id);
    const i = ids.indexOf(f.id);
    if (i + by < 0 || i + by >= ids.length) return;
    ids.splice(i, 1);
    ids.splice(i + by, 0, f.id);
    void this.findings.order(ids);
  }

  protected readonly text = (e: Event): string => (e.target as HTMLInputElement).value;
}

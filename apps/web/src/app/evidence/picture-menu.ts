import { CdkMenu, CdkMenuItem, CdkMenuTrigger } from '@angular/cdk/menu';
import { ChangeDetectionStrategy, Component, inject, input } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { ICONS } from '../parts/icons';
import type { PictureFormat } from '../pane/picture';
import { copyPicture, saveBlob } from '../parts/save';
import { PANEL_HEAD } from './chart-look';
import { Findings } from '../state/findings';
import { ProjectStore } from '../state/project.store';

/** The charts of a panel as a picture, to a file or the clipboard, in a size that is told. */
@Component({
  selector: 'helk-picture-menu',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CdkMenu, CdkMenuItem, CdkMenuTrigger, NgIcon],
  viewProviders: [provideIcons(ICONS)],
  template: `
    <button
      class="icon-btn !w-7"
      [cdkMenuTriggerFor]="pictures"
      aria-label="Picture of this chart"
      title="Picture of this chart"
      data-testid="chart-picture"
    >
      <ng-icon name="lucideCamera" size="14" />
    </button>
    <ng-template #pictures>
      <div cdkMenu class="popover py-1 w-[236px] text-[13px]">
        @for (finer of [1, 2, 4]; track finer) {
          <button cdkMenuItem class="menu-row" (cdkMenuItemTriggered)="make(finer, false)">
            Picture (PNG, <span class="num">{{ pixels(finer) }}</span>)
          </button>
        }
        <button cdkMenuItem class="menu-row" (cdkMenuItemTriggered)="make(2, true)">Copy picture</button>
        <button cdkMenuItem class="menu-row" (cdkMenuItemTriggered)="make(2, false, 'svg')">Drawing (SVG)</button>
        <button cdkMenuItem class="menu-row" (cdkMenuItemTriggered)="make(2, false, 'pdf')">Document (PDF)</button>
        @if (pins()) {
          <button cdkMenuItem class="menu-row" (cdkMenuItemTriggered)="findings.pinPanel()">Pin as a finding</button>
        }
      </div>
    </ng-template>
  `,
})
export class PictureMenu {
  /** What holds the charts. */
  readonly host = input.required<HTMLElement>();
  readonly title = input.required<string>();
  /** It is the panel of evidence, which can be pinned by itself. */
  readonly pins = input(false);
  protected readonly findings = inject(Findings);
  private readonly project = inject(ProjectStore);

  protected pixels(finer: number): string {
    const { width, height } = this.host().getBoundingClientRect();
    return `${Math.round(width * finer)} × ${Math.round((height + PANEL_HEAD) * finer)}`;
  }

  protected make(finer: number, copied: boolean, format: PictureFormat = 'png'): void {
    void this.project.guarded(async () => {
      const [{ panelList }, { pictureFile }] = await Promise.all([import('./panel-list'), import('../pane/picture')]);
      const file = await pictureFile(panelList(this.host(), this.title()), format, { title: this.title(), finer });
      if (copied) {
        await copyPicture(file);
        this.project.notify('Copied.');
      } else saveBlob(file, `${this.title().replace(/[^\p{L}\p{N} ,._-]+/gu, '_')}.${format}`);
    });
  }
}

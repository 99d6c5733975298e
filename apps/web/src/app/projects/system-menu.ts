import { CdkConnectedOverlay, CdkOverlayOrigin } from '@angular/cdk/overlay';
import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { placeOfExtent, suggestSystems, systemText } from '@helk/core';
import { CrsField } from '../parts/crs-field';
import { ProjectStore } from '../state/project.store';

/** The system of the project's maps: what it is, and what else it could be. Only the analyst changes it. */
@Component({
  selector: 'helk-system-menu',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CdkConnectedOverlay, CdkOverlayOrigin, CrsField],
  host: { class: 'block' },
  template: `
    <button
      cdkOverlayOrigin
      #o="cdkOverlayOrigin"
      class="block max-w-full h-[24px] px-2 -mx-2 rounded text-[12px] leading-tight text-ink-2 truncate hover:bg-act-soft"
      data-testid="system"
      [attr.aria-expanded]="open()"
      [title]="'Maps, drawing and coordinates are in ' + name()"
      (click)="open.set(!open())"
    >
      {{ line() }}
    </button>
    <ng-template
      cdkConnectedOverlay
      [cdkConnectedOverlayOrigin]="o"
      [cdkConnectedOverlayOpen]="open()"
      [cdkConnectedOverlayOffsetY]="4"
      (overlayOutsideClick)="outside($event)"
      (detach)="open.set(false)"
      (overlayKeydown)="$event.key === 'Escape' && open.set(false)"
    >
      <div
        class="popover w-[380px] p-4 grid grid-cols-1 gap-3 text-[13px]"
        role="dialog"
        aria-label="System of the project"
      >
        <div>
          <h2 class="voice text-[18px] leading-tight">In which system do we look at it?</h2>
          <p class="text-ink-2 mt-1">{{ name() }}{{ code() === name() ? '' : ', ' + code() }}, in {{ unit() }}</p>
        </div>
        @if (suggested().length) {
          <div class="grid grid-cols-1 gap-0.5" data-testid="suggested-systems">
            @for (s of suggested(); track s.code) {
              <button
                class="text-left px-2 py-1.5 rounded hover:bg-act-soft"
                [class.bg-act-soft]="s.code === code()"
                (click)="take(s.code)"
              >
                <span class="flex justify-between gap-2"
                  ><span class="font-[550] truncate">{{ s.name }}</span
                  ><span class="num flex-none">{{ s.code }}</span></span
                >
                <span class="block text-[12px] text-ink-2">{{ s.reason }}</span>
              </button>
            }
          </div>
        }
        <label class="grid grid-cols-1 gap-1"
          ><span class="text-ink-2">Another one</span>
          <helk-crs-field value="" [place]="place()" (picked)="take($event)"
        /></label>
        <p class="text-[12px] text-ink-2">
          Maps, drawing, readout and coordinates follow. Data stay as they are; results keep the system they were made
          in.
        </p>
      </div>
    </ng-template>
  `,
})
export class SystemMenu {
  private readonly store = inject(ProjectStore);
  protected readonly open = signal(false);
  protected readonly code = computed(() => this.store.crs().code ?? this.store.crs().name);
  protected readonly name = computed(() => this.store.crs().name);
  protected readonly unit = computed(
    () => ({ m: 'metres', '°': 'degrees' })[this.store.crs().unit] ?? this.store.crs().unit,
  );
  /** `EPSG:32627 · UTM zone 27N · metres`; the datum stands in the code. */
  protected readonly line = computed(() =>
    [...new Set([this.code(), this.name().replace(/^WGS 84 \/ /, ''), this.unit()])].join(' · '),
  );
  protected readonly suggested = computed(() =>
    suggestSystems(this.store.datasetEntities().map((d) => d.info)).map(({ crs, reason }) => ({
      code: systemText(crs),
      name: crs.name,
      reason,
    })),
  );
  protected readonly place = computed(() => placeOfExtent(this.store.crs(), this.store.extent()));

  protected take(code: string): void {
    if (!code.trim()) return;
    this.open.set(false);
    void this.store.patchProject({ crs: code.trim() });
  }

  /** The list of the search lies in an overlay of its own. */
  protected outside(e: MouseEvent): void {
    if (!(e.target instanceof Element) || !e.target.closest('.cdk-overlay-container, helk-system-menu'))
      this.open.set(false);
  }
}

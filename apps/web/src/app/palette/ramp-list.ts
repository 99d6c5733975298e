import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { rampOf, type Ramp } from '@helk/core';
import { rampIdOf } from '@helk/core/render/palette';
import { rampCss } from '../draw/ramps';
import { ICONS } from '../parts/icons';
import { chosenFile } from '../parts/save';
import { Palettes } from '../state/palettes';
import { PaletteDialog } from './palette-dialog';

/** Ramps to draw with: those of the catalogue, own ones, and the way to make one. */
@Component({
  selector: 'helk-ramp-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon],
  viewProviders: [provideIcons(ICONS)],
  host: { class: 'block' },
  template: `
    <div
      [class]="compact() ? 'flex gap-1 flex-wrap' : 'grid grid-cols-1 gap-0.5 max-h-[186px] overflow-y-auto'"
      role="radiogroup"
      aria-label="Colour ramp"
    >
      @for (r of shown(); track r.id) {
        @if (compact()) {
          <button
            class="h-[18px] w-[34px] rounded-[3px] border"
            [class]="r.id === ramp() ? 'border-act outline outline-1 outline-act' : 'border-line'"
            [style.background]="css(r.id)"
            role="radio"
            [attr.aria-checked]="ramp() === r.id"
            (click)="picked.emit(r.id)"
            [attr.aria-label]="r.title"
            [title]="r.title"
          ></button>
        } @else {
          <div class="flex items-center group">
            <button
              class="flex flex-1 min-w-0 items-center gap-2 h-[26px] px-1.5 rounded"
              [class.bg-act-soft]="ramp() === r.id"
              role="radio"
              [attr.aria-checked]="ramp() === r.id"
              (click)="picked.emit(r.id)"
            >
              <span class="h-3 w-28 flex-none rounded-[2px]" [style.background]="css(r.id)"></span
              ><span class="truncate" [title]="r.title">{{ r.title }}</span>
            </button>
            @if (r.own; as own) {
              <button
                class="icon-btn !w-[24px] !h-[24px]"
                (click)="edit(own.id)"
                [attr.aria-label]="'Change ' + r.title"
                title="Change these colours"
              >
                <ng-icon name="lucidePencil" size="12" />
              </button>
            }
          </div>
        }
      }
    </div>
    <div class="flex gap-3 text-[12.5px] mt-1 pl-1.5">
      <button class="link" (click)="make()" data-testid="make-palette">Put colours together</button>
      <label class="link cursor-pointer"
        >Open a file<input #file type="file" class="sr-only" accept=".json" (change)="openFile(file)"
      /></label>
    </div>
  `,
})
export class RampList {
  readonly ramp = input.required<string>();
  readonly reversed = input(false);
  readonly compact = input(false);
  readonly kinds = input<readonly Ramp['kind'][]>(['sequential', 'diverging', 'cyclic']);
  readonly picked = output<string>();
  private readonly palettes = inject(Palettes);
  private readonly dialog = inject(PaletteDialog);
  protected readonly shown = computed(() => {
    const all = this.palettes.ramps().filter((r) => this.kinds().includes(r.kind));
    // Colours in use whose palette has been changed or removed since are still these.
    return all.some((r) => r.id === this.ramp()) ? all : [...all, { ...rampOf(this.ramp()), own: null }];
  });

  protected css(id: string): string {
    return rampCss({ ramp: id, reversed: this.reversed(), breaks: [] });
  }

  protected async make(): Promise<void> {
    const { kind, stops } = rampOf(this.ramp());
    const kept = await this.dialog.open({ own: null, begin: { kind, colours: [...stops] } });
    if (kept && kept.palette.kind !== 'classes') this.picked.emit(rampIdOf(kept.palette));
  }

  protected async edit(id: string): Promise<void> {
    const own = this.palettes.all().find((p) => p.id === id);
    if (!own) return;
    const inUse = rampIdOf(own.palette) === this.ramp();
    const kept = await this.dialog.open({ own, begin: own.palette });
    if (kept && inUse) this.picked.emit(rampIdOf(kept.palette));
  }

  protected async openFile(field: HTMLInputElement): Promise<void> {
    const file = chosenFile(field);
    const kept = file && (await this.palettes.openFile(file));
    if (kept && kept.palette.kind !== 'classes') this.picked.emit(rampIdOf(kept.palette));
  }
}

import { Dialog } from '@angular/cdk/dialog';
import { ChangeDetectionStrategy, Component, inject, output } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { ICONS } from '../parts/icons';
import { SliderRow } from '../parts/slider-row';
import { Backgrounds, COASTS, NO_GROUND } from '../state/backgrounds';
import { BenchStore } from '../state/bench.store';
import { ProjectStore } from '../state/project.store';

/** What lies under the data of every map, and how strong it is. */
@Component({
  selector: 'helk-background-menu',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon, SliderRow],
  viewProviders: [provideIcons(ICONS)],
  host: { class: 'popover block w-[300px] p-3 text-[13px]', 'data-testid': 'background-menu' },
  template: `
    <h3 class="voice italic text-[17px] leading-tight mb-2">What lies under the data?</h3>
    <div role="radiogroup" aria-label="Background" class="grid grid-cols-1 gap-0.5">
      @for (o of plain; track o.id) {
        <label class="flex gap-2 items-start py-1 cursor-pointer">
          <input
            type="radio"
            name="helk-background"
            class="mt-[3px]"
            [checked]="bench.background() === o.id"
            (change)="backgrounds.choose(o.id)"
            [attr.data-testid]="'background-' + o.id"
          />
          <span
            >{{ o.label }}<span class="block text-[12px] text-ink-2">{{ o.about }}</span></span
          >
        </label>
      }
      @for (b of backgrounds.all(); track b.id) {
        <div class="flex gap-1 items-start">
          <label class="flex gap-2 items-start py-1 cursor-pointer min-w-0 flex-1">
            <input
              type="radio"
              name="helk-background"
              class="mt-[3px]"
              [checked]="bench.background() === b.id"
              (change)="backgrounds.choose(b.id)"
              [attr.aria-label]="b.background.name"
            />
            <span class="min-w-0"
              ><span class="block truncate" [title]="b.background.name">{{ b.background.name }}</span
              ><span class="block text-[12px] text-ink-2 truncate" [title]="b.background.address">{{
                b.background.credit || b.background.address
              }}</span></span
            >
          </label>
          <button
            class="icon-btn !w-[24px] !h-[24px]"
            (click)="backgrounds.remove(b)"
            [attr.aria-label]="'Remove ' + b.background.name"
            title="Remove"
          >
            <ng-icon name="lucideX" size="13" />
          </button>
        </div>
      }
    </div>
    @if (!system()) {
      <p class="check check-look mt-1">
        Nothing can be laid under these data: nobody said in which system they are. <em>About</em> in a dataset’s menu
        takes it.
      </p>
    }
    <button class="link mt-1" (click)="another()" data-testid="background-another">Tiles of a service…</button>
    @if (bench.background() !== 'none') {
      <helk-slider-row
        class="mt-3 pt-2 border-t border-line-soft"
        label="How strong"
        [range]="[0, 1, 0.05]"
        [value]="bench.backgroundStrength()"
        [text]="percent()"
        (moved)="bench.set({ backgroundStrength: $event })"
      />
    }
  `,
})
export class BackgroundMenu {
  protected readonly backgrounds = inject(Backgrounds);
  protected readonly bench = inject(BenchStore);
  protected readonly system = inject(ProjectStore).system;
  private readonly dialog = inject(Dialog);
  /** Something else takes its place. */
  readonly left = output();
  protected readonly plain = [
    { id: NO_GROUND, label: 'Nothing', about: '' },
    { id: COASTS, label: 'Coasts of the world', about: 'Natural Earth, 1 : 50 000 000: good to a few kilometres' },
  ];

  protected percent = (): string => `${Math.round(100 * this.bench.backgroundStrength())} %`;

  protected async another(): Promise<void> {
    this.left.emit();
    const { BackgroundDialog } = await import('./background-dialog');
    this.dialog.open(BackgroundDialog);
  }
}

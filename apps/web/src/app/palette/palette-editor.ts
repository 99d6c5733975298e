import { DIALOG_DATA, DialogRef } from '@angular/cdk/dialog';
import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import type { ApiPalette } from '@helk/core/api/schemas';
import { PALETTE_COLOURS, type Palette } from '@helk/core/render/palette';
import { EYES } from '@helk/core/render/seen';
import { fileName } from '@helk/core/sheet/fields';
import { coloursCss } from '../draw/ramps';
import { ICONS } from '../parts/icons';
import { saveText } from '../parts/save';
import { Palettes } from '../state/palettes';
import { paletteChecks, seenColours } from './palette-words';

export interface PaletteAsked {
  /** One that is there; else colours to begin with. */
  own: ApiPalette | null;
  begin: Pick<Palette, 'kind' | 'colours'>;
}

const KINDS: { id: Palette['kind']; label: string }[] = [
  { id: 'sequential', label: 'from low to high' },
  { id: 'diverging', label: 'two ways from a middle' },
  { id: 'cyclic', label: 'round, end at beginning' },
  { id: 'classes', label: 'for classes, one each' },
];

/** Puts colours together: by hand, with how eyes and printers of every kind will see them. */
@Component({
  selector: 'helk-palette-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon],
  viewProviders: [provideIcons(ICONS)],
  template: `
    <div
      class="popover w-[460px] max-w-[94vw] max-h-[88vh] overflow-auto p-5 grid grid-cols-1 gap-3 text-[13px]"
      data-testid="palette-editor"
    >
      <h2 class="voice italic text-[22px] leading-tight">{{ asked.own ? 'A palette' : 'A new palette' }}</h2>
      <label class="grid grid-cols-[90px_1fr] items-center gap-3"
        >Name<input
          data-testid="palette-name"
          [value]="palette().name"
          maxlength="80"
          (input)="put({ name: text($event) })"
      /></label>
      <label class="grid grid-cols-[90px_1fr] items-center gap-3"
        >Goes
        <select data-testid="palette-kind" (change)="put({ kind: $any(text($event)) })">
          @for (k of kinds; track k.id) {
            <option [value]="k.id" [selected]="k.id === palette().kind">{{ k.label }}</option>
          }
        </select></label
      >
      <div class="grid grid-cols-[90px_1fr] gap-3">
        <span>Colours</span>
        <ol class="grid grid-cols-2 gap-x-4 gap-y-1">
          @for (c of palette().colours; track $index; let i = $index) {
            <li class="flex items-center gap-1.5">
              <span class="num w-4 text-right text-ink-2 text-[11.5px]">{{ i + 1 }}</span>
              <input
                type="color"
                class="w-[26px] !h-[22px] !min-h-0 !p-0 flex-none"
                [value]="c"
                (input)="colour(i, text($event))"
                [attr.aria-label]="'Colour ' + (i + 1)"
              />
              <input
                class="num w-[74px] !min-h-[24px] !py-0 text-[12px]"
                [value]="c"
                (change)="typed(i, $event)"
                [attr.aria-label]="'Colour ' + (i + 1) + ' as text'"
              />
              <button
                class="icon-btn !w-[24px] !h-[24px]"
                [disabled]="palette().colours.length <= least"
                (click)="leave(i)"
                [attr.aria-label]="'Leave out colour ' + (i + 1)"
                title="Leave out"
              >
                <ng-icon name="lucideX" size="12" />
              </button>
            </li>
          }
        </ol>
      </div>
      <div class="flex gap-3 pl-[102px]">
        <button class="link" (click)="more()" [disabled]="palette().colours.length >= most" data-testid="palette-more">
          One more
        </button>
        <button class="link" (click)="turn()">Turn round</button>
      </div>
      <div class="grid grid-cols-[130px_1fr] gap-x-3 gap-y-1.5 items-center" aria-label="Seen by others">
        @for (e of seen(); track e.label) {
          <span class="text-ink-2">{{ e.label }}</span>
          <span class="h-4 rounded-[2px] border border-line-soft" [style.background]="e.css"></span>
        }
      </div>
      @for (w of checks(); track w) {
        <p class="check check-look" data-testid="palette-check">{{ w }}</p>
      } @empty {
        <p class="check check-fine">Every eye can follow it.</p>
      }
      <div class="flex items-center gap-3">
        <button class="btn btn-act" (click)="keep()" [disabled]="!palette().name.trim()" data-testid="palette-keep">
          Keep it
        </button>
        <button class="link" (click)="save()">Save as a file</button>
        <span class="flex-1"></span>
        @if (asked.own; as own) {
          <button class="link text-no" (click)="remove(own)">Remove</button>
        }
        <button class="link" (click)="ref.close()">Leave it</button>
      </div>
    </div>
  `,
})
export class PaletteEditor {
  protected readonly asked = inject<PaletteAsked>(DIALOG_DATA);
  protected readonly ref = inject<DialogRef<ApiPalette>>(DialogRef);
  private readonly palettes = inject(Palettes);
  protected readonly kinds = KINDS;
  protected readonly least = PALETTE_COLOURS.least;
  protected readonly most = PALETTE_COLOURS.most;
  protected readonly palette = signal<Palette>(
    this.asked.own?.palette ?? {
      format: 'helk-palette',
      version: 1,
      name: 'Own colours',
      ...this.asked.begin,
    },
  );
  protected readonly checks = computed(() => paletteChecks(this.palette()));
  protected readonly seen = computed(() => {
    const { colours, kind } = this.palette();
    return EYES.map(({ id, label }) => ({ label, css: coloursCss(seenColours(colours, id), kind === 'classes') }));
  });
  protected readonly text = (e: Event): string => (e.target as HTMLInputElement).value;

  protected put(patch: Partial<Palette>): void {
    this.palette.update((p) => ({ ...p, ...patch }));
  }

  protected colour(i: number, to: string): void {
    this.put({ colours: this.palette().colours.map((c, k) => (k === i ? to : c)) });
  }

  protected typed(i: number, e: Event): void {
    const to = this.text(e).trim().toLowerCase();
    if (/^#[0-9a-f]{6}$/.test(to)) this.colour(i, to);
    else (e.target as HTMLInputElement).value = this.palette().colours[i]!;
  }

  protected more(): void {
    const { colours } = this.palette();
    this.put({ colours: [...colours, colours.at(-1)!] });
  }

  protected leave(i: number): void {
    this.put({ colours: this.palette().colours.filter((_, k) => k !== i) });
  }

  protected turn(): void {
    this.put({ colours: [...this.palette().colours].reverse() });
  }

  protected async keep(): Promise<void> {
    const kept = await this.palettes.keep(this.palette(), this.asked.own?.id ?? null);
    if (kept) this.ref.close(kept);
  }

  protected save(): void {
    const p = this.palette();
    saveText(`${JSON.stringify(p, null, 1)}\n`, `${fileName(p.name, 'palette')}.json`, 'application/json');
  }

  protected remove(own: ApiPalette): void {
    void this.palettes.remove(own);
    this.ref.close();
  }
}

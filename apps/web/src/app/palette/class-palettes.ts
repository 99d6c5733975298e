import { ChangeDetectionStrategy, Component, inject, input, output } from '@angular/core';
import { PALETTE_COLOURS } from '@helk/core/render/palette';
import { greysOf } from '@helk/core/render/meanings';
import { Palettes } from '../state/palettes';
import { PaletteDialog } from './palette-dialog';

/** Colours of classes from a palette, in greys that are told apart, or kept as a palette. */
@Component({
  selector: 'helk-class-palettes',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'flex flex-wrap gap-x-3 gap-y-1 text-[12.5px] items-center' },
  template: `
    @if (palettes.classes().length) {
      <select
        #which
        class="!min-h-[26px] text-[12.5px] max-w-[150px]"
        aria-label="Colours from a palette"
        data-testid="class-palette"
        (change)="take(which)"
      >
        <option value="">colours from …</option>
        @for (p of palettes.classes(); track p.id) {
          <option [value]="p.id">{{ p.palette.name }}</option>
        }
      </select>
    }
    <button
      class="link"
      (click)="grey()"
      data-testid="in-grey"
      title="A grey of its own for each, as light as its colour"
    >
      In steps of grey
    </button>
    <button class="link" (click)="keep()" data-testid="keep-palette">Keep as a palette</button>
  `,
})
export class ClassPalettes {
  /** Of each class, in their order. */
  readonly colours = input.required<readonly string[]>();
  /** What they are called: some names have greys that are meant. */
  readonly labels = input.required<readonly string[]>();
  readonly put = output<string[]>();
  protected readonly palettes = inject(Palettes);
  private readonly dialog = inject(PaletteDialog);

  protected take(field: HTMLSelectElement): void {
    const p = this.palettes.classes().find((x) => x.id === field.value);
    field.value = '';
    if (!p) return;
    // Where there are fewer colours than classes they come again.
    const { colours } = p.palette;
    this.put.emit(this.colours().map((_, i) => colours[i % colours.length]!));
  }

  protected grey(): void {
    this.put.emit(greysOf(this.labels(), this.colours()));
  }

  protected async keep(): Promise<void> {
    const { least, most } = PALETTE_COLOURS;
    const own = [...new Set(this.colours())].slice(0, most);
    while (own.length < least) own.push('#000000');
    await this.dialog.open({ own: null, begin: { kind: 'classes', colours: own } });
  }
}

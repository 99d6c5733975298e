import { ChangeDetectionStrategy, Component, computed, effect, signal } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import type { Legend } from '../../kinds/legend';
import { ICONS } from '../../parts/icons';
import { PartEditor } from './edit';

/** Words and order of a key. */
@Component({
  selector: 'helk-key-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon],
  viewProviders: [provideIcons(ICONS)],
  template: `
    <div class="settings">
      <label for="key-of">Of</label>
      <select id="key-of" (change)="put({ frame: text($event) })">
        @for (f of frames(); track f.id) {
          <option [value]="f.id" [selected]="f.id === part().frame">{{ f.label }}</option>
        }
      </select>
      <label for="key-size">Letters</label>
      <span class="flex items-center gap-2"
        ><input
          id="key-size"
          class="num !w-16"
          inputmode="decimal"
          [value]="part().size"
          (change)="number($event) >= 4 && put({ size: number($event) })"
        /><span class="text-ink-2 text-[12px]">points, in</span
        ><input
          aria-label="Columns"
          type="number"
          min="1"
          max="8"
          class="num !w-14"
          [value]="part().columns"
          (change)="put({ columns: clamp(number($event)) })"
        /><span class="text-ink-2 text-[12px]">columns</span></span
      >
    </div>
    <p class="hint">Words of your own; an entry without words is left out.</p>
    @for (k of listed(); track k.id; let i = $index) {
      <section class="py-1.5 border-t border-line-soft" [attr.data-testid]="'key-words-' + k.id">
        <div class="flex items-center gap-1">
          <input
            type="checkbox"
            [attr.aria-label]="'Show ' + k.legend.title"
            [checked]="!k.hidden"
            (change)="hide(k.id, !checked($event))"
          />
          <input
            class="flex-1 min-w-0 text-[12.5px] font-[550]"
            [attr.aria-label]="'Title of ' + k.legend.title"
            [value]="worded(k.id, k.legend.title)"
            (change)="word(k.id, text($event), k.legend.title)"
          />
          <button class="icon-btn" aria-label="Earlier" title="Earlier" [disabled]="i === 0" (click)="move(i, -1)">
            <ng-icon name="lucideArrowUp" size="13" />
          </button>
          <button
            class="icon-btn"
            aria-label="Later"
            title="Later"
            [disabled]="i === listed().length - 1"
            (click)="move(i, 1)"
          >
            <ng-icon name="lucideArrowDown" size="13" />
          </button>
        </div>
        @if (!k.hidden) {
          @for (e of k.legend.entries; track $index) {
            <div class="flex items-center gap-2 pl-6 mt-1">
              <span class="w-4 h-2.5 flex-none border border-line" [style.background]="e.colour"></span>
              <input
                class="flex-1 min-w-0 text-[12px] !min-h-[26px]"
                [attr.aria-label]="'Words for ' + e.text"
                [value]="worded(k.id + '/' + $index, e.text)"
                (change)="word(k.id + '/' + $index, text($event), e.text)"
              />
            </div>
          }
        }
      </section>
    }
  `,
})
export class KeyEditor extends PartEditor<'key'> {
  private readonly legends = signal<{ id: string; legend: Legend }[]>([]);
  protected readonly listed = computed(() => {
    const { order, hidden } = this.part();
    const rank = (id: string): number => (order.includes(id) ? order.indexOf(id) : order.length);
    return this.legends()
      .map((k, i) => ({ ...k, i, hidden: hidden.includes(k.id) }))
      .sort((a, b) => rank(a.id) - rank(b.id) || a.i - b.i);
  });

  constructor() {
    super();
    effect(() => {
      const f = this.ctx().frame(this.part().frame);
      if (f)
        void this.ctx()
          .drawing(f)
          .then((d) => this.legends.set(d.keys));
    });
  }

  protected readonly clamp = (n: number): number => Math.min(8, Math.max(1, Math.round(n) || 1));

  protected readonly worded = (key: string, plain: string): string => this.part().words[key] ?? plain;

  protected hide(id: string, off: boolean): void {
    const rest = this.part().hidden.filter((h) => h !== id);
    this.put({ hidden: off ? [...rest, id] : rest });
  }

  protected word(key: string, words: string, plain: string): void {
    const { [key]: _, ...others } = this.part().words;
    this.put({ words: words === plain ? others : { ...others, [key]: words.slice(0, 200) } });
  }

  protected move(i: number, by: number): void {
    const ids = this.listed().map((k) => k.id);
    const [id] = ids.splice(i, 1);
    ids.splice(i + by, 0, id!);
    this.put({ order: ids });
  }
}

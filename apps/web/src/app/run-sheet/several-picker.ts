import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal, untracked } from '@angular/core';
import { refOf } from '@helk/core/api/refs';
import { MidName } from '../parts/mid-name';
import { stepsFrom, toldApart } from '../state/nearness';
import { BenchStore } from '../state/bench.store';
import { ProjectStore } from '../state/project.store';
import { sizedWords } from './dataset-picker';

/** One that can be ticked: a dataset, or a band of one. */
export interface Choice {
  ref: string;
  label: string;
}

/** From how many on they are searched. */
const MANY = 8;

/** Ticks several of those that fit: found by words, what is ticked and near relations first. */
@Component({
  selector: 'helk-several-picker',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MidName],
  host: { class: 'block' },
  template: `
    <div class="border border-line rounded-[6px] bg-leaf">
      @if (choices().length >= many) {
        <div class="p-1 border-b border-line-soft flex gap-1 items-center">
          <input
            class="flex-1 min-w-0 !min-h-[26px] text-[12.5px]"
            type="search"
            placeholder="Find"
            [attr.aria-label]="'Find among ' + choices().length"
            [value]="text()"
            (input)="text.set($any($event.target).value)"
          />
          <button class="link text-[12px] px-1" type="button" (click)="all(true)">all</button>
          <button class="link text-[12px] px-1" type="button" (click)="all(false)">none</button>
        </div>
      }
      <div class="max-h-[168px] overflow-auto py-1">
        @for (c of shown(); track c.ref) {
          <label class="flex items-center gap-2 px-2 py-0.5 text-[13px] min-w-0" [title]="c.title"
            ><input
              type="checkbox"
              class="flex-none"
              [checked]="on().has(c.ref)"
              (change)="tick(c.ref, $any($event.target).checked)"
            /><helk-name [text]="c.label" />
            @if (c.apart) {
              <span class="text-[11.5px] text-ink-2 truncate flex-1 min-w-[40px]">{{ c.apart }}</span>
            }
          </label>
        } @empty {
          <p class="px-2 text-ink-2">{{ choices().length ? 'None is called so.' : 'nothing here fits' }}</p>
        }
      </div>
    </div>
    <div class="text-[12px] text-ink-2 mt-0.5">{{ chosen().length }} chosen of {{ choices().length }}</div>
  `,
})
export class SeveralPicker {
  readonly choices = input.required<readonly Choice[]>();
  readonly chosen = input.required<readonly string[]>();
  readonly changed = output<string[]>();
  private readonly store = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  protected readonly many = MANY;
  protected readonly text = signal('');
  protected readonly on = computed(() => new Set(this.chosen()));
  /** The order stays while one ticks: it is that of when the list was made. */
  private readonly ordered = computed(() => {
    const there = this.store.datasetEntityMap();
    const choices = this.choices();
    if (choices.length < MANY) return [...choices];
    const steps = stepsFrom([this.bench.selected() ?? ''], this.store.datasetEntities(), this.store.runEntityMap());
    const ticked = untracked(this.on);
    const far = (c: Choice): number => (ticked.has(c.ref) ? -1 : (steps.get(refOf(c.ref).dataset) ?? Infinity));
    return choices.toSorted((a, b) => {
      const [x, y] = [far(a), far(b)];
      if (x !== y) return x - y;
      const [p, q] = [there[refOf(a.ref).dataset]?.createdAt ?? '', there[refOf(b.ref).dataset]?.createdAt ?? ''];
      return p.localeCompare(q);
    });
  });
  protected readonly shown = computed(() => {
    const there = this.store.datasetEntityMap();
    const items = this.choices().flatMap((c) => there[refOf(c.ref).dataset] ?? []);
    const apart = toldApart([...new Set(items)], this.store.runEntityMap());
    const wanted = this.text().toLowerCase().split(/\s+/).filter(Boolean);
    return this.ordered()
      .filter((c) => wanted.every((w) => c.label.toLowerCase().includes(w)))
      .map((c) => {
        const d = there[refOf(c.ref).dataset];
        return { ...c, apart: (d && apart.get(d.id)) ?? '', title: d ? `${c.label}\n${sizedWords(d)}` : c.label };
      });
  });

  protected tick(ref: string, on: boolean): void {
    const rest = this.chosen().filter((x) => x !== ref);
    this.changed.emit(on ? [...rest, ref] : rest);
  }

  /** All that are found, or none of them. */
  protected all(on: boolean): void {
    const found = new Set(this.shown().map((c) => c.ref));
    const rest = this.chosen().filter((r) => !found.has(r));
    this.changed.emit(on ? [...rest, ...this.shown().map((c) => c.ref)] : rest);
  }
}

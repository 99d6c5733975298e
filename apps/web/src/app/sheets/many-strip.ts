import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  inject,
  input,
  output,
  signal,
  untracked,
} from '@angular/core';
import { columnsOf } from '@helk/core';
import { fileNames } from '@helk/core/sheet/fields';
import type { Many } from '@helk/core/sheet/many-shape';
import { sentence } from '../api/api';
import type { DisplayList } from '../draw/display';
import { MapSheets } from '../state/map-sheets';
import { Picks } from '../state/picks';
import { ProjectStore } from '../state/project.store';
import { Composer } from './composer';
import { DrawnList } from './drawn-list';
import { ManySheets, MOST_SHEETS, type Variant } from './many';
import type { PartContext } from './parts/part';

/** Small pictures that are drawn. */
const SHOWN = 8;
const HIGH = 66;

/** Many sheets from the one on the desk: by what, how they are called, and what they look like. */
@Component({
  selector: 'helk-many-strip',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DrawnList],
  host: { class: 'block px-4 py-2 border-t border-line-soft bg-paper', 'data-testid': 'many' },
  template: `
    <div class="flex items-center gap-x-3 gap-y-1 flex-wrap text-[12.5px]">
      <h3 class="font-[600] text-[13.5px]">Many sheets from this one</h3>
      <select
        class="!min-h-[26px] text-[12.5px] max-w-[280px]"
        aria-label="One for each of"
        data-testid="many-by"
        (change)="choose(text($event))"
      >
        <option value="" [selected]="!many()">one only</option>
        @for (o of offers(); track o.id) {
          <option [value]="o.id" [selected]="o.id === chosen()">{{ o.label }}</option>
        }
      </select>
      @if (many(); as m) {
        @if (m.by === 'features') {
          <label class="flex items-center gap-1.5 text-ink-2"
            >called by
            <select
              class="!min-h-[26px] text-[12.5px] max-w-[120px]"
              data-testid="many-column"
              (change)="put({ column: text($event) || null })"
            >
              <option value="" [selected]="!m.column">its number</option>
              @for (c of columns(); track c) {
                <option [value]="c" [selected]="c === m.column">{{ c }}</option>
              }
            </select></label
          >
          <label class="tick"
            ><input
              type="checkbox"
              [checked]="m.scale === 'fit'"
              (change)="put({ scale: checked($event) ? 'fit' : 'kept' })"
            />each as large as it fits</label
          >
          <label class="tick"
            ><input type="checkbox" [checked]="m.alone" (change)="put({ alone: checked($event) })" />all else
            faded</label
          >
          @if (picked().length || m.only) {
            <label class="tick"
              ><input
                type="checkbox"
                data-testid="many-only"
                [checked]="!!m.only"
                (change)="put({ only: checked($event) ? picked() : null })"
              />only the {{ (m.only ?? picked()).length }} picked</label
            >
          }
        }
        <label class="flex items-center gap-1.5 text-ink-2"
          >files
          <input
            class="!min-h-[26px] w-[150px] text-[12.5px]"
            data-testid="many-pattern"
            [value]="m.pattern"
            (change)="put({ pattern: text($event) || '{name}' })"
        /></label>
        <span class="num text-ink-2 truncate max-w-[260px]" data-testid="many-example">{{ example() }}</span>
      }
    </div>
    @if (why(); as w) {
      <p class="check check-look mt-2">{{ w }}</p>
    }
    @if (many()) {
      <div class="flex gap-2.5 mt-2 overflow-x-auto">
        @for (s of small(); track s.name + $index) {
          <figure class="flex-none m-0">
            <div class="border border-line-soft bg-white">
              <helk-drawn-list [list]="s.list" [width]="wide()" [height]="high" />
            </div>
            <figcaption class="text-[11px] truncate" [style.width.px]="wide()" [title]="s.name">
              {{ s.name }}
            </figcaption>
          </figure>
        }
        @if (left() > 0) {
          <span class="self-center text-[12.5px] text-ink-2">and {{ left() }} more</span>
        }
      </div>
    }
  `,
})
export class ManyStrip {
  readonly ctx = input.required<PartContext>();
  private readonly sheets = inject(MapSheets);
  private readonly store = inject(ProjectStore);
  private readonly composer = inject(Composer);
  private readonly maker = inject(ManySheets);
  private readonly picks = inject(Picks);
  protected readonly high = HIGH;
  protected readonly many = computed(() => this.ctx().sheet.many);
  protected readonly offers = computed(() => this.maker.offers(this.ctx().sheet));
  protected readonly chosen = computed(() => {
    const m = this.many();
    return m ? `${m.by} ${m.by === 'rows' ? m.table : m.dataset}` : '';
  });
  protected readonly columns = computed(() => {
    const m = this.many();
    return m?.by === 'features' ? columnsOf(this.store.datasetEntityMap()[m.dataset]?.info).map((c) => c.name) : [];
  });
  /** Rows that are picked of what the sheets are made by. */
  protected readonly picked = computed((): number[] => {
    const m = this.many();
    const rows = m?.by === 'features' ? this.picks.of(m.dataset) : null;
    return rows ? [...rows.keys()].filter((i) => rows[i]).slice(0, MOST_SHEETS) : [];
  });
  /** How many sheets there will be. */
  readonly counted = output<number>();
  /** What fields stand for on the first of them. */
  readonly first = output<ReadonlyMap<string, string>>();
  private readonly sheet = computed(() => this.ctx().sheet);
  private readonly variants = signal<readonly Variant[]>([]);
  protected readonly why = signal<string | null>(null);
  protected readonly small = signal<readonly { name: string; list: Promise<DisplayList> }[]>([]);
  protected readonly left = computed(() => this.variants().length - this.small().length);
  protected readonly wide = computed(() => {
    const { width, height } = this.ctx().sheet.page;
    return Math.round((HIGH * width) / height);
  });
  protected readonly example = computed(() => {
    const [m, all] = [this.many(), this.variants()];
    if (!m || !all.length) return '';
    const name = fileNames(m.pattern, [this.composer.context(all[0]!.sheet, { more: all[0]!.values }).values()])[0]!;
    return `${all.length} ${all.length === 1 ? 'sheet' : 'sheets'}: ${name}, …`;
  });

  constructor() {
    effect((done) => {
      const sheet = this.sheet();
      if (!sheet.many) {
        untracked(() => {
          this.first.emit(new Map());
          this.variants.set([]);
          this.small.set([]);
          this.why.set(null);
        });
        return;
      }
      let gone = false;
      // What is being dragged is looked at once it rests.
      const timer = setTimeout(() => {
        this.maker.variants(sheet).then(
          (all) => {
            if (gone) return;
            this.variants.set(all);
            this.counted.emit(all.length);
            this.first.emit(all[0]?.values ?? new Map());
            this.why.set(null);
            this.drawn(all);
          },
          (e: unknown) => {
            if (!gone) this.why.set(sentence(e));
          },
        );
      }, 350);
      done(() => {
        gone = true;
        clearTimeout(timer);
      });
    });
  }

  /** One after the other: each is a map of its own. */
  private drawn(all: readonly Variant[]): void {
    let before: Promise<unknown> = Promise.resolve();
    this.small.set(
      all.slice(0, SHOWN).map((v) => {
        const list = before.then(() =>
          this.composer.list(this.composer.context(v.sheet, { more: v.values, spot: v.spot })),
        );
        before = list.catch(() => undefined);
        return { name: v.name, list };
      }),
    );
  }

  protected readonly text = (e: Event): string => (e.target as HTMLInputElement).value;
  protected readonly checked = (e: Event): boolean => (e.target as HTMLInputElement).checked;

  protected choose(id: string): void {
    const many = this.offers().find((o) => o.id === id)?.many ?? null;
    this.sheets.change((s) => ({ ...s, many }));
  }

  protected put(patch: Partial<Extract<Many, { by: 'features' }>>): void {
    this.sheets.change((s) => (s.many ? { ...s, many: { ...s.many, ...patch } as Many } : s));
  }
}

import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { compositeOf, compositesOf, type Channel, type Composite, type RasterInfo, type RasterStyle } from '@helk/core';
import { mixedOf } from '../kinds/drawn';
import type { EditorOf } from '../kinds/kind';
import { SliderRow } from '../parts/slider-row';
import { ProjectStore } from '../state/project.store';
import { STRETCHES, stretchKey, stretchOf } from './stretches';

const CHANNELS = ['Red', 'Green', 'Blue'] as const;

/** Which bands of a scene are red, green and blue, and how each is stretched. */
@Component({
  selector: 'helk-composite-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [SliderRow],
  host: { class: 'grid grid-cols-1 gap-2.5' },
  template: `
    @if (usual().length) {
      <label class="grid grid-cols-[92px_1fr] items-center gap-2">
        <span>Shows</span>
        <select
          class="min-w-0"
          aria-label="Usual composite"
          data-testid="composite"
          (change)="take($any($event.target).value)"
        >
          @for (u of usual(); track u.name) {
            <option [value]="u.name" [selected]="u.name === named()">{{ u.name }}</option>
          }
          @if (!named()) {
            <option value="" selected>chosen bands</option>
          }
        </select>
      </label>
    }
    @for (c of channels(); track $index) {
      <div class="grid grid-cols-[92px_1fr_1fr] items-center gap-2">
        <span class="flex items-center gap-1.5"
          ><i class="w-2.5 h-2.5 rounded-full inline-block" [class]="dots[$index]"></i>{{ names[$index] }}</span
        >
        <select
          class="min-w-0"
          [attr.aria-label]="names[$index] + ' band'"
          (change)="set($index, { band: +$any($event.target).value })"
        >
          @for (b of bands(); track b.index) {
            <option [value]="b.index" [selected]="b.index === c.band">{{ b.name }}</option>
          }
        </select>
        <select
          class="min-w-0"
          [attr.aria-label]="names[$index] + ' stretch'"
          (change)="stretch($index, $any($event.target).value)"
        >
          @for (s of stretches; track s.key) {
            <option [value]="s.key" [selected]="s.key === key(c)">{{ s.title }}</option>
          }
          <option value="own" [selected]="key(c) === 'own'">own limits</option>
        </select>
        @if (c.stretch.kind === 'own') {
          <span></span>
          <input
            class="num w-full"
            type="number"
            step="any"
            [value]="c.stretch.low"
            [attr.aria-label]="names[$index] + ' darkest value'"
            (change)="limit($index, 'low', $any($event.target).value)"
          />
          <input
            class="num w-full"
            type="number"
            step="any"
            [value]="c.stretch.high"
            [attr.aria-label]="names[$index] + ' brightest value'"
            (change)="limit($index, 'high', $any($event.target).value)"
          />
        }
      </div>
    }
    <button class="link w-fit" (click)="of().stretch()" data-testid="stretch-view">Stretch to what is in view</button>
    <helk-slider-row
      label="Gamma"
      [range]="[0.4, 2.5, 0.05]"
      [value]="composite().gamma"
      [text]="composite().gamma.toFixed(2)"
      (moved)="put({ gamma: $event })"
    />
  `,
})
export class CompositeEditor {
  readonly of = input.required<EditorOf<RasterStyle>>();
  private readonly project = inject(ProjectStore);
  protected readonly names = CHANNELS;
  protected readonly dots = ['bg-[#d62f2f]', 'bg-[#2f9e3f]', 'bg-[#2f56d6]'];
  protected readonly stretches = STRETCHES;
  protected readonly key = (c: Channel): string => stretchKey(c.stretch);
  private readonly info = computed(() => this.of().item.info as RasterInfo);
  protected readonly composite = computed(() => this.of().look.composite!);
  protected readonly channels = computed(() => this.composite().channels);
  /** Measures only: numbers of classes have no brightness. */
  protected readonly bands = computed(() =>
    this.info().bands.flatMap((b, index) => (b.kind === 'measure' ? [{ index, name: b.name }] : [])),
  );
  protected readonly usual = computed(() => compositesOf(this.info().bands));
  protected readonly named = computed(() => {
    const now = this.channels().map((c) => c.band);
    return this.usual().find((u) => u.bands.every((b, k) => b === now[k]))?.name ?? '';
  });

  protected put(patch: Partial<Composite>): void {
    this.of().put({ composite: { ...this.composite(), ...patch } });
  }

  protected take(name: string): void {
    const found = this.usual().find((u) => u.name === name);
    if (found) this.put({ channels: compositeOf(found.bands, this.channels()[0].stretch).channels });
  }

  protected set(k: number, patch: Partial<Channel>): void {
    const channels = this.channels().map((c, i) => (i === k ? { ...c, ...patch } : c)) as Composite['channels'];
    this.put({ channels });
  }

  protected stretch(k: number, key: string): void {
    const limits = mixedOf(this.info(), this.of().look)?.[k]?.limits ?? [0, 1];
    this.set(k, { stretch: stretchOf(key, limits) });
  }

  protected limit(k: number, end: 'low' | 'high', text: string): void {
    const s = this.channels()[k]!.stretch;
    const v = Number(text);
    if (s.kind !== 'own' || text === '' || !Number.isFinite(v)) return;
    const next = { ...s, [end]: v };
    if (next.high > next.low) this.set(k, { stretch: next });
    else this.project.notify('The brightest value must exceed the darkest.', 'refused');
  }
}

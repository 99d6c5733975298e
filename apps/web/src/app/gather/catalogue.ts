import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { NgIcon, provideIcons } from '@ng-icons/core';
import { displayUnit, formatNumber, type Extent } from '@helk/core';
import { CrsField } from '../parts/crs-field';
import { ICONS } from '../parts/icons';
import { BenchStore } from '../state/bench.store';
import { Views } from '../state/views';
import { ProjectStore } from '../state/project.store';
import { ServiceStore } from '../state/service.store';
import { Outline } from './outline';

const meets = (a: Extent, b: Extent): boolean => a[0] <= b[2] && a[2] >= b[0] && a[1] <= b[3] && a[3] >= b[1];

/** A service of features: searching it, reading what a dataset is, and taking what is wanted of it. */
@Component({
  selector: 'helk-catalogue',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgIcon, CrsField, Outline],
  viewProviders: [provideIcons(ICONS)],
  templateUrl: './catalogue.html',
  host: { class: 'flex flex-col min-h-0 min-w-0 bg-paper', 'data-testid': 'catalogue' },
})
export class Catalogue {
  protected readonly store = inject(ServiceStore);
  private readonly project = inject(ProjectStore);
  private readonly bench = inject(BenchStore);
  private readonly views = inject(Views);
  protected readonly unit = displayUnit;
  protected readonly cut = signal(false);

  protected readonly projectExtent = computed((): Extent | null => {
    const e = this.project.extent();
    return e ? this.store.degrees(e) : null;
  });

  /** What the active pane looks at, in longitude and latitude; null where nothing is shown yet. */
  protected readonly here = computed((): Extent | null => {
    const e = this.project.extent();
    const p = this.project.project();
    if (!e || !p || !this.bench.pane().layers.length) return null;
    const view = this.views.for(this.bench.activePane(), this.bench.linkedView(), this.project.crs(), p.id);
    return this.store.degrees(view.calculateExtent([640, 520]) as Extent);
  });

  protected readonly elsewhere = computed(() => {
    const [a, b] = [this.store.collection()?.extent as Extent | null | undefined, this.projectExtent()];
    return a && b ? !meets(a, b) : false;
  });

  protected readonly shownWords = computed(() => {
    const c = this.store.collection();
    if (!c) return '';
    const n = c.preview.reduce((s, p) => s + p.count, 0);
    return c.count !== null && n >= c.count
      ? `All ${formatNumber(n)} features`
      : `The first ${formatNumber(n)} features`;
  });

  protected readonly facts = computed(() => {
    const c = this.store.collection();
    const h = this.store.hit();
    if (!c) return [];
    const e = c.extent;
    const kinds = c.preview.map((p) => `${p.geometry}s`).join(' and ');
    const put = (name: string, value: string, num = false): { name: string; value: string; num: boolean }[] =>
      value ? [{ name, value, num }] : [];
    return [
      ...put('Features', `${c.count === null ? 'not told how many' : formatNumber(c.count)} ${kinds}`.trim()),
      ...put('West, east', e ? `${e[0]!.toFixed(4)}°, ${e[2]!.toFixed(4)}°` : '', true),
      ...put('South, north', e ? `${e[1]!.toFixed(4)}°, ${e[3]!.toFixed(4)}°` : '', true),
      ...put('Kept in', c.storage ?? ''),
      ...put('Of', h?.updated ?? ''),
      ...put('Terms', h?.license ?? ''),
      ...put('Subjects', h?.keywords.join(', ') ?? ''),
    ];
  });

  protected readonly takeWords = computed(() => {
    const c = this.store.collection();
    const n = this.store.columns().length;
    if (!c) return '';
    const some = this.store.left().length ? ` with ${n} of ${c.columns.length} columns` : '';
    return this.cut() ? `Take those in view${some}` : `Take ${c.count === null ? 'all' : formatNumber(c.count)}${some}`;
  });

  protected search(words: string): void {
    void this.store.search(words.trim(), this.store.near());
  }

  protected nearOnly(on: boolean, words: string): void {
    void this.store.search(words.trim(), on ? this.here() : null);
  }
}

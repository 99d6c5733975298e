import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { BenchStore } from '../state/bench.store';
import { ProjectStore } from '../state/project.store';

/** A sentence that checks, notes and refusals say; a method that it names in “…” is a way to it. */
@Component({
  selector: 'helk-said',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `@for (p of parts(); track $index) {
    @if (p.method; as m) {
      <button class="link" (click)="bench.openSheet(m)">{{ p.text }}</button>
    } @else {
      <span>{{ p.text }}</span>
    }
  }`,
})
export class Said {
  readonly text = input.required<string>();
  protected readonly bench = inject(BenchStore);
  private readonly store = inject(ProjectStore);
  protected readonly parts = computed((): { text: string; method: string | null }[] => {
    const byTitle = new Map(this.store.methods().map((m) => [m.title, m.id]));
    return this.text()
      .split(/(“[^”]+”)/)
      .filter(Boolean)
      .map((t) => {
        const method = /^“.*”$/.test(t) ? byTitle.get(t.slice(1, -1)) : undefined;
        return method ? { text: t.slice(1, -1), method } : { text: t, method: null };
      });
  });
}

import { computed, Directive, inject, input } from '@angular/core';
import { framesOf, type Part, type PartKind, type PartOf } from '@helk/core/sheet/shape';
import { MapSheets } from '../../state/map-sheets';
import type { PartContext } from './part';

/** What editors of parts share: the part, and how it is changed. */
@Directive()
export abstract class PartEditor<K extends PartKind> {
  readonly part = input.required<PartOf<K>>();
  readonly ctx = input.required<PartContext>();
  protected readonly sheets = inject(MapSheets);

  /** Frames of the sheet with what they are called. */
  protected readonly frames = computed(() =>
    framesOf(this.ctx().sheet).map((f, i) => ({ id: f.id, frame: f, label: `Map ${i + 1}` })),
  );

  /** @param of changes of that name that follow each other are one step back */
  protected put(patch: Partial<PartOf<K>>, of: string | null = null): void {
    this.sheets.changePart(this.part().id, (p) => ({ ...p, ...patch }) as Part, of);
  }

  protected readonly text = (e: Event): string => (e.target as HTMLInputElement).value;
  protected readonly number = (e: Event): number => Number((e.target as HTMLInputElement).value.replace(',', '.'));
  protected readonly checked = (e: Event): boolean => (e.target as HTMLInputElement).checked;
}

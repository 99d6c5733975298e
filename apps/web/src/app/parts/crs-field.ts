import { CdkConnectedOverlay, CdkOverlayOrigin } from '@angular/cdk/overlay';
import { ChangeDetectionStrategy, Component, inject, input, output, signal } from '@angular/core';
import type { CrsHit } from '@helk/core';
import { Api } from '../api/api';

/** A coordinate system by name, code or area; those that cover the place stand first. */
@Component({
  selector: 'helk-crs-field',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CdkConnectedOverlay, CdkOverlayOrigin],
  template: `
    <input
      class="num w-full"
      cdkOverlayOrigin
      #o="cdkOverlayOrigin"
      [value]="value()"
      placeholder="name, code or area"
      autocomplete="off"
      role="combobox"
      [attr.aria-expanded]="open()"
      aria-label="Coordinate system"
      (click)="search('')"
      (input)="search($any($event.target).value)"
      (keydown)="key($event)"
      (change)="picked.emit($any($event.target).value.trim())"
      (blur)="closeSoon()"
    />
    <ng-template
      cdkConnectedOverlay
      [cdkConnectedOverlayOrigin]="o"
      [cdkConnectedOverlayOpen]="open() && hits().length > 0"
      [cdkConnectedOverlayOffsetY]="3"
    >
      <ul class="popover w-[360px] max-h-[300px] overflow-auto py-1 text-[13px]" role="listbox">
        @for (h of hits(); track h.code; let i = $index) {
          <li
            role="option"
            class="px-3 py-1.5"
            [class.bg-act-soft]="i === at()"
            [attr.aria-selected]="i === at()"
            (pointerdown)="pick(h)"
          >
            <span class="flex justify-between gap-2"
              ><span class="font-[550] truncate">{{ h.name }}</span
              ><span class="num flex-none">{{ h.code }}</span></span
            >
            <span class="block truncate text-[12px] text-ink-2"
              >{{ h.geographic ? 'degrees' : h.unit }} · {{ h.covers ? 'covers this place · ' : '' }}{{ h.area }}</span
            >
          </li>
        }
      </ul>
    </ng-template>
  `,
})
export class CrsField {
  readonly value = input.required<string>();
  readonly place = input<[number, number] | null>(null);
  readonly picked = output<string>();
  protected readonly hits = signal<CrsHit[]>([]);
  protected readonly open = signal(false);
  protected readonly at = signal(-1);
  private readonly api = inject(Api);
  private turn = 0;

  protected search(text: string): void {
    this.open.set(true);
    this.at.set(-1);
    const turn = ++this.turn;
    setTimeout(() => {
      if (turn !== this.turn) return;
      void this.api.searchCrs(text, this.place()).then(
        (h) => turn === this.turn && this.hits.set(h),
        () => this.hits.set([]),
      );
    }, 120);
  }

  protected key(e: KeyboardEvent): void {
    const n = this.hits().length;
    // Passing by with Tab opens nothing: the list would cover what is beneath, and a click meant for that would choose a system.
    if (e.key === 'ArrowDown' && !this.open()) this.search('');
    else if (e.key === 'ArrowDown' && n) this.at.set((this.at() + 1) % n);
    else if (e.key === 'ArrowUp' && n) this.at.set((this.at() + n - 1) % n);
    else if (e.key === 'Enter' && this.at() >= 0) this.pick(this.hits()[this.at()]!);
    else if (e.key === 'Escape') this.open.set(false);
    else return;
    e.preventDefault();
    e.stopPropagation();
  }

  protected pick(h: CrsHit): void {
    this.open.set(false);
    this.picked.emit(h.code);
  }

  protected closeSoon(): void {
    // What is still being looked for comes too late.
    this.turn++;
    setTimeout(() => this.open.set(false), 150);
  }
}

import { DIALOG_DATA, DialogRef } from '@angular/cdk/dialog';
import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';

/** Longest side of a picture and most of its pixels: what a browser draws at once. */
export const MOST = { side: 16_000, pixels: 120e6 } as const;

/**
 * The height that goes with a width, or why there can be no such picture.
 *
 * @param size of the map, pixels of the screen
 */
export function pictureSize(text: string, [w, h]: readonly [number, number]): { height: number } | { wrong: string } {
  const width = Number(text.replace(/[\s\u202f]|px$/g, ''));
  if (!text.trim() || !Number.isInteger(width) || width < 16) return { wrong: 'A width is a whole number from 16 on.' };
  const height = Math.round((width * h) / w);
  const told = (n: number): string => n.toLocaleString('en').replaceAll(',', ' ');
  if (Math.max(width, height) > MOST.side || width * height > MOST.pixels)
    return {
      wrong: `${told(width)} × ${told(height)} pixels are more than are drawn at once (${told(MOST.side)} along a side, ${MOST.pixels / 1e6} million in all). A sheet is drawn in parts, as large as paper is.`,
    };
  return { height };
}

/** Asks for the width of a picture; closes with it. */
@Component({
  selector: 'helk-picture-size',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="popover w-[380px] max-w-[94vw] p-5 grid grid-cols-1 gap-3 text-[13px]" data-testid="picture-size">
      <h2 class="voice italic text-[22px] leading-tight">How large should the picture be?</h2>
      <label class="grid grid-cols-[auto_110px_1fr] items-center gap-3"
        >Width<input
          class="num"
          inputmode="numeric"
          #field
          [value]="width()"
          (input)="width.set(field.value)"
          (keydown.enter)="make()"
          data-testid="picture-width"
        /><span class="text-ink-2">
          @if (height(); as h) {
            × <span class="num">{{ h }}</span> pixels of map
          }
        </span></label
      >
      @if (wrong(); as w) {
        <p class="check check-refused" role="alert">{{ w }}</p>
      }
      <p class="text-[12px] text-ink-2">Keys and words grow with it; the caption comes below the map.</p>
      <div class="flex items-center gap-3">
        <button class="btn btn-act" [disabled]="!!wrong()" (click)="make()" data-testid="picture-make">Make it</button>
        <button class="link" (click)="ref.close()">Leave it</button>
      </div>
    </div>
  `,
})
export class PictureSize {
  protected readonly ref = inject<DialogRef<number>>(DialogRef);
  private readonly size = inject<readonly [number, number]>(DIALOG_DATA);
  protected readonly width = signal(String(Math.round(this.size[0] * 2)));
  private readonly read = computed(() => pictureSize(this.width(), this.size));
  protected readonly height = computed(() => {
    const r = this.read();
    return 'height' in r ? r.height : null;
  });
  protected readonly wrong = computed(() => {
    const r = this.read();
    return 'wrong' in r ? r.wrong : null;
  });

  protected make(): void {
    if (!this.wrong()) this.ref.close(Number(this.width().replace(/[\s\u202f]|px$/g, '')));
  }
}

import { ChangeDetectionStrategy, Component, effect, ElementRef, input, viewChild } from '@angular/core';
import { painted } from '../draw/paint';
import type { DisplayList } from '../draw/display';

/** A small picture of a drawing, fitted into a box. */
@Component({
  selector: 'helk-drawn-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<canvas
    #c
    class="block"
    [style.width.px]="width()"
    [style.height.px]="height()"
    aria-hidden="true"
  ></canvas>`,
})
export class DrawnList {
  readonly list = input.required<Promise<DisplayList | null>>();
  readonly width = input(64);
  readonly height = input(46);
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('c');

  constructor() {
    effect((done) => {
      const [wanted, w, h] = [this.list(), this.width(), this.height()];
      const canvas = this.canvas().nativeElement;
      let gone = false;
      done(() => (gone = true));
      void wanted
        .then(async (list) => {
          if (!list || gone) return;
          const ratio = Math.max(1, devicePixelRatio);
          // It fills the box, and is cut where it does not have its shape.
          const k = Math.max(w / list.width, h / list.height) * ratio;
          const picture = await painted(list, k);
          if (gone) return;
          canvas.width = Math.round(w * ratio);
          canvas.height = Math.round(h * ratio);
          canvas.getContext('2d')!.drawImage(picture, (canvas.width - picture.width) / 2, 0);
        })
        .catch(() => undefined);
    });
  }
}

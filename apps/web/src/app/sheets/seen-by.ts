import { ChangeDetectionStrategy, Component } from '@angular/core';
import { CONES } from '@helk/core/render/seen';

/**
 * What is seen by eyes without one kind of cones (`CONES`), as filters of the page.
 */
@Component({
  selector: 'helk-seen-by',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<svg width="0" height="0" class="absolute" aria-hidden="true">
    @for (f of filters; track f.id) {
      <filter [id]="f.id" color-interpolation-filters="linearRGB">
        <feColorMatrix [attr.values]="f.values" />
      </filter>
    }
  </svg>`,
})
export class SeenBy {
  protected readonly filters = Object.entries(CONES).map(([id, m]) => ({
    id: `seen-${id}`,
    values: `${m.slice(0, 3).join(' ')} 0 0 ${m.slice(3, 6).join(' ')} 0 0 ${m.slice(6).join(' ')} 0 0 0 0 0 1 0`,
  }));
}

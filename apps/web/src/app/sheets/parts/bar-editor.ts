import { ChangeDetectionStrategy, Component } from '@angular/core';
import { PartEditor } from './edit';

/** Settings of a scale bar. */
@Component({
  selector: 'helk-bar-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="settings">
      <label for="bar-of">Of</label>
      <select id="bar-of" [value]="part().frame" (change)="put({ frame: text($event) })">
        @for (f of frames(); track f.id) {
          <option [value]="f.id" [selected]="f.id === part().frame">{{ f.label }}</option>
        }
      </select>
      <label for="bar-unit">Unit</label>
      <select id="bar-unit" (change)="put({ unit: $any(text($event)) })">
        @for (u of units; track u.id) {
          <option [value]="u.id" [selected]="u.id === part().unit">{{ u.label }}</option>
        }
      </select>
      <label for="bar-parts">Parts</label>
      <input
        id="bar-parts"
        type="number"
        min="1"
        max="8"
        class="num"
        [value]="part().parts"
        (change)="put({ parts: clamp(number($event)) })"
      />
    </div>
    <p class="hint">A round length that fits into its width, measured on the ellipsoid along the middle of the map.</p>
  `,
})
export class BarEditor extends PartEditor<'bar'> {
  protected readonly units = [
    { id: 'metric', label: 'km, m' },
    { id: 'miles', label: 'miles, feet' },
    { id: 'nautical', label: 'nautical miles' },
  ];
  protected readonly clamp = (n: number): number => Math.min(8, Math.max(1, Math.round(n) || 1));
}

import { ChangeDetectionStrategy, Component, computed } from '@angular/core';
import { PartEditor } from './edit';
import { northWords } from './north-words';

/** Settings of a north arrow. */
@Component({
  selector: 'helk-north-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="settings">
      <label for="north-frame">Of</label>
      <select id="north-frame" (change)="put({ frame: text($event) })">
        @for (f of frames(); track f.id) {
          <option [value]="f.id" [selected]="f.id === part().frame">{{ f.label }}</option>
        }
      </select>
      <label for="north-of">Points to</label>
      <select id="north-of" (change)="put({ of: $any(text($event)) })">
        <option value="grid" [selected]="part().of === 'grid'">grid north</option>
        <option value="true" [selected]="part().of === 'true'">true north</option>
      </select>
      <span></span>
      <label class="tick"
        ><input type="checkbox" [checked]="part().told" (change)="put({ told: checked($event) })" />say which, and by
        how much the other differs</label
      >
    </div>
    @if (words(); as w) {
      <p class="hint">Here {{ w }}.</p>
    }
  `,
})
export class NorthEditor extends PartEditor<'north'> {
  protected readonly words = computed(() => {
    const f = this.ctx().frame(this.part().frame);
    return f ? northWords(f) : null;
  });
}

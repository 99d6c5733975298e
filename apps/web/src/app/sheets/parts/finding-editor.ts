import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { Findings } from '../../state/findings';
import { PartEditor } from './edit';

/** Which finding stands in a place. */
@Component({
  selector: 'helk-finding-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="settings">
      <label for="finding-of">Finding</label>
      <select id="finding-of" (change)="put({ finding: text($event) })">
        @for (f of findings.all(); track f.id) {
          <option [value]="f.id" [selected]="f.id === part().finding">{{ f.title }}</option>
        }
      </select>
    </div>
    @if (outdated(); as o) {
      <p class="check check-look mt-2">{{ o.words }}</p>
    }
    <p class="hint">Charts are drawn as lines and letters, so that they are sharp at any size.</p>
  `,
})
export class FindingEditor extends PartEditor<'finding'> {
  protected readonly findings = inject(Findings);
  protected readonly outdated = computed(() => this.findings.outdated().get(this.part().finding) ?? null);
}

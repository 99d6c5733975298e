import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { Api } from '../../api/api';
import { chosenFile } from '../../parts/save';
import { ProjectStore } from '../../state/project.store';
import { PartEditor } from './edit';

/** Which picture stands in a place. */
@Component({
  selector: 'helk-picture-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="flex gap-3 items-center">
      <button class="btn" (click)="file.click()">{{ part().picture ? 'Another picture' : 'Choose a picture' }}</button>
      @if (part().picture) {
        <button class="link" (click)="put({ picture: null })">Take it out</button>
      }
      <input
        #file
        type="file"
        class="hidden"
        accept="image/png,image/jpeg"
        data-testid="picture-file"
        (change)="take(file)"
      />
    </div>
    <div class="settings mt-3">
      <label for="picture-about">Shows</label>
      <input
        id="picture-about"
        [value]="part().about"
        placeholder="for those who do not see it"
        (change)="put({ about: text($event) })"
      />
    </div>
    <p class="hint">PNG or JPEG, up to 16 MiB. It keeps its proportions.</p>
  `,
})
export class PictureEditor extends PartEditor<'picture'> {
  private readonly api = inject(Api);
  private readonly store = inject(ProjectStore);

  protected take(field: HTMLInputElement): void {
    const file = chosenFile(field);
    const p = this.store.project();
    if (!file || !p) return;
    void this.store.guarded(async () => {
      // One that the browser cannot read is refused before it is sent.
      await createImageBitmap(file).catch(() => {
        throw new Error(`“${file.name}” is no picture that can be read.`);
      });
      this.put({ picture: await this.api.addPicture(p.id, file), about: this.part().about || file.name });
    });
  }
}

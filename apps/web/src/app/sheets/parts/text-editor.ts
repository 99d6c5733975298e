import { ChangeDetectionStrategy, Component, computed, ElementRef, viewChild } from '@angular/core';
import { FIELDS } from '@helk/core/sheet/fields';
import { PartEditor } from './edit';

/** Words, how they look, and the fields that can stand in them. */
@Component({
  selector: 'helk-text-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <textarea
      #words
      class="w-full mb-2 text-[13px] leading-snug p-2"
      rows="4"
      aria-label="Words"
      data-testid="words"
      [value]="part().text"
      (input)="put({ text: text($event) }, 'text')"
      (change)="sheets.settle()"
    ></textarea>
    <div class="settings">
      <label for="text-size">Size</label>
      <span class="flex items-center gap-2"
        ><input
          id="text-size"
          class="num !w-16"
          inputmode="decimal"
          [value]="part().size"
          (change)="number($event) >= 3 && put({ size: number($event) })"
        /><span class="text-ink-2 text-[12px]">points</span></span
      >
      <label for="text-face">Voice</label>
      <select id="text-face" (change)="put({ face: $any(text($event)) })">
        <option value="sans" [selected]="part().face === 'sans'">plain</option>
        <option value="voice" [selected]="part().face === 'voice'">italic</option>
        <option value="mono" [selected]="part().face === 'mono'">numbers</option>
      </select>
      <label for="text-align">Stands</label>
      <select id="text-align" (change)="put({ align: $any(text($event)) })">
        <option value="start" [selected]="part().align === 'start'">left</option>
        <option value="middle" [selected]="part().align === 'middle'">in the middle</option>
        <option value="end" [selected]="part().align === 'end'">right</option>
      </select>
      <label for="text-colour">Colour</label>
      <span class="flex items-center gap-3"
        ><input
          id="text-colour"
          type="color"
          class="!w-10 !p-0.5"
          [value]="part().colour"
          (change)="put({ colour: text($event) })"
        /><label class="tick"
          ><input type="checkbox" [checked]="part().bold" (change)="put({ bold: checked($event) })" />bold</label
        ></span
      >
    </div>
    <p class="hint">Fields fill themselves in:</p>
    <div class="flex flex-wrap gap-1">
      @for (f of fields(); track f.name) {
        <button class="chip" [title]="f.about" (click)="insert(f.name)">{{ f.name }}</button>
      }
    </div>
  `,
})
export class TextEditor extends PartEditor<'text'> {
  private readonly words = viewChild.required<ElementRef<HTMLTextAreaElement>>('words');
  protected readonly fields = computed(() => {
    const values = this.ctx().values();
    const named = Object.entries(FIELDS).map(([name, about]) => ({
      name,
      about: `${about}: ${values.get(name) ?? '–'}`,
    }));
    const others = [...values].filter(([name]) => !(name in FIELDS));
    return [...named, ...others.slice(0, 40).map(([name, v]) => ({ name, about: v }))];
  });

  protected insert(name: string): void {
    const field = this.words().nativeElement;
    const [from, to] = [field.selectionStart, field.selectionEnd];
    const { text } = this.part();
    this.put({ text: `${text.slice(0, from)}{${name}}${text.slice(to)}` });
    const at = from + name.length + 2;
    setTimeout(() => {
      field.focus();
      field.setSelectionRange(at, at);
    });
  }
}

import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';

/** Letters at the end that stay in sight, and from how many on there is anything to cut. */
const TAIL = 8;
const SHORT = 13;

/**
 * A name on one line. Where there is no room for all of it, it is cut in its middle: names that were made one after the other differ at
 * their ends.
 */
@Component({
  selector: 'helk-name',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'flex min-w-0 whitespace-pre', '[title]': 'text()' },
  template: `<span class="truncate" style="white-space: pre">{{ parts()[0] }}</span>
    @if (parts()[1]) {
      <span class="flex-none">{{ parts()[1] }}</span>
    }`,
})
export class MidName {
  readonly text = input.required<string>();
  protected readonly parts = computed((): [string, string] => {
    const letters = [...this.text()];
    if (letters.length <= SHORT) return [this.text(), ''];
    return [letters.slice(0, -TAIL).join(''), letters.slice(-TAIL).join('')];
  });
}

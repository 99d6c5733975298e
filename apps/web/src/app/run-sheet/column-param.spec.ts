import { Component, signal } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import type { ColumnInfo, ParamSpec } from '@helk/core';
import { ColumnParam, ColumnsParam } from './column-param';

const columns: ColumnInfo[] = ['people', 'cases'].map((name) => ({ name, type: 'number', unit: null }));
const spec: ParamSpec = { label: 'Column', type: 'column', formula: true };

@Component({
  imports: [ColumnParam, ColumnsParam],
  template: `
    <helk-column-param
      name="column"
      [spec]="spec()"
      [value]="value()"
      [columns]="columns"
      (changed)="value.set($event)"
    />
    <helk-columns-param
      name="several"
      [spec]="spec()"
      [value]="several()"
      [columns]="columns"
      (changed)="several.set($event)"
    />
  `,
})
class Host {
  readonly columns = columns;
  readonly spec = signal(spec);
  readonly value = signal('');
  readonly several = signal('');
}

describe('a column of a run sheet', () => {
  const make = () => {
    const f = TestBed.createComponent(Host);
    f.detectChanges();
    const el = f.nativeElement as HTMLElement;
    return { f, host: f.componentInstance, el, see: () => f.detectChanges() };
  };

  it('is chosen, or a formula is typed in its place', () => {
    const { host, el, see } = make();
    const select = el.querySelector<HTMLSelectElement>('#p-column')!;
    expect([...select.options].map((o) => o.text.trim())).toEqual(['choose …', 'people', 'cases', 'a formula …']);
    select.value = select.options[1]!.value;
    select.dispatchEvent(new Event('change'));
    expect(host.value()).toBe('people');
    select.value = select.options[3]!.value;
    select.dispatchEvent(new Event('change'));
    see();
    expect(el.querySelector('helk-column-param helk-formula-field')).not.toBeNull();
  });

  it('that is none of the columns is shown as the formula it is', () => {
    const { host, el, see } = make();
    host.value.set('cases / people');
    see();
    expect(el.querySelector('helk-column-param helk-formula-field')?.textContent).toContain('cases / people');
    host.value.set('cases');
    see();
    expect(el.querySelector('helk-column-param helk-formula-field')).toBeNull();
  });

  it('takes no formula where none will do', () => {
    const { host, el, see } = make();
    host.spec.set({ label: 'Column', type: 'column' });
    host.value.set('gone');
    see();
    expect(el.querySelector('helk-formula-field')).toBeNull();
    expect(el.textContent).not.toContain('a formula');
  });

  it('of several keeps formulas with commas whole, and lets them be taken out', () => {
    const { host, el, see } = make();
    host.several.set('cases,max(people, 5)');
    see();
    const boxes = [...el.querySelectorAll<HTMLInputElement>('#p-several input')];
    expect(boxes.map((b) => b.checked)).toEqual([false, true, true]);
    boxes[2]!.click();
    expect(host.several()).toBe('cases');
  });
});

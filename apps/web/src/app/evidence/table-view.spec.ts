import { provideZonelessChangeDetection } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { crsOfCode, FeaturesBuilder, numberColumn, textColumn, type Features } from '@helk/core';
import { Api } from '../api/api';
import { FeatureData } from '../state/feature-data';
import { datasetOf } from '../testing';
import { TableView } from './table-view';

const places = new FeaturesBuilder();
for (let i = 0; i < 4; i++) places.point(i, i);
const data: Features = places.build('point', crsOfCode(32627), [
  numberColumn('depth', [3, 1, NaN, 2]),
  textColumn('kind', ['fen', 'bog', 'fen', 'mire']),
]);

describe('the table', () => {
  let f: ComponentFixture<TableView>;
  const el = (): HTMLElement => f.nativeElement as HTMLElement;
  const open = (name: string, k: number): void => {
    const cells = el().querySelectorAll(`[data-cell=${name}]`);
    cells[k]!.dispatchEvent(new MouseEvent('dblclick', { bubbles: true }));
  };
  const settle = async (): Promise<void> => {
    for (let k = 0; k < 3; k++) {
      f.detectChanges();
      await new Promise((r) => setTimeout(r, 20));
    }
  };
  const column = (name: string): string[] =>
    [...el().querySelectorAll(`[data-cell=${name}]`)].map((c) => c.textContent!.trim());
  const entry = (label: string): HTMLElement =>
    [...document.querySelectorAll<HTMLElement>('[cdkMenuItem]')].find((b) => b.textContent!.trim() === label)!;
  beforeEach(async () => {
    const api = { methods: () => Promise.resolve([]), projects: () => Promise.resolve([]) };
    const held = { now: () => data, get: () => Promise.resolve(data), features: () => data };
    TestBed.configureTestingModule({
      providers: [
        provideZonelessChangeDetection(),
        { provide: Api, useValue: api },
        { provide: FeatureData, useValue: held },
      ],
    });
    f = TestBed.createComponent(TableView);
    el().style.cssText = 'display:flex;width:600px;height:300px';
    document.body.append(el());
    f.componentRef.setInput('item', datasetOf('a', { data }));
    await settle();
  });
  afterEach(() => {
    f.destroy();
    el().remove();
  });

  it('keeps what is being typed, and its order, when its dataset is told of anew', async () => {
    el().querySelector<HTMLElement>('[data-testid=column-depth]')!.click();
    await settle();
    entry('Sort downwards').click();
    await settle();
    expect(column('depth')).toEqual(['3', '2', '1', '–']);
    open('kind', 1);
    await settle();
    const field = el().querySelector('input')!;
    expect(field.getAttribute('aria-label')).toBe('kind of no. 4');
    field.value = 'quag';
    // As when its way of drawing has been kept, or a run beside it has ended.
    f.componentRef.setInput('item', datasetOf('a', { data }, { note: 'drawn in other colours' }));
    await settle();
    expect(el().querySelector('input')).toBe(field);
    expect(field.value).toBe('quag');
    expect(column('depth')).toEqual(['3', '2', '1', '–']);
    f.componentRef.setInput('item', datasetOf('b', { data }));
    await settle();
    expect(el().querySelector('input')).toBeNull();
    expect(column('depth')).toEqual(['3', '1', '–', '2']);
  });

  it('takes a typed value, and says what a column cannot hold', async () => {
    const type = async (cell: number, name: string, text: string): Promise<HTMLInputElement> => {
      open(name, cell);
      await settle();
      const field = el().querySelector('input')!;
      field.value = text;
      field.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter' }));
      await settle();
      return field;
    };
    await type(0, 'kind', 'marsh');
    expect(column('kind')[0]).toBe('marsh');
    const wrong = await type(0, 'depth', 'deep');
    expect(wrong.getAttribute('aria-invalid')).toBe('true');
    expect(el().querySelector('[role=alert]')!.textContent).toContain('no number');
  });
});

import { DIALOG_DATA, DialogRef } from '@angular/cdk/dialog';
import { provideZonelessChangeDetection } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { rampOf } from '@helk/core';
import type { ApiPalette } from '@helk/core/api/schemas';
import { rampIdOf, type Palette } from '@helk/core/render/palette';
import { Api } from '../api/api';
import { Palettes } from '../state/palettes';
import { ProjectStore } from '../state/project.store';
import { NOTHING_WRITTEN } from '../state/written';
import { described, projectOf } from '../testing';
import { ClassPalettes } from './class-palettes';
import { PaletteEditor, type PaletteAsked } from './palette-editor';
import { paletteChecks } from './palette-words';
import { RampList } from './ramp-list';

const moor: Palette = {
  format: 'helk-palette',
  version: 1,
  name: 'Moor',
  kind: 'sequential',
  colours: ['#102030', '#807060', '#f0e0d0'],
};
const entry = (id: string, palette: Palette): ApiPalette => ({ id, palette, createdAt: '', changedAt: '' });

class FakeApi {
  kept: Palette[] = [];
  methods = () => Promise.resolve(described());
  projects = () => Promise.resolve([projectOf('project1')]);
  project = () =>
    Promise.resolve({
      project: projectOf('project1'),
      datasets: [],
      runs: [],
      ...NOTHING_WRITTEN,
      palettes: [entry('palette001', moor)],
      workbench: null,
    });
  follow = () => () => undefined;
  saveWorkbench = () => Promise.resolve();
  createPalette = (_: string, p: Palette) => {
    this.kept.push(p);
    return Promise.resolve(entry('palette002', p));
  };
}

describe('what is said of a palette', () => {
  it('names classes that some eyes cannot tell apart', () => {
    const said = paletteChecks({ kind: 'classes', colours: ['#b0413e', '#7c6c38', '#1d3f8a'] });
    expect(said.some((s) => /cones, colours 1 and 2 can hardly be told apart/.test(s))).toBeTrue();
    expect(paletteChecks({ kind: 'classes', colours: ['#000000', '#ffffff'] })).toEqual([]);
  });

  it('says when a ramp cannot be read in grey, or has no middle', () => {
    expect(paletteChecks(moor)).toEqual([]);
    expect(paletteChecks({ ...moor, colours: ['#102030', '#f0e0d0', '#203040'] })[0]).toContain('up and down');
    const two = { kind: 'diverging' as const, colours: ['#064b5a', '#f4f0e6', '#743410'] };
    expect(paletteChecks(two)).toEqual([]);
    expect(paletteChecks({ ...two, colours: ['#f4f0e6', '#9bc6ca', '#743410'] })[0]).toContain('The middle');
    expect(paletteChecks({ ...two, colours: ['#704030', '#f4f0e6', '#705030'] }).at(-1)).toContain(
      'both ends look alike',
    );
  });
});

describe('palettes of a project', () => {
  let api: FakeApi;
  let closed: unknown[] = [];
  const asked: PaletteAsked = { own: null, begin: { kind: 'sequential', colours: ['#000000', '#ffffff'] } };
  beforeEach(async () => {
    localStorage.clear();
    api = new FakeApi();
    TestBed.configureTestingModule({
      providers: [
        provideZonelessChangeDetection(),
        { provide: Api, useValue: api },
        { provide: DIALOG_DATA, useValue: asked },
        { provide: DialogRef, useValue: { close: (p: unknown) => closed.push(p) } },
      ],
    });
    closed = [];
    TestBed.inject(ProjectStore);
    await new Promise((r) => setTimeout(r, 40));
  });

  it('stand among the ramps, and are drawn with by their colours', async () => {
    const list = TestBed.createComponent(RampList);
    list.componentRef.setInput('ramp', 'viridis');
    const picked: string[] = [];
    list.componentInstance.picked.subscribe((r) => picked.push(r));
    await list.whenStable();
    const own = [...(list.nativeElement as HTMLElement).querySelectorAll<HTMLButtonElement>('[role=radio]')].at(-1)!;
    expect(own.textContent.trim()).toBe('Moor');
    own.click();
    expect(picked).toEqual([rampIdOf(moor)]);
    expect(rampOf(picked[0]!).stops).toEqual(moor.colours);
    // Colours that are drawn with stay though their palette is gone.
    TestBed.inject(ProjectStore).unwritten(['palette001']);
    list.componentRef.setInput('ramp', picked[0]!);
    await list.whenStable();
    expect((list.nativeElement as HTMLElement).querySelector('[aria-checked=true]')!.textContent.trim()).toBe(
      'Own colours',
    );
  });

  it('are put together with what eyes will see, and kept under a free name', async () => {
    const editor = TestBed.createComponent(PaletteEditor);
    await editor.whenStable();
    const element = editor.nativeElement as HTMLElement;
    const set = (selector: string, value: string, event: string): void => {
      const field = element.querySelector<HTMLInputElement>(selector)!;
      field.value = value;
      field.dispatchEvent(new Event(event));
    };
    set('[data-testid=palette-name]', 'Moor', 'input');
    element.querySelector<HTMLElement>('[data-testid=palette-more]')!.click();
    await editor.whenStable();
    set('[aria-label="Colour 3 as text"]', '#101010', 'change');
    await editor.whenStable();
    expect(element.querySelector('[data-testid=palette-check]')!.textContent).toContain('up and down');
    set('[aria-label="Colour 3 as text"]', 'no colour', 'change');
    element.querySelector<HTMLElement>('[data-testid=palette-keep]')!.click();
    await editor.whenStable();
    expect(api.kept).toEqual([
      jasmine.objectContaining({ name: 'Moor 2', colours: ['#000000', '#ffffff', '#101010'] }),
    ]);
    expect(closed.length).toBe(1);
    expect(
      TestBed.inject(Palettes)
        .all()
        .map((p) => p.palette.name),
    ).toEqual(['Moor', 'Moor 2']);
  });

  it('give classes their colours, again and again where there are fewer, and greys that differ', async () => {
    TestBed.inject(ProjectStore).written({
      palettes: [entry('palette003', { ...moor, kind: 'classes', name: 'Land' })],
    });
    const bar = TestBed.createComponent(ClassPalettes);
    bar.componentRef.setInput('colours', ['#ff0000', '#00ff00', '#0000ff', '#888888']);
    bar.componentRef.setInput('labels', ['a', 'b', 'c', 'd']);
    const put: string[][] = [];
    bar.componentInstance.put.subscribe((c) => put.push(c));
    await bar.whenStable();
    const field = (bar.nativeElement as HTMLElement).querySelector<HTMLSelectElement>('select')!;
    field.value = 'palette003';
    field.dispatchEvent(new Event('change'));
    expect(put[0]).toEqual([...moor.colours, moor.colours[0]!]);
    (bar.nativeElement as HTMLElement).querySelector<HTMLElement>('[data-testid=in-grey]')!.click();
    expect(new Set(put[1]).size).toBe(4);
    for (const c of put[1]!) expect(c).toMatch(/^#(..)\1\1$/);
  });
});

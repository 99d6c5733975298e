import { provideZonelessChangeDetection } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { crsOfCode, measureRaster } from '@helk/core';
import type { ApiProjectDetail } from '@helk/core/api/schemas';
import { Api } from '../api/api';
import { Sketch } from '../draw/sketch';
import { BenchStore } from '../state/bench.store';
import { ProjectStore } from '../state/project.store';
import { NOTHING_WRITTEN } from '../state/written';
import { datasetOf, described, projectOf } from '../testing';
import { Actions } from './actions';
import { AskBox } from './ask-box';
import { MethodsList } from './methods-list';

const ground = measureRaster(
  { crs: crsOfCode(32627), x: 0, y: 60, dx: 30, dy: 30, columns: 2, rows: 2 },
  Float32Array.of(1, 2, 3, 4),
  { name: 'ground', unit: 'm', role: 'elevation' },
);
const detail = (): ApiProjectDetail => ({
  project: projectOf('project1'),
  datasets: [datasetOf('ground0001', { data: ground })],
  runs: [],
  ...NOTHING_WRITTEN,
  workbench: null,
});

describe('asking for what is no method', () => {
  let actions: Actions;
  beforeEach(async () => {
    localStorage.clear();
    const api = {
      methods: () => Promise.resolve(described()),
      projects: () => Promise.resolve([detail().project]),
      project: () => Promise.resolve(detail()),
      follow: () => () => undefined,
      detail: () => Promise.resolve(null),
      saveWorkbench: () => Promise.resolve(),
      patchDataset: () => new Promise(() => undefined),
    };
    TestBed.configureTestingModule({
      providers: [provideZonelessChangeDetection(), { provide: Api, useValue: api }],
    });
    TestBed.inject(ProjectStore);
    TestBed.inject(BenchStore);
    await new Promise((r) => setTimeout(r, 30));
    TestBed.tick();
    actions = TestBed.inject(Actions);
  });

  it('finds it by the words that people use for it', () => {
    const asked: [string, string][] = [
      ['draw', 'draw.points'],
      ['draw a line', 'draw.line'],
      ['digitise polygons', 'draw.areas'],
      ['export', 'save.dataset'],
      ['save as geotiff', 'save.dataset'],
      ['georeference', 'system'],
      ['set the crs', 'system'],
      ['undo', 'undo'],
      ['change colours', 'colours'],
      ['how do I change the color?', 'colours'],
      ['symbology', 'colours'],
      ['rename', 'rename'],
      ['import data', 'gather'],
      ['restore deleted', 'bin'],
      ['print a map', 'sheets'],
    ];
    for (const [text, id] of asked)
      expect(actions.asked(text).map((a) => a.id))
        .withContext(text)
        .toContain(id);
  });

  it('leaves questions to the methods that answer them', () => {
    for (const text of [
      'how steep is it',
      'contours',
      'what differs between two grids',
      'fill',
      'area',
      'slope',
      'coordinate system',
      'change',
      'compare',
      'classes',
      'tiles',
      '',
    ])
      expect(actions.asked(text).map((a) => a.id))
        .withContext(text)
        .toEqual([]);
  });

  it('stands in the ask box with where it is otherwise, and is done from there', async () => {
    const f = TestBed.createComponent(AskBox);
    document.body.append(f.nativeElement as HTMLElement);
    const field = (f.nativeElement as HTMLElement).querySelector('input')!;
    field.focus();
    field.value = 'draw a line';
    field.dispatchEvent(new Event('input'));
    await f.whenStable();
    const first = document.querySelector('[role=option]')!;
    expect(first.textContent).toContain('Draw a line');
    expect(first.textContent).toContain('otherwise: the pencil of a pane');
    field.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter' }));
    expect(TestBed.inject(Sketch).wish()!.geometry).toBe('line');
    TestBed.inject(Sketch).cancel();
    f.destroy();
    (f.nativeElement as HTMLElement).remove();
  });

  it('the list of methods puts what fits first, folds by family, and is searched', async () => {
    TestBed.inject(BenchStore).select('ground0001');
    const f = TestBed.createComponent(MethodsList);
    const el = f.nativeElement as HTMLElement;
    await f.whenStable();
    const families = (): string[] => [...el.querySelectorAll('h3 button')].map((b) => b.getAttribute('data-testid')!);
    const all = families();
    expect(all.indexOf('family-terrain')).toBeLessThan(all.indexOf('family-cloud'));
    const terrain = el.querySelector<HTMLElement>('[data-testid=family-terrain]')!;
    expect([terrain.getAttribute('aria-expanded'), el.querySelector('[data-testid=family-cloud]')!.getAttribute('aria-expanded')]).toEqual(['true', 'false']); // prettier-ignore
    terrain.click();
    await f.whenStable();
    expect(terrain.getAttribute('aria-expanded')).toBe('false');
    const field = el.querySelector<HTMLInputElement>('[data-testid=find-method]')!;
    field.value = 'slope';
    field.dispatchEvent(new Event('input'));
    await f.whenStable();
    expect(families()[0]).toBe('family-terrain');
    expect(el.textContent).toContain('How steep is the ground?');
  });
});

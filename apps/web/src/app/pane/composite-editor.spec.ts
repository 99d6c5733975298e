import { provideZonelessChangeDetection } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { crsOfCode, defaultStyle, infoOf, type Raster, type RasterInfo, type RasterStyle } from '@helk/core';
import { Api } from '../api/api';
import { mixedOf } from '../kinds/drawn';
import { raster } from '../kinds/raster';
import { datasetOf } from '../testing';
import { RasterEditor } from './raster-editor';

const scene: Raster = {
  kind: 'raster',
  grid: { crs: crsOfCode(32627), x: 0, y: 40, dx: 10, dy: 10, columns: 4, rows: 4 },
  bands: ['blue', 'green', 'red', 'nir'].map((name, j) => ({
    name,
    unit: '',
    kind: 'measure',
    storedType: 'uint16',
    missingCode: null,
    cells: Float32Array.from({ length: 16 }, (_, i) => 100 * j + i),
  })),
};
const info = infoOf(scene) as RasterInfo;
const item = datasetOf('scene00001', { data: scene }, { name: 'Scene' });

describe('the editor of a composite', () => {
  let f: ComponentFixture<RasterEditor>;
  let look: RasterStyle;
  let stretched = 0;
  const el = (): HTMLElement => f.nativeElement as HTMLElement;
  const show = async (): Promise<void> => {
    const stretch = (): void => void stretched++;
    const put = (patch: Partial<RasterStyle>): void => void (look = { ...look, ...patch });
    f.componentRef.setInput('of', {
      item,
      look,
      scale: raster.scale!(info, look)?.scale ?? null,
      over: false,
      put,
      stretch,
    });
    f.detectChanges();
    await f.whenStable();
  };
  const choose = async (name: string, value: string): Promise<void> => {
    const field = el().querySelector<HTMLSelectElement>(`[aria-label="${name}"]`)!;
    field.value = value;
    field.dispatchEvent(new Event('change'));
    await show();
  };
  beforeEach(async () => {
    const api = { methods: () => Promise.resolve([]), projects: () => Promise.resolve([]) };
    TestBed.configureTestingModule({ providers: [provideZonelessChangeDetection(), { provide: Api, useValue: api }] });
    f = TestBed.createComponent(RasterEditor);
    look = defaultStyle(info);
    await show();
  });

  it('begins as the eye sees it, and takes usual ones by name', async () => {
    expect(look.composite!.channels.map((c) => c.band)).toEqual([2, 1, 0]);
    expect(raster.scale!(info, look)).toBeNull();
    await choose('Usual composite', 'plants stand out');
    expect(look.composite!.channels.map((c) => c.band)).toEqual([3, 2, 1]);
    const legend = raster.legend!({ item: item as never, look, scale: null, shared: false, symbols: null });
    // Two percent of sixteen values are cut off at either end.
    expect(legend.entries.map((e) => e.text)).toEqual([
      'nir 300.30 to 314.70',
      'red 200.30 to 214.70',
      'green 100.30 to 114.70',
    ]);
  });

  it('sets a channel’s band, its stretch, and limits of its own', async () => {
    await choose('Red band', '3');
    await choose('Red stretch', 'minmax');
    expect(mixedOf(info, look)![0].limits).toEqual([300, 315]);
    await choose('Red stretch', 'own');
    expect(look.composite!.channels[0]).toEqual({ band: 3, stretch: { kind: 'own', low: 300, high: 315 } });
    const field = el().querySelector<HTMLInputElement>('[aria-label="Red brightest value"]')!;
    field.value = '400';
    field.dispatchEvent(new Event('change'));
    await show();
    expect(mixedOf(info, look)![0].limits).toEqual([300, 400]);
    field.value = '10';
    field.dispatchEvent(new Event('change'));
    expect(mixedOf(info, look)![0].limits).toEqual([300, 400]);
  });

  it('goes to one band and back', async () => {
    const [three, one] = [...el().querySelectorAll<HTMLButtonElement>('[role=radiogroup] button')];
    one!.click();
    await show();
    expect(look.composite).toBeNull();
    expect(raster.scale!(info, look)!.scale.low).toBe(0);
    expect(el().querySelector('[data-testid=drawn-band]')).not.toBeNull();
    three!.click();
    await show();
    expect(look.composite!.channels.map((c) => c.band)).toEqual([2, 1, 0]);
  });

  it('is stretched to what is in view on wish, by its own rule, with limits that stay', async () => {
    await choose('Usual composite', 'plants stand out');
    el().querySelector<HTMLButtonElement>('[data-testid=stretch-view]')!.click();
    expect(stretched).toBe(1);
    const asked: number[] = [];
    const sample = (r: { source: { band: number }; width: number; height: number }) => {
      asked.push(r.source.band, r.width, r.height);
      return Promise.resolve(Float32Array.from({ length: 101 }, (_, i) => i + 100 * r.source.band));
    };
    const tools = { project: () => 'p', drawing: { sample } } as never;
    const patch = await raster.stretched!(item as never, look, [0, 0, 320, 160], info.grid.crs!, tools);
    expect(patch!.composite!.channels.map((c) => c.stretch)).toEqual([
      { kind: 'own', low: 302, high: 398 },
      { kind: 'own', low: 202, high: 298 },
      { kind: 'own', low: 102, high: 198 },
    ]);
    expect(asked.slice(0, 3)).toEqual([3, 160, 80]);
    const nothing = { project: () => 'p', drawing: { sample: () => Promise.resolve(new Float32Array(0)) } } as never;
    expect(await raster.stretched!(item as never, look, [0, 0, 1, 1], info.grid.crs!, nothing)).toBeNull();
  });
});

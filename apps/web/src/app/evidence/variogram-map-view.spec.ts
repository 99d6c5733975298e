import { provideZonelessChangeDetection } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { variogramMap } from '@helk/core/numeric/variogram-map';
import { Api } from '../api/api';
import { markLines } from '../pane/preview-lines';
import { crsOfCode } from '@helk/core';
import type { LineString } from 'ol/geom';
import { VariogramMapView } from './variogram-map-view';

/** Values that change fast from west to east, slowly from south to north. */
const [x, y, z] = [[], [], []] as number[][];
for (let i = 0; i < 60; i++) {
  x!.push(100 * (i % 8) + ((i * 37) % 40));
  y!.push(100 * Math.floor(i / 8) + ((i * 53) % 40));
  z!.push(Math.sin(x![i]! / 90) * 10 + y![i]! / 300);
}
const map = variogramMap(x!, y!, z!, 60, 420);

describe('the map of a variogram', () => {
  let f: ComponentFixture<VariogramMapView>;
  let shaped: { angle: string; ratio: string }[];
  const el = (): HTMLElement => f.nativeElement as HTMLElement;
  const handle = (part: string): HTMLElement => el().querySelector(`[data-testid=map-${part}]`)!;
  const settle = async (): Promise<void> => {
    for (let k = 0; k < 3; k++) {
      f.detectChanges();
      await new Promise((r) => setTimeout(r, 30));
    }
    f.detectChanges();
  };
  const set = async (inputs: Record<string, unknown>): Promise<void> => {
    for (const [k, v] of Object.entries(inputs)) f.componentRef.setInput(k, v);
    await settle();
  };
  beforeEach(async () => {
    const api = { methods: () => Promise.resolve([]), projects: () => Promise.resolve([]) };
    TestBed.configureTestingModule({ providers: [provideZonelessChangeDetection(), { provide: Api, useValue: api }] });
    f = TestBed.createComponent(VariogramMapView);
    el().style.cssText = 'display:flex;width:200px;height:200px';
    document.body.append(el());
    shaped = [];
    f.componentInstance.shaped.subscribe((s) => shaped.push(s));
    await set({ map, range: 210 });
  });
  afterEach(() => el().remove());

  it('has handles at the ends of what is alike, and none where the model has no end', async () => {
    const [a, r] = [handle('angle'), handle('ratio')];
    // A circle at first: straight up, and straight to the right.
    const [dx, dy] = (['left', 'top'] as const).map((k) => parseFloat(r.style[k]) - parseFloat(a.style[k]));
    expect(dx).toBeGreaterThan(20);
    expect(dy).toBeCloseTo(dx!, 1);
    await set({ range: null });
    expect(handle('angle')).toBeNull();
  });

  it('is turned and narrowed by keys; a first turn has a shape to turn', async () => {
    handle('angle').dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowRight' }));
    expect(shaped.at(-1)).toEqual({ angle: '5', ratio: '0.7' });
    await set({ angle: '175', ratio: '0.5' });
    handle('angle').dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowRight' }));
    expect(shaped.at(-1)).toEqual({ angle: '0', ratio: '0.5' });
    handle('ratio').dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowDown' }));
    expect(shaped.at(-1)).toEqual({ angle: '175', ratio: '0.45' });
    await set({ ratio: '0.1' });
    handle('ratio').dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowDown' }));
    expect(shaped.at(-1)!.ratio).toBe('0.1');
    await set({ ratio: '0.95' });
    // Alike in every direction again is no ratio.
    handle('ratio').dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowUp' }));
    expect(shaped.at(-1)!.ratio).toBe('');
  });

  it('is dragged', async () => {
    await set({ angle: '0', ratio: '0.8' });
    spyOn(Element.prototype, 'hasPointerCapture').and.returnValue(true);
    const box = el().querySelector('canvas')!.getBoundingClientRect();
    const [cx, cy] = [box.left + box.width / 2, box.top + box.height / 2];
    const drag = (part: string, dx: number, dy: number): void => {
      handle(part).dispatchEvent(new PointerEvent('pointermove', { clientX: cx + dx, clientY: cy - dy, pointerId: 1 }));
    };
    drag('angle', 40, 40);
    expect(shaped.at(-1)).toEqual({ angle: '45', ratio: '0.8' });
    const long = cy - (handle('angle').getBoundingClientRect().top + 7);
    drag('ratio', long / 2, 0);
    expect(Number(shaped.at(-1)!.ratio)).toBeCloseTo(0.5, 1);
  });
});

describe('the reach on the map', () => {
  const crs = crsOfCode(32627);
  const ring = (r: object): number[][] =>
    (
      markLines([], { x: 1000, y: 2000, radius: 100, ...r }, null, [], crs)[0]!.getGeometry() as LineString
    ).getCoordinates();
  const reach = (all: number[][], azimuth: number): number => {
    const t = (azimuth * Math.PI) / 180;
    return Math.max(...all.map(([px, py]) => (px! - 1000) * Math.sin(t) + (py! - 2000) * Math.cos(t)));
  };

  it('is a circle, or reaches less across the longest direction', () => {
    for (const a of [0, 45, 90]) expect(reach(ring({}), a)).toBeCloseTo(100, 0);
    const turned = ring({ angle: 30, ratio: 0.4 });
    expect(reach(turned, 30)).toBeCloseTo(100, 0);
    expect(reach(turned, 120)).toBeCloseTo(40, 0);
  });
});

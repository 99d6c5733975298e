import { provideZonelessChangeDetection } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import OlMap from 'ol/Map';
import View from 'ol/View';
import Draw from 'ol/interaction/Draw';
import Feature from 'ol/Feature';
import { LineString, Point, Polygon } from 'ol/geom';
import { crsOfCode, wgs84, type Crs } from '@helk/core';
import type { ApiProjectDetail, ApiRun, ProjectEvent } from '@helk/core/api/schemas';
import { Api } from '../api/api';
import { ProjectStore } from '../state/project.store';
import { projectOf, runOf } from '../testing';
import { Sketch } from './sketch';
import { NOTHING_WRITTEN } from '../state/written';

class FakeApi {
  taken: { name: string; text: string; crs: string | null }[] = [];
  crs: Crs = crsOfCode(32627);
  on: (e: ProjectEvent) => void = () => undefined;
  methods = () => Promise.resolve([]);
  projects = () => Promise.resolve([projectOf('project1')]);
  project = (): Promise<ApiProjectDetail> =>
    Promise.resolve({
      project: projectOf('project1', { crs: this.crs }),
      datasets: [],
      runs: [],
      ...NOTHING_WRITTEN,
      workbench: null,
    });
  follow = (_: string, on: (e: ProjectEvent) => void) => {
    this.on = on;
    return () => undefined;
  };
  async takeIn(_: string, file: File, o: { crs?: string | null }): Promise<ApiRun> {
    this.taken.push({ name: file.name, text: await file.text(), crs: o.crs ?? null });
    return runOf('import0001', 'import', { outputs: ['drawn00001'] });
  }
}
interface Drawn {
  features: { geometry: { type: string; coordinates: unknown } }[];
}

describe('drawing by hand', () => {
  let api: FakeApi;
  let sketch: Sketch;
  let map: OlMap;
  let box: HTMLElement;
  const begin = async (): Promise<void> => {
    TestBed.configureTestingModule({ providers: [provideZonelessChangeDetection(), { provide: Api, useValue: api }] });
    TestBed.inject(ProjectStore);
    await new Promise((r) => setTimeout(r, 20));
    sketch = TestBed.inject(Sketch);
    box = document.createElement('div');
    box.style.cssText = 'width: 300px; height: 200px';
    document.body.append(box);
    map = new OlMap({ target: box, view: new View({ center: [530_000, 6_460_000], resolution: 10 }) });
    map.renderSync();
    TestBed.runInInjectionContext(() => sketch.attach(() => map));
  };
  /** What the hand does, as the map tells of it. */
  const draw = (g: Point | LineString | Polygon): void => {
    TestBed.tick();
    const tool = map
      .getInteractions()
      .getArray()
      .find((i) => i instanceof Draw)!;
    tool.dispatchEvent(Object.assign({ type: 'drawend' }, { feature: new Feature(g) }) as never);
  };
  const last = (): Drawn => JSON.parse(api.taken.at(-1)!.text) as Drawn;
  beforeEach(() => {
    localStorage.clear();
    api = new FakeApi();
  });
  afterEach(() => {
    map.dispose();
    box.remove();
  });

  it('keeps the system of the project, to the centimetre', async () => {
    await begin();
    const made: string[] = [];
    sketch.begin('point', (id) => made.push(id));
    draw(new Point([530_000.123456, 6_460_000.5]));
    draw(new Point([530_010, 6_460_001]));
    expect(sketch.count()).toBe(2);
    await sketch.finish();
    expect(made).toEqual(['drawn00001']);
    expect(api.taken[0]).toEqual(jasmine.objectContaining({ name: 'drawn points.geojson', crs: 'EPSG:32627' }));
    expect(last().features.map((f) => f.geometry.coordinates)).toEqual([
      [530_000.12, 6_460_000.5],
      [530_010, 6_460_001],
    ]);
  });

  it('in degrees keeps seven digits', async () => {
    api.crs = wgs84();
    await begin();
    sketch.begin('polygon', () => undefined);
    draw(
      new Polygon([
        [
          [1.1234567891, 2],
          [3, 2],
          [3, 4],
          [1.1234567891, 2],
        ],
      ]),
    );
    await sketch.finish();
    expect(api.taken[0]!.crs).toBe('EPSG:4326');
    expect((last().features[0]!.geometry.coordinates as number[][][])[0]![0]).toEqual([1.1234568, 2]);
  });

  it('of a line ends with it; of an area that only points at something hands on its corners', async () => {
    await begin();
    const line = new Promise<string>((done) => sketch.begin('line', done));
    draw(
      new LineString([
        [0, 0],
        [5, 5],
      ]),
    );
    expect(await line).toBe('drawn00001');
    const ring = new Promise<number[][]>((done) => sketch.pick('box', done));
    draw(
      new Polygon([
        [
          [0, 0],
          [0, 5],
          [5, 5],
          [0, 0],
        ],
      ]),
    );
    expect(await ring).toEqual([
      [0, 0],
      [0, 5],
      [5, 5],
    ]);
    expect(api.taken.length).toBe(1);
    expect(sketch.wish()).toBeNull();
  });

  it('takes corners that are typed, takes the last back, and ends where there are enough', async () => {
    await begin();
    const line = new Promise<string>((done) => sketch.begin('line', done));
    TestBed.tick();
    sketch.add([530_000, 6_460_000]);
    expect(sketch.closes()).toBeFalse();
    sketch.add([530_100, 6_460_000]);
    sketch.add([530_100, 6_460_900]);
    expect([sketch.corners(), sketch.closes()]).toEqual([3, true]);
    sketch.back();
    expect(sketch.corners()).toBe(2);
    sketch.add([530_100, 6_460_050]);
    sketch.end();
    expect(await line).toBe('drawn00001');
    expect(last().features[0]!.geometry.coordinates).toEqual([
      [530_000, 6_460_000],
      [530_100, 6_460_000],
      [530_100, 6_460_050],
    ]);

    sketch.begin('polygon', () => undefined);
    TestBed.tick();
    for (const c of [
      [0, 0],
      [10, 0],
      [10, 10],
    ])
      sketch.add(c);
    expect(sketch.closes()).toBeTrue();
    sketch.end();
    expect(sketch.count()).toBe(1);
    await sketch.finish();
    expect(last().features[0]!.geometry.coordinates as unknown).toEqual([
      [
        [0, 0],
        [10, 0],
        [10, 10],
        [0, 0],
      ],
    ]);

    sketch.begin('point', () => undefined);
    TestBed.tick();
    for (const c of [
      [1, 2],
      [3, 4],
      [5, 6],
    ])
      sketch.add(c);
    sketch.back();
    await sketch.finish();
    expect(last().features.map((f) => f.geometry.coordinates)).toEqual([
      [1, 2],
      [3, 4],
    ]);

    const box = new Promise<number[][]>((done) => sketch.pick('box', done));
    TestBed.tick();
    sketch.add([0, 0]);
    sketch.back();
    sketch.add([1, 1]);
    sketch.add([4, 3]);
    expect(await box).toEqual([
      [1, 1],
      [4, 1],
      [4, 3],
      [1, 3],
    ]);
  });

  it('is left with the escape key, and nothing is made', async () => {
    await begin();
    sketch.begin('point', () => fail('nothing was asked for'));
    draw(new Point([1, 1]));
    dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape' }));
    expect(sketch.wish()).toBeNull();
    await sketch.finish();
    expect(api.taken).toEqual([]);
    TestBed.tick();
    expect(
      map
        .getInteractions()
        .getArray()
        .some((i) => i instanceof Draw),
    ).toBeFalse();
  });
});

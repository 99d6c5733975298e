import { fitted, widthOf, type DisplayList } from './display';
import { paint } from './paint';
import { toSvg } from './svg';

const size = { size: 12 };

/** Red, green, blue and opacity of a pixel. */
const at = (c: HTMLCanvasElement, x: number, y: number): number[] => [
  ...c.getContext('2d')!.getImageData(x, y, 1, 1).data,
];
function flat(colour: string): HTMLCanvasElement {
  const c = document.createElement('canvas');
  c.width = c.height = 4;
  const g = c.getContext('2d')!;
  g.fillStyle = colour;
  g.fillRect(0, 0, 4, 4);
  return c;
}

const list: DisplayList = {
  width: 100,
  height: 60,
  items: [
    { kind: 'box', x: 0, y: 0, width: 100, height: 60, fill: '#ffffff' },
    { kind: 'image', x: 0, y: 0, width: 20, height: 20, image: flat('#0000ff') },
    { kind: 'disc', x: 50, y: 10, radius: 8, fill: '#ff0000' },
    {
      kind: 'path',
      points: [
        [70, 0],
        [90, 0],
        [90, 20],
        [70, 20],
      ],
      closed: true,
      fill: '#00ff00',
    },
    { kind: 'ramp', x: 0, y: 30, width: 40, height: 10, colours: ['#000000', '#ffffff'], stepped: true },
    { kind: 'ramp', x: 50, y: 30, width: 40, height: 10, colours: ['#000000', '#ffffff'], stepped: false },
    { kind: 'text', x: 5, y: 55, text: 'a < b & "c"', size: 10, fill: '#000000' },
  ],
};

describe('a display list', () => {
  it('is painted at any size, what comes last on top', () => {
    const c = paint(list, 2);
    expect([c.width, c.height]).toEqual([200, 120]);
    expect(at(c, 10, 10)).toEqual([0, 0, 255, 255]);
    expect(at(c, 100, 20)).toEqual([255, 0, 0, 255]);
    expect(at(c, 160, 20)).toEqual([0, 255, 0, 255]);
    expect(at(c, 198, 118)).toEqual([255, 255, 255, 255]);
  });

  it('has ramps in steps and blended ones', () => {
    const c = paint(list, 1);
    expect([at(c, 5, 35)[0], at(c, 35, 35)[0]]).toEqual([0, 255]);
    // Stepped ones have nothing between, blended ones the middle.
    expect([at(c, 18, 35)[0], at(c, 22, 35)[0]]).toEqual([0, 255]);
    expect(Math.abs(at(c, 70, 35)[0]! - 128)).toBeLessThan(12);
  });

  it('says the same as SVG, whatever texts are in it', () => {
    const doc = new DOMParser().parseFromString(toSvg(list), 'image/svg+xml');
    expect(doc.querySelector('parsererror')).toBeNull();
    expect(doc.documentElement.getAttribute('viewBox')).toBe('0 0 100 60');
    expect(doc.querySelector('text')!.textContent).toBe('a < b & "c"');
    expect(doc.querySelectorAll('linearGradient').length).toBe(2);
    expect(doc.querySelectorAll('linearGradient')[0]!.querySelectorAll('stop').length).toBe(4);
    expect(doc.querySelector('image')!.getAttribute('href')).toMatch(/^data:image\/png;base64,/);
    expect(doc.querySelector('path')!.getAttribute('d')).toBe('M70 0L90 0L90 20L70 20Z');
    expect(doc.querySelectorAll('script, foreignObject').length).toBe(0);
  });

  it('cuts a text that is too wide, and only that', () => {
    expect(fitted('short', 200, size)).toBe('short');
    const long = 'a name of a dataset that goes on and on and on';
    const cut = fitted(long, 100, size);
    expect(cut).toMatch(/^a name.*…$/);
    expect(widthOf(cut, size)).toBeLessThanOrEqual(100);
    expect(widthOf(`${long.slice(0, cut.length + 2)}…`, size)).toBeGreaterThan(100);
    expect(fitted(long, 1, size)).toBe('…');
  });
});

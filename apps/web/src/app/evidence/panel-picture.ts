import { Chart } from 'chart.js';
import { themeColour, WORD_FONT } from './chart-look';

const HEAD = 30;
const EDGE = 12;

/**
 * What is drawn in a panel as one picture, with its title above and the figures and captions that stand in it. Charts are drawn anew so much finer;
 * other pictures as they are.
 */
export function panelPicture(host: HTMLElement, title: string, finer: number): HTMLCanvasElement {
  const frame = host.getBoundingClientRect();
  const out = document.createElement('canvas');
  out.width = Math.round(frame.width * finer);
  out.height = Math.round((frame.height + HEAD) * finer);
  const g = out.getContext('2d')!;
  g.scale(finer, finer);
  g.fillStyle = themeColour('--leaf');
  g.fillRect(0, 0, frame.width, frame.height + HEAD);
  g.fillStyle = themeColour('--ink');
  g.font = `600 14px ${WORD_FONT.family}`;
  g.fillText(title, EDGE, 20);
  for (const canvas of host.querySelectorAll('canvas')) {
    const at = canvas.getBoundingClientRect();
    if (!at.width || !at.height) continue;
    const chart = Chart.getChart(canvas);
    const draw = (): void => g.drawImage(canvas, at.left - frame.left, at.top - frame.top + HEAD, at.width, at.height);
    if (!chart) draw();
    else {
      const before = chart.options.devicePixelRatio;
      chart.options.devicePixelRatio = finer;
      chart.resize(at.width, at.height);
      draw();
      if (before === undefined) delete chart.options.devicePixelRatio;
      else chart.options.devicePixelRatio = before;
      chart.resize(at.width, at.height);
    }
  }
  words(host, frame, g);
  return out;
}

/** Texts of the panel where they stand: figures, captions, names of quarters. Fields and what is not seen are left out. */
function words(host: HTMLElement, frame: DOMRect, g: CanvasRenderingContext2D): void {
  const walk = document.createTreeWalker(host, NodeFilter.SHOW_TEXT);
  const range = document.createRange();
  for (let node = walk.nextNode(); node; node = walk.nextNode()) {
    const text = node.textContent?.trim();
    const parent = node.parentElement;
    if (!text || !parent || parent.closest('select, option, .link, .bar, .sr-only')) continue;
    range.selectNodeContents(node);
    const box = range.getBoundingClientRect();
    const style = getComputedStyle(parent);
    if (!box.width || style.visibility === 'hidden' || box.right > frame.right + 1 || box.bottom > frame.bottom + 1)
      continue;
    g.font = `${style.fontStyle} ${style.fontWeight} ${style.fontSize} ${style.fontFamily}`;
    g.fillStyle = style.color;
    g.textBaseline = 'middle';
    g.fillText(text, box.left - frame.left, box.top - frame.top + box.height / 2 + HEAD, frame.right - box.left);
  }
  g.textBaseline = 'alphabetic';
}

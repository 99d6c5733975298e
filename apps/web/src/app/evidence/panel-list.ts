import { Chart } from 'chart.js';
import type { DisplayItem, DisplayList, Face } from '../draw/display';
import { Recorder } from '../draw/recorder';
import { PANEL_HEAD, themeColour } from './chart-look';

const EDGE = 12;

/** Parts of a chart that hold the context they draw on. */
interface Drawn {
  ctx: CanvasRenderingContext2D;
  boxes: { ctx?: CanvasRenderingContext2D }[];
}

/** What a chart draws, as lines and letters. It is drawn once more, onto paper. */
function chartItems(chart: Chart): DisplayItem[] {
  const recorder = new Recorder(chart.canvas);
  const pen = recorder as unknown as CanvasRenderingContext2D;
  const c = chart as unknown as Drawn;
  const controllers = chart.getSortedVisibleDatasetMetas().map((m) => m.controller as unknown as { _ctx: unknown });
  const before = c.ctx;
  const holders = [c, ...c.boxes].filter((h) => h.ctx === before);
  try {
    for (const h of holders) h.ctx = pen;
    for (const k of controllers) k._ctx = pen;
    chart.draw();
  } finally {
    for (const h of holders) h.ctx = before;
    for (const k of controllers) k._ctx = before;
  }
  return recorder.items;
}

/** What is drawn in a panel, as a display list: charts as lines and letters, other pictures as they are, and the words that stand in it. */
export function panelList(host: HTMLElement, title: string): DisplayList {
  const frame = host.getBoundingClientRect();
  const [width, height] = [Math.max(40, frame.width), Math.max(20, frame.height) + PANEL_HEAD];
  const items: DisplayItem[] = [
    { kind: 'box', x: 0, y: 0, width, height, fill: themeColour('--leaf') },
    { kind: 'text', x: EDGE, y: 20, text: title, size: 14, weight: 600, fill: themeColour('--ink') },
  ];
  for (const canvas of host.querySelectorAll('canvas')) {
    const at = canvas.getBoundingClientRect();
    if (!at.width || !at.height || at.top > frame.bottom || at.left > frame.right) continue;
    const chart = Chart.getChart(canvas);
    const box = { x: at.left - frame.left, y: at.top - frame.top + PANEL_HEAD, width: at.width, height: at.height };
    if (chart) {
      items.push({
        kind: 'group',
        move: { x: box.x, y: box.y, scale: at.width / (chart.width || at.width) },
        items: chartItems(chart),
      });
      continue;
    }
    const copy = document.createElement('canvas');
    copy.width = canvas.width;
    copy.height = canvas.height;
    copy.getContext('2d')!.drawImage(canvas, 0, 0);
    items.push({ kind: 'image', image: copy, ...box });
  }
  items.push(...words(host, frame));
  return { width, height, items: [{ kind: 'group', clip: { x: 0, y: 0, width, height }, items }] };
}

/** Texts of the panel where they stand, lines of tables with them. Fields and what is not seen are left out. */
function words(host: HTMLElement, frame: DOMRect): DisplayItem[] {
  const walk = document.createTreeWalker(host, NodeFilter.SHOW_TEXT);
  const range = document.createRange();
  const out: DisplayItem[] = [];
  for (let node = walk.nextNode(); node; node = walk.nextNode()) {
    const text = node.textContent?.replace(/\s+/g, ' ').trim();
    const parent = node.parentElement;
    if (!text || !parent || parent.closest('select, option, .link, .bar, .sr-only, [cdkmenu]')) continue;
    range.selectNodeContents(node);
    const box = range.getBoundingClientRect();
    const style = getComputedStyle(parent);
    if (!box.width || style.visibility === 'hidden' || box.right > frame.right + 1 || box.bottom > frame.bottom + 1)
      continue;
    if (box.top < frame.top - 1 || box.left < frame.left - 1) continue;
    const face: Face = /mono/i.test(style.fontFamily)
      ? 'mono'
      : /newsreader/i.test(style.fontFamily)
        ? 'voice'
        : 'sans';
    out.push({
      kind: 'text',
      x: box.left - frame.left,
      y: box.top - frame.top + PANEL_HEAD + box.height / 2 + parseFloat(style.fontSize) * 0.34,
      text,
      size: parseFloat(style.fontSize),
      weight: Number(style.fontWeight) || 450,
      face,
      fill: style.color,
    });
  }
  return out;
}

import type OlMap from 'ol/Map';
import { displayUnit, formatNumber, type Scale } from '@helk/core';
import { colourTable } from '@helk/core/render/paint';
import { roundTo } from './key';

interface Caption {
  title: string;
  project: string;
  crs: string;
  keys: { name: string; unit: string | null; scale: Scale }[];
  /** Of features: colours and what they mean. */
  legends: { name: string; entries: { colour: string; text: string }[] }[];
  bar: { width: number; text: string } | null;
  ink: string;
  paper: string;
}

const FOOT = 64;
const SANS = '"Instrument Sans Variable", sans-serif';
const MONO = '"IBM Plex Mono", monospace';

/** What a pane shows, as a PNG at twice its size, with title, keys and scale bar beneath it. */
export async function paneImage(map: OlMap, c: Caption): Promise<Blob> {
  const [w, h] = map.getSize() as [number, number];
  const k = 2;
  const canvas = document.createElement('canvas');
  canvas.width = w * k;
  canvas.height = (h + FOOT) * k;
  const g = canvas.getContext('2d')!;
  g.fillStyle = c.paper;
  g.fillRect(0, 0, canvas.width, canvas.height);
  map.renderSync();
  for (const layer of map.getViewport()!.querySelectorAll<HTMLCanvasElement>('.ol-layer canvas, canvas.ol-layer')) {
    if (layer.width === 0) continue;
    const opacity = (layer.parentElement as HTMLElement).style.opacity || layer.style.opacity;
    g.globalAlpha = opacity === '' ? 1 : Number(opacity);
    const m = /^matrix\(([^)]+)\)$/.exec(layer.style.transform)?.[1]?.split(',').map(Number) ?? [
      parseFloat(layer.style.width) / layer.width || 1,
      0,
      0,
      parseFloat(layer.style.height) / layer.height || 1,
      0,
      0,
    ];
    g.setTransform(m[0]! * k, m[1]! * k, m[2]! * k, m[3]! * k, m[4]! * k, m[5]! * k);
    g.imageSmoothingEnabled = false;
    g.drawImage(layer, 0, 0);
  }
  g.globalAlpha = 1;
  g.setTransform(k, 0, 0, k, 0, h * k);
  g.fillStyle = c.paper;
  g.fillRect(0, 0, w, FOOT);
  g.fillStyle = c.ink;
  g.strokeStyle = c.ink;
  g.textBaseline = 'top';
  g.font = `600 14px ${SANS}`;
  g.fillText(c.title, 12, 9, w * 0.4);
  g.font = `11px ${SANS}`;
  g.fillText([c.project, c.crs].filter(Boolean).join(' · '), 12, 30, w * 0.4);
  let x = w * 0.42;
  const room = w - x - (c.bar ? c.bar.width + 40 : 12);
  const each = Math.min(220, room / Math.max(1, c.keys.length + c.legends.length) - 16);
  const swatches = (name: string, entries: { colour: string; text: string }[]): void => {
    g.font = `11px ${SANS}`;
    g.fillStyle = c.ink;
    g.fillText(name, x, 8, each);
    g.font = `9.5px ${SANS}`;
    // Three rows, as many columns as there is room for.
    const columns = Math.max(1, Math.floor(each / 70));
    entries.slice(0, 3 * columns).forEach((e, i) => {
      const left = x + Math.floor(i / 3) * (each / columns);
      const top = 23 + (i % 3) * 12;
      g.fillStyle = e.colour;
      g.fillRect(left, top, 12, 8);
      g.fillStyle = c.ink;
      g.fillText(e.text, left + 16, top - 1, each / columns - 20);
    });
    x += each + 16;
  };
  for (const l of c.legends) swatches(l.name, l.entries);
  for (const key of c.keys) {
    if (key.scale.classes) {
      swatches(
        key.name,
        key.scale.classes.map((e) => ({ colour: e.colour, text: e.label })),
      );
      continue;
    }
    g.font = `11px ${SANS}`;
    g.fillText(`${key.name}${key.unit ? `, ${displayUnit(key.unit)}` : ''}`, x, 8, each);
    const { table, index } = colourTable({ ...key.scale });
    for (let i = 0; i < each; i++) {
      const t = 3 * index(key.scale.low + ((i + 0.5) / each) * (key.scale.high - key.scale.low));
      g.fillStyle = `rgb(${table[t]},${table[t + 1]},${table[t + 2]})`;
      g.fillRect(x + i, 24, 1.5, 10);
    }
    g.fillStyle = c.ink;
    g.font = `10px ${MONO}`;
    const range = key.scale.high - key.scale.low;
    const text = (v: number): string => formatNumber(roundTo(v, range), range);
    g.fillText(text(key.scale.low), x, 38);
    g.textAlign = 'right';
    g.fillText(text(key.scale.high), x + each, 38);
    g.textAlign = 'left';
    x += each + 16;
  }
  if (c.bar) {
    const left = w - c.bar.width - 14;
    g.font = `11px ${MONO}`;
    g.textAlign = 'center';
    g.fillText(c.bar.text, left + c.bar.width / 2, 14);
    g.textAlign = 'left';
    g.lineWidth = 1.5;
    g.beginPath();
    g.moveTo(left, 30);
    g.lineTo(left, 36);
    g.lineTo(left + c.bar.width, 36);
    g.lineTo(left + c.bar.width, 30);
    g.stroke();
  }
  return new Promise((done, failed) =>
    canvas.toBlob((b) => (b ? done(b) : failed(new Error('The picture could not be made.'))), 'image/png'),
  );
}

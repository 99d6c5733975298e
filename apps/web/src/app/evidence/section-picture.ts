import { formatNumber } from '@helk/core';
import type { SidePoints } from '@helk/core/render/cloud-section';
import { NUMBER_FONT, themeColour } from './chart-look';

/** Room for the axes, pixels. */
export const LEFT = 52;
export const BOTTOM = 22;
export const TOP = 8;

/** Places of the picture of a section: pixels to a unit along and to one of the heights, and the lowest height. */
export interface SectionScales {
  x: number;
  z: number;
  low: number;
}

export interface SectionOutline {
  ring: readonly (readonly [along: number, z: number])[];
  colour: string;
}

export interface SectionPicture extends SectionScales {
  width: number;
  height: number;
  parts: readonly SidePoints[];
  /** Metres in a unit along. */
  metres: number;
  /** Of heights, as it is shown. */
  unit: string;
  outlines: readonly SectionOutline[];
}

/** Round values from one to another, so far apart that there are at most so many. */
function steps(from: number, to: number, most: number): number[] {
  const rough = (to - from) / Math.max(1, most);
  const power = 10 ** Math.floor(Math.log10(rough || 1));
  const step = [1, 2, 5, 10].map((m) => m * power).find((s) => s >= rough) ?? rough;
  const out: number[] = [];
  for (let v = Math.ceil(from / step) * step; v <= to + 1e-9; v += step) out.push(Number(v.toPrecision(12)));
  return out;
}

/** Points straight into the picture; axes and outlines over them. */
export function paintSection(c: HTMLCanvasElement, p: SectionPicture): void {
  const { width: w, height: h, x, z, low } = p;
  const ratio = Math.min(2, devicePixelRatio);
  [c.width, c.height] = [Math.round(w * ratio), Math.round(h * ratio)];
  const g = c.getContext('2d')!;
  const image = g.createImageData(c.width, c.height);
  const pixels = new Uint32Array(image.data.buffer);
  const few = p.parts.reduce((s, part) => s + part.z.length, 0) < 20_000;
  const dot = Math.max(1, Math.round(ratio * (few ? 2 : 1.3)));
  for (const part of p.parts)
    for (let i = 0; i < part.z.length; i++) {
      const u = Math.round((LEFT + part.along[i]! * x) * ratio);
      const v = Math.round((h - BOTTOM - (part.z[i]! - low) * z) * ratio);
      for (let b = 0; b < dot; b++)
        for (let a = 0; a < dot; a++)
          if (u + a >= 0 && u + a < c.width && v + b >= 0 && v + b < c.height)
            pixels[(v + b) * c.width + u + a] = part.colours[i]!;
    }
  g.putImageData(image, 0, 0);
  g.scale(ratio, ratio);
  axes(g, p);
  g.lineWidth = 2;
  for (const { ring, colour } of p.outlines) {
    g.strokeStyle = colour;
    g.fillStyle = `color-mix(in srgb, ${colour} 18%, transparent)`;
    g.beginPath();
    ring.forEach(([along, height], i) => {
      const [u, v] = [LEFT + along * x, h - BOTTOM - (height - low) * z];
      if (i) g.lineTo(u, v);
      else g.moveTo(u, v);
    });
    g.closePath();
    g.fill();
    g.stroke();
  }
}

function axes(g: CanvasRenderingContext2D, { width: w, height: h, x, z, low, metres, unit }: SectionPicture): void {
  g.font = `${NUMBER_FONT.size}px ${NUMBER_FONT.family}`;
  g.fillStyle = themeColour('--ink-2');
  g.strokeStyle = themeColour('--line');
  g.lineWidth = 1;
  const top = low + (h - TOP - BOTTOM) / z;
  g.textAlign = 'right';
  g.textBaseline = 'middle';
  for (const v of steps(low, top, (h - TOP - BOTTOM) / 34)) {
    const y = h - BOTTOM - (v - low) * z;
    g.globalAlpha = 0.6;
    g.beginPath();
    g.moveTo(LEFT, y);
    g.lineTo(w - 8, y);
    g.stroke();
    g.globalAlpha = 1;
    g.fillText(`${formatNumber(v, 100)} ${unit}`, LEFT - 6, y);
  }
  g.textAlign = 'center';
  g.textBaseline = 'top';
  for (const m of steps(0, ((w - LEFT - 12) / x) * metres, (w - LEFT) / 90))
    g.fillText(`${formatNumber(m)} m`, Math.min(w - 24, LEFT + (m / metres) * x), h - BOTTOM + 6);
}

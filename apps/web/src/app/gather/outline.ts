import { ChangeDetectionStrategy, Component, effect, ElementRef, inject, input, viewChild } from '@angular/core';
import { joined, metresPerDegree, type Extent } from '@helk/core';
import type { ApiServiceCollection } from '@helk/core/api/schemas';
import { themeColour } from '../evidence/chart-look';
import { BenchStore } from '../state/bench.store';

const EDGE = 14;

/** Some features of a service in outline, with the extent of the whole and that of the project: whether they lie where they should. */
@Component({
  selector: 'helk-outline',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'block relative' },
  template: `<canvas #c class="block w-full h-full" role="img" aria-label="Features in outline"></canvas>`,
})
export class Outline {
  readonly collection = input.required<ApiServiceCollection>();
  /** Longitude and latitude. */
  readonly project = input<Extent | null>(null);
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('c');
  private readonly bench = inject(BenchStore);

  constructor() {
    effect(() => {
      this.bench.dark();
      const [c, project] = [this.collection(), this.project()];
      requestAnimationFrame(() => this.draw(c, project));
    });
  }

  private draw(d: ApiServiceCollection, project: Extent | null): void {
    const c = this.canvas().nativeElement;
    const ratio = devicePixelRatio;
    const [w, h] = [c.clientWidth, c.clientHeight];
    c.width = w * ratio;
    c.height = h * ratio;
    const g = c.getContext('2d')!;
    g.scale(ratio, ratio);
    const boxes = [d.extent as Extent | null, project].filter((b): b is Extent => b !== null);
    const rings = d.preview.flatMap((p) => p.rings);
    if (!boxes.length) {
      const e: Extent = [Infinity, Infinity, -Infinity, -Infinity];
      for (const r of rings)
        for (let i = 0; i < r.length; i += 2) {
          e[0] = Math.min(e[0], r[i]!);
          e[1] = Math.min(e[1], r[i + 1]!);
          e[2] = Math.max(e[2], r[i]!);
          e[3] = Math.max(e[3], r[i + 1]!);
        }
      if (!(e[2] >= e[0])) return;
      boxes.push(e);
    }
    const e = boxes.reduce(joined);
    const [mx, my] = metresPerDegree((e[1] + e[3]) / 2) as [number, number];
    const k = Math.min(
      (w - 2 * EDGE) / Math.max(1e-9, (e[2] - e[0]) * mx),
      (h - 2 * EDGE) / Math.max(1e-9, (e[3] - e[1]) * my),
    );
    const x = (lon: number): number => w / 2 + (lon - (e[0] + e[2]) / 2) * mx * k;
    const y = (lat: number): number => h / 2 - (lat - (e[1] + e[3]) / 2) * my * k;
    const box = (b: Extent, colour: string, dash: number[]): void => {
      g.strokeStyle = colour;
      g.setLineDash(dash);
      g.lineWidth = 1;
      g.strokeRect(x(b[0]), y(b[3]), Math.max(2, x(b[2]) - x(b[0])), Math.max(2, y(b[1]) - y(b[3])));
      g.setLineDash([]);
    };
    if (project) box(project, themeColour('--ink-3'), [5, 4]);
    if (d.extent) box(d.extent as Extent, themeColour('--act'), []);
    g.strokeStyle = themeColour('--act');
    g.fillStyle = `color-mix(in srgb, ${themeColour('--act')} 18%, transparent)`;
    for (const p of d.preview) {
      for (const r of p.rings) {
        g.beginPath();
        if (p.geometry === 'point') {
          g.arc(x(r[0]!), y(r[1]!), 2.2, 0, 2 * Math.PI);
          g.fillStyle = themeColour('--act');
          g.fill();
          continue;
        }
        for (let i = 0; i < r.length; i += 2) g.lineTo(x(r[i]!), y(r[i + 1]!));
        if (p.geometry === 'polygon') g.fill();
        g.stroke();
      }
    }
  }
}
